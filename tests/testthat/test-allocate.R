# The exact share of each day, summed by period: a list of amounts by period.
oracle_pieces <- function(start, last, amount, periods, counts) {
  days <- seq(start, last, by = "day")
  shared <- counts(days)
  vapply(seq_len(nrow(periods)), function(i) {
    amount * sum(shared[days >= periods$period[i] & days <= periods$period_end[i]]) / sum(shared)
  }, 0)
}

ended <- function(seed) {
  records <- random_records(seed)
  records$end[is.na(records$end)] <- records$start[is.na(records$end)] + 40
  set.seed(seed)
  records$amount <- round(stats::runif(nrow(records), -1, 3) * 10^sample(0:12, nrow(records), TRUE), 2)
  records
}

test_that("a grant of 12,000 from 7 March to 25 May is 3,750, 4,500 and 3,750", {
  x <- spans(data.frame(s = day("2026-03-07"), e = day("2026-05-25"), a = 12000), s, e)
  got <- allocate(x, a, digits = 2, show = "calculation")
  expect_identical(got$amount, c(3750, 4500, 3750))
  expect_identical(got$days, c(25L, 30L, 25L))
  expect_identical(unique(got$spread_over), 80)
  expect_identical(unique(got$rate), 150)
  longer <- spans(data.frame(s = day("2026-03-07"), e = day("2026-05-26"), a = 12000), s, e)
  expect_identical(allocate(longer, a, digits = 2)$amount, c(3703.70, 4444.45, 3851.85))
  expect_identical(allocate(x, a, basis = "period")$amount, rep(4000, 3))
  expect_identical(allocate(x, a, basis = "working_day")$working_days, c(17L, 22L, 17L))
})

test_that("three thirds of a cent still make one, and 29 February has its day", {
  x <- spans(data.frame(s = day("2026-01-31"), e = day("2026-03-01"), a = 0.01), s, e)
  pieces <- allocate(x, a, digits = 2, basis = "period")$amount
  expect_identical(sum(pieces * 100), 1)
  leap <- spans(data.frame(s = day("2024-02-01"), e = day("2024-03-01"), a = 30), s, e)
  expect_identical(allocate(leap, a, digits = 2)$amount, c(29, 1))
})

test_that("a pledge from the 17th is due whole in each month, by each rule", {
  x <- spans(data.frame(s = day("2026-03-17"), e = day("2026-05-31"), a = 20), s, e)
  due <- allocate(x, a, spread = "repeat")
  expect_identical(due$date, day(c("2026-03-17", "2026-04-01", "2026-05-01")))
  expect_identical(due$amount, rep(20, 3))
  expect_identical(allocate(x, a, spread = "repeat", rule = "first_day")$date, day(c("2026-04-01", "2026-05-01")))
  expect_identical(nrow(allocate(x, a, spread = "repeat", rule = "last_day")), 3L)
  expect_identical(nrow(allocate(x, a, spread = "repeat", rule = "every_day")), 2L)
})

test_that("pieces tie, stay within one unit of the exact share, and totals are their sums", {
  for (seed in 1:80) {
    records <- ended(seed)
    if (nrow(records) == 0) next
    set.seed(seed)
    grain <- sample(c("week", "month", "2 months", "quarter", "day"), 1)
    digits <- sample(0:3, 1)
    basis <- c("day", "working_day")[seed %% 2 + 1]
    holidays <- day("2024-01-01") + sample(0:300, 15)
    rules <- calendar_rules(holidays = holidays)
    counts <- function(days) if (basis == "day") rep(1, length(days)) else !(format(days, "%u") %in% c("6", "7") | days %in% holidays)
    whole <- vapply(seq_len(nrow(records)), function(i) sum(counts(seq(records$start[i], records$end[i], by = "day"))), 0)
    records <- records[whole > 0, ]
    if (nrow(records) == 0) next
    x <- spans(records, start, end, key = who)
    rows <- allocate(x, amount, by = grain, digits = digits, basis = basis, calendar = rules)
    unit <- 10^digits
    sums <- tapply(round(rows$amount * unit), factor(rows$row, seq_len(nrow(records))), sum)
    expect_equal(as.vector(sums), sign(records$amount) * floor(abs(records$amount) * unit + 0.5 + 1e-7 * (digits < 2)), tolerance = 1e-12, label = paste("tie", seed))
    free <- allocate(x, amount, by = grain, basis = basis, calendar = rules)
    for (i in seq_len(nrow(records))) {
      own <- which(rows$row == i)
      exact <- oracle_pieces(records$start[i], records$end[i], records$amount[i], rows[own, ], counts)
      expect_equal(free$amount[own], exact, tolerance = 1e-12, label = paste("share", seed, i))
      rounded <- sign(records$amount[i]) * floor(abs(records$amount[i]) * unit + 0.5) / unit
      exact <- oracle_pieces(records$start[i], records$end[i], rounded, rows[own, ], counts)
      expect_true(all(abs(rows$amount[own] - exact) <= (1 + 1e-3) / unit + 1e-9 * abs(exact)), label = paste("unit", seed, i))
    }
    totals <- allocate(x, amount, by = grain, digits = digits, basis = basis, group = site, calendar = rules)
    key <- function(site, period) paste(site, period)
    by_hand <- tapply(round(rows$amount * unit), key(records$site[rows$row], rows$period), sum)
    want <- by_hand[key(totals$site, totals$period)]
    expect_equal(totals$amount * unit, as.vector(ifelse(is.na(want), 0, want)), tolerance = 1e-13, label = paste("totals", seed))
    loose <- allocate(x, amount, by = grain, basis = basis, group = site, calendar = rules)
    by_hand <- tapply(free$amount, key(records$site[free$row], free$period), sum)
    want <- by_hand[key(loose$site, loose$period)]
    expect_equal(loose$amount, as.vector(ifelse(is.na(want), 0, want)), tolerance = 1e-9, label = paste("loose", seed))
    expect_true(all(loose$amount[is.na(want)] == 0))
    shuffled <- records[sample(nrow(records)), ]
    again <- allocate(spans(shuffled, start, end, key = who), amount, by = grain, digits = digits, basis = basis, group = site, calendar = rules)
    expect_identical(as.data.frame(again), as.data.frame(totals))
  }
})

