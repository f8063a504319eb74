shows <- function(clock, tz = "UTC") format(at_clock(day("2026-03-04"), clock, tz), "%d %H:%M:%S")

test_that("every clock has its one reading or is refused", {
  readings <- list(
    c("630", "06:30:00"), c("0630", "06:30:00"), c("1845", "18:45:00"), c("32", "00:32:00"), c("0", "00:00:00"),
    c("6:30", "06:30:00"), c("06:30:15", "06:30:15"), c("4:20 AM", "04:20:00"), c("4:20AM", "04:20:00"),
    c("4:20 p.m.", "16:20:00"), c("12:00 am", "00:00:00"), c("12:30 PM", "12:30:00"), c("4 pm", "16:00:00"),
    c("18.45", "18:45:00"), c("18h45", "18:45:00"), c("0.78125", "18:45:00"), c(".5", "12:00:00"),
    c(" 7:05 ", "07:05:00"), c("23:59:59", "23:59:59"),
    c("1680", NA), c("2401", NA), c("24:01", NA), c("25:00", NA), c("6:75", NA), c("13:00 pm", NA),
    c("0:30 am", NA), c("6:3", NA), c("noon", NA), c("-630", NA), c("12345", NA), c("1.5", NA)
  )
  for (case in readings) {
    if (is.na(case[2])) {
      expect_error(at_clock(day("2026-03-04"), case[1], "UTC"), "no time of day", class = "ridge_error_records",
                   label = case[1])
    } else {
      expect_identical(shows(case[1]), paste("04", case[2]), label = case[1])
    }
  }
  expect_identical(shows(c("2400", "24:00")), rep("05 00:00:00", 2))
})

test_that("numbers, times of day, factors and blanks", {
  expect_identical(shows(c(630, 32, 0.78125, 18.45, 18.4)),
                   paste("04", c("06:30:00", "00:32:00", "18:45:00", "18:45:00", "18:40:00")))
  expect_identical(shows(as.difftime(6.5, units = "hours")), "04 06:30:00")
  expect_identical(shows(data.table::as.ITime("06:30:15")), "04 06:30:15")
  expect_identical(shows(factor("630")), "04 06:30:00")
  expect_identical(is.na(at_clock(day(c("2026-03-04", NA, "2026-03-04")), c("", "630", NA), "UTC")), rep(TRUE, 3))
  expect_error(at_clock(day("2026-03-04") + 0:2, c("630", "1680", "99:00"), "UTC"), "\"1680\" and \"99:00\" \\(rows 2 and 3\\)")
  expect_error(at_clock("2026-03-04", TRUE, "UTC"), "must be clocks")
  expect_error(at_clock(5, "630", "UTC"), "must be dates")
  expect_error(at_clock(day("2026-03-04") + 0:2, c("1", "2"), "UTC"), "as many, or one for all, not 3 and 2")
})

test_that("a finish before its begin is on the next day, over month ends and clock changes", {
  hours <- function(...) as.numeric(diff(as.numeric(unlist(between_clocks(..., tz = "Europe/Vienna"))))) / 3600
  expect_identical(hours("2026-03-04", "21:40", "05:10"), 7.5)
  expect_identical(hours("2026-03-28", "22:00", "06:00"), 7)
  expect_identical(hours("2026-10-24", 2200, 600), 9)
  expect_identical(hours("2026-02-28", "9:00", "17:30"), 8.5)
  expect_identical(hours("2026-03-04", "9:00", "8:00", finish_date = "2026-03-06"), 47)
  expect_identical(hours("2026-03-04", "9:00", "9:00", equal_clocks = "day"), 24)
  expect_identical(hours("2026-03-04", "9:00", "9:00", equal_clocks = "nothing"), 0)
  expect_error(between_clocks("2026-03-04", "9:00", "9:00"), "at the same time: row 1")
  expect_error(between_clocks("2026-03-04", "9:00", "8:00", finish_date = "2026-03-04"), "by its own date: row 1")
  expect_identical(names(between_clocks("2026-03-04", "9", "10", tz = "UTC")), c("start", "end"))
})

test_that("ridge puts dates and clocks together", {
  file <- system.file("extdata", "watches.csv", package = "almanacridge")
  clocks <- c("--start", "watch_date", "--start-clock", "begin", "--end-clock", "finish", "--tz", "Europe/Vienna",
              "--as-of", "2026-06-30")
  got <- run("active", file, clocks, "--key", "observer", "--by", "month", "--rule", "mean_day")
  expect_identical(got$status, 0L)
  watches <- demo_records("watches")
  times <- suppressMessages(between_clocks(watches$watch_date, watches$begin, watches$finish, "Europe/Vienna"))
  x <- spans(cbind(watches["observer"], times), start, end, key = observer, as_of = "2026-06-30")
  expect_equal(data.table::fread(text = got$out)$active, active(x, rule = "mean_day")$active)
  expect_match(run("active", file, clocks[-(3:4)])$notes, "go together")
  expect_match(run("active", file, replace(clocks, 4, "began"))$notes, "Did you mean \"begin\"")
})

test_that("times that a clock change skips or repeats follow the stated rule and are reported", {
  expect_message(skipped <- at_clock("2026-03-29", "2:30", "Europe/Vienna"), "1 time was skipped by a clock change")
  expect_identical(format(skipped, "%H:%M %Z"), "03:30 CEST")
  expect_message(twice <- at_clock("2026-10-25", "2:30", "Europe/Vienna"), "the first is taken: row 1")
  expect_identical(format(twice, "%H:%M %Z"), "02:30 CEST")
  expect_message(at_clock("2026-04-05", "1:45", "Australia/Lord_Howe"), "came twice")
  expect_silent(at_clock("2026-03-29", "3:30", "Europe/Vienna"))
  expect_error(at_clock("2026-03-29", "3:30", "Vienna"), "Did you mean")
})
