# Right to the last digit and the last day, however large, far away or empty the question.

one_month <- function(value) spans(tibble::tibble(a = day("2026-01-01"), b = day("2026-01-30"), v = value), a, b, as_of = "2026-06-30")

test_that("amounts come back exactly, from the smallest to 2^53", {
  for (power in 0:15) {
    for (value in c(1, 3, 7.25) * 10^power) {
      for (digits in c(0, 2, 4)) {
        if (value * 10^digits > 2^53) next
        exact <- value == round(value, digits)
        got <- allocate(one_month(value), v, digits = digits)
        if (exact) expect_identical(sum(got$amount), value, label = paste(value, digits))
        if (exact) expect_no_match(conventions(got), "finer")
        expect_true(all(reconcile(got)$ok))
      }
      expect_identical(allocate(one_month(value), v)$amount, value)
    }
  }
  expect_identical(allocate(one_month(1.005), v, digits = 2)$amount, 1.01)
  expect_match(conventions(allocate(one_month(1.005), v, digits = 2)), "1 amount finer than that")
  both <- one_month(c(1e17, 3))
  expect_identical(allocate(both, v, group = v)$amount, c(3, 1e17))
})

test_that("sums of weights leave nothing behind and lose nothing", {
  weights <- c(1 / 3, 1 / 7, 4e-10, 0.1, 0.2)
  x <- spans(data.frame(a = day("2026-01-01") + 0:4, b = day(c("2026-01-10", "2026-02-10", NA, "2026-01-20", "2026-02-28")), w = weights), a, b, weight = w, as_of = "2026-03-31")
  flows <- movement(x, of = "weight")
  expect_equal(flows$closing, c(1 / 7 + 4e-10 + 0.2, 4e-10, 4e-10), tolerance = 1e-15)
  expect_true(all(reconcile(flows)$ok))
  tenths <- spans(data.frame(a = day("2026-01-01"), b = day(c("2026-01-10", "2026-01-12", "2026-01-31")), w = c(0.1, 0.2, 0.3)), a, b, weight = w, as_of = "2026-03-31")
  expect_identical(movement(tenths, of = "weight")$closing, c(0, 0, 0))
  expect_equal(explain_count(x, "2026-01-15")$number[1], 5)
})

test_that("moments are found in every century", {
  at <- as.POSIXct(c("1700-06-01", "2026-06-01", "2514-06-01", "9000-06-01") , tz = "UTC") + 0.5
  x <- spans(data.frame(a = as.POSIXct("1650-01-01 00:00:01", tz = "UTC"), b = as.POSIXct("9998-01-01", tz = "UTC")), a, b, as_of = "9990-01-01")
  expect_identical(active(x, on = at)$active, rep(1L, 4))
  years <- active(spans(data.frame(a = day("1600-01-01"), b = day("9999-12-31")), a, b, means_open = NULL, as_of = "9999-12-31"), by = "1000 years")
  expect_true(all(years$active == 1L))
})

test_that("a civil day that a zone skipped holds nothing and hides nothing", {
  apia <- function(text) as.POSIXct(text, tz = "Pacific/Apia")
  x <- spans(data.frame(k = 1:2, a = apia(c("2011-12-28 08:00", "2011-12-31 00:00")), b = apia(c("2012-01-02 12:00", "2012-01-01 00:00")), v = c(100, 10)),
             a, b, key = k, as_of = "2012-01-05", tz = "Pacific/Apia")
  rows <- scaffold(x, by = "day")
  expect_identical(format(rows$period), c("2011-12-28", "2011-12-29", "2011-12-31", "2012-01-01", "2012-01-02", "2011-12-31"))
  expect_equal(rows$hours, c(16, 24, 24, 24, 12, 24))
  after <- time_within(x, by = "day", from = "2011-12-31", to = "2012-01-01")
  expect_equal(after$hours[after$row == 1], c(24, 24))
  expect_identical(nrow(scaffold(x, by = "day", from = "2011-12-31", to = "2012-01-01")), 3L)
  parts <- allocate(x, v, by = "day", basis = "period", total = TRUE)
  expect_equal(parts$amount, c(20, 20, 0, 30, 20, 20))
  for (result in list(rows, after, parts, active(x, by = "day"), movement(x, by = "day"))) expect_true(all(reconcile(result)$ok))
  back <- spans(data.frame(a = as.POSIXct("2010-11-06 12:00", tz = "America/St_Johns"), b = as.POSIXct("2010-11-07 12:00", tz = "America/St_Johns")), a, b, as_of = "2011-01-01")
  expect_equal(sum(time_within(back, by = "day", bands = list(night = c("22:00", "06:00")))$night_hours), 9)
})

