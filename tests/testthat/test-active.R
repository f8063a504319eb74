test_that("a loan that is free again on its return day counts up to the day before", {
  loan <- data.frame(from = as.Date("2026-03-06"), to = as.Date("2026-03-10"))
  x <- spans(loan, from, to, end_counts = FALSE, as_of = "2026-06-30")
  days <- active(x, by = "day", from = "2026-03-05", to = "2026-03-11")
  expect_identical(days$active, c(0L, 1L, 1L, 1L, 1L, 0L, 0L))
})
