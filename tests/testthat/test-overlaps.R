# Every pair of rows, looked at one by one.
oracle_pairs <- function(a, b, end_counts, same, differ) {
  far <- day("2400-01-01")
  rows <- expand.grid(i = seq_len(nrow(a)), j = seq_len(nrow(b)))
  stop_a <- ifelse(is.na(a$end), far, a$end + end_counts)
  stop_b <- ifelse(is.na(b$end), far, b$end + end_counts)
  length <- pmin(stop_a[rows$i], stop_b[rows$j]) - pmax(as.numeric(a$start)[rows$i], as.numeric(b$start)[rows$j])
  rows$days <- length
  rows[length > 0 & same(rows$i, rows$j) & differ(rows$i, rows$j), ]
}

test_that("hand-worked overlaps of days and of clocks", {
  expect_identical(overlap_length(day("2026-06-03"), day("2026-06-14"), day("2026-06-11"), day("2026-06-30")), 4L)
  clock <- function(text) as.POSIXct(paste("2026-06-03", text), tz = "UTC")
  expect_identical(overlap_length(clock("08:15"), clock("11:45"), clock("10:30"), clock("13:00")), 1.25)
  expect_identical(overlap_length(day("2026-06-03"), day("2026-06-10"), day("2026-06-11"), day("2026-06-30")), 0L)
  expect_identical(overlap_length(day("2026-06-03"), day("2026-06-11"), day("2026-06-11"), day("2026-06-30"), end_counts = FALSE), 0L)
  expect_identical(overlap_length(day(c("2026-06-03", NA)), day("2026-06-14"), day("2026-06-11"), day("2026-06-30")), c(4L, NA))
  x <- spans(data.frame(s = day(c("2026-06-03", "2026-06-11")), e = day(c("2026-06-10", "2026-06-30"))), s, e)
  expect_identical(nrow(overlaps(x)), 0L)
})

test_that("plain vectors that do not go together are refused", {
  d <- day("2026-06-03")
  expect_error(overlap_length(d, d, d, "2026-06-04"), "`end_b` is", class = "ridge_error_argument")
  expect_error(overlap_length(d, d - 1, d, d), "`end_a` is before `start_a` at place 1", class = "ridge_error_argument")
  expect_error(overlap_length(rep(d, 2), d, rep(d, 3), d), "as many, or one for all", class = "ridge_error_argument")
})

test_that("pairs are those of every row with every other, within keys, across and between tables", {
  for (seed in 1:120) {
    a <- random_records(seed)
    b <- random_records(seed + 1000)
    end_counts <- seed %% 4 != 0
    set.seed(seed)
    least <- sample(c(1, 1, 3, 10), 1)
    x <- spans(a, start, end, key = who, end_counts = end_counts, as_of = "2024-12-31")
    y <- spans(b, start, end, key = who, end_counts = end_counts, as_of = "2024-12-31")
    check <- function(got, want, ordered) {
      if (!ordered) want <- want[want$i < want$j, ]
      want <- want[want$days >= least, ]
      named <- if (ordered) paste(got$row_a, got$row_b) else paste(pmin(got$row_a, got$row_b), pmax(got$row_a, got$row_b))
      expect_setequal(named, paste(want$i, want$j))
      expect_identical(anyDuplicated(named), 0L)
      closed <- !got$open
      expect_equal(got$days[closed], want$days[match(named, paste(want$i, want$j))][closed])
    }
    any_pair <- function(i, j) TRUE
    same_who <- function(i, j) a$who[i] == a$who[j]
    check(overlaps(x, min_days = least), oracle_pairs(a, a, end_counts, same_who, any_pair), FALSE)
    check(overlaps(x, per = NULL, min_days = least), oracle_pairs(a, a, end_counts, any_pair, any_pair), FALSE)
    check(overlaps(x, differing = who, per = site, min_days = least),
          oracle_pairs(a, a, end_counts, function(i, j) a$site[i] == a$site[j] & !is.na(a$site[i] == a$site[j]) | is.na(a$site[i]) & is.na(a$site[j]), function(i, j) a$who[i] != a$who[j]), FALSE)
    check(overlaps(x, y, min_days = least), oracle_pairs(a, b, end_counts, function(i, j) a$who[i] == b$who[j], any_pair), TRUE)
    check(overlaps(x, y, per = NULL, min_days = least), oracle_pairs(a, b, end_counts, any_pair, any_pair), TRUE)
  }
})

