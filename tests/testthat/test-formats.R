formats <- c("csv", "tsv", "csv.gz", "xlsx", "parquet", "json", "ndjson", "ics")

written_and_read <- function(x, ending, ...) {
  file <- withr::local_tempfile(fileext = paste0(".", ending))
  write_records(x, file)
  as.data.frame(suppressMessages(read_records(file, ...)))
}

expect_same_records <- function(got, expected, label) {
  expected <- as.data.frame(expected)
  expect_identical(names(got), names(expected), label = label)
  for (name in names(expected)) {
    was <- expected[[name]]
    expect_equal(as.vector(unclass(got[[name]])), as.vector(unclass(was)), label = paste(label, name))
    if (inherits(was, c("Date", "POSIXct"))) expect_s3_class(got[[name]], class(was)[1])
  }
}

test_that("records on days come back the same from every format, open ends included", {
  staff <- demo_staff()
  for (ending in formats) {
    expect_same_records(written_and_read(staff, ending), staff, ending)
  }
})

test_that("instants come back the same from every format", {
  start <- as.POSIXct(c("2026-03-28 22:00", "2026-10-25 01:30", "2026-06-01 08:15"), tz = "Europe/Vienna")
  x <- spans(data.frame(who = c("a", "b", "c,d;e\\f"), start = start, end = start + c(28800, 7200, NA)),
             start, end, key = who, as_of = "2026-06-30")
  for (ending in formats) {
    expect_same_records(written_and_read(x, ending, tz = "Europe/Vienna"), x, ending)
  }
})

test_that("generated tables come back the same", {
  for (seed in 1:12) {
    records <- random_records(seed)
    records$note <- rep_len(c("plain", "comma, semicolon; and \\", "two\nlines", "\u00e9\u2014\u4e2d", NA, "\"quoted\""), nrow(records))
    records$code <- sprintf("%03d", seq_len(nrow(records)))
    # What a file cannot tell is the type of a column without a value.
    if (nrow(records) == 0 || all(is.na(records$end)) || all(is.na(records$site))) next
    for (ending in setdiff(formats, "csv.gz")) {
      expect_same_records(written_and_read(records, ending), records, paste(seed, ending))
    }
  }
})

test_that("spans whose last day does not count keep it in iCalendar", {
  loans <- spans(demo_records("instrument_loans"), lent_on, returned_on, key = instrument,
                 end_counts = FALSE, as_of = "2026-06-30")
  expect_same_records(written_and_read(loans, "ics"), loans, "loans")
  empty <- spans(data.frame(a = day("2026-01-01"), b = day("2026-01-01")), a, b, end_counts = FALSE)
  expect_error(write_records(empty, tempfile(fileext = ".ics")), "no events of no length: row 1")
})

test_that("a workbook's cells are read one by one", {
  skip_if_not_installed("openxlsx")
  book <- openxlsx::createWorkbook()
  openxlsx::addWorksheet(book, "Notes")
  openxlsx::writeData(book, 1, data.frame(text = "look at the next sheet"))
  openxlsx::addWorksheet(book, "Watches 2026")
  openxlsx::writeData(book, 2, data.frame(who = c("007", "a", "b"), day = as.Date("2026-03-01") + 0:2,
                                          mixed = c("17/3/2026", NA, "x"), number = c(1, 2.5, NA),
                                          clock = c(0.25, 0.5, 0.78125)))
  openxlsx::addStyle(book, 2, openxlsx::createStyle(numFmt = "hh:mm:ss"), rows = 2:4, cols = 5)
  openxlsx::writeData(book, 2, as.Date("2026-04-05"), startCol = 3, startRow = 3)
  openxlsx::writeData(book, 2, data.frame(a = " "), startRow = 9, colNames = FALSE)
  file <- withr::local_tempfile(fileext = ".xlsx")
  openxlsx::saveWorkbook(book, file)
  records <- suppressMessages(read_records(file, sheet = "Watches 2026"))
  expect_identical(records$who, c("007", "a", "b"))
  expect_identical(records$day, day("2026-03-01") + 0:2)
  expect_identical(records$mixed, c("17/3/2026", "2026-04-05", "x"))
  expect_identical(records$clock, c("06:00:00", "12:00:00", "18:45:00"))
  expect_equal(format(at_clock(records$day, records$clock, tz = "UTC"), "%H:%M"), c("06:00", "12:00", "18:45"))
  expect_identical(lapply(suppressMessages(read_records(file, sheet = 2)), identity), lapply(records, identity))
  expect_error(read_records(file, sheet = "Watches"), "no sheet \"Watches\".*\"Notes\" and \"Watches 2026\"", class = "ridge_error_argument")
  expect_error(read_records(file, sheet = 3), "no sheet 3")
})

test_that("a result in a workbook says its conventions on the second sheet", {
  skip_if_not_installed("openxlsx")
  result <- active(demo_staff(), by = "year")
  file <- withr::local_tempfile(fileext = ".xlsx")
  write_records(result, file)
  expect_identical(openxlsx::read.xlsx(file, 2)[1, 1], conventions(result))
  expect_equal(suppressMessages(read_records(file))$active, result$active)
})

