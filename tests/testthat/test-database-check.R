# What is wrong with the records of a table in a database.

# Records with every fault there is, as columns of text or, where a database has them, of dates.
messy_records <- function(seed, as_text) {
  set.seed(seed)
  n <- sample(c(1, 30, 60), 1)
  start <- day("2024-02-10") + sample(c(-40:60, 20000, -15000), n, replace = TRUE)
  end <- start + sample(c(-3, 0, 1, 5, 20, 70, 50000), n, replace = TRUE, prob = c(1, 4, 3, 3, 3, 3, 0.3))
  end[runif(n) < 0.2] <- NA
  end[runif(n) < 0.05] <- day("9999-12-31")
  start[runif(n) < 0.06] <- NA
  records <- data.frame(
    who = sample(c("a b", "A-B", "c", "d", "D", "", NA, "e"), n, replace = TRUE),
    site = sample(c("north", "North", "north ", "south", "so_uth", NA), n, replace = TRUE),
    share = sample(c(1, 0.5, NA, -1), n, replace = TRUE, prob = c(5, 5, 0.3, 0.3)), start = start, end = end)
  if (n > 1) records <- records[c(seq_len(n), sample(n, 4)), ]
  rownames(records) <- NULL
  if (!as_text) return(records)
  slip <- function(texts, slips) {
    for (text in slips) texts[runif(length(texts)) < 0.05] <- text
    replace(texts, texts %in% "NA", NA)
  }
  records$start <- slip(format(records$start), "2024-13-01")
  records$end <- slip(format(records$end), c("present", "2024-02-30", ""))
  records
}

for (server in c("sqlite", "postgres")) {
  test_that(paste("findings of a table are those of its file:", server), {
    con <- connected(server)
    found <- character()
    for (seed in if (server == "sqlite") c(40, 36) else c(7, 40)) {
      as_text <- server == "sqlite" || seed == 40
      records <- messy_records(seed, as_text)
      open <- if (as_text) c("present", "9999-12-31") else day("9999-12-31")
      numbered <- transform(records, id = seq_along(start))
      for (keyed in c(TRUE, FALSE)) {
        ask <- function(data, ...) {
          if (!keyed) return(check_spans(data, start, end, as_of = "2024-03-15", means_open = open, ...))
          check_spans(data, start, end, key = who, weight = share, as_of = "2024-03-15", means_open = open, end_counts = seed != 40, ...)
        }
        expected <- suppressMessages(ask(records))
        actual <- suppressMessages(ask(in_table(con, numbered), row = id))
        expect_equal(as.data.frame(actual), as.data.frame(expected), label = paste(server, seed, keyed))
        expect_identical(conventions(actual), conventions(expected))
        expect_identical(summary(actual), summary(expected))
        found <- union(found, actual$finding)
      }
    }
    expect_true(all(c("missing start", "end before start", "missing key", "unusable weight", "far end", "duplicate record", "overlapping records", "several open", "implausible year",
                      "key spelled two ways", "label spelled two ways", "empty span", "future start") %in% found))
    left <- grep("ridge_days", DBI::dbListTables(con), value = TRUE)
    expect_identical(left, character())
  })
}

test_that("of records in one day each, and of those still open, no end is looked at", {
  con <- connected("sqlite")
  records <- data.frame(who = c("a", "b", "c", NA), start = c("2024-01-01", "2300-01-01", NA, "0900-01-01"))
  numbered <- transform(records, id = 1:4)
  for (end in list(NULL, NA)) {
    expected <- check_spans(records, start, !!end, key = who, as_of = "2024-03-01")
    expect_identical(expected$finding, c("missing start", "impossible year", "missing key", "future start"))
    expect_equal(as.data.frame(check_spans(in_table(con, numbered), start, !!end, key = who, as_of = "2024-03-01", row = id)), as.data.frame(expected))
  }
  # A day far ahead is no end without a name.
  one_day <- spans(records[1:2, ], start, NULL, key = who, as_of = "2024-03-01")
  expect_identical(active(one_day, "100 years", from = "2300-01-01", to = "2399-12-31")$active, 1L)
  expect_error(spans(records[c(1, 4), ], start, NULL, key = NULL), "\"start\" \"0900-01-01\" is not in the years")
})

test_that("only the records that something is wrong with are fetched, and those beside them", {
  con <- connected("sqlite")
  n <- 1000
  records <- data.frame(id = seq_len(n) * 7, who = sprintf("W%04d", seq_len(n)), start = day("2024-01-01"), end = day("2024-01-31"))
  records$who[10] <- records$who[500]
  records$who[20] <- "w0700"
  x <- spans(in_table(con, records), start, end, key = who, as_of = "2024-06-30", row = id)
  log <- environment(almanacridge:::tell_statement)$statement_log
  log$kept <- character()
  found <- check_spans(x)
  statements <- log$kept
  log$kept <- NULL
  expect_identical(found$finding, c("duplicate record", "overlapping records", "key spelled two ways"))
  expect_identical(found$row, c(3500, 3500, 140))
  expect_identical(found$detail[1], "equal to row 70 in every column")
  fetched <- as.integer(sub(".*-- rows fetched: ", "", grep("The records of the answer", statements, value = TRUE)))
  expect_identical(fetched, 3L)
})

