at <- function(text, tz = "UTC") as.POSIXct(text, tz = tz)

test_that("hand-worked: 15 days 6 hours are 11 working days 6 hours", {
  from <- "2026-03-02 09:00"
  to <- "2026-03-17 15:00"
  expect_identical(elapsed_text(elapsed(from, to, "hours", tz = "UTC")), "15 days 6 hours")
  expect_identical(elapsed_text(elapsed(from, to, "hours", calendar_rules(), tz = "UTC")), "11 days 6 hours")
  office <- calendar_rules(hours = c("09:00", "17:30"))
  expect_equal(elapsed(from, to, "days", office, day_hours = office, tz = "UTC"), 11 + 6 / 8.5)
  expect_identical(elapsed_text(elapsed(from, to, "hours", office, tz = "UTC"), day_hours = office), "11 days 6 hours")
  expect_equal(elapsed(from, to, "weeks", office, day_hours = office, tz = "UTC"), (11 + 6 / 8.5) / 5)
})

test_that("hand-worked: a fault over the weekend, a night watch, 29 February, days and nights", {
  office <- calendar_rules(hours = c("09:00", "17:30"))
  expect_identical(elapsed("2025-10-03 16:00", "2025-10-07 09:30", "hours", office, tz = "Europe/Vienna"), 10.5)
  expect_identical(elapsed("2026-03-01 21:40", "2026-03-02 05:10", tz = "UTC"), 7.5)
  expect_identical(elapsed("2024-02-28", "2024-03-01"), 3)
  expect_identical(elapsed("2024-02-28", "2024-03-01", end_counts = FALSE), 2)
  expect_identical(elapsed(day("2026-02-09"), day("2026-02-23")), 15)
  expect_identical(elapsed("2026-03-28 22:00", c("2026-03-29 06:00"), tz = "Europe/Vienna"), 7)
  expect_identical(elapsed("2026-10-24 22:00", "2026-10-25 06:00", tz = "Europe/Vienna"), 9)
  with_break <- calendar_rules(hours = list(c("8:00", "12:00", "13:00", "16:30"), Fri = c("8:00", "12:00")))
  expect_identical(elapsed("2026-03-05 11:00", "2026-03-06 14:00", "hours", with_break, tz = "UTC"), 1 + 3.5 + 4)
})

test_that("ends before starts are refused unless asked for; missing stay missing", {
  expect_error(elapsed("2026-03-05 11:00", "2026-03-04 11:00", tz = "UTC"), "Row 1: the end, .* is before the start", class = "ridge_error_records")
  expect_identical(elapsed("2026-03-05 11:00", "2026-03-04 11:00", tz = "UTC", negative = TRUE), -24)
  expect_identical(elapsed("2026-03-09 11:00", "2026-03-06 11:00", "hours", calendar_rules(), tz = "UTC", negative = TRUE), -24)
  expect_identical(elapsed(c("2026-03-05", NA), "2026-03-07"), c(3, NA))
  expect_identical(elapsed(at(NA), at("2026-01-01"), calendar = calendar_rules()), NA_real_)
  expect_identical(elapsed(day(character()), day(character())), double())
  expect_identical(elapsed(at("2026-01-01"), at(c("2026-01-02", "2026-01-03"))), c(24, 48))
})