test_that("JSON comes as arrays, as an array within an object, with nested objects", {
  read <- function(text, ending = ".json") {
    file <- withr::local_tempfile(fileext = ending)
    writeLines(text, file)
    suppressMessages(read_records(file))
  }
  plain <- read('[{"who":"a","from":"2026-03-01","to":null},{"who":"b","from":"2026-04-17","to":"2026-05-01"}]')
  expect_identical(plain$to, day(c(NA, "2026-05-01")))
  inner <- read('{"records":[{"who":"a","from":"2026-03-01","tags":["x","y"]}],"total":1}')
  expect_identical(inner$tags, '["x","y"]')
  nested <- read('[{"who":{"name":"a","id":1234567890123456789},"from":"2026-03-01"}]')
  expect_identical(nested$who.id, "1234567890123456789")
  expect_identical(read('{"a":1}\n\n{"a":2,"b":"x"}', ".ndjson")$b, c(NA, "x"))
  expect_identical(nrow(read("[]")), 0L)
  expect_error(read('{"a":1}'), "holds no array of objects", class = "ridge_error_file")
  expect_error(read('[{"a":1}'), "cannot be read as JSON", class = "ridge_error_file")
  expect_error(read('{"a":1}\n[2]', ".ndjson"), "one object", class = "ridge_error_file")
})

test_that("a missing package is said with how to install it", {
  expect_error(almanacridge:::need_package("notthere", "Reading a workbook"),
               "Reading a workbook needs the package notthere.*install.packages", class = "ridge_error_file")
})

test_that("what cannot be written is refused", {
  expect_error(write_records(1, "x.csv"), "must be a data frame", class = "ridge_error_argument")
  expect_error(write_records(demo_staff(), "x.docx"), "must end in \".csv\"", class = "ridge_error_argument")
  expect_error(write_records(demo_staff(), "/nowhere/x.csv"), "no folder", class = "ridge_error_argument")
  expect_error(write_records(tibble::tibble(a = list(1)), tempfile(fileext = ".csv")), "not one plain value", class = "ridge_error_column")
  expect_error(write_records(data.frame(a = 1), tempfile(fileext = ".ics")), "for records with a start and an end", class = "ridge_error_argument")
})

test_that("columns without a name, or with the name of another, get one", {
  file <- withr::local_tempfile(fileext = ".csv")
  writeLines(c("a,,a", "1,2,3"), file)
  expect_message(records <- read_records(file), "a_1")
  expect_identical(anyDuplicated(names(records)), 0L)
  expect_false(any(names(records) == ""))
})

test_that("no corruption of any format ends in anything but records or a plain refusal", {
  set.seed(11)
  staff <- demo_staff()[1:40, ]
  for (ending in setdiff(formats, c("csv", "csv.gz"))) {
    whole <- withr::local_tempfile(fileext = paste0(".", ending))
    write_records(staff, whole)
    good <- readBin(whole, "raw", file.size(whole))
    for (i in 1:8) {
      bytes <- switch(i %% 4 + 1, utils::head(good, sample(length(good), 1)),
                      replace(good, sample(length(good), 5), as.raw(sample(0:255, 5))),
                      replace(good, sample(length(good), 1), as.raw(0)), c(as.raw(c(0xef, 0xbb, 0xbf)), good))
      file <- withr::local_tempfile(fileext = paste0(".", ending))
      writeBin(bytes, file)
      got <- tryCatch(suppressWarnings(suppressMessages(read_records(file))), ridge_error = identity)
      expect_true(inherits(got, c("tbl_df", "ridge_error")), label = paste(ending, i))
    }
  }
})

test_that("very wide files, very long lines and NUL bytes are records or refusals", {
  wide <- withr::local_tempfile(fileext = ".csv")
  writeLines(c(paste0("c", 1:10000, collapse = ","), paste(rep("2026-03-17", 10000), collapse = ",")), wide)
  expect_identical(dim(suppressMessages(read_records(wide))), c(1L, 10000L))
  long <- withr::local_tempfile(fileext = ".csv")
  writeLines(c("who,from", paste0("a,2026-03-17"), paste0(strrep("x", 5e7), ",2026-03-18")), long)
  expect_identical(nchar(suppressMessages(read_records(long))$who), c(1L, 50000000L))
  torn <- withr::local_tempfile(fileext = ".csv")
  writeBin(c(charToRaw(paste(c("who,from", rep("a,2026-03-17", 2000)), collapse = "\n")), as.raw(0), charToRaw("\nb,2026-03-18\n")), torn)
  got <- tryCatch(suppressMessages(read_records(torn)), ridge_error = identity)
  expect_s3_class(got, "ridge_error_file")
  packed <- withr::local_tempfile(fileext = ".csv")
  write_records(demo_staff(), sub("csv$", "xlsx", packed))
  file.rename(sub("csv$", "xlsx", packed), packed)
  expect_error(read_records(packed), "packed like a workbook", class = "ridge_error_file")
})

test_that("clock times without an offset are of the zone named, those with one are not", {
  file <- withr::local_tempfile(fileext = ".csv")
  writeLines(c("a,b", "2026-03-04T06:30:00,2026-03-04T06:30:00Z", "2026-03-04T06:30:15,2026-03-04T06:30:00+01:00"), file)
  records <- suppressMessages(read_records(file, tz = "Europe/Vienna"))
  expect_equal(as.numeric(records$a[1]), as.numeric(as.POSIXct("2026-03-04 06:30", tz = "Europe/Vienna")))
  expect_equal(as.numeric(records$b), as.numeric(as.POSIXct("2026-03-04 06:30", tz = "UTC")) - c(0, 3600))
  expect_identical(attr(records$b, "tzone"), "Europe/Vienna")
})

test_that("quoted text over many lines is one record, wherever the file is looked into", {
  file <- withr::local_tempfile(fileext = ".csv")
  writeLines(c("who,note,from", sprintf("p%d,\"one\ntwo\nthree\",2026-03-%02d", 1:150, rep(1:30, 5))), file)
  records <- suppressMessages(read_records(file))
  expect_identical(nrow(records), 150L)
  expect_identical(records$note[150], "one\ntwo\nthree")
})
