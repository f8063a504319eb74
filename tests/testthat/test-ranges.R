# Working days by looking at each day.
is_free <- function(days, holidays) format(days, "%u") %in% c("6", "7") | days %in% holidays

# Stretches of one line by walking over its days: a day off breaks nothing.
oracle_stretches <- function(covered, days, tolerance, off) {
  on <- which(covered)
  if (length(on) == 0) return(data.frame(start = day(character()), end = day(character())))
  missing <- vapply(on[-1], function(i) {
    before <- max(on[on < i])
    sum(!off[seq_along(days) > before & seq_along(days) < i])
  }, 0)
  piece <- cumsum(c(TRUE, missing > tolerance))
  data.frame(start = days[tapply(on, piece, min)], end = days[tapply(on, piece, max)])
}

# Generated records with ends, the days they touch, and some holidays.
ended_records <- function(seed) {
  records <- random_records(seed)
  records$end[is.na(records$end)] <- records$start[is.na(records$end)] + 3
  records
}

test_that("a fortnight of dates with four runs gives four stretches", {
  read <- day("2026-06-01") + c(0, 1, 2, 4, 6, 7, 10, 11, 12, 13)
  x <- spans(data.frame(on = rev(read)), on, NULL)
  got <- consecutive(x)
  expect_identical(got$start, day(c("2026-06-01", "2026-06-05", "2026-06-07", "2026-06-11")))
  expect_identical(got$days, c(3L, 1L, 2L, 4L))
  expect_identical(consecutive(x, longest = TRUE)$start, day("2026-06-11"))
  expect_identical(gaps(x)$start, day(c("2026-06-04", "2026-06-06", "2026-06-09")))
  expect_identical(gaps(x)$days, c(1L, 1L, 2L))
  expect_identical(missing_days(x)$day, day("2026-06-01") + c(3, 5, 8, 9))
  expect_identical(consecutive(x, tolerance = 1)$days, c(8L, 4L))
})

test_that("nested, equal, touching and one-day spans of a key are one stretch", {
  data <- data.frame(k = "a", s = day("2026-01-01") + c(0, 2, 2, 10, 11, 20), e = day("2026-01-01") + c(9, 4, 4, 10, 15, 20))
  got <- consecutive(spans(data, s, e, key = k))
  expect_identical(got$start, day(c("2026-01-01", "2026-01-21")))
  expect_identical(got$days, c(16L, 1L))
  expect_identical(got$records, c(5L, 1L))
  pairs <- overlaps(spans(data, s, e, key = k))
  expect_identical(paste(pairs$row_a, pairs$row_b, pairs$days), c("1 2 3", "1 3 3", "2 3 3"))
})

test_that("Friday and Monday are consecutive with a calendar, and the days around a holiday", {
  x <- spans(data.frame(on = day(c("2026-04-02", "2026-04-07", "2026-04-10", "2026-04-13", "2026-04-15"))), on, NULL)
  rules <- calendar_rules(holidays = c("2026-04-03", "2026-04-06"))
  got <- consecutive(x, calendar = rules)
  expect_identical(got$start, day(c("2026-04-02", "2026-04-10", "2026-04-15")))
  expect_identical(got$end, day(c("2026-04-07", "2026-04-13", "2026-04-15")))
  expect_identical(got$working_days, c(2L, 2L, 1L))
  expect_identical(gaps(x, calendar = rules)$working_days, c(2L, 1L))
  expect_identical(missing_days(x, calendar = rules)$day, day(c("2026-04-08", "2026-04-09", "2026-04-14")))
})