test_that("wrong input is refused", {
  expect_error(elapsed("2026-03-05", "2026-03-07 10:00", tz = "UTC"), "Make both dates", class = "ridge_error_argument")
  expect_error(elapsed("2026-03-05", "soon"), "\"soon\" \\(row 1\\) is no date", class = "ridge_error_records")
  expect_error(elapsed("2026-03-05", "2026-03-06", "fortnights"), "must be one of", class = "ridge_error_argument")
  expect_error(elapsed("2026-03-05", "2026-03-06", day_hours = 0), "more than 0", class = "ridge_error_argument")
  expect_error(elapsed("2026-03-05", "2026-03-06", calendar = "office"), "calendar_rules", class = "ridge_error_argument")
  mixed <- calendar_rules(hours = list(c("8:00", "16:00"), Fri = c("8:00", "12:00")))
  expect_error(elapsed("2026-03-05", "2026-03-06", day_hours = mixed), "8 and 4 hours, by weekday.*day_hours = 8", class = "ridge_error_argument")
  expect_error(elapsed("2026-03-05", "2026-03-06", tz = "Nowhere"), "time zone", class = "ridge_error_argument")
  expect_error(elapsed_text("a"), "must be numbers", class = "ridge_error_argument")
  expect_error(elapsed_text(1, parts = 0), "1 or more", class = "ridge_error_argument")
  expect_error(elapsed_text(1, digits = 7), "0 to 6", class = "ridge_error_argument")
  expect_error(elapsed_number(c("P1D", "P2M")), "\"P2M\" \\(row 2\\) has months", class = "ridge_error_records")
  expect_error(elapsed_number("1 day"), "no ISO 8601 duration", class = "ridge_error_records")
})

test_that("words, clocks, parts and ISO durations", {
  expect_identical(elapsed_text(c(270, 99, 18.25, 2 / 3, 0, NA, -3)), c("11 days 6 hours", "4 days 3 hours", "18 hours 15 minutes", "40 minutes", "0 hours", NA, "-3 hours"))
  expect_identical(elapsed_text(18.25, parts = 1, digits = 2, largest = "hours"), "18.25 hours")
  expect_identical(elapsed_text(c(1, 23.999, 24), parts = 2), c("1 hour", "about 1 day", "1 day"))
  expect_identical(elapsed_text(c(31.5, 23.999)), c("1 day 7 hours 30 minutes", "about 23 hours 59 minutes 56 seconds"))
  expect_identical(elapsed_text(-31.5, parts = 2), "about -1 day 8 hours")
  expect_identical(elapsed_text(59.6, "seconds", parts = 1), "about 1 minute")
  expect_identical(elapsed_text(3, "days"), "3 days")
  expect_identical(elapsed_text(12345.678, "hours", parts = 1, digits = 1, largest = "hours"), "about 12,345.7 hours")
  expect_identical(elapsed_text(10, "days", largest = "weeks"), "1 week 3 days")
  expect_identical(elapsed_text(c(42.25, 100.5, -0.5), form = "clock"), c("42:15:00", "100:30:00", "-00:30:00"))
  expect_identical(elapsed_text(1.5, "seconds", form = "clock", digits = 2), "00:00:01.50")
  expect_identical(elapsed_text(c(270, 2.5, 0, 0.001), form = "iso"), c("P11DT6H", "PT2H30M", "PT0S", "PT3.6S"))
  expect_identical(elapsed_text(93.5, day_hours = 8.5, form = "iso"), "PT93H30M")
  expect_identical(elapsed_number(c("P11DT6H", "-PT1H", NA, "P1W")), c(270, -1, NA, 168))
  parts <- elapsed_parts(c(366.0001, NA, -25.5))
  expect_identical(parts$days, c(15, NA, -1))
  expect_identical(parts$minutes, c(0, NA, -30))
  expect_identical(parts$seconds, c(0.36, NA, 0))
  set.seed(1)
  x <- round(runif(200, -1e4, 1e4), 4)
  back <- with(elapsed_parts(x), 24 * days + hours + minutes / 60 + seconds / 3600)
  expect_equal(back, x, tolerance = 1e-12)
  expect_equal(elapsed_number(elapsed_text(x, form = "iso")), x, tolerance = 1e-10)
})