test_that("a spans object also tells what it set aside, and a row has to be named", {
  con <- connected("sqlite")
  records <- data.frame(id = c(4, 8, 15), who = c("a", "b", "b"), start = c("2024-01-01", "soon", "2024-02-01"), end = c("2024-01-31", "2024-03-01", "2024-02-29"), row = "own", reason = "theirs")
  table <- in_table(con, records)
  x <- spans(table, start, end, key = who, row = id, unusable = "set_aside", as_of = "2024-06-30")
  found <- check_spans(x)
  expect_identical(as.list(found)[c("finding", "row", "key", "value", "detail")], list(finding = "unreadable start", row = 8, key = "b", value = "soon", detail = "is no date"))
  expect_match(conventions(found), "Checked: 3 records; 1 error, 0 warnings, 0 notes")
  # Columns called as ours keep their values.
  aside <- as.list(dplyr::collect(set_aside(x)))
  expect_identical(aside[c("row", "row_1", "reason_1")], list(row = 8, row_1 = "own", reason_1 = "theirs"))
  expect_error(check_spans(table, start, end, key = who), "nothing says which is which in a database", class = "ridge_error_engine")
  expect_error(check_spans(records, start, end, key = who, row = id), "`row` plays no part for records that are not in a database", class = "ridge_error_argument")
  expect_error(check_spans(table, start, end, key = who, row = id, tz = "UTC"), "`tz` plays no part for a table in a database")
})

test_that("ridge check says of a table what it says of its file", {
  records <- as.data.frame(demo_records("postings"))
  records$last_day[9] <- day("2015-01-01")
  records$station[3] <- toupper(records$station[3])
  records$last_day[20] <- day("2300-01-01")
  database <- sqlite_file(transform(records, id = seq_along(first_day)))
  folder <- withr::local_tempdir()
  write.csv(records, file.path(folder, "postings.csv"), row.names = FALSE, na = "")
  declared <- c("--start", "first_day", "--end", "last_day", "--key", "observer", "--as-of", "2026-06-30")
  of_table <- run(c("check", "--database", paste0("sqlite:", database), "--table", "postings", "--row", "id", declared))
  of_file <- run(c("check", file.path(folder, "postings.csv"), declared))
  expect_identical(of_table, of_file)
  expect_identical(of_table$status, 1L)
  expect_match(of_table$notes, "error: far end, 1 record (row 20: \"2300-01-01\" is more than 100 years", fixed = TRUE, all = FALSE)
  without <- run(c("check", "--database", paste0("sqlite:", database), "--table", "postings", declared))
  expect_identical(without$status, 1L)
  expect_match(without$notes, "Name the column that numbers them: --row COLUMN", all = FALSE)
})

test_that("days that lie centuries apart are told one by one", {
  con <- connected("sqlite")
  for (seed in 8) {
    records <- random_records(seed)
    records <- rbind(records, data.frame(who = c("a", "z"), site = "north", share = 1, start = day(c("1700-02-28", "5026-03-01")), end = day(c("1700-03-01", NA))))
    records$id <- seq_len(nrow(records))
    declare <- function(data, ...) suppressMessages(spans(data, start, end, key = who, as_of = "2024-04-10", ...))
    x <- declare(in_table(con, records), row = id)
    m <- declare(records)
    office <- calendar_rules(holidays = day("2024-02-14"))
    for (ask in list(
      function(x) active(x, "month", group = site, from = "2024-01-01", to = "2024-06-30"),
      function(x) active(x, "100 years", rule = "every_day", of = "records"),
      function(x) movement(x, "quarter", from = "2024-01-01", to = "2024-12-31"),
      function(x) consecutive(x, per = site),
      concurrency,
      function(x) gaps(x, carry = site), function(x) elapsed(x, "days"))) {
      expect_same_in_database(ask, x, m, paste(seed, paste(deparse(body(ask)), collapse = "")))
    }
    rows <- dplyr::collect(scaffold(x, "month", from = "2024-01-01", to = "2024-12-31"))
    expect_identical(nrow(rows), nrow(scaffold(m, "month", from = "2024-01-01", to = "2024-12-31")))
    asked <- how_asked(active(x, "month", from = "2024-01-01", to = "2024-06-30"), as = "sql")
    of <- as.integer(sub(".*a temporary table of ([0-9,]+) rows.*", "\\1", asked))
    expect_lt(of, 300)
  }
})
