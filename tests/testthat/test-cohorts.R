# Each key is followed from its first start, period by period.
oracle_cohorts <- function(records, got, count, returns, end_counts, as_of, grouped) {
  records <- records[is.na(records$end) | (records$end - (!end_counts)) >= records$start, ]
  keys <- split(records, records$who)
  vapply(seq_len(nrow(got)), function(i) {
    if (not_known(got, count, as_of)[i]) return(NA_real_)
    sum(vapply(keys, function(mine) {
      first <- min(mine$start)
      home <- sort(mine$site[mine$start == first], na.last = TRUE)[1]
      if (first > as_of) return(FALSE)
      in_cohort <- first >= got$cohort[i] && first < cohort_end(got, i)
      if (grouped && !(home %in% got$site[i])) return(FALSE)
      if (!in_cohort) return(FALSE)
      days <- seq(first, got$period_end[i], by = "day")
      on <- apply(active_days(mine, days, end_counts), 2, any)
      if (!returns) on <- cumsum(!on) == 0
      by_rule(on[days >= got$period[i]] |> (\(inside) c(rep(FALSE, max(0, as.integer(got$period_end[i] - got$period[i]) + 1 - length(inside))), inside))(), count)
    }, NA))
  }, 0)
}
cohort_end <- function(got, i) got$cohort_stop[i]

# By the rules that look at a last day, a period that has not ended is not known yet.
not_known <- function(got, rule, as_of) {
  (if (rule %in% c("last_day", "every_day")) got$period_end else got$period) > as_of
}

test_that("cohorts equal a look at each key, for rules, grains, groups and returns", {
  for (seed in 1:80) {
    records <- random_records(seed)
    counts <- seed %% 3 != 0
    grain <- c("month", "week", "2 weeks", "quarter")[seed %% 4 + 1]
    rule <- c("any_day", "first_day", "last_day", "every_day")[(seed %/% 4) %% 4 + 1]
    returns <- seed %% 2 == 0
    as_of <- day("2024-03-20") + seed %% 30
    x <- spans(records, start, end, key = who, end_counts = counts, as_of = as_of)
    for (grouped in c(FALSE, TRUE)) {
      got <- if (grouped) cohorts(x, grain, group = site, rule = rule, returns = returns) else cohorts(x, grain, rule = rule, returns = returns)
      if (nrow(got) == 0) next
      expect_true(all(reconcile(got)$ok), label = paste("ties", seed))
      table <- as.data.frame(got)
      ends <- periods(grain, from = min(table$period), to = max(table$period))
      table$period_end <- ends$period_end[match(table$period, ends$period)]
      table$cohort_stop <- ends$period_end[match(table$cohort, ends$period)] + 1
      want <- oracle_cohorts(records, table, rule, returns, counts, as_of, grouped)
      expect_equal(as.double(got$active), want, label = paste("active", seed, grouped))
      expect_identical(got$retained, ifelse(got$size == 0, NA, got$active / got$size))
      ages <- table(paste(got$cohort, if (grouped) got$site))
      expect_length(unique(as.vector(ages)), 1)
      expect_identical(is.na(got$active), not_known(table, rule, as_of))
    }
  }
})

test_that("thirty people by hand", {
  # January: 10 start, 2 leave in February, 3 in March; February: 12, half leave at the month's end; March: 8 stay.
  staff <- data.frame(who = 1:30, first = day(rep(c("2026-01-05", "2026-02-02", "2026-03-20"), c(10, 12, 8))),
                      last = day(c(rep("2026-02-10", 2), rep("2026-03-01", 3), rep(NA, 5), rep("2026-02-28", 6), rep(NA, 14))))
  x <- spans(staff, first, last, key = who, as_of = "2026-03-31")
  got <- cohorts(x)
  expect_identical(got$size, rep(c(10L, 12L, 8L), each = 3))
  expect_identical(got$active, c(10L, 10L, 8L, 12L, 6L, NA, 8L, NA, NA))
  expect_equal(got$retained, c(1, 1, 0.8, 1, 0.5, NA, 1, NA, NA))
  wide <- widen(got)
  expect_equal(wide$`1`, c(1, 0.5, NA))
  expect_identical(wide$size, c(10L, 12L, 8L))
  last <- cohorts(x, rule = "last_day")
  expect_equal(last$retained[1:3], c(1, 0.8, 0.5))
  expect_match(conventions(got), "any day of the month; a return counts as active again; NA is not known yet")
  expect_identical(cohorts(x, from = "2026-02-01")$cohort[1], day("2026-02-01"))
  expect_identical(nrow(cohorts(x, from = "2026-02-01")), 4L)
})