test_that("totals do not depend on how the records are cut into chunks", {
  for (seed in 101:130) {
    records <- ended(seed)
    if (nrow(records) < 4) next
    cut <- sample(nrow(records) - 1, 1)
    totals <- function(rows) {
      x <- spans(records[rows, ], start, end, key = who)
      list(cents = allocate(x, amount, digits = 2, total = TRUE, from = "2024-01-01", to = "2024-08-31")$amount,
           hours = time_within(x, total = TRUE, from = "2024-01-01", to = "2024-08-31")$hours)
    }
    whole <- totals(seq_len(nrow(records)))
    parts <- list(totals(1:cut), totals((cut + 1):nrow(records)))
    expect_equal(round(100 * (parts[[1]]$cents + parts[[2]]$cents)), round(100 * whole$cents), tolerance = 1e-14)
    expect_identical(parts[[1]]$hours + parts[[2]]$hours, whole$hours)
  }
})

test_that("a window hides, and says how much", {
  x <- spans(data.frame(s = day("2026-03-07"), e = day("2026-05-25"), a = 12000), s, e)
  got <- allocate(x, a, digits = 2, from = "2026-04-01", to = "2026-04-30")
  expect_identical(got$amount, 4500)
  expect_match(conventions(got), "12,000.00 in all, 7,500.00 outside the window")
  expect_identical(allocate(x, a, digits = 2, total = TRUE, from = "2026-04-01", to = "2026-06-30")$amount, c(4500, 3750, 0))
  parts <- allocate(x, a, basis = "period", total = TRUE, from = "2026-05-01", to = "2026-12-31")
  expect_identical(parts$amount, c(4000, rep(0, 7)))
})

test_that("missing, negative and too fine amounts are said; nothing is left over", {
  x <- spans(data.frame(s = day("2026-01-01"), e = day("2026-02-28"), a = c(NA, -59, 59.005, 0)), s, e)
  rows <- allocate(x, a, digits = 2)
  expect_identical(rows$amount[1:2], c(NA_real_, NA_real_))
  expect_match(conventions(rows), "1 amount finer than that, rounded first; 1 missing amount counts nowhere")
  apart <- spans(data.frame(s = day(c("2026-01-01", "2026-06-01")), e = day(c("2026-02-20", "2026-06-30")), a = 1 / 3), s, e)
  expect_identical(allocate(apart, a, total = TRUE)$amount[3:5], rep(0, 3))
})

test_that("instants share by the time that passes, also when clocks change", {
  at <- as.POSIXct(c("2026-03-28 22:00", "2026-10-24 22:00"), tz = "Europe/Vienna")
  x <- spans(data.frame(a = at, b = at + c(7, 9) * 3600, pay = c(70, 90)), a, b, tz = "Europe/Vienna")
  got <- allocate(x, pay, by = "day", digits = 2)
  expect_equal(got$hours, c(2, 5, 2, 7))
  expect_identical(got$amount, c(20, 50, 20, 70))
  expect_identical(sum(allocate(x, pay, by = "month", total = TRUE, digits = 2)$amount), 160)
})

test_that("what has no even share is refused with its rows, unless it ends as of", {
  data <- data.frame(s = day(c("2026-01-01", "2026-01-03", "2026-05-01")), e = day(c(NA, "2026-01-04", "2026-05-01")), a = 10)
  x <- spans(data, s, e, as_of = "2026-06-30")
  expect_error(allocate(x, a), "Row 1 is open: it has no end.*open_to_as_of", class = "ridge_error_records")
  expect_error(allocate(x, a, basis = "working_day"), "Row 1 is open", class = "ridge_error_records")
  expect_error(allocate(x, a, basis = "working_day", total = TRUE), "Row 1 is open", class = "ridge_error_records")
  expect_equal(sum(allocate(x, a, open_to_as_of = TRUE)$amount), 30)
  expect_identical(max(allocate(x, a, open_to_as_of = TRUE)$period_end), day("2026-06-30"))
  expect_error(allocate(x[2:3, ], a, basis = "working_day"), "Row 2 is without a working day", class = "ridge_error_records")
  empty <- spans(data.frame(s = day("2026-01-01"), e = day("2026-01-01"), a = 1), s, e, end_counts = FALSE)
  expect_error(allocate(empty, a), "Row 1 is empty", class = "ridge_error_records")
  late <- spans(data.frame(s = day("2026-09-01"), e = day(NA), a = 1), s, e, as_of = "2026-06-30")
  expect_error(allocate(late, a, open_to_as_of = TRUE), "begins after the as-of date", class = "ridge_error_records")
  expect_identical(nrow(allocate(late, a, spread = "repeat", from = "2026-09-01", to = "2026-10-31")), 2L)
})

