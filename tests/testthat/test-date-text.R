# Each text alone, or with others that prove the order: its reading, or NA where
# it must be refused.
readings <- list(
  c("2026-03-04", "2026-03-04"), c("20260304", "2026-03-04"), c(" 2026-03-04 ", "2026-03-04"),
  c("2024-02-29", "2024-02-29"), c("2023-02-29", NA), c("2026-13-01", NA), c("2026-00-10", NA),
  c("2026-04-31", NA), c("2026/3/4", "2026-03-04"), c("2026.03.04", "2026-03-04"),
  c("2026 03 04", "2026-03-04"), c("2026-3", NA), c("2026", NA), c("4 March 2026", "2026-03-04"),
  c("4. March 2026", "2026-03-04"), c("4 MAR 2026", "2026-03-04"), c("04-Mar-2026", "2026-03-04"),
  c("4/Mar/26", "2026-03-04"), c("4Mar2026", "2026-03-04"), c("March 4, 2026", "2026-03-04"),
  c("Mar 4 2026", "2026-03-04"), c("2026-Mar-04", "2026-03-04"), c("2026 March 4", "2026-03-04"),
  c("4th of March 2026", "2026-03-04"), c("1st March 2026", "2026-03-01"),
  c("Wed, 4 Mar 2026", "2026-03-04"), c("Wednesday 4 March 2026", "2026-03-04"),
  c("4 Sept 2026", "2026-09-04"), c("4 Ma 2026", NA), c("4 Brumaire 2026", NA), c("30 Feb 2026", NA),
  c("4 March", NA), c("March 2026", NA), c("4 Mar 68", "2068-03-04"), c("4 Mar 69", "1969-03-04"),
  c("4 Mar 00", "2000-03-04"), c("4 Mar 126", NA), c("17/3/2026", "2026-03-17"),
  c("17.03.2026", "2026-03-17"), c("17-3-26", NA), c("17 3 2026", "2026-03-17"),
  c("3/17/2026", "2026-03-17"), c("03-17-26", "2026-03-17"), c("5/5/2026", "2026-05-05"),
  c("31/4/2026", NA), c("32/1/2026", NA), c("17/17/2026", NA), c("0/3/2026", NA), c("3/4", NA),
  c("1/2/3/4", NA), c("46085", NA), c("3.5", NA), c("1e5", NA), c("-5", NA), c("soon", NA),
  c("n/a", NA), c("TBC", NA), c("2026-03-04-05", NA), c("0x7E", NA), c("inf", NA),
  c("\u0662\u0660", NA), c(strrep("9", 400), NA), c(strrep("a ", 500), NA)
)

clocks <- list(
  c("2026-03-04 06:30", "06:30:00"), c("2026-03-04T06:30:15", "06:30:15"), c("4 Mar 2026 6:30", "06:30:00"),
  c("17/3/2026 18:45", "18:45:00"), c("Mar 4, 2026 4:20 PM", "16:20:00"), c("4:20pm 17/3/2026", "16:20:00"),
  c("17/3/2026 4:20 a.m.", "04:20:00"), c("12:05 AM 4 Mar 2026", "00:05:00"),
  c("12:05 pm 4 Mar 2026", "12:05:00"), c("4 Mar 2026, 18:45:10", "18:45:10"),
  c("2026-03-04T06:30Z", "06:30:00"), c("2026-03-04T06:30:00+02:00", "04:30:00"),
  c("4 Mar 2026 25:00", NA), c("4 Mar 2026 6:75", NA), c("13:00 PM 4 Mar 2026", NA), c("6:30", NA),
  c("4 Mar 2026 0:30 am", NA), c("4 Mar 2026 6:30:15.5", "06:30:15")
)

test_that("every text has its one reading or is refused", {
  for (case in readings) {
    if (is.na(case[2])) {
      expect_error(read_dates(case[1]), class = "ridge_error_records", label = substr(case[1], 1, 30))
    } else {
      expect_identical(read_dates(case[1]), day(case[2]), label = case[1])
    }
  }
  for (case in clocks) {
    if (is.na(case[2])) {
      expect_error(read_dates(case[1], tz = "UTC"), class = "ridge_error_records", label = case[1])
    } else {
      expect_identical(format(read_dates(case[1], tz = "UTC"), "%H:%M:%S"), case[2], label = case[1])
    }
  }
})