test_that("empty spans, empty tables and turned places are answered alike", {
  e <- spans(data.frame(k = "a", a = day(c("2026-01-01", "2026-01-05")), b = day(c("2026-01-01", "2026-01-08"))), a, b, key = k, end_counts = FALSE, as_of = "2026-06-30")
  expect_identical(working_days(e)$working_days, c(0L, 3L))
  everyday <- calendar_rules(weekend = NULL)
  expect_identical(working_days(e, everyday)$working_days, working_days(e, calendar = everyday)$working_days)
  none <- subset(e, k == "b")
  expect_identical(vapply(as.list(versus(active(none), "period_before")), typeof, ""), vapply(as.list(versus(active(e), "period_before")), typeof, ""))
  expect_s3_class(ggplot2::autoplot(movement(none, group = k, total = TRUE, from = "2026-01-01", to = "2026-03-01")), "ggplot")
  expect_true(all(reconcile(active(none, group = k, from = "2026-01-01", to = "2026-03-01"))$ok))
  expect_match(summary(cohorts(e, from = "2026-03-01", to = "2026-03-31"))[1], "No cohort|nothing")
  old <- spans(data.frame(a = day("1900-01-01"), b = day(NA)), a, b, as_of = "1960-01-01")
  expect_silent(roster(old, "1958-01-01"))
  again <- spans(data.frame(k = "a", a = day(c("2026-01-01", "2026-03-01")), b = day(c("2026-01-31", NA))), a, b, key = k, as_of = "2026-06-30")
  expect_match(summary(movement(again, returns = TRUE))[1], "1 started, 1 returned, 1 ended")
})

test_that("work that would explode is linear, or refused with its size", {
  n <- 4000
  h <- spans(data.frame(k = 1, a = day("2020-01-01") + 1:n, b = day(NA)), a, b, key = k, as_of = "2026-01-01")
  l <- spans(data.frame(k = 1, a = day("2020-01-01") + 1:n, b = day("2020-01-01") + 1:n + 5), a, b, key = k, as_of = "2026-01-01")
  expect_identical(nrow(suppressMessages(bind_spans(h = h, l = l))), 2L * 4000L)
  long <- data.frame(t = c("ab", strrep("x", 20000), "abcd", "abce", "200200"))
  expect_message(fold_labels(long, t), "\"abce\" (1) is near \"abcd\"", fixed = TRUE)
  big <- spans(data.frame(k = 1:1e5, g = 1:1e5, a = day("2025-01-01") + (1:1e5) %% 300, b = day(NA)), a, b, key = k, as_of = "2026-06-30")
  expect_true(all(reconcile(active(big, by = "quarter", group = g))$ok))
  file <- withr::local_tempfile(fileext = ".csv")
  writeLines(c("id,v", "100000,1", "5,2"), file)
  expect_identical(suppressMessages(nrow(read_records(file, keep = list(id = 100000)))), 1L)
})

