test_that("holidays come as dates, a column, a table, and every year", {
  closed <- suppressMessages(demo_records("closures"))
  from_table <- calendar_rules(holidays = closed)
  every <- unlist(Map(function(a, b) format(seq(a, b, by = "day")), closed$start, closed$end))
  expect_identical(from_table$holidays, calendar_rules(holidays = every)$holidays)
  expect_identical(calendar_rules(holidays = closed["start"])$holidays, calendar_rules(holidays = closed$start)$holidays)
  timed <- data.frame(start = as.POSIXct("2026-05-01 00:00", tz = "Asia/Tokyo"), end = as.POSIXct("2026-05-03 00:00", tz = "Asia/Tokyo"))
  expect_identical(calendar_rules(holidays = timed)$holidays, calendar_rules(holidays = c("2026-05-01", "2026-05-02"))$holidays)
  xmas <- calendar_rules(every_year = c("12-25", "02-29"))
  expect_identical(working_days("2023-12-25", "2023-12-25", xmas), 0L)
  expect_identical(working_days("2024-02-28", "2024-03-01", xmas), 2L)
  expect_identical(working_days("2025-12-22", "2025-12-26", xmas), 4L)
})

test_that("printing a calendar says all in two lines", {
  rules <- calendar_rules(weekend = "Sunday", holidays = "2026-05-01", every_year = "12-25", tz = "Europe/Vienna",
                          hours = list(c("9:00", "12:00", "13:00", "17:30"), Sat = c("10:00", "14:00")))
  shown <- capture.output(print(rules))
  expect_length(shown, 2)
  expect_match(shown[1], "times of Europe/Vienna")
  expect_match(shown[2], "Weekend: Sunday; 1 holiday and 1 every year; hours Mon, Tue, Wed, Thu and Fri 09:00 to 12:00 and 13:00 to 17:30, Sat 10:00 to 14:00")
  expect_length(capture.output(print(calendar_rules(weekend = NULL))), 2)
})

test_that("wrong calendars are refused", {
  expect_error(calendar_rules(hours = c("17:00", "09:00")), "that rise.*24:00", class = "ridge_error_argument")
  expect_error(calendar_rules(hours = "09:00"), "pairs of times", class = "ridge_error_argument")
  expect_error(calendar_rules(hours = c("09:00", "25:00")), "no time of day", class = "ridge_error")
  expect_error(calendar_rules(hours = c("9", "17")), "write \"9\" with its minutes", class = "ridge_error_argument")
  expect_error(calendar_rules(hours = c(9, 17)), "write \"9\" with its minutes", class = "ridge_error_argument")
  expect_error(calendar_rules(hours = list(Monday = c("9:00", "17:00"))), "none for Tuesday, Wednesday, Thursday and Friday", class = "ridge_error_argument")
  expect_error(calendar_rules(hours = list(c("9:00", "17:00"), Sunday = c("9:00", "12:00"))), "Sunday, which is in the weekend", class = "ridge_error_argument")
  expect_error(calendar_rules(hours = list(c("9:00", "17:00"), c("9:00", "12:00"))), "2 elements without a weekday", class = "ridge_error_argument")
  expect_error(calendar_rules(hours = list(c("9:00", "17:00"), Funday = c("9:00", "12:00"))), "does not know \"Funday\"", class = "ridge_error_argument")
  expect_error(calendar_rules(every_year = "25-12"), "months and days such as \"12-25\"", class = "ridge_error_argument")
  expect_error(calendar_rules(every_year = "2026-12-25"), "Dates of one year go to", class = "ridge_error_argument")
  expect_error(calendar_rules(holidays = data.frame(day = "2026-05-01")), "needs a column \"start\"", class = "ridge_error_argument")
  expect_error(calendar_rules(holidays = data.frame(start = "2026-05-02", end = "2026-05-01")), "row 1 ends before it starts", class = "ridge_error_argument")
  expect_error(calendar_rules(tz = "Europe/Wienna"), "Did you mean \"Europe/Vienna\"", class = "ridge_error_argument")
})

# One day after the other.
walk <- function(date, n, off) {
  step <- if (n < 0) -1 else 1
  while (off(date)) date <- if (n == 0) date + 1 else if (n > 0) date - 1 else date + 1
  while (n != 0) {
    date <- date + step
    if (!off(date)) n <- n - step
  }
  date
}

test_that("working days and moves equal a walk through the days", {
  for (seed in 1:60) {
    set.seed(seed)
    holidays <- day("2026-01-01") + sample(0:400, 30)
    weekend <- list(6:7, 5:6, integer(), 7L)[[seed %% 4 + 1]]
    rules <- calendar_rules(weekend = weekend, holidays = holidays, every_year = "12-31")
    off <- function(days) as.integer(format(days, "%u")) %in% weekend | days %in% holidays | format(days, "%m-%d") == "12-31"
    start <- day("2025-12-01") + sample(0:400, 20)
    end <- start + sample(0:90, 20, TRUE)
    expect_identical(working_days(start, end, rules), mapply(function(a, b) sum(!off(seq(day(a), day(b), by = "day"))), format(start), format(end), USE.NAMES = FALSE))
    n <- sample(-15:15, 20, TRUE)
    expect_identical(move_working_days(start, n, rules), do.call(c, Map(walk, start, n, list(off))))
  }
})

