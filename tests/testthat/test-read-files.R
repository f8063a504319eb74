# Records in files, part by part: what is said of them is what is said of them in memory.

questions_by_part <- list(
  counts = function(x) active(x, by = "week", group = site, total = TRUE),
  records = function(x) active(x, by = "day", of = "records", rule = "last_day"),
  weights = function(x) active(x, of = "weight", group = site, rule = "every_day"),
  averages = function(x) active(x, rule = "mean_day", of = "weight"),
  key_averages = function(x) active(x, rule = "mean_day", group = site),
  peaks_by_period = function(x) active(x, rule = "peak_day", group = site),
  own_dates = function(x) active(x, on = c("2024-02-01", "2024-02-29"), group = site),
  listed = function(x) active(x, by = "month", show = "records"),
  movement = function(x) movement(x, group = site, returns = TRUE, total = TRUE, rates = TRUE),
  moved_weights = function(x) movement(x, of = "weight"),
  cohorts = function(x) cohorts(x, by = "month", group = site),
  levels = function(x) concurrency(x, group = site),
  peaks = function(x) peaks(x, of = "weight"),
  stretches = function(x) consecutive(x, tolerance = 2),
  same_site = function(x) consecutive(x, same = site),
  gaps = function(x) gaps(x),
  working_gaps = function(x) gaps(x, calendar = calendar_rules(), min_days = 2),
  limited = function(x) concurrency(x, group = site, capacity = 2, floor = 1),
  compared = function(x) versus(active(x, by = "week", from = "2024-02-05", to = "2024-03-10"), "period_before"),
  edges = function(x) gaps(x, from = "2024-01-01", to = "2024-05-31", edges = TRUE),
  time = function(x) time_within(x, group = site, unit = "days", total = TRUE),
  working_time = function(x) time_within(x, group = site, calendar = calendar_rules(hours = c("08:00", "16:00"))),
  repeated = function(x) allocate(x, share, spread = "repeat", group = site, to = "2024-06-30"),
  seen_on = function(x) active(as_seen_on(x, "2024-02-15"), by = "week")
)

allocations_by_part <- list(
  even = function(x) allocate(x, share, group = site),
  cents = function(x) allocate(x, share, group = site, digits = 2, total = TRUE),
  working = function(x) allocate(x, share, group = site, basis = "period", by = "week", digits = 3),
  ended = function(x) allocate(x, share, total = TRUE, open_to_as_of = TRUE)
)

test_that("answers about files are those in memory, however the records are cut", {
  for (seed in c(3, 8)) {
    records <- random_records(seed)
    # A column that is blank throughout says in text of no kind what it is.
    if (nrow(records) == 0 || all(is.na(records$site))) next
    for (format in c("csv", "parquet")) {
      declared <- function(data) {
        spans(data, start, end, key = who, weight = share, as_of = "2024-04-30")
      }
      memory <- declared(records)
      filed <- declared(in_files(records, sample(1:5, 1), format))
      for (name in names(questions_by_part)) {
        expect_same_answer(questions_by_part[[name]], memory, filed, paste(name, seed, format), ties = format == "csv")
      }
      ended <- records[!is.na(records$end), ]
      if (nrow(ended) == 0) next
      memory <- declared(ended)
      filed <- declared(in_files(ended, 2, format))
      for (name in names(allocations_by_part)) {
        expect_same_answer(allocations_by_part[[name]], memory, filed, paste(name, seed, format))
      }
    }
  }
})

many_records <- function(n = 6000) {
  set.seed(4)
  start <- day("2024-01-01") + sample.int(500, n, TRUE)
  records <- data.frame(who = paste0("K-", sample.int(n / 4, n, TRUE)), ward = factor(sample(letters[1:5], n, TRUE)),
                        bed = sample.int(9, n, TRUE), start = start, end = start + sample(0:60, n, TRUE),
                        amount = round(runif(n, 1, 900), 2))
  records$end[runif(n) < 0.1] <- NA
  records
}

test_that("records of a key are brought together from all files, in several temporary files", {
  records <- many_records()
  for (key in list("who", c("ward", "bed"), "bed")) {
    declared <- function(data) spans(data, start, end, key = tidyselect::all_of(key), as_of = "2025-06-30")
    memory <- declared(records)
    filed <- declared(in_files(records, 6, "parquet", memory = "1 MB"))
    expect_same_answer(function(x) active(x, group = ward), memory, filed, "active", ties = FALSE)
    expect_same_answer(function(x) consecutive(x), memory, filed, "consecutive", ties = FALSE)
    expect_same_answer(function(x) movement(x, group = ward, total = TRUE), memory, filed, "movement", ties = FALSE)
  }
  files <- length(list.files(tempdir(), "^keys-", recursive = TRUE))
  expect_gt(files, 3)
})

