test_that("the level is that of an oracle on each day, its sum the sum of lengths", {
  for (seed in 1:100) {
    records <- random_records(seed)
    if (nrow(records) == 0) next
    end_counts <- seed %% 3 != 0
    x <- spans(records, start, end, key = who, weight = share, end_counts = end_counts, as_of = "2024-12-31")
    of <- c("keys", "records", "weight")[seed %% 3 + 1]
    got <- concurrency(x, group = site, of = of)
    days <- seq(min(records$start), day("2024-12-31"), by = "day")
    for (site in unique(records$site)) {
      own <- records[records$site %in% site, ]
      rows <- got[got$site %in% site, ]
      want <- oracle_levels(own, days, of, end_counts)
      shown <- rows[!is.na(rows$end), ]
      level <- colSums(active_days(shown, days) * shown$level)
      expect_equal(level, want, label = paste(seed, site))
      n <- nrow(rows)
      if (n > 1) {
        closed <- which(!is.na(rows$end[-n]))
        expect_identical(as.numeric(rows$start[-1])[closed], as.numeric(rows$end[-n] + 1)[closed])
        expect_true(all(rows$level[-1] != rows$level[-n]))
      }
    }
    closed <- records[!is.na(records$end), ]
    if (nrow(closed) > 0) {
      steps <- concurrency(spans(closed, start, end, end_counts = end_counts))
      expect_identical(sum(steps$level * steps$days), as.integer(sum(closed$end - closed$start + end_counts)))
    }
  }
})

test_that("peaks are the highest level and when it was, or the stretches above a capacity", {
  data <- data.frame(s = day("2026-01-01") + c(0, 2, 4, 20), e = day("2026-01-01") + c(5, 6, 4, 22))
  x <- spans(data, s, e)
  top <- peaks(x)
  expect_identical(c(top$level, top$days), c(3L, 1L))
  expect_identical(top$start, day("2026-01-05"))
  above <- peaks(x, capacity = 1)
  expect_identical(above$start, day("2026-01-03"))
  expect_identical(above$end, day("2026-01-06"))
  expect_identical(above$level, 3L)
  expect_identical(nrow(peaks(x, capacity = 3)), 0L)
  expect_identical(peaks(x, from = "2026-01-10")$days, 3L)
  expect_error(peaks(x, capacity = "many"), "must be a number", class = "ridge_error_argument")
  expect_error(concurrency(x, of = "keys"), "needs a key", class = "ridge_error_argument")
})

test_that("a roster has those that active() counts, with their days", {
  for (seed in 1:80) {
    records <- random_records(seed)
    end_counts <- seed %% 3 != 0
    x <- spans(records, start, end, key = who, weight = share, end_counts = end_counts, as_of = "2024-03-31")
    set.seed(seed)
    on <- day("2024-02-01") + sort(sample(0:90, 2))
    rule <- sample(c("any_day", "first_day", "last_day", "every_day"), 1)
    period <- data.frame(period = on[1], period_end = on[2])
    for (of in c("records", "keys", "weight")) {
      want <- active(x, by = period, rule = rule, of = of, from = on[1], to = on[2])$active
      got <- explain_count(x, on = on, rule = rule, of = of)
      expect_equal(got$number[nrow(got)], want, label = paste(seed, rule, of))
      missed <- explain_count(x, on = on, rule = rule, of = of, show = "records")
      if (of != "weight") expect_identical(nrow(records) - nrow(missed), as.integer(want), label = paste("not counted", seed, rule, of))
    }
    who <- roster(x, on = on, rule = rule)
    expect_identical(nrow(who), as.integer(active(x, by = period, rule = rule, of = "records", from = on[1], to = on[2])$active))
    last <- records$end[who$row] - !end_counts
    shown <- pmin(ifelse(is.na(last), as.numeric(on[2]), as.numeric(last)), as.numeric(on[2]))
    expect_identical(who$days_so_far, as.integer(shown - as.numeric(records$start[who$row]) + 1))
    expect_identical(who$days_left, as.integer(pmax(as.numeric(last) - as.numeric(on[2]), 0)))
  }
})

test_that("each step alone is a filter of the source", {
  staff <- demo_staff()
  steps <- explain_count(staff, on = "2026-03-01")
  d <- day("2026-03-01")
  s <- as.data.frame(staff)
  expect_identical(steps$by_itself, c(nrow(s), sum(s$first_day <= d), sum(s$last_day < d, na.rm = TRUE), sum(is.na(s$last_day)),
                                  sum(s$last_day >= d, na.rm = TRUE), sum(s$first_day <= d & (is.na(s$last_day) | s$last_day >= d)),
                                  length(unique(s$observer))))
  expect_identical(steps$number[7], active(staff, on = d)$active)
  expect_identical(steps$number[2], steps$number[3] + steps$number[4] + steps$number[5])
  expect_identical(explain_count(staff)$number[7], active(staff, on = "2026-06-30")$active)
})

test_that("moments and days of instants are told apart", {
  at <- as.POSIXct("2026-03-28 22:00", tz = "Europe/Vienna")
  x <- spans(data.frame(a = at, b = at + 8 * 3600), a, b, tz = "Europe/Vienna", as_of = "2026-06-30")
  expect_identical(nrow(roster(x, on = at)), 1L)
  expect_identical(nrow(roster(x, on = at + 8 * 3600)), 0L)
  expect_equal(roster(x, on = "2026-03-28")$hours_so_far, 2)
  expect_equal(roster(x, on = "2026-03-28")$hours_left, 6)
  expect_identical(explain_count(x, on = at)$number[6], 1L)
})

test_that("wrong dates and rules are refused", {
  staff <- demo_staff()
  expect_error(roster(staff, on = "soon"), "`on` must be a date", class = "ridge_error_argument")
  expect_error(roster(staff, on = c("2026-03-01", "2026-01-01")), "is after", class = "ridge_error_argument")
  expect_error(roster(staff, on = rep("2026-03-01", 3)), "one date, or the first and last day", class = "ridge_error_argument")
  expect_error(roster(staff, on = "2026-03-01", rule = "every_day"), "no meaning for a single day", class = "ridge_error_argument")
  expect_error(explain_count(staff, rule = "mean_day"), "must be one of", class = "ridge_error_argument")
  expect_error(explain_count(staff, show = "all"), "must be one of", class = "ridge_error_argument")
})
