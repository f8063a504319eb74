watch <- function(from, to, tz = "Europe/Vienna", ...) {
  spans(data.frame(who = "a", s = as.POSIXct(from, tz = tz), e = as.POSIXct(to, tz = tz), ...), s, e, key = who, tz = tz, as_of = "2026-12-31")
}

test_that("watches over midnight, a month end and clock changes give true hours", {
  x <- watch(c("2026-03-28 22:00", "2026-10-24 22:00", "2026-01-31 22:00"), c("2026-03-29 06:00", "2026-10-25 06:00", "2026-02-01 06:00"))
  expect_equal(time_within(x, "day")$hours, c(2, 6, 2, 5, 2, 7))
  expect_equal(time_within(x, total = TRUE, to = "2026-03-31")$hours, c(2, 6, 7))
  expect_match(conventions(time_within(x, total = TRUE, to = "2026-03-31")), "24.00 hours in all, 9.00 outside the window")
  bands <- list(night = c("22:00", "06:00"), weekend = c("Saturday", "Sunday"), late = c("22:00", "24:00"),
                unsocial = list(c("22:00", "23:00"), "Sunday"))
  got <- time_within(x, "day", bands = bands)
  expect_equal(got$night_hours, got$hours)
  expect_equal(got$weekend_hours, got$hours)
  expect_equal(got$late_hours, c(2, 0, 2, 0, 2, 0))
  expect_equal(got$unsocial_hours, c(1, 6, 1, 5, 1, 7))
})

test_that("only working hours, where the calendar has hours", {
  x <- watch("2026-03-06 12:00", "2026-03-09 12:00")
  office <- calendar_rules(hours = c("09:00", "17:00"))
  got <- time_within(x, "day", calendar = office)
  expect_equal(got$working_hours, c(5, 0, 0, 3))
  expect_equal(time_within(x, "week", unit = "days", calendar = office, day_hours = office)$working_days, c(0.625, 0.375))
  late <- time_within(x, "day", calendar = office, bands = list(late = c("16:00", "09:30")))
  expect_equal(late$late_hours, c(1, 0, 0, 0.5))
  on_days <- spans(data.frame(s = day("2026-02-27"), e = day("2026-03-02")), s, e)
  expect_identical(time_within(on_days)$hours, c(48, 48))
  expect_identical(time_within(on_days, calendar = office)$working_hours, c(8, 8))
})

test_that("every period of every group is there, open spans run through the as-of date", {
  x <- spans(data.frame(kind = c("x", "y", NA), s = as.POSIXct(c("2026-01-31 12:00", "2026-03-31 12:00", "2027-01-01 00:00"), tz = "UTC"),
                        e = as.POSIXct(c("2026-02-01 12:00", NA, NA), tz = "UTC")), s, e, tz = "UTC", as_of = "2026-04-01")
  got <- time_within(x, group = kind, total = TRUE, to = "2026-04-30")
  expect_identical(got$hours, c(12, 12, 0, 0, 0, 0, 12, 24, rep(0, 4), 12, 12, 12, 24))
  expect_identical(sum(got$total), 4L)
  expect_identical(time_within(x[0, ], total = TRUE, from = "2026-01-01", to = "2026-02-28")$hours, c(0, 0))
  expect_identical(names(time_within(x[0, ])), c("row", "period", "period_end", "hours"))
})

test_that("pieces equal a look at each minute, and totals their sums, in five zones", {
  for (zone in c("Europe/Vienna", "America/St_Johns", "Australia/Lord_Howe", "America/Santiago", "Pacific/Apia")) {
    for (seed in 1:4) {
      set.seed(seed)
      base <- as.numeric(as.POSIXct(if (zone == "Pacific/Apia") "2011-12-27" else "2026-03-20", tz = zone))
      from <- base + 60 * sample(0:30000, 12)
      to <- from + 60 * sample(c(0, 30, 480, 2000, 20000), 12, TRUE)
      moment <- function(seconds) as.POSIXct(seconds, origin = "1970-01-01", tz = zone)
      x <- spans(data.frame(g = sample(c("u", "v"), 12, TRUE), s = moment(from), e = moment(to)), s, e, tz = zone)
      rules <- calendar_rules(hours = c("08:00", "12:00", "13:00", "24:00"), weekend = 7L)
      grain <- c("day", "week", "month", "6 hours")[seed]
      got <- time_within(x, grain, calendar = rules, bands = list(night = c("21:30", "05:00")))
      works <- function(days, minute) (minute >= 480 & minute < 720 | minute >= 780) & format(days, "%u") != "7"
      at_night <- function(days, minute) works(days, minute) & (minute >= 1290 | minute < 300)
      ends <- function(period) if (inherits(period, "Date")) as.numeric(as.POSIXct(paste(format(period), "00:00"), tz = zone)) else as.numeric(period)
      first <- pmax(from[got$row], ends(got$period))
      last <- pmin(to[got$row], if (inherits(got$period, "Date")) ends(got$period_end + 1) else ends(got$period_end))
      expect_equal(got$working_hours, mapply(minutes_worked, first, last, MoreArgs = list(tz = zone, works = works)), label = paste(zone, seed))
      expect_equal(got$night_hours, mapply(minutes_worked, first, last, MoreArgs = list(tz = zone, works = at_night)), label = paste(zone, seed))
      totals <- time_within(x, grain, group = g, calendar = rules)
      by_hand <- tapply(got$working_hours, paste(x$g[got$row], format(got$period, "%F %T %z")), sum)
      want <- by_hand[paste(totals$g, format(totals$period, "%F %T %z"))]
      expect_equal(totals$working_hours, as.vector(ifelse(is.na(want), 0, want)), label = paste(zone, seed))
      expect_equal(sum(totals$working_hours), sum(elapsed(x, "hours", rules)$working_hours))
    }
  }
})

test_that("wrong arguments are refused", {
  x <- watch("2026-03-06 12:00", "2026-03-09 12:00", hours = 1)
  expect_error(time_within(x, unit = "months"), "must be one of", class = "ridge_error_argument")
  expect_error(time_within(x, bands = c("22:00", "06:00")), "a list with a name", class = "ridge_error_argument")
  expect_error(time_within(x, bands = list(c("22:00", "06:00"))), "a list with a name", class = "ridge_error_argument")
  expect_error(time_within(x, bands = list(night = "22:00")), "two different times of day", class = "ridge_error_argument")
  expect_error(time_within(x, bands = list(night = c("Mon", "Funday"))), "does not know \"Funday\"", class = "ridge_error_argument")
  expect_error(time_within(x, group = hours), "column \"hours\" of its own", class = "ridge_error_column")
  expect_error(time_within(x, by = who), "group = who", class = "ridge_error_argument")
  expect_error(time_within(data.frame()), "declared with", class = "ridge_error_argument")
})