test_that("large files of text are cut at the ends of records", {
  records <- many_records(3000)
  records$note <- ifelse(seq_len(nrow(records)) %% 7 == 0, "two\nlines, \"quoted\"", "plain")
  folder <- withr::local_tempdir()
  suppressMessages(write_records(records, file.path(folder, "all.csv")))
  source <- record_files(folder, memory = "1 MB")
  expect_output(print(source), "1 file of CSV .*read in [2-9] parts")
  declared <- function(data) spans(data, start, end, key = who, as_of = "2025-06-30")
  expect_same_answer(function(x) active(x, group = note), declared(records), declared(source), "cut")
})

test_that("instants in files are instants, and midnights dates", {
  at <- as.POSIXct("2024-03-30 08:00", tz = "Europe/Vienna") + 3600 * c(0, 5, 30, 31, 50, 80)
  records <- data.frame(who = c("a", "b", "a", "b", "a", "c"), start = at, end = at + 3600 * c(2, 30, 1, 9, 40, 4))
  for (format in c("csv", "parquet")) {
    declared <- function(data) spans(data, start, end, key = who, tz = "Europe/Vienna", as_of = "2024-04-30")
    filed <- declared(in_files(records, 2, format, tz = "Europe/Vienna"))
    for (ask in list(function(x) active(x, by = "hour", rule = "peak_day"), function(x) active(x, by = "day", rule = "mean_day"),
                     function(x) concurrency(x), function(x) time_within(x, by = "day", total = TRUE))) {
      expect_same_answer(ask, declared(records), filed, format)
    }
  }
  folder <- withr::local_tempdir()
  writeLines(c("who,from,to", "a,2024-03-01 00:00,2024-03-05 00:00"), file.path(folder, "a.csv"))
  writeLines(c("who,from,to", "b,2024-03-02 00:00,"), file.path(folder, "b.csv"))
  x <- spans(record_files(folder), from, to, key = who, as_of = "2024-04-30")
  expect_match(conventions(x), "at midnight")
  expect_identical(active(x, on = "2024-03-05")$active, 2L)
  writeLines(c("who,from,to", "b,2024-03-02 00:00,2024-03-02 09:30"), file.path(folder, "b.csv"))
  x <- spans(record_files(folder), from, to, key = who, as_of = "2024-04-30", tz = "UTC")
  expect_identical(active(x, by = "hour", from = "2024-03-02", to = "2024-03-02")$active, c(rep(2L, 10), rep(1L, 14)))
})

test_that("what a column is, all files prove together", {
  folder <- withr::local_tempdir()
  writeLines(c("who,from,to,size", "1,3/4/2024,15/4/2024,1.250"), file.path(folder, "a.csv"))
  writeLines(c("who,from,to,size", "2,13/4/2024,,12.5"), file.path(folder, "b.csv"))
  x <- spans(record_files(folder), from, to, key = who, weight = size, as_of = "2024-04-30")
  expect_match(conventions(x), "day-month-year")
  expect_identical(active(x, of = "weight", on = "2024-04-03")$active, 1.25)
  expect_type(active(x, group = who)$who, "integer")
  writeLines(c("who,from,to,size", "x7,13/4/2024,,12.5"), file.path(folder, "b.csv"))
  x <- spans(record_files(folder), from, to, key = who, as_of = "2024-04-30")
  expect_identical(unique(active(x, group = who)$who), c("1", "x7"))
  writeLines(c("who,from,to,size", "2,4/5/2024,,1"), file.path(folder, "b.csv"))
  expect_error(spans(record_files(folder), from, to), "does not prove its order", class = "ridge_error_records")
  writeLines(c("who,from,to,size", "2,4/13/2024,,1"), file.path(folder, "b.csv"))
  expect_error(spans(record_files(folder), from, to, date_order = "dmy"), "can only be month-day-year",
               class = "ridge_error_records")
})

