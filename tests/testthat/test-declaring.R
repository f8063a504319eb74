# Records declared at once, where all is sound, are as those declared step by step; on however many cores.

index_of <- function(x) almanacridge:::memory_index(x)

as_text <- function(data) {
  data[c("from", "to")] <- lapply(data[c("from", "to")], function(dates) ifelse(is.na(dates), NA, format(dates)))
  data
}

# Labels are declared step by step.
as_labels <- function(data) {
  data <- as_text(data)
  data[c("from", "to")] <- lapply(data[c("from", "to")], factor)
  data
}

generated <- function(seed, n = 400) {
  set.seed(seed)
  from <- day("2023-01-01") + sample.int(900, n, TRUE)
  data.frame(number = sample(c(-5L, 3L, 70000L, 12L), n, TRUE), real = sample(c(1, 2.5, -1e12, 7), n, TRUE),
             text = sample(c("b", "a", "Ä", "aa", "\U1F3D4", "z"), n, TRUE), place = factor(sample(c("x", "y"), n, TRUE), c("y", "none", "x")),
             date = day("2020-01-01") + sample.int(5, n, TRUE), yes = sample(c(TRUE, FALSE), n, TRUE), share = sample(0:4, n, TRUE) / 4,
             from = from, to = c(day(NA), day("9999-12-31"), from[-(1:2)] + sample.int(80, n - 2, TRUE) - 1L))
}

test_that("sound dates are declared as their texts are, whatever the key", {
  for (seed in 1:6) {
    data <- generated(seed)
    for (key in list(character(), "number", "real", "text", "place", "date", "yes", c("number", "place"))) {
      for (end_counts in c(TRUE, FALSE)) {
        if (!end_counts) data <- data[is.na(data$to) | data$to > data$from, ]
        x <- spans(data, from, to, key = tidyselect::all_of(key), weight = share, end_counts = end_counts, means_open = "9999-12-31",
                   as_of = "2026-06-30")
        for (as in list(as_text, as_labels)) {
          y <- spans(as(data), from, to, key = tidyselect::all_of(key), weight = share, end_counts = end_counts,
                     means_open = "9999-12-31", as_of = "2026-06-30")
          expect_identical(index_of(x), index_of(y))
          expect_identical(conventions(x), conventions(y))
          expect_identical(x$from, y$from)
          expect_identical(x$to, y$to)
        }
      }
    }
    whole <- data
    whole[c("from", "to")] <- lapply(data[c("from", "to")], function(dates) structure(as.integer(dates), class = "Date"))
    expect_identical(index_of(spans(whole, from, to, key = text, means_open = day("9999-12-31"))),
                     index_of(spans(data, from, to, key = text, means_open = day("9999-12-31"))))
    expect_identical(index_of(spans(data, from, NULL, key = text)), index_of(spans(as_text(data), from, NULL, key = text)))
  }
})

test_that("texts that are dates are read on several cores; one that is none stops it, and is shown as it came", {
  n <- 250000
  set.seed(3)
  texts <- format(day("1990-01-01") + sample.int(20000, n, TRUE))
  texts[sample.int(n, 500)] <- " 2024-02-29 "
  texts[7] <- NA
  texts[8:9] <- c("", "20240301")
  read <- almanacridge:::iso_days
  expect_identical(read(texts, 1L), as.integer(read_dates(trimws(texts))))
  expect_identical(read(texts, 3L), read(texts, 1L))
  for (odd in c("2024-02-30", "2024-1-5", "29/02/2024", "2024-02-29T08:00", "x")) expect_null(read(c(texts, odd), 2L))
  data <- data.frame(s = c("2026-01-01", "2026-02-30"), e = c(" 2026-01-31", ""))
  x <- spans(data, s, e, as_of = "2026-06-30", unusable = "set_aside")
  expect_identical(as.list(set_aside(x))[c("s", "e")], list(s = "2026-02-30", e = ""))
  expect_identical(x$e, day("2026-01-31"))
})