test_that("stretches and gaps are those of an oracle that walks over the days", {
  for (seed in 1:100) {
    records <- ended_records(seed)
    if (nrow(records) == 0) next
    set.seed(seed)
    tolerance <- sample(0:3, 1)
    with_calendar <- seed %% 2 == 0
    holidays <- day("2024-01-01") + sample(0:250, 20)
    rules <- if (with_calendar) calendar_rules(holidays = holidays)
    per <- if (seed %% 3 == 0) "site" else "who"
    end_counts <- seed %% 5 != 0
    x <- spans(records, start, end, key = who, end_counts = end_counts)
    stretches <- consecutive(x, per = tidyselect::all_of(per), tolerance = tolerance, calendar = rules)
    found_gaps <- gaps(x, per = tidyselect::all_of(per), calendar = rules)
    tags <- consecutive(x, per = tidyselect::all_of(per), tolerance = tolerance, calendar = rules, show = "records")
    days <- seq(min(records$start) - 1, max(records$end) + 1, by = "day")
    off <- if (with_calendar) is_free(days, holidays) else rep(FALSE, length(days))
    on <- active_days(records, days, end_counts)
    for (value in unique(records[[per]])) {
      own <- records[[per]] %in% value
      want <- oracle_stretches(colSums(on[own, , drop = FALSE]) > 0, days, tolerance, off)
      got <- stretches[stretches[[per]] %in% value, ]
      expect_identical(as.numeric(got$start), as.numeric(want$start), label = paste("start", seed, value))
      expect_identical(as.numeric(got$end), as.numeric(want$end), label = paste("end", seed, value))
      expect_identical(sum(got$records), as.integer(sum(rowSums(on[own, , drop = FALSE]) > 0)))
      if (with_calendar) expect_identical(got$working_days, vapply(seq_len(nrow(want)), function(i) sum(!off[days >= want$start[i] & days <= want$end[i]]), 0L))
      between <- oracle_stretches(colSums(on[own, , drop = FALSE]) > 0, days, 0, off)
      n <- nrow(between)
      gap <- found_gaps[found_gaps[[per]] %in% value, ]
      expect_identical(as.numeric(gap$start), as.numeric(between$end[-n] + 1), label = paste("gap", seed, value))
      expect_identical(as.numeric(gap$end), as.numeric(between$start[-1] - 1))
      expect_identical(as.numeric(records$start[gap$row_after]), as.numeric(gap$end + 1))
      expect_identical(as.numeric(records$end[gap$row_before] - !end_counts), as.numeric(gap$start - 1))
    }
    expect_identical(as.vector(table(factor(tags$stretch, seq_len(nrow(stretches))))), stretches$records)
    expect_setequal(tags$row, seq_len(nrow(records)))
  }
})

test_that("gaps and stretches of a key tile the window, edges included", {
  for (seed in 1:40) {
    records <- random_records(seed)
    if (nrow(records) == 0) next
    x <- spans(records, start, end, key = who, as_of = "2024-06-30")
    from <- day("2024-02-01")
    to <- day("2024-05-31")
    found <- gaps(x, from = from, to = to, edges = TRUE)
    days <- seq(from, to, by = "day")
    on <- active_days(records, days)
    for (who in unique(records$who)) {
      own <- found[found$who == who, ]
      listed <- as.Date(unlist(Map(seq, own$start, own$end, by = 1)), origin = "1970-01-01")
      expect_identical(as.numeric(listed), as.numeric(days[colSums(on[records$who == who, , drop = FALSE]) == 0]), label = paste(seed, who))
      missed <- missing_days(x, from = from, to = to)
      expect_identical(as.numeric(missed$day[missed$who == who]), as.numeric(listed))
    }
    long <- gaps(x, from = from, to = to, edges = TRUE, min_days = 10)
    expect_identical(as.data.frame(long), as.data.frame(found[found$days >= 10, ]))
  }
})

test_that("values that must stay the same break a stretch", {
  data <- data.frame(k = "a", on = day("2026-01-01") + 0:5, grade = c("C", "C", "B", "C", "C", "C"))
  got <- consecutive(spans(data, on, NULL, key = k), same = grade)
  expect_identical(got$grade, c("C", "B", "C"))
  expect_identical(got$days, c(2L, 1L, 3L))
  tagged <- consecutive(spans(data, on, NULL, key = k), same = grade, show = "records")
  expect_identical(tagged$stretch, c(1L, 1L, 2L, 3L, 3L, 3L))
})

