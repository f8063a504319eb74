lines_file <- function(lines, ending = ".csv", env = parent.frame()) {
  file <- withr::local_tempfile(fileext = ending, .local_envir = env)
  con <- if (grepl("gz$", ending)) gzfile(file, "w") else file(file, "w")
  writeLines(lines, con)
  close(con)
  file
}

table_lines <- c("who,from,to,note,mix,code", "a,3/4/2026,30 Apr 2026,x,2026-01-01,007",
                 "b,17/4/2026,,y,n/a,010", "c,18/4/2026,,\"y, z\",2026-02-01,010")

test_that("columns of dates are read and reported, others stay as they are", {
  file <- lines_file(table_lines)
  expect_message(records <- read_records(file), "dates (day-month-year): \"from\"", fixed = TRUE)
  expect_identical(records$from, day(c("2026-04-03", "2026-04-17", "2026-04-18")))
  expect_identical(records$to, day(c("2026-04-30", NA, NA)))
  expect_identical(records$code, c("007", "010", "010"))
  expect_identical(records$note[3], "y, z")
  expect_message(read_records(file), "Only some texts of \"mix\" are dates")
  expect_type(records$mix, "character")
})

test_that("the same table in every form, packed or not, gives the same records", {
  # But for the name of the file that they came from.
  read <- function(...) {
    records <- suppressMessages(read_records(...))
    attr(records, "ridge_source")$reading <- NULL
    records
  }
  plain <- read(lines_file(table_lines))
  packed <- read(lines_file(table_lines, ".csv.gz"))
  expect_identical(packed, plain)
  tabs <- gsub(",(?! z)", "\t", table_lines, perl = TRUE)
  expect_identical(read(lines_file(tabs, ".tsv")), plain)
  expect_identical(read(lines_file(tabs, ".txt"), format = "tsv"), plain)
  crlf <- lines_file(paste0(table_lines, "\r"))
  expect_identical(read(crlf), plain)
  marked <- lines_file(c(paste0("\ufeff", table_lines[1]), table_lines[-1]))
  expect_identical(read(marked), plain)
})

test_that("records are chosen by value, counted, and keep their rows", {
  file <- lines_file(table_lines)
  expect_message(kept <- read_records(file, keep = list(who = c("b", "c")), leave_out = list(note = "y")),
                 "1 record from .*; 2 left out")
  x <- spans(kept, from, to, key = who, as_of = "2026-06-30")
  expect_match(conventions(x), "2 left out")
  expect_identical(scaffold(x)$row, c(3L, 3L, 3L))
  turned <- spans(kept[nrow(kept):1, ], from, to, key = who, as_of = "2026-06-30")
  expect_no_match(conventions(turned), "left out")
  all <- suppressMessages(read_records(file))
  expect_identical(unique(scaffold(spans(all[2:3, ], from, to, as_of = "2026-04-30"))$row), 1:2)
  blank <- suppressMessages(read_records(file, keep = list(to = "")))
  expect_identical(blank$who, c("b", "c"))
})

test_that("an order that is not proven stops, unless it is named", {
  file <- lines_file(c("from", "3/4/2026"))
  expect_error(read_records(file), "is 3 April 2026 or 4 March 2026", class = "ridge_error_records")
  expect_identical(suppressMessages(read_records(file, date_order = "mdy"))$from, day("2026-03-04"))
  got <- run("active", file, "--start", "from", "--one-day", "--date-order", "mdy")
  expect_match(got$out[2], "^2026-03-01,2026-03-31,1")
})

test_that("what cannot be read is refused with the way out", {
  expect_error(read_records("nowhere.csv"), "There is no file", class = "ridge_error_file")
  expect_error(read_records(c("a", "b")), "There is no file 'a'")
  expect_error(read_records(character()), "must name a file")
  expect_error(read_records(lines_file("a"), date_order = "days_1900"), "must be one of")
  expect_error(read_records(lines_file("a"), format = "docx"), "must be one of")
  expect_error(read_records(lines_file("a"), keep = "b"), "must be a list of values by column")
  expect_error(read_records(lines_file(table_lines), keep = list(whom = "b")), "Did you mean \"who\"")
  broken <- lines_file(rep(table_lines, 50), ".csv.gz")
  writeBin(readBin(broken, "raw", file.size(broken) - 9), broken)
  expect_error(suppressWarnings(read_records(broken)), "is cut short", class = "ridge_error_file")
})

test_that("text in Latin-1 is refused unless it is named, and then read as what it says", {
  file <- lines_file(character())
  writeBin(c(charToRaw("who,from\nJos"), as.raw(0xe9), charToRaw(",2026-03-04\n")), file)
  expect_error(read_records(file), "not in UTF-8: see column \"who\", row 1", class = "ridge_error_file")
  records <- suppressMessages(read_records(file, encoding = "Latin-1"))
  expect_identical(enc2utf8(records$who), "Jos\u00e9")
})

test_that("no corruption of a file ends in anything but records or a plain refusal", {
  set.seed(7)
  good <- charToRaw(paste(c(table_lines, rep(table_lines[-1], 30)), collapse = "\n"))
  for (i in 1:120) {
    bytes <- switch(i %% 4 + 1,
      utils::head(good, sample(length(good), 1)),
      replace(good, sample(length(good), 8), as.raw(sample(1:255, 8))),
      replace(good, sample(length(good), 2), charToRaw("\"")),
      c(good, as.raw(sample(128:255, 40, replace = TRUE)))
    )
    file <- withr::local_tempfile(fileext = ".csv")
    writeBin(bytes, file)
    got <- tryCatch(suppressMessages(read_records(file)), ridge_error = identity)
    expect_true(inherits(got, c("tbl_df", "ridge_error")), label = paste("corruption", i))
  }
})
