ends_of_years <- function(...) {
  years <- periods(own_periods(..., grain = "year"))
  stats::setNames(as.character(years$period_end), years$label)
}

test_that("published years of 53 weeks end when they did", {
  # Retail years: Saturdays nearest to the end of January, named by the year before.
  retail <- ends_of_years(pattern = "4-5-4", years = 2005:2024, month = "January", ends = "nearest", named_by = "start")
  expect_identical(unname(retail[c("2006", "2012", "2017", "2023")]), c("2007-02-03", "2013-02-02", "2018-02-03", "2024-02-03"))
  weeks <- function(ends) as.integer(diff(as.Date(ends))) / 7
  expect_identical(names(retail)[-1][weeks(retail) == 53], c("2006", "2012", "2017", "2023"))
  # The last Saturday of September.
  september <- ends_of_years(pattern = "13x4", years = 2010:2024, month = 9)
  expect_identical(names(september)[-1][weeks(september) == 53], c("2012", "2017", "2023"))
  expect_identical(unname(september[c("2017", "2023")]), c("2017-09-30", "2023-09-30"))
  # The Saturday nearest to the last of December.
  december <- ends_of_years(pattern = "4-4-5", years = 2008:2026, ends = "nearest")
  expect_identical(unname(december[c("2014", "2020")]), c("2015-01-03", "2021-01-02"))
  expect_identical(names(december)[-1][weeks(december) == 53], c("2014", "2020", "2025"))
})

test_that("every year of every rule ends on its weekday, near or in its month, in whole weeks", {
  for (day in c("Monday", "Friday", "Saturday", "Sunday")) for (month in c("January", "June", "December")) for (ends in c("last", "nearest")) {
    got <- periods(own_periods(pattern = "5-4-4", years = 1990:2040, ends_on = day, month = month, ends = ends, grain = "year"))
    last <- got$period_end
    expect_true(all(format(last, "%u") == match(day, c("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"))))
    expect_true(all(got$days %in% c(364L, 371L)))
    of_month <- as.Date(sprintf("%d-%02d-01", 1990:2040, match(month, month.name)))
    month_end <- as.Date(vapply(of_month, function(first) as.numeric(seq(as.Date(first, "1970-01-01"), by = "month", length.out = 2)[2] - 1), 0), "1970-01-01")
    away <- as.integer(last - month_end)
    if (ends == "last") expect_true(all(away <= 0 & away > -7)) else expect_true(all(abs(away) <= 3))
  }
})

test_that("periods of a year: their weeks, the 53rd, quarters, labels", {
  weeks <- function(...) periods(own_periods(...))$days / 7
  expect_identical(weeks(pattern = "4-4-5", years = 2019, ends = "nearest"), rep(c(4, 4, 5), 4))
  expect_identical(weeks(pattern = "4-5-4", years = 2020, ends = "nearest"), c(rep(c(4, 5, 4), 3), 4, 5, 5))
  expect_identical(weeks(pattern = "5-4-4", years = 2020, ends = "nearest", extra_week = 1), c(6, 4, 4, rep(c(5, 4, 4), 3)))
  expect_identical(weeks(pattern = "13x4", years = 2020, ends = "nearest"), c(rep(4, 12), 5))
  expect_identical(weeks(pattern = "4-4-5", years = 2020, ends = "nearest", grain = "quarter"), c(13, 13, 13, 14))
  expect_identical(length(weeks(pattern = "4-4-5", years = 2020, ends = "nearest", grain = "week")), 53L)
  expect_identical(weeks(pattern = "4-4-5", years = 2021:2024, long_years = 2023, grain = "year"), c(52, 52, 53, 52))
  expect_identical(periods(own_periods(pattern = "4-4-5", years = 2024))$label[c(1, 12)], c("2024-P01", "2024-P12"))
  expect_identical(periods(own_periods(pattern = "4-4-5", years = 2024, grain = "quarter"))$label, paste0("2024-Q", 1:4))
})

test_that("years of weeks are compared and followed by place, and a 53rd week is told", {
  staff <- demo_staff()
  year <- own_periods(pattern = "4-4-5", years = 2018:2026, month = "June", ends = "nearest")
  counts <- active(staff, by = year)
  told <- versus(counts, "year_before")
  expect_ties(told)
  at <- match("2021-P12", periods(year)$label)
  expect_identical(told$against[told$period == periods(year)$period[at]], counts$active[counts$period == periods(year)$period[at - 12]])
  expect_match(conventions(told), "2021-P12 of 6 weeks with 2020-P12 of 5, 2022-P12 of 5 weeks with 2021-P12 of 6", fixed = TRUE)
  weeks <- versus(active(staff, by = own_periods(pattern = "4-4-5", years = 2020:2022, month = "June", ends = "nearest", grain = "week")), "year_before")
  expect_identical(weeks$against_label[nrow(weeks) - 52], "nothing there")
  expect_ties(weeks)
  left <- cohorts(staff, by = year, from = "2025-01-01")
  expect_ties(left)
  expect_ties(cohorts(staff, by = year, show = "records"))
  expect_error(cohorts(staff, by = own_periods(pattern = "4-4-5", years = 2024:2026)), "Name earlier `years`", class = "ridge_error_argument")
  expect_error(cohorts(staff, by = own_periods("2019-01-01", "2026-12-31")), "years by a pattern", class = "ridge_error_argument")
  expect_error(versus(active(staff, by = own_periods(c("2024-01-01", "2024-07-01"), "2024-12-31")), "year_before"), "years by a pattern", class = "ridge_error_argument")
  spelled <- eval(parse(text = how_asked(counts)))
  expect_identical(spelled$active, counts$active)
})

test_that("what no year of weeks can be is told", {
  expect_error(own_periods(pattern = "4-4-6", years = 2024), "must be one of", class = "ridge_error_argument")
  expect_error(own_periods(pattern = "4-4-5"), "`years` must be years", class = "ridge_error_argument")
  expect_error(own_periods(pattern = "4-4-5", years = c(2024, 2026)), "must follow each other", class = "ridge_error_argument")
  expect_error(own_periods(pattern = "4-4-5", years = 2024, ends_on = "Someday"), class = "ridge_error_argument")
  expect_error(own_periods(pattern = "4-4-5", years = 2024, month = "Brumaire"), class = "ridge_error_argument")
  expect_error(own_periods(pattern = "4-4-5", years = 2024, extra_week = 13), "from 0 to 12", class = "ridge_error_argument")
  expect_error(own_periods(pattern = "4-4-5", years = 2024, extra_week = 0), "from 1 to 12", class = "ridge_error_argument")
  expect_error(own_periods(pattern = "13x4", years = 2024, grain = "quarter"), "make no quarters", class = "ridge_error_argument")
  expect_error(own_periods("2026-01-01", "2026-02-01", pattern = "4-4-5", years = 2024), "cannot go together", class = "ridge_error_argument")
  expect_error(own_periods("2026-01-01", "2026-02-01", years = 2024), "belong to a pattern", class = "ridge_error_argument")
  expect_error(own_periods(), "or a pattern", class = "ridge_error_argument")
})