test_that("what cannot be used is named with its file and row, or set aside", {
  folder <- withr::local_tempdir()
  writeLines(c("who,from,to", "a,2024-01-01,2024-01-31", "b,2024-02-01,2024-01-01"), file.path(folder, "a.csv"))
  writeLines(c("who,from,to", "c,2024-01-01,2024-01-31", "d,,", ",2024-05-01,"), file.path(folder, "b.csv"))
  source <- record_files(folder)
  expect_error(spans(source, from, to, key = who), "a.csv, row 2: .*before the start", class = "ridge_error_records")
  error <- tryCatch(spans(source, from, to, key = who), error = identity)
  expect_match(rlang::cnd_message(error), "3 of 5 records cannot be used")
  expect_match(rlang::cnd_message(error), "b.csv, row 3: .*needs its key")
  x <- spans(source, from, to, key = who, as_of = "2024-06-30", unusable = "set_aside")
  aside <- set_aside(x)
  expect_identical(basename(aside$file), c("a.csv", "b.csv", "b.csv"))
  expect_identical(aside$row, c(2L, 2L, 3L))
  expect_match(conventions(x), "^2 records of 2 keys \\(who\\).*3 records set aside")
  expect_true(all(reconcile(active(x))$ok))
  writeLines(c("who,from,to", "d,2024-01-01,9999-12-31"), file.path(folder, "b.csv"))
  expect_error(spans(record_files(folder), from, to, unusable = "set_aside"), "b.csv, row 1: .*means_open",
               class = "ridge_error_records")
  expect_identical(active(spans(record_files(folder), from, to, means_open = "9999-12-31", as_of = "2024-06-30",
                                unusable = "set_aside"), by = "year")$active, 2L)
})

test_that("records are chosen in each file, and counted", {
  records <- many_records(800)
  memory <- spans(records, start, end, key = who, as_of = "2025-06-30", where = amount >= 300 & ward != "b")
  filed <- spans(in_files(records, 3, "parquet"), start, end, key = who, as_of = "2025-06-30",
                 where = amount >= 300 & ward != "b")
  expect_same_answer(function(x) active(x, group = ward), memory, filed, "where")
})

test_that("parts say what they cannot answer, and there is no table to change", {
  records <- many_records(300)
  x <- spans(in_files(records, 2, "parquet"), start, end, key = who, as_of = "2025-06-30")
  memory <- spans(records, start, end, key = who, as_of = "2025-06-30")
  refused <- list(function(x) scaffold(x), function(x) elapsed(x), function(x) overlaps(x), function(x) roster(x),
    function(x) explain_count(x), function(x) length_of_stay(x), function(x) restated(x, x),
    function(x) consecutive(x, per = ward), function(x) consecutive(x, carry = ward), function(x) gaps(x, carry = ward),
    function(x) active(x, of = "records", show = "records"), function(x) movement(x, show = "records"),
    function(x) time_within(x), function(x) allocate(x, amount, open_to_as_of = TRUE), function(x) active(x, less = x),
    function(x) active(memory, less = x), function(x) restated(memory, x), function(x) cohorts(x, show = "records"),
    function(x) allocate(x, amount, digits = 2, show = "balance", open_to_as_of = TRUE),
    function(x) peaks(x, capacity = bed), function(x) overlaps(memory, x), function(x) working_days(x),
    function(x) movement(x, group = ward, show = "routes"), function(x) bind_spans(a = x, b = memory), function(x) summary(x),
    function(x) write_records(x, withr::local_tempfile(fileext = ".csv")), function(x) how_asked(active(x), as = "almanac"),
    function(x) x[1:3, ], function(x) subset(x, bed > 3), function(x) dplyr::filter(x, bed > 3),
    function(x) tibble::as_tibble(x), function(x) as.data.frame(x), function(x) {
      x$bed <- 1
      x
    }, function(x) {
      names(x)[2] <- "w"
      x
    })
  for (ask in refused) expect_error(ask(x), class = "ridge_error_engine", label = deparse(body(ask))[1])
  expect_error(scaffold(x), "asks about each record.*write_parts")
})

