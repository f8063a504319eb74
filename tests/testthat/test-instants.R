at <- function(text, tz = "Europe/Vienna") as.POSIXct(text, tz = tz)

watches <- function(...) {
  spans(data.frame(from = at(c("2026-03-28 22:00", "2026-03-29 06:00", "2026-03-29 06:30")),
                   to = at(c("2026-03-29 06:00", "2026-03-29 10:00", "2026-03-29 07:00")),
                   who = c("a", "b", "a")), from, to, key = who, as_of = "2026-03-31", ...)
}

test_that("hours are real hours, and an end is not counted", {
  result <- active(watches(), by = "hour", to = at("2026-03-29 09:59"))
  expect_identical(nrow(result), 11L)
  expect_identical(result$active, c(rep(1L, 7), 2L, 1L, 1L, 1L))
  expect_identical(format(result$period[5:6]), c("2026-03-29 03:00:00", "2026-03-29 04:00:00"))
  peak <- active(watches(), by = "day", rule = "peak_day", of = "records", to = "2026-03-29")
  expect_identical(peak$active, c(1L, 2L))
})

test_that("days are those of the zone, and the average is over real time", {
  result <- active(watches(), by = "day", rule = "mean_day", of = "records", to = "2026-03-29")
  expect_equal(result$active, c(2 / 24, (5 + 4 + 0.5) / 23))
  expect_identical(result$period, day(c("2026-03-28", "2026-03-29")))
  throughout <- spans(data.frame(from = at("2026-03-28 22:00"), to = at("2026-03-30 00:00")), from, to,
                      as_of = "2026-03-29")
  expect_identical(active(throughout, by = "day", rule = "every_day")$active, c(0L, 1L))
  expect_identical(active(throughout, by = "day", rule = "last_day")$active, c(1L, 1L))
})

test_that("instants equal an oracle that looks at each quarter of an hour", {
  moments <- seq(at("2026-10-24 00:00"), at("2026-10-27 00:00") - 900, by = 900)
  date <- as.Date(moments, tz = "Europe/Vienna")
  for (seed in 1:60) {
    set.seed(seed)
    n <- sample(1:8, 1)
    from <- at("2026-10-24 20:00") + 900 * sample(0:140, n, replace = TRUE)
    to <- from + 900 * sample(1:60, n, replace = TRUE)
    who <- sample(letters[1:3], n, replace = TRUE)
    x <- spans(data.frame(from, to, who), from, to, key = who, as_of = "2026-10-31")
    covered <- outer(as.numeric(moments), seq_len(n), function(t, i) {
      as.numeric(from)[i] <= t & t < as.numeric(to)[i]
    })
    on <- vapply(unique(who), function(key) rowSums(covered[, who == key, drop = FALSE]) > 0,
                 logical(length(moments)))
    for (rule in c("any_day", "first_day", "last_day", "every_day", "mean_day", "peak_day")) {
      result <- active(x, by = "day", rule = rule, from = "2026-10-24", to = "2026-10-26")
      expected <- vapply(split(seq_along(date), date), function(rows) {
        if (rule == "peak_day") return(max(rowSums(on[rows, , drop = FALSE])))
        sum(apply(on[rows, , drop = FALSE], 2, by_rule, rule = rule))
      }, numeric(1))
      expect_equal(as.double(result$active), unname(expected), label = paste("seed", seed, rule))
    }
  }
})

test_that("a day that its zone skipped is there with nobody in it", {
  stay <- spans(data.frame(from = at("2011-12-28 12:00", "Pacific/Apia"),
                           to = at("2012-01-02 12:00", "Pacific/Apia")), from, to)
  for (rule in c("any_day", "first_day", "last_day", "every_day", "mean_day", "peak_day")) {
    days <- active(stay, by = "day", rule = rule, from = "2011-12-29", to = "2011-12-31")
    expect_equal(as.double(days$active), c(1, 0, 1), label = rule)
  }
  full <- active(stay, by = "3 days", rule = "every_day", from = "2011-12-29", to = "2011-12-31")
  expect_true(all(full$active %in% 0:1))
})