test_that("tenure counts calendar months by its month-end rule", {
  expect_identical(tenure("2024-04-01", "2026-06-30"), "2 years 3 months")
  expect_identical(tenure("2026-01-01", "2026-12-31"), "1 year")
  expect_identical(tenure("2026-01-31", c("2026-02-26", "2026-02-27"), form = "months"), c(0L, 1L))
  expect_identical(tenure("2024-02-29", "2025-02-28", end_counts = FALSE), "1 year")
  expect_identical(tenure(c("2026-01-01", NA), "2026-01-12"), c("12 days", NA))
  expect_identical(as.list(tenure("2024-01-31", "2024-03-30", form = "parts", end_counts = FALSE)), list(years = 0L, months = 1L, days = 30L))
  expect_error(tenure("2024-04-01", "2024-03-01"), "Row 1", class = "ridge_error_records")
  set.seed(3)
  from <- day("2020-01-01") + sample(0:1500, 300)
  to <- from + sample(0:1500, 300)
  months <- tenure(from, to, form = "months", end_counts = FALSE)
  by_walk <- mapply(function(a, b) {
    m <- 0
    repeat {
      first <- seq(as.Date(format(day(a), "%Y-%m-01")), by = "month", length.out = m + 3)[m + 2]
      last <- seq(first, by = "month", length.out = 2)[2] - 1
      full <- min(last, first + as.integer(format(day(a), "%d")) - 1)
      if (full > day(b)) return(m)
      m <- m + 1
    }
  }, format(from), format(to), USE.NAMES = FALSE)
  expect_equal(months, by_walk)
})

test_that("working time equals a look at each minute, over clock changes in seven zones", {
  changes <- c("Europe/Vienna" = "2026-03-27", "America/New_York" = "2026-10-30", "Australia/Lord_Howe" = "2026-04-02",
               "America/Santiago" = "2026-04-01", "Pacific/Apia" = "2011-12-28", "Africa/Cairo" = "2026-04-22", "Asia/Kathmandu" = "1985-12-30")
  for (zone in names(changes)) {
    for (seed in 1:6) {
      set.seed(seed)
      from <- as.numeric(as.POSIXct(changes[[zone]], tz = zone)) + 60 * sample(0:4000, 8)
      to <- from + 60 * sample(0:9000, 8)
      hours <- list(c("09:00", "17:30"), c("00:00", "02:30", "3:00", "24:00"), c("1:30", "2:15"))[[seed %% 3 + 1]]
      holiday <- as.Date(changes[[zone]]) + 1
      rules <- calendar_rules(weekend = list(6:7, NULL)[[seed %% 2 + 1]], hours = hours, holidays = holiday)
      clock <- vapply(strsplit(hours, ":"), function(part) 60 * as.numeric(part[1]) + as.numeric(part[2]), 0)
      works <- function(days, minute) {
        inside <- Reduce(`|`, lapply(seq(1, length(clock), 2), function(i) minute >= clock[i] & minute < clock[i + 1]))
        inside & days != holiday & !(as.integer(format(days, "%u")) %in% rules$weekend)
      }
      got <- elapsed(as.POSIXct(from, origin = "1970-01-01", tz = zone), as.POSIXct(to, origin = "1970-01-01", tz = zone), "hours", rules)
      expect_equal(got, mapply(minutes_worked, from, to, MoreArgs = list(tz = zone, works = works)), label = paste(zone, seed))
    }
  }
})

test_that("spans give a row per record, open ones through the as-of date", {
  x <- spans(data.frame(id = 1:3, s = at(c("2026-03-02 09:00", "2026-03-27 12:00", "2026-06-01 08:00"), "Europe/Vienna"),
                        e = at(c("2026-03-02 10:30", NA, NA), "Europe/Vienna")), s, e, key = id, as_of = "2026-03-31", tz = "Europe/Vienna")
  got <- elapsed(x)
  expect_identical(got$hours, c(1.5, 12 + 24 + 23 + 48, 0))
  expect_identical(got$open, c(FALSE, TRUE, TRUE))
  expect_match(conventions(got), "Elapsed: hours of each record")
  worked <- elapsed(x, "minutes", calendar_rules(hours = c("09:00", "10:00"), tz = "UTC"))
  expect_identical(names(worked)[6], "working_minutes")
  expect_identical(worked$working_minutes, c(30, 120, 0))
  on_days <- spans(data.frame(s = day("2026-03-02"), e = day("2026-03-08")), s, e)
  expect_identical(elapsed(on_days)$days, 7)
  expect_identical(elapsed(on_days, "hours", calendar_rules(hours = c("09:00", "17:30")))$working_hours, 42.5)
  expect_identical(nrow(elapsed(on_days[0, ])), 0L)
})