test_that("one who comes back, empty cohorts, a start in the future", {
  data <- data.frame(who = c("a", "a", "b", "c"), s = day(c("2026-01-01", "2026-03-01", "2026-03-10", "2026-08-01")), e = day(c("2026-01-20", NA, "2026-03-15", NA)))
  x <- spans(data, s, e, key = who, as_of = "2026-04-30")
  got <- cohorts(x)
  expect_identical(unique(got$cohort), day(c("2026-01-01", "2026-02-01", "2026-03-01")))
  expect_identical(got$active[got$cohort == day("2026-01-01")], c(1L, 0L, 1L, 1L))
  expect_identical(got$retained[got$cohort == day("2026-02-01")], rep(NA_real_, 4))
  expect_identical(got$active[got$cohort == day("2026-03-01")], c(1L, 0L, NA, NA))
  expect_identical(cohorts(x, returns = FALSE)$active[1:4], c(1L, 0L, 0L, 0L))
  expect_identical(nrow(cohorts(x[4, ])), 0L)
  expect_identical(nrow(cohorts(x[0, ])), 0L)
  plain <- spans(data, s, e, as_of = "2026-04-30")
  expect_identical(sum(cohorts(plain)$size[cohorts(plain)$age == 0]), 3L)
})

test_that("the estimator is that of the recommended package", {
  skip_if_not_installed("survival")
  staff <- demo_staff()
  got <- length_of_stay(staff, unit = "days", confidence = 0.9)
  keys <- split(as.data.frame(staff), staff$observer)
  own <- do.call(rbind, lapply(keys, function(mine) {
    mine <- mine[order(mine$first_day), ]
    if (mine$first_day[1] > day("2026-06-30")) return(NULL)
    last <- mine$last_day
    last[is.na(last)] <- day("9999-12-31")
    end <- last[1]
    for (i in seq_along(last)) if (mine$first_day[i] <= end + 1) end <- max(end, last[i])
    data.frame(time = as.numeric(min(end, day("2026-06-30")) - mine$first_day[1]) + 1, event = end <= day("2026-06-30"))
  }))
  fit <- survival::survfit(survival::Surv(time, event) ~ 1, data = own, conf.int = 0.9)
  want <- summary(fit, times = got$age, extend = TRUE)
  expect_equal(got$share, want$surv)
  expect_equal(got$lower, want$lower)
  expect_equal(got$at_risk, as.integer(want$n.risk))
  expect_equal(got$median[1], unname(summary(fit)$table["median"]))
  by_station <- length_of_stay(staff, group = station, unit = "years")
  expect_identical(names(by_station)[1:2], c("station", "age"))
  expect_true(all(diff(by_station$share[by_station$station %in% "Whinfell"]) <= 0))
  expect_identical(nrow(length_of_stay(staff[0, ])), 0L)
  expect_identical(nrow(length_of_stay(spans(data.frame(s = day("2026-01-01"), e = day("2026-03-31")), s, e, as_of = "2026-06-30"), unit = "months")), 3L)
})

test_that("wrong arguments are refused", {
  staff <- demo_staff()
  expect_error(cohorts(staff, rule = "mean_day"), "must be one of", class = "ridge_error_argument")
  expect_error(cohorts(staff, by = "hour"), "a day or more", class = "ridge_error_argument")
  expect_error(cohorts(staff, by = station), "group = station", class = "ridge_error_argument")
  expect_error(cohorts(staff, returns = NA), "TRUE or FALSE", class = "ridge_error_argument")
  expect_error(cohorts(staff, from = "2026-02-01", to = "2026-01-01"), "is after", class = "ridge_error_argument")
  expect_error(length_of_stay(staff, unit = "hours"), "must be one of", class = "ridge_error_argument")
  expect_error(length_of_stay(staff, confidence = 95), "between 0 and 1", class = "ridge_error_argument")
  expect_error(widen(cohorts(staff, "year"), sums = "rows"), "cannot be added up", class = "ridge_error_argument")
})
