# Every kernel that works on several threads says the same on any number of them, to the last bit.

test_that("answers are the same on 1, 2 and 5 threads", {
  set.seed(12)
  n <- 120000
  start <- day("2022-01-01") + sample.int(900, n, TRUE)
  # One key holds a third of all records, so that it is larger than a thread's part.
  who <- ifelse(runif(n) < 0.33, 1L, sample.int(n / 3, n, TRUE))
  records <- data.frame(who = who, start = start, end = start + sample(0:40, n, TRUE), site = sample(letters[1:6], n, TRUE),
                        share = sample(c(0.1, 0.25, 1 / 3, 1), n, TRUE), amount = runif(n, 0, 500))
  records$end[runif(n) < 0.05] <- NA
  ended <- records[!is.na(records$end), ]
  crowd <- records$who == 1L
  questions <- list(
    counts = function(x, few) active(x, by = "week", group = site),
    records = function(x, few) active(x, by = "day", of = "records"),
    weights = function(x, few) active(x, of = "weight", group = site, rule = "every_day"),
    means = function(x, few) active(x, of = "weight", group = site, rule = "mean_day"),
    peaks = function(x, few) active(x, group = site, rule = "peak_day"),
    movement = function(x, few) movement(x, group = site, returns = TRUE, total = TRUE),
    cohorts = function(x, few) cohorts(x, by = "quarter", group = site),
    levels = function(x, few) concurrency(x, group = site),
    stretches = function(x, few) consecutive(x, tolerance = 3, carry = site),
    tagged = function(x, few) consecutive(x, show = "records"),
    gaps = function(x, few) gaps(x, carry = site),
    working_gaps = function(x, few) gaps(x, calendar = calendar_rules()),
    pairs = function(x, few) overlaps(few),
    differing = function(x, few) overlaps(few, per = who, differing = site),
    scaffold = function(x, few) scaffold(few, by = "week", carry = site),
    daily = function(x, few) scaffold(few, by = "day"),
    time = function(x, few) time_within(x, group = site),
    ended = function(x, few) allocate(x, amount, group = site, digits = 2, open_to_as_of = TRUE)
  )
  allocations <- list(function(x) allocate(x, amount, group = site), function(x) allocate(x, amount, group = site, digits = 2),
                      function(x) allocate(x, amount, group = site, spread = "repeat"))
  answers <- lapply(c(1, 2, 5), function(threads) {
    withr::local_options(almanacridge.threads = threads)
    x <- spans(records, start, end, key = who, weight = share, as_of = "2024-12-31")
    few <- spans(records[!crowd | seq_len(n) < 900, ], start, end, key = who, as_of = "2024-12-31")
    whole <- spans(ended, start, end, key = who, as_of = "2024-12-31")
    c(lapply(questions, function(ask) as.data.frame(ask(x, few))), lapply(allocations, function(ask) as.data.frame(ask(whole))))
  })
  for (name in seq_along(answers[[1]])) {
    expect_identical(answers[[2]][[name]], answers[[1]][[name]])
    expect_identical(answers[[3]][[name]], answers[[1]][[name]])
  }
  expect_gt(nrow(answers[[1]]$pairs), 1000)
})

test_that("parts of an answer that are damaged are refused", {
  kernel <- asNamespace("almanacridge")$kernel_levels
  asked <- function(how) kernel(1:3, 4:6, c(0L, 5L), c(5L, 9L), NULL, 1L, NULL, NULL, 1, "any_day", how)
  how <- function(parts = NULL, keep = FALSE, threads = 1L) list(threads, parts, keep)
  kept <- asked(how(keep = TRUE))
  expect_type(kept, "raw")
  expect_identical(asked(how(list(kept, kept))), 3L * asked(how()))
  for (wrong in list(list(kept[-1]), list(kept[1:3]), list(raw()), list(1:3), kept)) expect_error(asked(how(wrong)))
  expect_error(asked(how(threads = 0L)), "thread")
  expect_error(asked(list(1L)), "list of three")
})