test_that("what is derived keeps the order of keys and starts that is known", {
  for (seed in 1:4) {
    data <- generated(seed)
    for (key in list(character(), "text")) {
      declared <- function(data, ...) spans(data, from, to, key = tidyselect::all_of(key), as_of = "2026-06-30", ...)
      x <- declared(data, means_open = "9999-12-31")
      ended <- almanacridge:::ended_as_of(x)
      closed <- data
      closed$to[is.na(closed$to) | closed$to == day("9999-12-31")] <- day("2026-06-30")
      expect_identical(index_of(ended), index_of(declared(closed)))
      expect_identical(as.list(ended)$to, as.list(declared(closed))$to)
      expect_identical(index_of(ended), almanacridge:::build_index(almanacridge:::ticks_and_extent(ended), as.list(ended)[key]))
      seen <- as_seen_on(x, "2024-06-30")
      expect_identical(index_of(seen), almanacridge:::build_index(almanacridge:::ticks_and_extent(seen), as.list(seen)[key]))
    }
  }
})

test_that("rows chosen take the order of all of them along, and are as those declared alone", {
  for (seed in 1:4) {
    data <- generated(seed)
    for (key in list("number", "text", "place", "date", c("number", "place"))) {
      declared <- function(data) {
        spans(data, from, to, key = tidyselect::all_of(key), weight = share, means_open = "9999-12-31", as_of = "2026-06-30")
      }
      x <- declared(data)
      n <- nrow(data)
      chosen <- list(all = seq_len(n), some = which(data$share > 0), one_key = which(data$text == "a"), few = c(3L, 200L),
                     none = integer(), back = n:1, mixed = sample.int(n, 300))
      for (rows in chosen) {
        expect_identical(index_of(x[rows, ]), index_of(declared(data[rows, ])))
        some <- x[rows, ]
        expect_identical(as.data.frame(active(some, by = "year", to = "2026-12-31")),
                         as.data.frame(active(declared(data[rows, ]), by = "year", to = "2026-12-31")))
      }
      # Chosen twice, with a column more, and of spans that were changed themselves.
      twice <- x[data$share > 0, ][-(1:20), ]
      twice$more <- 1
      expect_identical(index_of(twice), index_of(declared(data[data$share > 0, ][-(1:20), ])))
      ended <- almanacridge:::ended_as_of(x)[-1, ]
      expect_identical(index_of(ended), almanacridge:::build_index(almanacridge:::ticks_and_extent(ended), as.list(ended)[key]))
    }
  }
  clocks <- data.frame(who = c("b", "a", "b", "a"), s = as.POSIXct("2026-03-01 08:00", tz = "UTC") + c(9, 5, 0, 0.25) * 3600)
  clocks$e <- clocks$s + 1800
  x <- spans(clocks, s, e, key = who, as_of = "2026-06-30")
  expect_identical(index_of(x[-2, ]), index_of(spans(clocks[-2, ], s, e, key = who, as_of = "2026-06-30")))
  kept <- function(rows, order = 4:1) almanacridge:::chosen_index(1:4, 2:5, c(0L, 0L, 1L, 1L), order, rows, 1L)
  expect_error(kept(c(2L, 1L)), "Rows must rise")
  expect_error(kept(5L), "Rows must rise")
  expect_error(kept(1L, c(9L, 1L, 2L, 3L)), "order must be of the records")
  expect_error(kept(1L, c(1L, 1L, 2L, 3L)), "each record once")
})

