# Which keys, or records, count in each period and group, looked at day by day.
walk_active <- function(records, from, to, rule, of, counts) {
  months <- seq(day(from), day(to), by = "month")
  rows <- list()
  for (first in as.list(months)) {
    days <- seq(first, seq(first, by = "month", length.out = 2)[2] - 1, by = 1)
    there <- active_days(records, days, counts)
    id <- if (of == "keys") records$who else as.character(seq_len(nrow(records)))
    for (pair in unique(paste(records$site, id, sep = "|"))) {
      on <- colSums(there[paste(records$site, id, sep = "|") == pair, , drop = FALSE]) > 0
      if (by_rule(on, rule)) rows[[length(rows) + 1]] <- paste(format(first), pair)
    }
  }
  as.character(unlist(rows))
}

test_that("the rows behind a count are those that a look at each day finds", {
  for (seed in 1:40) {
    records <- random_records(seed)
    counts <- seed %% 2 == 0
    records <- records[is.na(records$end) | records$end > records$start, ]
    if (nrow(records) == 0) next
    x <- suppressMessages(spans(records, start, end, key = who, end_counts = counts, as_of = "2024-04-30"))
    for (of in c("keys", "records")) {
      rule <- c("any_day", "first_day", "last_day", "every_day")[seed %% 4 + 1]
      got <- active(x, group = site, rule = rule, of = of, show = "records", from = "2024-01-01", to = "2024-04-30")
      id <- if (of == "keys") got$who else got$row
      expect_setequal(paste(got$period, paste(got$site, id, sep = "|")), walk_active(records, "2024-01-01", "2024-04-01", rule, of, counts))
      expect_false(is.unsorted(order(got$site, got$period, na.last = TRUE)))
      expect_ties(got)
    }
  }
})

test_that("rows of own dates, of instants over a skipped day, and of weights", {
  staff <- demo_staff()
  on <- c("2026-01-01", "2026-06-30")
  rows <- active(staff, on = on, group = station, show = "records")
  expect_identical(as.integer(table(rows$period)), as.integer(tapply(active(staff, on = on, group = station)$active, rep(on, 8), sum)))
  expect_identical(names(rows), c("station", "period", "period_end", "observer"))
  weights <- active(staff, by = "year", of = "weight", show = "records")
  expect_equal(as.vector(tapply(weights$share, weights$period, sum)), active(staff, by = "year", of = "weight")$active)
  at <- as.POSIXct(c("2011-12-29 10:00", "2011-12-31 10:00"), tz = "Pacific/Apia")
  apia <- spans(data.frame(s = at[1], e = at[2], k = 1), s, e, key = k, as_of = "2012-01-02")
  expect_identical(as.character(active(apia, "day", show = "records", from = "2011-12-28", to = "2012-01-02")$period), c("2011-12-29", "2011-12-31"))
  expect_identical(summary(rows), paste(nrow(rows), "rows in 2 periods."))
  expect_match(how_asked(rows), "show = \"records\"", fixed = TRUE)
})

test_that("rows are refused where no one counts alone, and are neither drawn nor laid out wide", {
  staff <- demo_staff()
  expect_error(active(staff, rule = "mean_day", show = "records"), "must be one of", class = "ridge_error_argument")
  expect_error(active(staff, group = station, total = TRUE, show = "records"), "`total` plays no part", class = "ridge_error_argument")
  rows <- active(staff, on = "2026-06-30", show = "records")
  expect_error(autoplot(rows), "A list of records has no figure", class = "ridge_error_argument")
  expect_error(widen(rows), "lays out results by period", class = "ridge_error_argument")
  expect_error(widen(movement(staff, by = "year", show = "records")), "lays out results by period", class = "ridge_error_argument")
  file <- system.file("extdata", "postings.csv", package = "almanacridge")
  got <- run("active", file, "--start", "first_day", "--end", "last_day", "--key", "observer", "--as-of", "2026-06-30", "--on", "2026-06-30", "--show", "records", "--reconcile")
  expect_identical(got$status, 0L)
  expect_identical(nrow(utils::read.csv(text = got$out)), nrow(rows))
  wide <- run("active", file, "--start", "first_day", "--end", "last_day", "--as-of", "2026-06-30", "--show", "records", "--wide")
  expect_identical(wide$status, 2L)
})