test_that("the whole column proves the order, or the user names it", {
  expect_identical(read_dates(c("3/4/2026", "", "17/4/2026")), day(c("2026-04-03", NA, "2026-04-17")))
  expect_identical(read_dates(c("3/4/2026", "4/17/2026")), day(c("2026-03-04", "2026-04-17")))
  expect_error(read_dates(c("3/4/2026", "12/4/2026")), "is 3 April 2026 or 4 March 2026")
  expect_error(read_dates(c("13/4/2026", "4/13/2026")), "contradicts itself")
  expect_identical(read_dates("3/4/2026", date_order = "mdy"), day("2026-03-04"))
  expect_error(read_dates(c("17/4/2026", "3/4/2026"), date_order = "mdy"), "is not month-day-year: \"17/4/2026\" can only", fixed = TRUE)
  expect_error(read_dates(c("24-03-01", "24-03-15", "24-12-31")), "is 24 March 2001 or 1 March 2024")
  expect_error(read_dates("17-3-26"), "is 17 March 2026 or 26 March 2017")
  expect_identical(read_dates(c("17-3-26", "17-3-99")), day(c("2026-03-17", "1999-03-17")))
  expect_identical(read_dates(c("99-3-17", "26-3-17")), day(c("1999-03-17", "2026-03-17")))
  expect_identical(read_dates("26-03-04", date_order = "ymd"), day("2026-03-04"))
  expect_error(read_dates("3/4/2026", date_order = "american"), "must be one of")
  expect_identical(read_dates(factor(c("17/4/2026", NA))), day(c("2026-04-17", NA)))
  expect_identical(read_dates(character()), day(character()))
})

test_that("numbers are dates only where that is said", {
  expect_identical(read_dates(46085, date_order = "days_1900"), day("2026-03-04"))
  expect_identical(read_dates("44623", date_order = "days_1904"), day("2026-03-04"))
  expect_identical(format(read_dates(46085.78125, date_order = "days_1900", tz = "UTC")), "2026-03-04 18:45:00")
  both <- read_dates(c("46085.5", "46086"), date_order = "days_1900", tz = "UTC")
  expect_identical(format(both, "%d %H:%M"), c("04 12:00", "05 00:00"))
  expect_identical(format(read_dates("1772600400", date_order = "seconds_1970", tz = "UTC")), "2026-03-04 05:00:00")
  expect_error(read_dates("60", date_order = "days_1900"), "cannot be read")
  expect_error(read_dates(46085), "cannot be read as a date")
  expect_error(read_dates(TRUE), "must be text")
})

test_that("spans() reads a proven column and says how", {
  data <- data.frame(from = c("3/4/2026", "17/4/2026"), to = "30 Apr 2026")
  x <- spans(data, from, to, as_of = "2026-06-30")
  expect_identical(x$from, day(c("2026-04-03", "2026-04-17")))
  expect_match(conventions(x), "from read as day-month-year", fixed = TRUE)
  expect_error(spans(data[1, ], from, to), "Column \"from\" does not prove its order")
})

test_that("ISO intervals have a start and an end, a duration, or no end", {
  text <- c("2026-01-01/2026-03-31", "2026-01-01/P3M", "2026-01-01/..", "2026-01-31/P1M", "P3M/2026-03-31",
            "2026-01-01/31", "2026-01-01/03-31", "2024-02-28/P1Y", "2026-01-01/P2W", NA, " ")
  got <- read_intervals(text)
  expect_identical(got$start, day(c("2026-01-01", "2026-01-01", "2026-01-01", "2026-01-31", "2026-01-01", "2026-01-01",
                                    "2026-01-01", "2024-02-28", "2026-01-01", NA, NA)))
  expect_identical(got$end, day(c("2026-03-31", "2026-03-31", NA, "2026-02-27", "2026-03-31", "2026-01-31", "2026-03-31",
                                  "2025-02-27", "2026-01-14", NA, NA)))
  times <- read_intervals(c("2026-03-28T22:00/PT8H", "2026-03-28T22:00/P1D", "2026-03-28T22:00Z/2026-03-29T06:00+02:00"), tz = "Europe/Vienna")
  expect_equal(as.numeric(times$end - times$start, units = "hours"), c(8, 23, 6))
  expect_identical(format(times$end[1], "%H:%M"), "07:00")
})

test_that("what is no interval is refused with its place", {
  for (text in c("2026-01-01", "2026-03-01/2026-01-01", "../2026-01-01", "2026-01-01/PT8H", "2026-01-01/2026-01-02T08:00",
                 "2026-02-30/P1M", "2026-01-01/P", "a/b", "1/2/3")) {
    expect_error(read_intervals(c("2026-01-01/..", text)), "place(s 1 and)? 2", class = "ridge_error_records", label = text)
  }
  expect_error(read_intervals(1:3), "must be text", class = "ridge_error_argument")
})

test_that("a column of intervals is read as two, in R and on the command line", {
  file <- withr::local_tempfile(fileext = ".csv")
  writeLines(c("who,stay", "a,2026-01-01/2026-03-31", "b,2026-02-10/..", "c,2026-03-01/P1M"), file)
  records <- suppressMessages(read_records(file))
  expect_identical(names(records), c("who", "stay", "stay_start", "stay_end"))
  expect_identical(records$stay_end, day(c("2026-03-31", NA, "2026-03-31")))
  got <- run("active", file, "--start", "stay", "--by", "month", "--as-of", "2026-04-15", "--key", "who")
  expect_identical(utils::read.csv(text = got$out)$active, c(1L, 2L, 3L, 1L))
})
