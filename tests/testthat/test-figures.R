shown <- function(figure) ggplot2::ggplot_build(figure)

test_that("one series is bars or a filled line, and its levels are those of the table", {
  few <- active(demo_staff(), by = "quarter", from = "2024-01-01", to = "2026-06-30")
  bars <- shown(autoplot(few))
  expect_identical(as.integer(bars$data[[1]]$y), few$active)
  many <- active(demo_staff(), by = "day", from = "2025-01-01", to = "2026-06-30")
  line <- shown(autoplot(many))
  expect_identical(as.integer(line$data[[2]]$y), rep(many$active, each = 2))
  expect_identical(as.integer(line$data[[1]]$ymax), rep(many$active, each = 2))
  expect_identical(unique(line$data[[1]]$ymin), 0)
  expect_identical(gsub("\n", " ", autoplot(few)$labels$subtitle), conventions(few))
})

test_that("groups are lines up to six, panels beyond, and a missing group is named", {
  roles <- active(demo_staff(), by = "month", group = role, total = TRUE)
  lines <- shown(autoplot(roles))
  expect_length(unique(lines$data[[1]]$colour), 4)
  # The line over all has a panel of its own, which does not flatten the others.
  expect_identical(as.character(lines$layout$layout$.panel), c("All", "by role"))
  expect_identical(as.integer(lines$data[[3]]$y), roles$active[roles$total])
  expect_identical(unique(as.integer(lines$data[[3]]$PANEL)), 1L)
  stations <- active(demo_staff(), by = "month", group = station, total = TRUE)
  panels <- shown(autoplot(stations))
  expect_identical(nrow(panels$layout$layout), 9L)
  expect_true("(missing)" %in% panels$layout$layout$.group)
  reach <- vapply(panels$layout$panel_params, function(panel) panel$y.range[2], 0)
  expect_length(unique(reach[-1]), 1)
  expect_gt(reach[1], 3 * reach[2])
  many <- active(demo_staff(), by = "year", group = observer)
  expect_match(autoplot(many)$labels$caption, "The 24 of 456 groups with the highest average")
  expect_error(autoplot(many, scale = "log"), "`scale` must be one of")
})

test_that("axis labels take the chosen form and stay few", {
  months <- active(demo_staff(), by = "month", label = "name", to = "2026-06-30")
  labels <- shown(autoplot(months))$layout$panel_params[[1]]$x$get_labels()
  expect_identical(labels[1:2], c("Jan 2019", "Jan 2020"))
  for (by in c("day", "week", "month", "quarter")) {
    built <- shown(autoplot(active(demo_staff(), by = by)))
    expect_lte(length(built$layout$panel_params[[1]]$x$get_labels()), 11)
  }
})

test_that("a presence chart fills the cells that are TRUE", {
  full <- scaffold(subset(demo_staff(), station == "Stonebow" & role == "observer"), every_period = TRUE)
  built <- shown(autoplot(full))
  days <- as.integer(full$period_end - full$period) + 1L
  expect_equal(sum(built$data[[1]]$xmax - built$data[[1]]$xmin), sum(days[full$present]))
  named <- built$layout$panel_params[[1]]$y$get_labels()
  expect_setequal(named, unique(full$observer))
  everybody <- autoplot(scaffold(demo_staff(), by = "quarter", every_period = TRUE))
  expect_match(shown(everybody)$plot$scales$get_scales("y")$name, "456 keys")
})

test_that("what cannot be drawn is said", {
  expect_error(autoplot(scaffold(demo_staff())), "Only a scaffold of every period is drawn")
  expect_error(autoplot(periods("month", "2026-01-01", "2026-02-01")), "no figure for `periods()`",
               fixed = TRUE)
  none <- spans(data.frame(from = day(character()), to = day(character())), from, to)
  expect_error(autoplot(active(none)), "nothing to draw")
  crowd <- spans(data.frame(who = 1:2001, from = day("2026-01-01"), to = day("2026-01-02")), from, to, key = who)
  expect_error(autoplot(scaffold(crowd, every_period = TRUE)), "2,001 keys cannot be told apart")
})

test_that("names in a presence chart never overlap, at the size that ridge draws", {
  for (keys in c(5, 20, 25, 26, 45)) {
    x <- spans(data.frame(who = sprintf("key %02d", seq_len(keys)), from = day("2026-01-01"), to = day("2026-03-01")),
               from, to, key = who, as_of = "2026-06-30")
    figure <- autoplot(scaffold(x, every_period = TRUE))
    points <- figure$theme$axis.text.y$size
    panel_inches <- 800 / 120 - 1.3
    expect_lt(keys * points * 1.05 / 72, panel_inches, label = paste(keys, "keys"))
    expect_length(shown(figure)$layout$panel_params[[1]]$y$get_labels(), keys)
  }
})

test_that("hours are labelled at midnights, own dates and own periods as themselves", {
  from <- as.POSIXct("2026-03-27 20:00", tz = "Europe/Vienna") + 3600 * (0:60)
  x <- spans(data.frame(from, to = from + 7200), from, to, as_of = "2026-03-31")
  labels <- function(result) shown(autoplot(result))$layout$panel_params[[1]]$x$get_labels()
  expect_identical(labels(active(x, by = "hour", to = "2026-03-30")), c("2026-03-28 00:00", "2026-03-29 00:00", "2026-03-30 00:00"))
  expect_identical(labels(active(demo_staff(), on = c("2026-01-31", "2026-05-17"))), c("2026-01-31", "2026-05-17"))
  year <- own_periods(day("2026-01-05") + c(0, 28), "2026-03-01", labels = c("P1", "P2"))
  expect_identical(labels(active(demo_staff(), by = year)), c("P1", "P2"))
})

