test_that("months, leap years and weeks across New Year are exact", {
  feb <- periods("month", "2024-02-10", "2024-02-10")
  expect_identical(as.list(feb), list(period = day("2024-02-01"), period_end = day("2024-02-29"),
                                      label = "2024-02", days = 29L, working_days = 21L))
  weeks <- periods("week", "2020-12-30", "2021-01-10")
  expect_identical(weeks$label, c("2020-W53", "2021-W01"))
  expect_identical(weeks$period, day(c("2020-12-28", "2021-01-04")))
  sunday <- periods("week", "2021-01-01", "2021-01-03", calendar = calendar_rules(week_starts = "sun"))
  expect_identical(sunday$period, day(c("2020-12-27", "2021-01-03")))
  expect_identical(periods("year", "1900-05-01", "2000-05-01")$days[c(1, 5, 101)], c(365L, 366L, 366L))
})

test_that("each grain tiles 1600 to 9999 without a gap", {
  for (by in c("week", "month", "quarter", "year", "2 weeks", "5 months", "7 years", "100 days")) {
    all <- periods(by, "1600-01-01", "9999-12-31")
    expect_true(all(all$period[-1] == all$period_end[-nrow(all)] + 1), label = by)
    expect_true(all$period[1] <= day("1600-01-01") && all$period_end[nrow(all)] >= day("9999-12-31"))
    expect_identical(sum(all$days), as.integer(max(all$period_end) - min(all$period)) + 1L)
  }
  expect_identical(nrow(periods("month", "1600-01-01", "9999-12-31")), 100800L)
  from_r <- seq(day("1890-01-01"), by = "month", length.out = 3000)
  expect_identical(periods("month", from_r[1], from_r[3000])$period, from_r)
})

test_that("ISO week labels are those of the C library", {
  mondays <- seq(day("1970-01-05"), by = "week", length.out = 4000)
  expect_identical(periods("week", mondays[1], mondays[4000])$label, format(mondays, "%G-W%V"))
})

test_that("multiples are anchored to the year 2000, whatever the window", {
  expect_identical(periods("2 weeks", "2000-01-05", "2000-01-05")$period, day("2000-01-03"))
  far <- periods("2 weeks", "2026-01-01", "2026-03-01")$period
  expect_true(all(as.integer(far - day("2000-01-03")) %% 14 == 0))
  expect_identical(periods("6 months", "2026-04-01", "2026-04-01")$label, "2026-01 to 2026-06")
  expect_identical(periods("10 days", "2000-01-11", "2000-01-11")$period, day("2000-01-11"))
})

test_that("a year that starts in April gives its quarters, years and labels", {
  april <- calendar_rules(year_starts = "April")
  quarters <- periods("quarter", "2025-04-01", "2026-03-31", calendar = april)
  expect_identical(quarters$label, paste0("2025/26-Q", 1:4))
  expect_identical(periods("quarter", "2026-01-01", "2026-01-01", calendar = april, label = "name")$label,
                   "Q4 2025/26")
  year <- periods("year", "2026-03-31", "2026-04-01", calendar = april)
  expect_identical(year$period, day(c("2025-04-01", "2026-04-01")))
  expect_identical(year$label, c("2025/26", "2026/27"))
  expect_identical(periods("6 months", "2026-01-01", "2026-01-01", calendar = april)$period, day("2025-10-01"))
  expect_identical(periods("year", "1999-12-01", "1999-12-01", calendar = april)$label, "1999/00")
})

test_that("labels come in the chosen form", {
  label <- function(by, form, ...) periods(by, "2026-03-04", "2026-03-04", label = form, ...)$label
  expect_identical(label("month", "name"), "Mar 2026")
  expect_identical(label("month", "first_day"), "2026-03-01")
  expect_identical(label("month", "last_day"), "2026-03-31")
  expect_identical(label("day", "name"), "4 Mar 2026")
  expect_identical(label("week", "name"), "week of 2 Mar 2026")
  expect_identical(label("week", "code", calendar = calendar_rules(week_starts = 7)),
                   "2026-03-01 to 2026-03-07")
  expect_identical(label("quarter", "name"), "Q1 2026")
  expect_identical(label("6 months", "name"), "Jan to Jun 2026")
  expect_identical(label("2 weeks", "name"), "23 Feb to 8 Mar 2026")
  expect_identical(label("2 quarters", "code"), "2026-Q1 to 2026-Q2")
  expect_identical(label("4 years", "code"), "2024 to 2027")
  expect_identical(label("12 hours", "name", tz = "UTC"), c("4 Mar 2026 00:00", "4 Mar 2026 12:00"))
})

test_that("an hour that is shown twice carries its offset, and days have their real hours", {
  autumn <- periods("hour", "2026-10-25", "2026-10-25", tz = "Europe/Vienna")
  expect_identical(nrow(autumn), 25L)
  expect_identical(autumn$label[3:4], c("2026-10-25 02:00 +0200", "2026-10-25 02:00 +0100"))
  hours <- function(date, tz) periods("day", date, date, tz = tz)$hours
  expect_identical(hours("2026-03-29", "Europe/Vienna"), 23)
  expect_identical(hours("2026-04-05", "Australia/Lord_Howe"), 24.5)
  expect_identical(hours("2026-09-06", "America/Santiago"), 23)
  expect_identical(hours("2011-12-30", "Pacific/Apia"), 0)
  expect_identical(hours("2026-05-05", "Asia/Kathmandu"), 24)
  year <- periods("day", "2026-01-01", "2026-12-31", tz = "America/Santiago")
  expect_identical(sum(year$hours), 365 * 24)
})