test_that("files that are not alike, not there or changed are told", {
  folder <- withr::local_tempdir()
  expect_error(record_files(folder), "no file whose ending", class = "ridge_error_file")
  expect_error(record_files(file.path(folder, "none.csv")), "There is no file", class = "ridge_error_file")
  expect_error(record_files(1), "must name a file", class = "ridge_error_argument")
  writeLines(c("a,b", "2024-01-01,1"), file.path(folder, "a.csv"))
  writeLines(c("b,a", "1,2024-01-02"), file.path(folder, "b.csv"))
  writeLines("more", file.path(folder, "notes.txt"))
  expect_message(source <- record_files(folder), "1 file of .* is no \"csv\"")
  expect_identical(active(spans(source, a, NULL, as_of = "2024-02-01"), by = "day", to = "2024-01-02")$active, c(1L, 1L))
  writeLines(c("b,c", "1,2024-01-02"), file.path(folder, "b.csv"))
  expect_error(suppressMessages(record_files(folder)), "do not have the same columns", class = "ridge_error_file")
  writeLines(c("a,b", "2024-01-02,1", "2024-01-02,1"), file.path(folder, "b.csv"))
  expect_error(spans(source, a, NULL), "is not what it was", class = "ridge_error_file")
  writeLines(c("a\tb", "1\t2"), file.path(folder, "c.tsv"))
  expect_error(record_files(folder), "several formats", class = "ridge_error_argument")
  for (memory in list("much", 5, "10 KB", NA, c("1 GB", "2 GB"))) {
    expect_error(record_files(folder, memory = memory), "how much memory", class = "ridge_error_argument")
  }
  expect_error(record_files(folder, format = "csv", together = NA), class = "ridge_error_argument")
})

test_that("keys that are said to lie in one file are taken at that word, and held to it", {
  records <- many_records(400)
  folder <- withr::local_tempdir()
  for (ward in letters[1:5]) suppressMessages(write_records(records[records$ward == ward, ], file.path(folder, paste0(ward, ".csv"))))
  declared <- function(data) spans(data, start, end, key = ward, as_of = "2025-06-30")
  expect_same_answer(function(x) active(x, group = bed), declared(transform(records, ward = as.character(ward))),
                     declared(record_files(folder, together = TRUE)), "together")
  expect_error(spans(record_files(folder, together = TRUE), start, end, key = who), "is in an earlier file too",
               class = "ridge_error_records")
})

test_that("a file of no records, and files of none at all, are sound", {
  folder <- withr::local_tempdir()
  writeLines("who,from,to", file.path(folder, "a.csv"))
  x <- spans(record_files(folder), from, to, key = who, as_of = "2024-06-30")
  expect_identical(nrow(active(x)), 0L)
  expect_identical(active(x, by = "year", from = "2024-01-01", to = "2024-12-31")$active, 0L)
  writeLines(c("who,from,to", "a,2024-02-29,2024-02-29"), file.path(folder, "b.csv"))
  x <- spans(record_files(folder), from, to, key = who, as_of = "2024-06-30")
  expect_identical(active(x, by = "day", to = "2024-02-29")$active, 1L)
  writeLines(c("who,from,to", "a,2024-02-29T08:00,2024-02-29T10:30", ",2024-02-29T09:00,"), file.path(folder, "b.csv"))
  writeLines(c("who,from,to", ",,", "b,,"), file.path(folder, "c.csv"))
  x <- spans(record_files(folder), from, to, key = who, as_of = "2024-06-30", unusable = "set_aside", tz = "UTC")
  expect_identical(nrow(set_aside(x)), 3L)
  expect_identical(active(x, by = "hour", to = "2024-02-29")$active[1:3], c(1L, 1L, 1L))
  expect_identical(nrow(consecutive(x)), 1L)
})

test_that("answers about files are drawn, spelled, kept and proven again", {
  records <- many_records(300)
  folder <- withr::local_tempdir()
  suppressMessages(write_records(records, file.path(folder, "a.csv")))
  x <- spans(record_files(folder), start, end, key = who, as_of = "2025-06-30")
  counts <- active(x, by = "quarter", group = ward)
  expect_s3_class(autoplot(counts), "ggplot")
  expect_length(summary(counts), 1)
  spelled <- how_asked(counts)
  expect_match(spelled, "^record_files\\(")
  expect_identical(as.data.frame(eval(parse(text = spelled))), as.data.frame(counts))
  expect_match(how_asked(counts, as = "command"), paste("ridge active", folder), fixed = TRUE)
  path <- withr::local_tempfile()
  saveRDS(list(x = x, counts = counts), path)
  again <- readRDS(path)
  expect_lt(file.size(path), 1e5)
  expect_true(all(reconcile(again$counts, source = again$x)$ok))
  expect_identical(active(again$x)$active, active(x)$active)
})

test_that("temporary files go with the records, and where a run fails", {
  before <- list.files(tempdir(), "^(together|part|head|keys)-")
  records <- many_records(2000)
  ask <- function() {
    x <- spans(in_files(records, 3, "csv", memory = "1 MB"), start, end, key = who, as_of = "2025-06-30")
    consecutive(x)
    NULL
  }
  ask()
  gc()
  expect_identical(setdiff(list.files(tempdir(), "^(together|part|head|keys)-"), before), character())
})