test_that("totals count each day once", {
  for (seed in 1:60) {
    records <- random_records(seed)
    records$end[is.na(records$end)] <- records$start[is.na(records$end)] + 2
    if (nrow(records) < 2) next
    x <- spans(records, start, end, key = who)
    got <- overlaps(x, differing = who, total = TRUE)
    days <- seq(min(records$start), max(records$end), by = "day")
    on <- active_days(records, days)
    key_on <- lapply(split(seq_len(nrow(records)), records$who), function(rows) colSums(on[rows, , drop = FALSE]) > 0)
    if (length(key_on) < 2) next
    pairs <- utils::combn(names(key_on), 2)
    want <- apply(pairs, 2, function(p) sum(key_on[[p[1]]] & key_on[[p[2]]]))
    shown <- length(want) > 0 & want > 0
    expect_identical(paste(got$who_a, got$who_b, got$days), paste(pairs[1, ], pairs[2, ], want)[shown])
    within <- overlaps(x, total = TRUE)
    expect_identical(sum(within$overlaps), nrow(overlaps(x)))
    expect_identical(sum(within$days), sum(vapply(unique(records$who), function(w) sum(colSums(on[records$who == w, , drop = FALSE]) > 1), 0L)))
  }
})

test_that("two tables that do not go together are refused, and a huge list before it is built", {
  x <- spans(data.frame(s = day("2026-01-01"), e = day("2026-01-02")), s, e)
  at <- spans(data.frame(s = as.POSIXct("2026-01-01 08:00", tz = "UTC"), e = as.POSIXct("2026-01-02", tz = "UTC")), s, e)
  expect_error(overlaps(x, at), "`x` is on days, `y` on instants", class = "ridge_error_argument")
  expect_error(overlaps(x, 1), "asks about records", class = "ridge_error_argument")
  expect_error(overlaps(x, x, differing = s), "`differing` compares records of one table", class = "ridge_error_argument")
  many <- spans(data.frame(s = rep(day("2026-01-01"), 1e6), e = day("2026-12-31")), s, e)
  expect_error(overlaps(many), "499,999,500,000 rows", class = "ridge_error_size")
  k <- rep_len(c("a", "b"), 1e6)
  two <- spans(data.frame(s = rep(day("2026-01-01"), 1e6), e = day("2026-12-31"), k = k), s, e, key = k)
  expect_error(overlaps(two, differing = k), "250,000,000,000 rows", class = "ridge_error_size")
})

test_that("a million records on one key are as quick as their output", {
  n <- 1e6
  data <- data.frame(k = "a", s = day("1990-01-01") + rep(0:9999, each = 100), n = seq_len(n))
  x <- spans(data, s, s, key = k)
  expect_identical(nrow(consecutive(x)), 1L)
  expect_identical(nrow(gaps(x)), 0L)
  expect_identical(nrow(overlaps(x[seq(1, n, by = 50), ])), 10000L)
})

test_that("a kernel stops where its time has run out, and R goes on", {
  data <- data.frame(first = day("2000-01-01") + rep(0:99, 60), last = day("2020-01-01"))
  x <- spans(data, first, last)
  stopped <- tryCatch({
    setTimeLimit(elapsed = 0.05, transient = TRUE)
    overlaps(x)
  }, error = conditionMessage)
  setTimeLimit()
  expect_match(stopped, "time limit", all = FALSE)
  expect_identical(nrow(overlaps(x[c(1, 2), ])), 1L)
})