test_that("working days: edges, missing and wrong input", {
  expect_identical(working_days(as.Date(c("2026-03-02", NA, "1700-01-01")), "2026-03-17"), c(12L, NA, 85103L))
  expect_identical(working_days(as.Date(character()), "2026-02-17"), integer())
  expect_identical(working_days(as.Date(NA), as.Date(NA)), NA_integer_)
  far <- working_days("1600-01-01", "9999-12-31", calendar_rules(weekend = NULL))
  expect_identical(far, as.integer(day("9999-12-31") - day("1600-01-01")) + 1L)
  expect_error(working_days("1500-03-02", "2026-02-17"), "years 1600 to 9999", class = "ridge_error_argument")
  expect_error(working_days(as.Date("1500-03-02"), "2026-02-17"), "years 1600 to 9999", class = "ridge_error_argument")
  expect_error(working_days(as.Date("2026-03-02"), "2026-02-17"), "Row 1: the end, 2026-02-17, is before the start", class = "ridge_error_records")
  expect_error(working_days(day(c("2026-03-02", "2026-03-03")), rep(day("2026-04-01"), 3)), "as many, or one for all, not 2 and 3", class = "ridge_error_argument")
  expect_error(working_days("2026-03-02", 5), "end.*must be dates", class = "ridge_error_argument")
  expect_error(working_days("2026-03-02", "2026-03-03", "x"), "calendar_rules", class = "ridge_error_argument")
  none <- calendar_rules(weekend = c("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"))
  expect_error(move_working_days("2026-03-02", 1, none), "no working day that far away", class = "ridge_error_argument")
  expect_error(move_working_days("2026-03-02", 1.5), "whole numbers", class = "ridge_error_argument")
  expect_error(move_working_days(day(c("2026-03-02", "2026-03-03")), 1:3), "as many, or one for all", class = "ridge_error_argument")
  expect_identical(move_working_days(c("2026-03-07", NA), 0), day(c("2026-03-09", NA)))
  expect_identical(working_days("2026-03-03", move_working_days("2026-03-02", 100000)), 100000L)
})

test_that("working days of spans, open ones through the as-of date", {
  x <- spans(data.frame(who = c("a", "b", "c"), s = day(c("2026-06-01", "2026-06-26", "2026-09-01")), e = day(c("2026-06-07", NA, NA))), s, e, key = who, as_of = "2026-06-30")
  got <- working_days(x)
  expect_identical(got$working_days, c(5L, 3L, 0L))
  expect_identical(got$open, c(FALSE, TRUE, TRUE))
  expect_match(conventions(got), "2 open spans running through the as-of date")
})

test_that("due days of spans are those of their starts, tie, and are the same on the command line", {
  closed <- calendar_rules(holidays = demo_records("closures"))
  faults <- spans(demo_records("faults"), reported, mended, key = fault, as_of = "2026-06-30", tz = "Europe/Vienna")
  due <- move_working_days(faults, 10, closed)
  civil <- as.Date(format(due$start, "%Y-%m-%d", tz = "Europe/Vienna"))
  expect_identical(due$due, move_working_days(civil, 10, closed))
  expect_named(due, c("row", "fault", "start", "due"))
  expect_match(conventions(due), "Due: 10 working days after the start of 180 records; working days")
  for (n in c(-3, 0, 1)) expect_ties(move_working_days(faults, n, closed))
  expect_ties(due[order(due$due, decreasing = TRUE)[1:20], ])
  file <- system.file("extdata", "faults.csv", package = "almanacridge")
  closures <- system.file("extdata", "closures.ics", package = "almanacridge")
  asked <- c("due", file, "--start", "reported", "--key", "fault", "--tz", "Europe/Vienna", "--as-of", "2026-06-30")
  got <- run(asked, "--after", "10", "--holidays", closures, "--reconcile")
  expect_identical(got$status, 0L)
  expect_identical(utils::read.csv(text = got$out)$due, format(due$due))
  expect_match(run(asked)$notes, "`ridge due` needs `--after`")
  expect_match(run(asked, "--after", "1.5")$notes, "--after must be whole numbers of working days, not \"1.5\"", all = FALSE)
  expect_match(how_asked(due), "move_working_days\\(days = 10")
  expect_match(how_asked(move_working_days(faults, 10), "command"), "--after 10$")
})

test_that("due days by a column, on days, and where nothing is", {
  x <- spans(data.frame(k = c("a", "b", "c"), s = day(c("2026-03-06", "2026-03-07", "2026-03-09")), n = c(1, 0, NA)), s, NULL, key = k)
  due <- move_working_days(x, n)
  expect_identical(due$due, day(c("2026-03-09", "2026-03-09", NA)))
  expect_ties(due)
  expect_match(conventions(due), "as many working days as n says after the start")
  expect_match(how_asked(due, "command"), "--after n")
  expect_identical(nrow(move_working_days(x[0, ], 3)), 0L)
  expect_error(move_working_days(x, k), "k", class = "ridge_error")
  expect_error(move_working_days(x, 1:2), "as many, or one for all", class = "ridge_error_argument")
  expect_error(move_working_days(x, 0.5), "whole numbers of working days, not \"0.5\"", class = "ridge_error_argument")
})