test_that("weights and averages are drawn as they are, and the axis says what is counted", {
  weighted <- active(demo_staff(), by = "year", rule = "mean_day", of = "weight", to = "2026-06-30")
  figure <- autoplot(weighted)
  expect_equal(shown(figure)$data[[1]]$y, weighted$active)
  expect_identical(shown(figure)$plot$scales$get_scales("y")$name, "sum of share")
  keyed <- autoplot(active(demo_staff(), by = "year"))
  expect_identical(shown(keyed)$plot$scales$get_scales("y")$name, "observer, each counted once")
  expect_identical(keyed$labels$title, "Active by year")
})

test_that("stretches are drawn as they are, gaps between them marked with their days", {
  x <- spans(data.frame(k = c("b", "b", "a"), s = day("2026-01-01") + c(0, 20, 5), e = day("2026-01-01") + c(9, 29, 25)), s, e, key = k)
  figure <- shown(autoplot(consecutive(x)))
  expect_identical(figure$data[[1]]$xmax - figure$data[[1]]$xmin, as.numeric(consecutive(x)$days))
  expect_identical(figure$data[[3]]$label, "10")
  marked <- shown(autoplot(gaps(x)))
  expect_identical(marked$data[[2]]$xmin, as.numeric(gaps(x)$start))
  expect_error(autoplot(gaps(x[3, ])), "nothing to draw", class = "ridge_error_argument")
})

test_that("many keys are drawn without names, too many are refused", {
  staff <- demo_staff()
  expect_match(autoplot(consecutive(staff))$scales$get_scales("y")$name, "455 lines")
  many <- spans(data.frame(k = 1:2001, s = day("2026-01-01")), s, NULL, key = k)
  expect_error(autoplot(consecutive(many)), "2,001 lines cannot be told apart", class = "ridge_error_argument")
})

test_that("overlaps show the part in common, the longest where there are many", {
  trips <- spans(demo_records("field_trips"), first_day, last_day, key = observer, as_of = "2026-06-30")
  pairs <- overlaps(trips, differing = observer, per = station)
  figure <- autoplot(pairs)
  expect_match(figure$labels$caption, "The 16 longest of")
  shared <- shown(figure)$data[[2]]
  expect_identical(sort(shared$xmax - shared$xmin, decreasing = TRUE), as.numeric(utils::head(sort(pairs$days, decreasing = TRUE), 16)))
})

test_that("levels are steps, what is above the capacity apart, groups in panels", {
  loans <- spans(demo_records("instrument_loans"), lent_on, returned_on, key = instrument, end_counts = FALSE, as_of = "2026-06-30")
  level <- concurrency(loans, capacity = 9, floor = 2)
  figure <- shown(autoplot(level))
  expect_identical(figure$data[[1]]$ymax[c(TRUE, FALSE)], as.numeric(pmin(level$level, 9)))
  expect_identical(nrow(figure$data[[2]]), 2L * sum(level$level > 9))
  expect_identical(nrow(figure$data[[3]]), 2L * sum(level$level < 2))
  expect_identical(vapply(figure$data[4:5], function(line) unique(line$y), 0), c(9, 2))
  expect_identical(nrow(shown(autoplot(concurrency(loans, group = borrower)))$layout$layout), 6L)
  expect_error(autoplot(roster(loans)), "no figure for `roster\\(\\)`", class = "ridge_error_argument")
})

test_that("periods stand on a scale of dates, so that what is added at a date meets them", {
  staff <- demo_staff()
  figure <- autoplot(active(staff, by = "month", from = "2025-01-01")) + ggplot2::geom_vline(xintercept = day("2025-03-31"))
  bars <- ggplot2::layer_data(figure, 1)
  line <- ggplot2::layer_data(figure, length(figure$layers))$xintercept
  march <- bars[3, ]
  expect_identical(as.Date(march$x, "1970-01-01"), day("2025-03-16"))
  expect_lt(abs(as.numeric(line) - as.numeric(march$x)), 16)
  expect_identical(ggplot2::layer_data(autoplot(active(staff, on = c("2025-01-01", "2026-01-01"))), 1)$x, as.numeric(day(c("2025-01-01", "2026-01-01"))))
  grants <- spans(demo_records("grants"), first_day, last_day, key = grant, as_of = "2026-06-30")
  year <- allocate(grants, amount, by = "year", digits = 2, show = "balance")
  expect_identical(unique(as.Date(ggplot2::layer_data(autoplot(year), 1)$x, "1970-01-01"))[2], day("2025-07-02"))
})

test_that("what was restated is drawn: both numbers, and each cause up or down", {
  staff <- demo_staff()
  may <- spans(demo_records("postings_may"), first_day, last_day, key = observer, weight = share, as_of = "2026-05-31")
  told <- restated(staff, may, from = "2026-01-01")
  built <- shown(autoplot(told))
  expect_identical(sum(built$data[[1]]$ymax - built$data[[1]]$ymin), as.numeric(sum(abs(told$added) + abs(told$removed) + abs(told$end_changed))))
  expect_identical(sort(built$data[[5]]$y), sort(as.numeric(told$before[told$difference != 0])))
  expect_true(ggplot2::is.ggplot(autoplot(restated(staff, may, group = station, from = "2026-01-01"))))
})
