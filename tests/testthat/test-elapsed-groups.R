test_that("numbers by group and period are those of the records that ended in each", {
  for (seed in 1:40) {
    records <- random_records(seed)
    if (nrow(records) == 0) next
    x <- suppressMessages(spans(records, start, end, key = who, as_of = "2024-04-30"))
    length <- as.integer(records$end - records$start) + 1
    start <- seed %% 2 == 0
    got <- elapsed(x, group = site, by = "month", by_start = start, within = 20, from = "2024-01-01", to = "2024-06-30")
    at <- if (start) records$start else records$end
    for (i in seq_len(nrow(got))) {
      own <- (records$site %in% got$site[i] | is.na(records$site) & is.na(got$site[i])) & !is.na(records$end)
      ended <- sort(length[own & at >= got$period[i] & at <= got$period_end[i]])
      expect_identical(got$ended[i], length(ended))
      if (length(ended) == 0) expect_true(all(is.na(got[i, c("median", "mean", "percentile_90", "longest", "share_within")]))) else {
        expect_equal(c(got$median[i], got$mean[i], got$percentile_90[i], got$longest[i]), c(median(ended), mean(ended), quantile(ended, 0.9, names = FALSE), max(ended)))
        expect_identical(got$within[i], sum(ended <= 20))
      }
      same <- records$site %in% got$site[i] | is.na(records$site) & is.na(got$site[i])
      open <- if (start) sum(same & is.na(records$end) & records$start >= got$period[i] & records$start <= got$period_end[i])
      else sum(same & records$start <= got$period_end[i] & (is.na(records$end) | records$end > got$period_end[i]))
      expect_identical(got$still_open[i], open)
    }
    expect_ties(got, label = seed)
    expect_ties(elapsed(x, "weeks", calendar_rules(), group = site))
    expect_ties(elapsed(x, by = "quarter"))
  }
})

test_that("groups without periods, instants, labels, wide and empty", {
  faults <- spans(demo_records("faults"), reported, mended, key = fault, as_of = "2026-06-30", tz = "Europe/Vienna")
  office <- calendar_rules(hours = c("09:00", "17:30"))
  all <- elapsed(faults, "hours", office, group = station, within = 8)
  one <- elapsed(faults, "hours", office, carry = station)
  expect_identical(names(one), c("row", "fault", "start", "end", "open", "working_hours", "station"))
  expect_identical(one$station, demo_records("faults")$station)
  expect_ties(one)
  ended <- one[!one$open, ]
  expect_equal(all$median, as.vector(tapply(ended$working_hours, ended$station, median)))
  expect_equal(all$share_within, as.vector(tapply(ended$working_hours <= 8, ended$station, mean)))
  expect_identical(sum(all$still_open), 2L)
  expect_ties(all)
  months <- elapsed(faults, "hours", office, by = "month", within = 24, label = "name")
  expect_identical(months$label[1], "Oct 2025")
  expect_ties(months)
  expect_ties(widen(months, values = "ended"))
  expect_match(conventions(months), "Elapsed by month of the end: working hours of records that ended; 90th percentile of type 7", fixed = TRUE)
  expect_match(conventions(months), "2 open spans not among them", fixed = TRUE)
  expect_identical(summary(months)[c(1, 3, 4)], c("178 records ended.", "Within 24 working hours were 88 %.", "2 are still open."))
  expect_identical(nrow(elapsed(faults[0, ], by = "month")), 0L)
  expect_identical(nrow(elapsed(faults[0, ], group = station)), 0L)
  figure <- ggplot2::ggplot_build(autoplot(months))
  expect_identical(nrow(figure$data[[1]]), 9L)
  expect_true(ggplot2::is.ggplot(autoplot(all)))
  expect_true(ggplot2::is.ggplot(autoplot(elapsed(faults, by = "month", group = station))))
  expect_error(autoplot(months, target = 3), "cannot go together", class = "ridge_error_argument")
})

test_that("what plays no part is told, and the command answers the same", {
  faults <- spans(demo_records("faults"), reported, mended, key = fault, as_of = "2026-06-30", tz = "Europe/Vienna")
  expect_error(elapsed(faults, within = 3), "`within` plays no part without `by` or `group`", class = "ridge_error_argument")
  expect_error(elapsed(faults, from = "2026-01-01"), "`from` plays no part without `by`", class = "ridge_error_argument")
  expect_error(elapsed(faults, group = station, by_start = TRUE), "`by_start` plays no part", class = "ridge_error_argument")
  expect_error(elapsed(faults, by = "month", carry = station), "cannot go together", class = "ridge_error_argument")
  expect_error(elapsed(faults, by = "month", within = -1), "of 0 or more", class = "ridge_error_argument")
  expect_error(elapsed(faults, by = "fortnight"), class = "ridge_error_argument")
  expect_error(elapsed(faults, by = station), "`group = station`", class = "ridge_error_argument")
  file <- system.file("extdata", "faults.csv", package = "almanacridge")
  got <- run("elapsed", file, "--start", "reported", "--end", "mended", "--key", "fault", "--as-of", "2026-06-30", "--tz", "Europe/Vienna", "--by", "month", "--group", "station", "--within", "24", "--reconcile", "--summary")
  expect_identical(got$status, 0L)
  expect_identical(utils::read.csv(text = got$out)$ended, elapsed(faults, by = "month", group = station, within = 24)$ended)
  expect_match(how_asked(elapsed(faults, "days", by = "month", within = 2), "command"), "--unit days --by month --within 2", fixed = TRUE)
})
