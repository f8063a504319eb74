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
  expect_length(unique(lines$data[[1]]$group), 5)
  stations <- active(demo_staff(), by = "month", group = station, total = TRUE)
  panels <- shown(autoplot(stations))
  expect_identical(nrow(panels$layout$layout), 8L)
  expect_true("(missing)" %in% panels$layout$layout$group)
  many <- active(demo_staff(), by = "year", group = observer)
  expect_match(autoplot(many)$labels$caption, "The 24 groups with the highest average of 456")
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
  full <- scaffold(subset(demo_staff(), station == "Stonebow"), shape = "full")
  built <- shown(autoplot(full))
  expect_equal(sum(built$data[[1]]$xmax - built$data[[1]]$xmin), sum(full$present))
  named <- built$layout$panel_params[[1]]$y$get_labels()
  expect_setequal(named, unique(full$observer))
  everybody <- autoplot(scaffold(demo_staff(), by = "quarter", shape = "full"))
  expect_match(shown(everybody)$plot$scales$get_scales("y")$name, "456 keys")
})

test_that("what cannot be drawn is said", {
  expect_error(autoplot(scaffold(demo_staff())), "Only a full scaffold is drawn")
  expect_error(autoplot(periods("month", "2026-01-01", "2026-02-01")), "no figure for `periods()`",
               fixed = TRUE)
  none <- spans(data.frame(from = day(character()), to = day(character())), from, to)
  expect_error(autoplot(active(none)), "nothing to draw")
  crowd <- spans(data.frame(who = 1:2001, from = day("2026-01-01"), to = day("2026-01-02")), from, to, key = who)
  expect_error(autoplot(scaffold(crowd, shape = "full")), "2,001 keys cannot be told apart")
})