test_that("open spans run through the as-of date, nothing follows them, later ones have no length", {
  data <- data.frame(k = c("a", "a", "b"), s = day(c("2026-01-01", "2026-02-01", "2026-09-01")), e = day(c("2026-01-10", NA, NA)))
  x <- spans(data, s, e, key = k, as_of = "2026-06-30")
  got <- consecutive(x)
  expect_identical(got$end, day(c("2026-01-10", "2026-06-30", NA)))
  expect_identical(got$days, c(10L, 150L, 0L))
  expect_identical(got$open, c(FALSE, TRUE, TRUE))
  expect_identical(nrow(gaps(x)), 1L)
  both <- overlaps(x, per = NULL)
  expect_identical(both$days, 0L)
  expect_identical(both$open, TRUE)
})

test_that("expected days are the user's own, and arguments are checked", {
  x <- spans(data.frame(on = day("2026-01-01") + c(0, 2)), on, NULL)
  expect_identical(missing_days(x, expected = c("2026-01-02", "2026-01-03", "2026-01-08"), to = "2026-01-31")$day, day(c("2026-01-02", "2026-01-08")))
  expect_error(missing_days(x, expected = "x"), "`expected` must be", class = "ridge_error_argument")
  expect_error(missing_days(x, expected = "2026-01-01", calendar = calendar_rules()), "cannot go together", class = "ridge_error_argument")
  expect_error(consecutive(x, tolerance = -1), "must be a whole number of 0 or more", class = "ridge_error_argument")
  expect_error(consecutive(x, tolerance = 0.5), "must be a whole number", class = "ridge_error_argument")
  expect_error(consecutive(x, show = "all"), "must be one of", class = "ridge_error_argument")
  expect_error(consecutive(x, per = nobody), "no column \"nobody\"", class = "ridge_error_column")
  expect_error(consecutive(x, calendar = 1), "must come from `calendar_rules\\(\\)`", class = "ridge_error_argument")
  expect_error(gaps(x, min_days = "x"), "must be a number of 0 or more", class = "ridge_error_argument")
  expect_error(gaps(data.frame()), "asks about records", class = "ridge_error_argument")
  at <- spans(data.frame(a = as.POSIXct("2026-01-01 08:00", tz = "UTC"), b = as.POSIXct("2026-01-02", tz = "UTC")), a, b)
  expect_error(missing_days(at), "need spans on days", class = "ridge_error_argument")
  expect_error(consecutive(at, calendar = calendar_rules()), "working days need spans on days", class = "ridge_error_argument")
  named <- spans(data.frame(records = "a", on = day("2026-01-01")), on, NULL, key = records)
  expect_error(consecutive(named), "has a column \"records\" of its own", class = "ridge_error_column")
})

test_that("instants are joined where they touch, or within hours of tolerance", {
  at <- as.POSIXct("2026-03-28 20:00", tz = "Europe/Vienna")
  data <- data.frame(a = at + 3600 * c(0, 3, 9), b = at + 3600 * c(3, 8, 10))
  x <- spans(data, a, b, tz = "Europe/Vienna")
  expect_equal(consecutive(x)$hours, c(8, 1))
  expect_equal(gaps(x)$hours, 1)
  expect_equal(consecutive(x, tolerance = 1)$hours, 10)
  expect_equal(gaps(x, edges = TRUE, from = "2026-03-28", to = "2026-03-29")$hours, c(20, 1, 17))
})

test_that("no record is no stretch, gap, pair or level, with the right types", {
  none <- spans(data.frame(k = character(), s = day(character()), e = day(character())), s, e, key = k)
  for (result in list(consecutive(none), gaps(none), overlaps(none), concurrency(none), missing_days(none), peaks(none), overlaps(none, total = TRUE), roster(none))) {
    expect_identical(nrow(result), 0L)
  }
  expect_s3_class(consecutive(none)$start, "Date")
  expect_identical(gaps(none, edges = TRUE, from = "2026-01-01", to = "2026-01-31")$days, integer())
  expect_identical(explain_count(none)$number, rep(0L, 7)[seq_len(nrow(explain_count(none)))])
})