test_that("whole keys are sorted as they are, those far apart, missing or broken by their codes", {
  from <- day("2026-01-01") + c(5, 0, 3, 0, 2)
  declared <- function(key) index_of(spans(data.frame(key = key, from = from, to = from + 9), from, to, key = key, as_of = "2026-06-30"))
  top <- .Machine$integer.max
  for (key in list(c(3L, -7L, 3L, 9L, -7L), c(top, -top, 0L, top, -top), c(1L, 1L, 1L, 1L, 1L))) {
    expect_identical(declared(key)[c("start", "stop", "key", "order", "keys")], declared(as.double(key))[c("start", "stop", "key", "order", "keys")])
    expect_identical(declared(key)$key_values$key, sort(unique(key)))
  }
  sorted <- function(key) almanacridge:::numbered_records(1:3, 2:4, key, 2L)
  expect_null(sorted(c(1L, NA, 2L)))
  expect_null(sorted(c(-top, 0L, top)))
  expect_identical(sorted(c(5L, 2L, 5L))[c("key", "order", "rows")], list(key = c(0L, 1L, 1L), order = c(2L, 1L, 3L), rows = c(2L, 1L)))
  expect_error(sorted(c(1, 2, 3)), "whole numbers, one for each record")
  expect_identical(almanacridge:::numbers_at(c(5, 7), c(2L, 1L, 2L), 1L, 2L), c(7, 5, 7))
  expect_identical(almanacridge:::numbers_at(5:7, c(2L, 0L), 0L, 1L), c(7L, 5L))
  expect_error(almanacridge:::numbers_at(1:2, c(1L, NA), 1L, 1L), "one of the values")
  expect_error(almanacridge:::numbers_at(integer(), 1L, 1L, 1L), "nothing to take")
  texts <- c("b", NA, "\u00fc", "", sprintf("K%d", 1:96))
  places <- sample(100L, 1000, replace = TRUE)
  expect_identical(almanacridge:::texts_at(texts, places, 1L), texts[places])
  expect_identical(almanacridge:::texts_at(texts, places - 1L, 0L), texts[places])
  expect_identical(almanacridge:::texts_at(character(), integer(), 1L), character())
  for (place in list(0L, 101L, NA, -1L)) expect_error(almanacridge:::texts_at(texts, place, 1L), "one of the values")
})

test_that("keys come in the order of their values, as R sorts them by code point", {
  data <- generated(9)
  for (key in c("number", "real", "text", "place", "date", "yes")) {
    x <- spans(data, from, to, key = tidyselect::all_of(key), means_open = "9999-12-31", as_of = "2026-06-30")
    index <- index_of(x)
    sorted <- data[[key]][order(data[[key]], data$from, method = "radix")]
    expect_identical(data[[key]][index$order], sorted)
    expect_identical(index$order, order(data[[key]], data$from, method = "radix"))
    expect_identical(index$key_values[[key]], unique(sorted))
    groups <- almanacridge:::code_values(list(c(data[[key]], NA)))
    expect_identical(groups$codes[nrow(data) + 1], groups$size - 1L)
  }
  # The same text in two encodings is one key; a number that is none is no missing one.
  two <- data.frame(who = c("Zo\xeb", "Zo\u00eb", "Zoe"), from = day("2026-01-01"), to = day(NA))
  Encoding(two$who)[1] <- "latin1"
  expect_identical(index_of(spans(two, from, to, key = who))$keys, 2L)
  expect_identical(almanacridge:::code_values(list(c(2, NaN, NA, 2)))$size, 3L)
  expect_null(almanacridge:::code_whole(c(1, NaN), 1L))
})

test_that("what is not sound is told as it ever was", {
  data <- generated(3)[c("text", "share", "from", "to")]
  spoilt <- function(row, ...) {
    data[row, names(list(...))] <- list(...)
    expect_error(spans(data, from, to, key = text, weight = share, means_open = "9999-12-31"), class = "ridge_error_records")$message
  }
  expect_match(spoilt(4, from = day(NA)), "1 of 400 records cannot be used")
  expect_match(spoilt(4, to = day("2020-01-01")), "1 of 400")
  expect_match(spoilt(4, text = " "), "1 of 400")
  expect_match(spoilt(4, share = -1), "1 of 400")
  expect_match(spoilt(4, from = day("0900-01-01")), "1 of 400")
  expect_match(spoilt(4, to = day("2900-01-01")), "more than 100 years after")
  expect_match(spoilt(4, to = day("2900-01-01")), "`to`|\"to\"|to")
  data$from <- as.double(data$from) + c(0.5, rep(0, 399))
  class(data$from) <- "Date"
  expect_error(spans(data, from, to, key = text, means_open = "9999-12-31"), "is no whole day")
  data$from[1] <- Inf
  expect_error(spans(data, from, to, key = text, means_open = "9999-12-31"), "is infinite")
})