test_that("working days leave out the weekend and the holidays", {
  rules <- calendar_rules(holidays = c("2026-12-25", "2026-12-26"))
  expect_identical(periods("month", "2026-12-01", "2026-12-01", calendar = rules)$working_days, 22L)
  friday <- calendar_rules(weekend = c("Fri", "Saturday"))
  days <- periods("day", "2026-03-05", "2026-03-08", calendar = friday)
  expect_identical(days$working_days, c(1L, 0L, 0L, 1L))
  none <- calendar_rules(weekend = NULL)
  expect_identical(periods("week", "2026-03-05", "2026-03-05", calendar = none)$working_days, 7L)
  expect_output(print(rules), "Weekend: Saturday and Sunday; 2 holidays")
})

test_that("a table of periods of one's own serves in place of a grain", {
  year <- own_periods(day("2026-01-05") + c(0, 28, 56), "2026-04-05", labels = c("P1", "P2", "P3"))
  expect_identical(periods(year)$days, c(28L, 28L, 35L))
  expect_identical(periods(year, label = "last_day")$label[3], "2026-04-05")
  staff <- demo_staff()
  count <- active(staff, by = year, rule = "last_day", label = "code")
  expect_identical(count$label, c("P1", "P2", "P3"))
  expect_identical(count$active, active(staff, on = count$period_end)$active)
  as_table <- active(staff, by = as.data.frame(periods(year)), rule = "last_day")
  expect_identical(as_table$active, count$active)
  expect_identical(scaffold(subset(staff, observer == "OB-0007"), by = year, of = "keys")$nth, 1:3)
  expect_output(print(year), "3 periods, 2026-01-05 to 2026-04-05")
})

test_that("what is no period is refused", {
  expect_error(periods("months of sundays", "2026-01-01", "2026-01-02"), "must be a grain")
  expect_error(periods("0 days", "2026-01-01", "2026-01-02"), "must be a grain")
  expect_error(periods("month"), "`from` and `to` must name")
  expect_error(periods("hour", "2026-01-01", "2026-01-02"), "needs `tz`")
  expect_error(periods("hour", "1600-01-01", "9599-12-31", tz = "UTC"), "are too many",
               class = "ridge_error_size")
  expect_error(periods("month", c("2026-01-01", "2026-02-01"), "2026-03-01"), "must be one date")
  expect_error(periods("month", "2026-01-01", NA), "must be a date")
  expect_error(periods("month", "2026-01-01", day(NA)), "must not be missing")
  expect_error(periods("month", "2026-01-01", "2026-01-02", whole = "hour"), "a grain of a day or more")
  expect_error(periods(day("2026-01-01"), "2026-01-01", "2026-01-02"), "own_periods")
  expect_error(own_periods(c("2026-02-01", "2026-01-01"), "2026-03-01"), "must rise")
  expect_error(own_periods("2026-02-01", "2026-01-01"), "must not be before")
  expect_error(own_periods(character(), "2026-01-01"), "at least one")
  expect_error(own_periods("2026-01-01", "2026-03-01", labels = c("a", "b")), "one for each period")
  gap <- data.frame(period = c("2026-01-01", "2026-02-02"), period_end = c("2026-01-31", "2026-02-28"))
  expect_error(periods(gap), "must hold consecutive periods")
  expect_error(periods(data.frame(a = 1)), "needs rows with \"period\" and")
  beyond <- own_periods("2031-01-01", "2031-12-31")
  expect_error(active(demo_staff(), by = beyond), "does not meet the window")
  expect_error(calendar_rules(weekend = "Caturday"), "does not know \"Caturday\"")
  expect_error(calendar_rules(year_starts = 13), "does not know 13")
  expect_error(calendar_rules(week_starts = c("Mon", "Tue")), "one name or number")
  expect_error(calendar_rules(holidays = "Christmas"), "must be dates such as")
  expect_error(calendar_rules(holidays = 20261225), "must be dates such as")
})

test_that("working days equal a walk through the days, for any weekend and holidays", {
  for (seed in 1:40) {
    set.seed(seed)
    weekend <- sample(7, sample(0:3, 1))
    holidays <- day("2026-01-01") + sample(0:200, 12)
    rules <- calendar_rules(weekend = if (length(weekend)) weekend, holidays = holidays,
                            week_starts = sample(7, 1), year_starts = sample(12, 1))
    by <- sample(c("day", "week", "month", "quarter", "9 days"), 1)
    got <- periods(by, day("2026-01-01") + sample(0:90, 1), "2026-06-30", calendar = rules)
    walked <- vapply(seq_len(nrow(got)), function(i) {
      days <- seq(got$period[i], got$period_end[i], by = "day")
      sum(!(as.integer(format(days, "%u")) %in% weekend) & !(days %in% holidays))
    }, integer(1))
    expect_identical(got$working_days, walked, label = paste("seed", seed))
    expect_identical(got$days, as.integer(got$period_end - got$period) + 1L)
  }
})
