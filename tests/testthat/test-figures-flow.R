built <- function(figure) ggplot2::ggplot_build(figure)

test_that("amounts are stacked to the sums of the table, small groups are one more", {
  grants <- spans(demo_records("grants"), first_day, last_day, key = grant, as_of = "2026-06-30")
  result <- allocate(grants, amount, by = "quarter", group = funder, digits = 2)
  drawn <- built(autoplot(result))
  tops <- tapply(drawn$data[[1]]$ymax, drawn$data[[1]]$x, max)
  expect_equal(as.vector(tops), as.vector(tapply(result$amount, result$period, sum)))
  expect_equal(drawn$data[[2]]$y, as.vector(tapply(result$amount, result$period, sum)))
  by_record <- built(autoplot(allocate(grants, amount, by = "year")))
  expect_length(unique(by_record$data[[1]]$fill), 6)
  expect_match(autoplot(result)$labels$title, "Allocated amount by quarter, by funder")
  expect_match(gsub("\n", " ", autoplot(result)$labels$subtitle), "199,464.72 in all")
  negative <- spans(data.frame(g = c("u", "v"), s = day("2026-01-01"), e = day("2026-02-28"), a = c(-59, 118)), s, e)
  parts <- built(autoplot(allocate(negative, a, group = g)))
  expect_equal(range(parts$data[[1]]$ymin, parts$data[[1]]$ymax), c(-31, 62))
  daily <- autoplot(allocate(grants, amount, by = "day", group = funder))
  expect_s3_class(daily$layers[[1]]$geom, "GeomArea")
})

test_that("hours are bars, of one group too", {
  x <- spans(data.frame(s = as.POSIXct("2026-03-28 22:00", tz = "UTC"), e = as.POSIXct("2026-03-30 06:00", tz = "UTC")), s, e, tz = "UTC")
  drawn <- built(autoplot(time_within(x, "day", total = TRUE)))
  expect_equal(drawn$data[[1]]$y, c(2, 24, 6))
  expect_equal(built(autoplot(time_within(x, "day")))$data[[1]]$y, c(2, 24, 6))
})

test_that("elapsed times are counted in bars, with median and target", {
  faults <- spans(demo_records("faults"), reported, mended, key = fault, as_of = "2026-06-30", tz = "Europe/Vienna")
  result <- elapsed(faults)
  figure <- autoplot(result, target = 48)
  drawn <- built(figure)
  expect_identical(sum(drawn$data[[1]]$ymax - drawn$data[[1]]$ymin), 180)
  expect_equal(drawn$data[[2]]$x, c(stats::median(result$hours), 48))
  expect_identical(drawn$data[[3]]$label[2], sprintf("target 48: %d of 180 within", sum(result$hours <= 48 & !result$open)))
  expect_error(autoplot(result, target = "soon"), "`target` must be a number", class = "ridge_error_argument")
  expect_error(autoplot(result[0, ]), class = "error")
})

test_that("movement is up and down around zero, and net points the way", {
  result <- movement(demo_staff(), "quarter", group = station, total = TRUE, from = "2024-01-01", to = "2026-06-30")
  total <- as.data.frame(result)[result$total, ]
  drawn <- built(autoplot(result, panels = "total"))
  expect_identical(nrow(drawn$layout$layout), 2L)
  bars <- drawn$data[[1]]
  expect_equal(as.vector(tapply(bars$ymax, bars$x, max)), total$started + total$moved_in)
  expect_equal(as.vector(tapply(bars$ymin, bars$x, min)), -total$ended - total$moved_out)
  expect_equal(drawn$data[[3]]$y, total$net)
  expect_identical(drawn$data[[3]]$shape, ifelse(total$net > 0, 24, ifelse(total$net < 0, 25, 22)))
  expect_equal(drawn$data[[4]]$y, total$closing)
  panels <- built(autoplot(result))
  expect_identical(nrow(panels$layout$layout), 9L)
  expect_error(autoplot(movement(demo_staff(), "year", group = station), panels = "total"), "no line over all groups", class = "ridge_error_argument")
})

test_that("cohorts are a grid whose colour is the percent, empty where not known", {
  result <- cohorts(demo_staff(), "quarter", from = "2025-01-01")
  for (show in c("percent", "number")) {
    drawn <- built(autoplot(result, show = show))
    known <- !is.na(result$retained)
    expect_identical(nrow(drawn$data[[1]]), sum(known))
    expect_identical(drawn$data[[2]]$label, if (show == "percent") paste0(round(100 * result$retained[known]), "%") else format(result$active[known], trim = TRUE))
  }
  expect_identical(drawn$data[[1]]$fill, built(autoplot(result))$data[[1]]$fill)
  by_role <- cohorts(demo_staff(), "year", group = role)
  expect_gt(nrow(built(autoplot(by_role))$layout$layout), 1)
  expect_error(autoplot(cohorts(demo_staff(), "year", group = observer)), "6 is the most", class = "ridge_error_argument")
  stay <- length_of_stay(demo_staff(), unit = "years")
  steps <- built(autoplot(stay))$data[[2]]
  expect_equal(sort(unique(round(steps$y, 6))), sort(unique(round(100 * stay$share, 6))))
})

test_that("presence is grouped, and open ends are marked", {
  few <- subset(demo_staff(), role == "trainee")
  full <- scaffold(few, "month", every_period = TRUE, carry = station, of = "records", from = "2024-01-01", to = "2026-06-30")
  drawn <- built(autoplot(full, group = "station"))
  expect_gt(nrow(drawn$layout$layout), 6)
  expect_identical(nrow(drawn$data[[2]]), sum(is.na(few$last_day) & few$first_day <= day("2026-06-30")))
  expect_error(autoplot(full, group = "rank"), "no column \"rank\"", class = "ridge_error_column")
})