test_that("open spans that end as of are allocated by the groups of their records", {
  set.seed(4)
  n <- 4000
  data <- data.frame(who = sample.int(900, n, TRUE), s = day("2025-01-01") + sample.int(500, n, TRUE),
                     site = sample(c("a", "b", NA), n, TRUE), a = round(runif(n, -50, 900), 2))
  data$e <- data$s + sample(0:90, n, TRUE)
  data$e[runif(n) < 0.2] <- NA
  ended <- data
  ended$e[is.na(data$e)] <- day("2026-06-30")
  x <- spans(data, s, e, key = who, as_of = "2026-06-30")
  y <- spans(ended, s, e, key = who, as_of = "2026-06-30")
  for (by in list("site", "who", "e", c("site", "e"), "s")) {
    active(x, group = tidyselect::all_of(by), by = "year")
    found <- allocate(x, a, group = tidyselect::all_of(by), digits = 2, open_to_as_of = TRUE, by = "quarter")
    wanted <- allocate(y, a, group = tidyselect::all_of(by), digits = 2, by = "quarter")
    expect_identical(as.data.frame(found), as.data.frame(wanted))
    expect_equal(sum(found$amount), sum(data$a))
  }
})

test_that("wrong arguments and columns are refused", {
  x <- spans(data.frame(s = day("2026-01-01"), e = day("2026-01-31"), a = 1, kind = "x", big = 1e15), s, e)
  expect_error(allocate(x), "`amount` must name a column", class = "ridge_error_argument")
  expect_error(allocate(x, kind), "must hold numbers", class = "ridge_error_records")
  expect_error(allocate(x, cost), "no column \"cost\"", class = "ridge_error_column")
  expect_error(allocate(x, a, digits = 9), "from 0 to 6", class = "ridge_error_argument")
  expect_error(allocate(x, a, digits = -1), "whole number", class = "ridge_error_argument")
  expect_error(allocate(x, big, digits = 2), "too large to be kept exactly", class = "ridge_error_records")
  expect_error(allocate(x, a, basis = "hour"), "must be one of", class = "ridge_error_argument")
  expect_error(allocate(x, a, rule = "any_day"), "chooses the periods of repeated amounts", class = "ridge_error_argument")
  expect_error(allocate(x, a, spread = "repeat", basis = "period"), "no meaning", class = "ridge_error_argument")
  expect_error(allocate(x, a, by = kind), "group = kind", class = "ridge_error_argument")
  own <- data.frame(period = day("2026-01-01"), period_end = day("2026-01-15"))
  expect_error(allocate(x, a, by = own, basis = "period"), "a table of your own holds only some", class = "ridge_error_argument")
  expect_identical(allocate(x, a, by = own, digits = 2)$amount, 0.48)
  expect_identical(nrow(allocate(x[0, ], a)), 0L)
})

test_that("ridge allocate gives what R gives", {
  file <- system.file("extdata", "grants.csv", package = "almanacridge")
  got <- run("allocate", file, "--start", "first_day", "--end", "last_day", "--key", "grant", "--amount", "amount",
             "--group", "funder", "--by", "quarter", "--digits", "2", "--as-of", "2026-06-30")
  x <- spans(demo_records("grants"), first_day, last_day, key = grant, as_of = "2026-06-30")
  want <- allocate(x, amount, by = "quarter", group = funder, digits = 2)
  expect_equal(utils::read.csv(text = got$out)$amount, want$amount)
  expect_true(conventions(want) %in% got$notes)
  expect_equal(sum(want$amount), sum(x$amount))
  expect_identical(run("allocate", file, "--start", "first_day", "--end", "last_day")$status, 2L)
})

test_that("what is said to be known of all rates has to hold of those that are there", {
  totals <- function(known, amount = 310) {
    almanacridge:::kernel_spread_totals(20000L, 20031L, amount, NULL, 1L, 20000L, 20031L, 0L, 1L, NULL, FALSE, FALSE, known,
                                        list(threads = 1L, parts = NULL, keep = FALSE))
  }
  expect_identical(totals(NULL), 310)
  expect_identical(totals(c(2, 10)), 310)
  for (wrong in list(c(2, 0.01), c(2, 9.9), c(0, 10))) expect_error(totals(wrong), "than are known")
  expect_error(totals(NULL, Inf), "too large to be spread")
})