test_that("the index has the same bits on one core and on several", {
  set.seed(5)
  n <- 150000
  data <- data.frame(who = sample.int(40000, n, TRUE), from = day("2016-01-01") + sample.int(3000, n, TRUE))
  data$to <- data$from + sample.int(300, n, TRUE)
  instants <- transform(data, from = as.POSIXct(format(from), tz = "UTC") + stats::runif(n, 0, 86399), to = as.POSIXct(format(to + 2), tz = "UTC"))
  found <- lapply(c(1, 2, 5), function(threads) {
    withr::local_options(almanacridge.threads = threads)
    list(index_of(spans(data, from, to, key = who)), index_of(spans(data, from, to)),
         index_of(spans(instants, from, to, key = who, days = FALSE)), almanacridge:::ordered_index(spans(data, from, to)))
  })
  expect_identical(found[[1]], found[[2]])
  expect_identical(found[[1]], found[[3]])
  expect_identical(found[[1]][[1]]$order, order(data$who, data$from, method = "radix"))
  expect_identical(found[[1]][[3]]$order, order(instants$who, instants$from, method = "radix"))
  expect_identical(found[[1]][[4]]$order, order(data$from, method = "radix"))
})

test_that("how many threads there are is told by an option, by the environment or by the machine", {
  withr::local_envvar("_R_CHECK_LIMIT_CORES_" = NA, RIDGE_THREADS = NA)
  withr::local_options(almanacridge.threads = NULL)
  expect_identical(thread_count(), parallel::detectCores())
  withr::with_envvar(c(RIDGE_THREADS = "3"), expect_identical(thread_count(), 3L))
  withr::with_envvar(c(RIDGE_THREADS = "many"), expect_error(thread_count(), "RIDGE_THREADS must be a whole number of 1 or more, not \"many\"",
                                                            class = "ridge_error_argument"))
  withr::local_options(almanacridge.threads = 4)
  withr::with_envvar(c(RIDGE_THREADS = "3"), expect_identical(thread_count(), 4L))
  withr::with_envvar(c("_R_CHECK_LIMIT_CORES_" = "true"), expect_identical(thread_count(), 2L))
  for (wrong in list(0, 1.5, "x", NA, c(1, 2))) {
    withr::with_options(list(almanacridge.threads = wrong), {
      if (identical(wrong, NA)) expect_identical(thread_count(), parallel::detectCores())
      else expect_error(thread_count(), "almanacridge.threads", class = "ridge_error_argument")
    })
  }
  skip_on_os("windows")
  expect_identical(parallel::mccollect(parallel::mcparallel(thread_count()))[[1]], 1L)
})

# What an expression asks memory for, in bytes, of pieces as large as a column of a table of `n`.
bytes_asked <- function(expr, n) {
  file <- withr::local_tempfile()
  utils::Rprofmem(file, threshold = 4 * n - 1)
  withr::defer(utils::Rprofmem(NULL))
  force(expr)
  utils::Rprofmem(NULL)
  lines <- grep("^[0-9]", readLines(file), value = TRUE)
  stats::setNames(as.numeric(sub(" .*", "", lines)), sub("^[0-9]+ *:", "", lines))
}

test_that("columns that are shared with another object are read as they are, not copied first", {
  skip_if_not(capabilities("profmem"))
  n <- 100000
  set.seed(3)
  from <- day("2020-01-01") + sample.int(900, n, TRUE)
  data <- data.frame(key = sample.int(900L, n, TRUE), from = from, share = runif(n), fee = round(runif(n, 1, 90), 2))
  data$to <- data$from + sample.int(300, n, TRUE)
  # As in any session, another object holds the same numbers.
  shared <- lapply(data, unclass)
  asked <- bytes_asked(x <- spans(data, from, to, key = key, weight = share, as_of = "2026-06-30"), n)
  expect_equal(sum(grepl("day_spans", names(asked))), 2)
  expect_true(all(asked < 5 * n))
  asked <- bytes_asked(allocate(x, fee, to = "2026-12-31"), n)
  expect_false(any(grepl("^\"(amount_units|fixed_scale)\"", names(asked))))
  expect_identical(lapply(data, unclass), shared)
})