test_that("events that no calendar has are refused, in a moment", {
  read <- function(...) {
    file <- withr::local_tempfile(fileext = ".ics")
    writeLines(c("BEGIN:VCALENDAR", "VERSION:2.0", "BEGIN:VEVENT", ..., "END:VEVENT", "END:VCALENDAR"), file)
    suppressMessages(read_records(file, tz = "UTC"))
  }
  first <- "DTSTART;VALUE=DATE:20260101"
  expect_error(read("DTSTART:20260101T256199Z"), "is no date or date-time", class = "ridge_error_file")
  expect_error(read("DTSTART:20260101T100000Z", "RDATE;VALUE=PERIOD:20260102T100000Z/PT3H"), "lengths of their own", class = "ridge_error_file")
  for (rule in c("BYDAY=99999999999MO;COUNT=3", "INTERVAL=5368710;COUNT=3")) {
    expect_error(read(first, paste0("RRULE:FREQ=DAILY;", rule)), "is not one of days", class = "ridge_error_file")
  }
  expect_error(read(first, "RRULE:FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=31;COUNT=3"), "too long to be written out", class = "ridge_error_size")
  expect_identical(nrow(read(first, "RRULE:FREQ=DAILY;UNTIL=99991231")), nrow(read(first, "RRULE:FREQ=DAILY")))
  expect_error(read("DTSTART;TZID=:20260101T100000"), "no time zone \"\"", class = "ridge_error_file")
  expect_identical(nrow(read(first, "X-ALMANAC-FIELD;X-NAME=\"%zz%00\":a")), 1L)
  expect_error(read(rep("BEGIN:VALARM", 30), first), "too deep", class = "ridge_error_file")
  last <- spans(data.frame(a = day("2026-01-01"), b = day("9999-12-31")), a, b, as_of = "9990-01-01")
  expect_error(write_records(last, withr::local_tempfile(fileext = ".ics")), "no day after it", class = "ridge_error_records")
})

test_that("options that play no part are refused before any work", {
  file <- system.file("extdata", "postings.csv", package = "almanacridge")
  asked <- c("active", file, "--start", "first_day", "--end", "last_day")
  wrong <- list(c("--equal-clocks", "day"), c("--match", "exact"), c("--into", "x"), c("--near", "fold"), c("--key", ""), c("--rule", "any_day", "--rule", "last_day"))
  for (words in wrong) {
    got <- run(asked, words)
    expect_identical(got$status, 2L, label = paste(words, collapse = " "))
    expect_match(got$notes, "plays no part|needs a value|is given 2 times")
  }
  expect_match(run(asked, "--weight", "share")$notes, "plays no part where weights are not summed")
  expect_match(run("consecutive", file, asked[-(1:2)], "--weight", "share")$notes, "This command sums none")
  expect_match(run(asked, "--wide=yes")$notes, "`--wide` takes no value")
  expect_identical(run(asked, "--group", "station", "--group", "role", "--by", "year")$out[1], "station,role,period,period_end,active")
  expect_identical(run("check", file, "--start", "first_day", "--end", "last_day", "--seen-on", "2026-01-01")$status, 2L)
  expect_no_match(run("active", file, "--start", "Dept", "--end", "last_day")$notes, "Did you mean")
  expect_match(run("active", file, "--start", "frist_day", "--end", "last_day")$notes, "Did you mean \"first_day\"")
})

test_that("an oracle that goes day by day agrees, and turned questions give turned answers", {
  oracle <- testthat::test_path("../attack/oracle.R")
  skip_if_not(file.exists(oracle), "The attacks are not beside the tests.")
  own <- new.env()
  sys.source(oracle, own)
  done <- own$run_oracle(20, as.integer(format(Sys.Date(), "%j")) + 1000)
  expect_gt(done$questions, 1000)
})

test_that("kernels answer or refuse what nobody would give them", {
  hostile <- testthat::test_path("../attack/hostile.R")
  skip_if_not(file.exists(hostile), "The attacks are not beside the tests.")
  own <- new.env()
  sys.source(hostile, own)
  expect_gt(own$run_hostile(8, 41), 100)
})
