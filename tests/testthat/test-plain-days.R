# Days straight from the bytes of a file: the same as its texts are read, or left to be read as texts.

table_of <- function(file, dates = NULL, ...) {
  table <- suppressMessages(almanacridge:::read_table(file, needed = c("who", "from", "to"), dates = dates, ...))
  as.list(almanacridge:::plain_tibble(table))
}

expect_days <- function(text, straight, ...) {
  file <- text_file(text)
  texts <- table_of(file, ...)
  found <- table_of(file, c("from", "to"), ...)
  expect_identical(vapply(found, inherits, NA, "Date"), c(who = FALSE, from = straight, to = straight), info = text)
  if (straight) texts[2:3] <- lapply(texts[2:3], function(column) as.Date(column))
  expect_identical(found, texts, info = text)
}

head <- "who,note,from,to\n"

test_that("days are taken from lines of plain fields", {
  expect_days(paste0(head, "a,x,2026-01-05,2026-02-28\nb,,2024-02-29,\n"), TRUE)
  expect_days(paste0(head, "a,x,2026-01-05,2026-02-28\nb,,2024-02-29,2026-01-01"), TRUE)
  expect_days(paste0(head, "a,x,2026-01-05,2026-02-28\r\nb,,2024-02-29,\r\n"), TRUE)
  expect_days(paste0(head, "a,x,,2026-02-28\n,,2024-02-29,\n,,,2026-01-01\n"), TRUE)
  expect_days("from;who;to\n2026-01-05;Zo\u00eb;2026-02-28\n", TRUE)
  expect_days("who\tfrom\tto\na\t2026-01-05\t2026-02-28\n", TRUE)
  expect_days(paste0("\ufeff", head, "a,x,2026-01-05,2026-02-28\n"), TRUE)
  expect_days(paste0("A list\n\n", head, "a,x,2026-01-05,2026-02-28\n"), TRUE, skip_top = 1)
  expect_days(paste0(head, "a,x,2026-01-05,2026-02-28\n2 records\n"), TRUE, skip_bottom = 1)
})

test_that("what takes a closer look is read as text", {
  for (rows in c("a,x,2026-01-05,2026-02-30\n", "a,x,2026-01-05,20260228\n", "a,x, 2026-01-05,2026-02-28\n", "a,x,2026-01-05,2026-02-28 \n",
                 "a,x,2026-1-05,2026-02-28\n", "a,x,2026-+1-5,2026-02-28\n", "a,x,05/01/2026,28/02/2026\n", "a,x,2026-01-05,still here\n",
                 "a,\"x\",2026-01-05,2026-02-28\n", "a,x,2026-01-05,\nb,y,2026-01-06,\n", "a,x,2026-01-05,2026-02-28\n\nb,y,2026-01-06,\n",
                 "a,x,2026-01-05T10:00,2026-02-28\n", "a,x,0026-01-05,2026-02-28\n", "a,x,02026-01-5,2026-02-28\n",
                 "a,x,2026-01-05/2026-02-28,\n")) {
    expect_days(paste0(head, rows), FALSE)
  }
  expect_days(paste0(head, "a,x,2026-01-05,2026-02-28\n"), FALSE, missing = "-")
  expect_days(paste0(head, "a,'x',2026-01-05,2026-02-28\n"), FALSE, quote = "'")
  expect_days("who\tfrom\tto\na\t2026-01-05\t2026-02-28\n\t\t\n", FALSE)
})

test_that("lines of other numbers of fields are refused as ever", {
  file <- text_file(paste0(head, "a,x,2026-01-05,2026-02-28\nb,2026-01-05,2026-02-28\n"))
  expect_error(table_of(file, c("from", "to")), "fields", class = "ridge_error_file")
  more <- text_file(paste0(head, "a,x,2026-01-05,2026-02-28,2026-02-28\n"))
  expect_error(table_of(more, c("from", "to")), "its records have 5 fields, the line of column names has 4", class = "ridge_error_file")
  expect_error(table_of(more), "its records have 5 fields", class = "ridge_error_file")
})

test_that("any number of threads takes the same days from any lines", {
  set.seed(11)
  for (n in c(1, 2, 3, 50, 4000)) {
    from <- day("2026-01-01") + sample(0:400, n, TRUE)
    to <- replace(from + sample(0:90, n, TRUE), stats::runif(n) < 0.2, NA)
    who <- vapply(sample(0:30, n, TRUE), strrep, "", x = "k")
    lines <- paste(who, from, ifelse(is.na(to), "", as.character(to)), sep = ";", collapse = sample(c("\n", "\r\n"), 1))
    file <- text_file(paste0("who;from;to\n", lines, if (stats::runif(1) < 0.5) "\n"))
    for (threads in c(1L, 2L, 3L, 64L)) {
      days <- almanacridge:::days_in_lines(file, ";", 1L, 3L, 3:2, threads)
      expect_identical(days, list(as.integer(to), as.integer(from)))
    }
  }
  expect_null(almanacridge:::days_in_lines(file, ";", 4001L, 3L, 2L, 2L))
  expect_null(almanacridge:::days_in_lines(file.path(tempdir(), "none"), ";", 1L, 3L, 2L, 2L))
  expect_error(almanacridge:::days_in_lines(file, ";", 1L, 3L, 4L, 2L), "A field lies beyond its line.", fixed = TRUE)
  expect_error(almanacridge:::days_in_lines(file, "\u00a7", 1L, 3L, 2L, 2L), "Lines must be cut by one byte.", fixed = TRUE)
})

test_that("a command says the same of quoted and of plain files", {
  set.seed(12)
  plain <- paste(c("who,group,from,to", sprintf("%s,%s,%s,%s", letters[1:20], rep(c("n", "s"), 10), day("2025-01-01") + sample(300, 20),
                                                c(rep("", 5), as.character(day("2026-01-01") + sample(300, 15))))), collapse = "\n")
  quoted <- sub("a,n,", "\"a\",n,", plain, fixed = TRUE)
  ways <- list(c("active", "--by", "month", "--group", "group"), c("active", "--where", "from >= '2025-05-01'", "--by", "quarter"), c("gaps"),
               c("active", "--group", "from", "--by", "year"), c("check"), c("active", "--means-open", "2026-12-31,gone", "--by", "year"), c("roster", "--on", "2026-01-31"))
  for (way in ways) {
    said <- lapply(c(plain, quoted), function(text) {
      file <- text_file(paste0(text, "\n"))
      ran <- run(way, file, "--start", "from", "--end", "to", "--key", "who", "--as-of", "2026-06-30")
      lapply(ran, function(lines) gsub(file, "FILE", lines, fixed = TRUE))
    })
    expect_identical(said[[1]], said[[2]])
  }
  bad <- sub("2026-", "2024-", plain, fixed = TRUE)
  old <- sub("2026-", "0026-", plain, fixed = TRUE)
  for (text in c(bad, old)) {
    said <- lapply(c(text, sub("a,n,", "\"a\",n,", text, fixed = TRUE)), function(text) {
      file <- text_file(paste0(text, "\n"))
      ran <- run("active", file, "--start", "from", "--end", "to", "--key", "who", "--as-of", "2026-06-30")
      gsub(file, "FILE", ran$notes, fixed = TRUE)
    })
    expect_identical(said[[1]], said[[2]])
    expect_match(paste(said[[1]], collapse = " "), "Row 6")
  }
})