test_that("text with offsets, without, and moments of one's own", {
  texts <- data.frame(from = c("2026-03-29T00:30Z", "2026-03-29 01:59:30"),
                      to = c("2026-03-29T03:00+02:00", "2026-03-29T03:00:30"))
  x <- spans(texts, from, to, tz = "Europe/Vienna", as_of = "2026-03-31")
  expect_identical(as.double(x$to - x$from, units = "mins"), c(30, 1))
  expect_identical(active(x, on = at(c("2026-03-29 01:45", "2026-03-29 03:00")))$active, c(1L, 1L))
  expect_identical(active(x, on = day("2026-03-29"))$active, 2L)
  utc <- active(spans(texts[1, ], from, to, tz = "UTC", as_of = "2026-03-29"), by = "hour", to = "2026-03-29")[1, ]
  expect_identical(format(utc$period, "%F %H:%M"), "2026-03-29 00:00")
})

test_that("slices of instants give hours, and dates as periods", {
  rows <- scaffold(watches(), by = "day")
  expect_identical(names(rows), c("row", "who", "nth", "period", "period_end", "start", "end", "hours"))
  expect_identical(rows$hours, c(2, 5, 0.5, 4))
  expect_identical(rows$period, day(c("2026-03-28", "2026-03-29", "2026-03-29", "2026-03-29")))
  by_hour <- scaffold(watches(), by = "hour", of = "keys", label = "code")
  expect_equal(sum(by_hour$hours), 7 + 0.5 + 4)
  expect_identical(by_hour$label[2:4], c("2026-03-28 23:00", "2026-03-29 00:00", "2026-03-29 01:00"))
})

test_that("what instants cannot do is said", {
  expect_error(watches(end_counts = TRUE), "has no meaning for instants")
  expect_error(watches(tz = "Europe/Wien"), "Did you mean")
  mixed <- data.frame(from = day("2026-01-01"), to = at("2026-01-02 10:00"))
  expect_error(spans(mixed, from, to), "\"from\" holds days, \"to\" holds instants")
  both <- data.frame(from = c("2026-01-01", "2026-01-01 10:00"), to = "2026-01-02 10:00")
  expect_error(spans(both, from, to), "Give every value a time, or none")
  one <- data.frame(from = at("2026-01-01 10:00"))
  expect_error(spans(one, from, end = NULL), "holds instants")
})

test_that("a window of hours is cut to the moments asked for, days whole", {
  first <- active(watches(), by = "hour", from = at("2026-03-28 23:20"), to = at("2026-03-29 01:00"))
  expect_identical(format(range(first$period), "%d %H"), c("28 23", "29 01"))
  whole <- active(watches(), by = "hour", from = "2026-03-29", to = "2026-03-29")
  expect_identical(nrow(whole), 23L)
  expect_identical(nrow(active(watches(), by = "hour", to = "2026-03-29", whole = "day")), 47L)
  expect_identical(nrow(active(watches(), by = "6 hours", from = "2026-03-29", to = "2026-03-29")), 4L)
})

test_that("open instants count to the end of the as-of date, empty ones nowhere", {
  x <- spans(data.frame(from = at(c("2026-03-30 10:00", "2026-03-30 12:00")),
                        to = at(c(NA, "2026-03-30 12:00"))), from, to, as_of = "2026-03-30")
  hours <- active(x, by = "hour")
  expect_identical(nrow(hours), 14L)
  expect_identical(unique(hours$active), 1L)
  expect_match(conventions(hours), "1 empty span counts nowhere")
  moment <- spans(data.frame(from = at("2026-03-30 10:00"), to = at(NA)), from, to,
                  as_of = at("2026-03-30 12:30"))
  expect_identical(nrow(active(moment, by = "hour")), 3L)
})

test_that("civil days begin at the first instant that shows their date", {
  starts <- function(date, tz) format(as.POSIXct(periods("24 hours", date, date, tz = tz)$period[1]), "%H:%M", tz = tz)
  expect_identical(starts("2026-03-29", "Europe/Vienna"), "00:00")
  expect_identical(starts("2026-09-06", "America/Santiago"), "01:00")
  expect_identical(starts("2026-03-29", "Asia/Beirut"), "01:00")
  lengths <- periods("day", "2026-01-01", "2026-12-31", tz = "Asia/Beirut")$hours
  expect_identical(sort(unique(lengths)), c(23, 24, 25))
})
