# Answers about each record, part by part, into files; and parts on several workers.

parts_of_keys <- function(env = parent.frame()) {
  set.seed(9)
  n <- 4000
  start <- day("2024-01-01") + sample.int(400, n, TRUE)
  records <- data.frame(who = paste("K", sample.int(700, n, TRUE)), start = start, end = start + sample(0:30, n, TRUE),
                        site = sample(c("north", "south"), n, TRUE))
  declared <- function(data) spans(data, start, end, key = who, as_of = "2025-02-28")
  list(memory = declared(records), filed = declared(in_files(records, 4, "parquet", env = env, memory = "1 MB")))
}

sorted <- function(table) {
  table <- as.data.frame(table)
  table <- table[do.call(order, unname(as.list(table))), ]
  rownames(table) <- NULL
  table
}

read_back <- function(written) {
  do.call(rbind, lapply(written$file, function(file) as.data.frame(suppressMessages(read_records(file)))))
}

test_that("answers of all parts together are the answer", {
  x <- parts_of_keys()
  asks <- list(pairs = function(part) overlaps(part), lengths = function(part) elapsed(part),
               scaffold = function(part) scaffold(part, by = "month"), time = function(part) time_within(part),
               keys = function(part) scaffold(part, by = "quarter", of = "keys", every_period = TRUE),
               gaps = function(part) gaps(part, carry = site), listed = function(part) movement(part, show = "records"))
  for (name in names(asks)) {
    folder <- withr::local_tempfile()
    written <- write_parts(x$filed, asks[[name]], folder)
    expect_gt(nrow(written), 1)
    expected <- asks[[name]](x$memory)
    expect_identical(sum(written$rows), nrow(expected), label = name)
    found <- read_back(written)
    expect_equal(sorted(found), sorted(as.data.frame(expected)), label = name, ignore_attr = TRUE)
    expect_setequal(list.files(folder, all.files = TRUE, no.. = TRUE), basename(written$file))
  }
  folder <- withr::local_tempfile()
  written <- write_parts(x$filed, function(part) overlaps(part), folder, format = "csv")
  again <- spans(record_files(folder), start, end, as_of = "2025-02-28")
  expect_identical(active(again, on = "2024-06-01")$active,
                   active(spans(overlaps(x$memory), start, end, as_of = "2025-02-28"), on = "2024-06-01")$active)
})

test_that("what is no answer about each record is refused, and leaves nothing behind", {
  x <- parts_of_keys()
  parent <- withr::local_tempdir()
  folder <- file.path(parent, "out")
  refused <- list(function(part) active(part), function(part) overlaps(part, per = site),
                  function(part) consecutive(part, group = site), function(part) cohorts(part),
                  function(part) time_within(part, total = TRUE))
  for (ask in refused) {
    expect_error(write_parts(x$filed, ask, folder), "not an answer about all", class = "ridge_error_engine")
  }
  expect_error(write_parts(x$filed, function(part) 1, folder), "must return the result", class = "ridge_error_argument")
  expect_error(write_parts(x$filed, function(part) stop("by itself"), folder), "by itself")
  expect_identical(list.files(parent, all.files = TRUE, no.. = TRUE), character())
  expect_error(write_parts(x$memory, elapsed, folder), "these are in memory", class = "ridge_error_argument")
  expect_error(write_parts(x$filed, "elapsed", folder), "must be a function", class = "ridge_error_argument")
  expect_error(write_parts(x$filed, elapsed, file.path(parent, "no", "such")), "There is no folder",
               class = "ridge_error_argument")
  writeLines("held", file.path(parent, "held"))
  expect_error(write_parts(x$filed, elapsed, parent), "holds something", class = "ridge_error_argument")
  expect_error(write_parts(x$filed, elapsed, 1), "must be one folder", class = "ridge_error_argument")
  expect_error(write_parts(x$filed, elapsed, folder, format = "xlsx"), class = "ridge_error_argument")
})

test_that("workers give the same bits, and what one that dies was to do is done", {
  skip_on_cran()
  skip_if_not_installed("future")
  x <- parts_of_keys()
  before <- future::plan(future::multisession, workers = 2)
  withr::defer(future::plan(before))
  for (ask in list(function(x) active(x, group = site), function(x) consecutive(x), function(x) movement(x, group = site))) {
    expect_identical(as.data.frame(ask(x$filed)), as.data.frame(ask(x$memory)))
  }
  mark <- withr::local_tempfile()
  folder <- withr::local_tempfile()
  expect_message(written <- write_parts(x$filed, function(part) {
    if (!file.exists(mark)) {
      file.create(mark)
      tools::pskill(Sys.getpid(), 9)
    }
    overlaps(part)
  }, folder), "A worker was lost")
  expect_equal(sorted(read_back(written)), sorted(overlaps(x$memory)), ignore_attr = TRUE)
  expect_setequal(list.files(folder, all.files = TRUE, no.. = TRUE), basename(written$file))
  expect_identical(suppressMessages(active(x$filed, group = site))$active, active(x$memory, group = site)$active)
})

test_that("the command line answers about a folder as about its files", {
  folder <- withr::local_tempdir()
  postings <- demo_records("postings")
  year <- format(postings$first_day, "%Y")
  for (one in unique(year)) write_records(postings[year == one, ], file.path(folder, paste0(one, ".csv")))
  roles <- c("--start", "first_day", "--end", "last_day", "--key", "observer", "--as-of", "2026-06-30")
  by_part <- run("active", folder, roles, "--by", "year", "--group", "station", "--reconcile")
  expect_identical(by_part$status, 0L)
  expect_identical(by_part$out, run("active", file.path(folder, "*.csv"), roles, "--by", "year", "--group", "station")$out)
  expect_match(by_part$notes, "all tie to the source", all = FALSE)
  some <- run("movement", folder, roles, "--where", "share >= 0.8", "--memory", "50 MB")
  expect_identical(some$out, run("movement", file.path(folder, "*.csv"), roles, "--where", "share >= 0.8")$out)
  out <- paste0(withr::local_tempfile(), "/")
  written <- run("scaffold", folder, roles, "--by", "year", "--out", out)
  expect_match(written$notes, "^Written: .* \\(1 file, [0-9,]+ rows\\)")
  expect_match(run("scaffold", folder, roles)$notes, "part by part into files with `--out FOLDER/`")
  wrong <- list(c("--keep", "station=Whinfell"), c("--fold", "station"), c("--memory", "lots"), c("--together"),
                c("--start-clock", "a", "--end-clock", "b"))
  told <- c("Choose records with `--where`", "--fold plays no part", "how much memory", "is in an earlier file too",
            "plays no part where a folder")
  for (i in seq_along(wrong)) {
    answer <- run("active", folder, roles, wrong[[i]])
    expect_true(answer$status %in% 1:2)
    expect_match(answer$notes, told[i], fixed = TRUE)
  }
  expect_match(run("active", file.path(folder, "2020.csv"), roles, "--together")$notes, "where no folder is named")
  expect_match(run("scaffold", file.path(folder, "2020.csv"), roles, "--out", out)$notes, "Name a file")
  expect_match(run("scaffold", folder, roles, "--out", paste0(tempdir(), "/x/"), "--limit", "3")$notes, "plays no part")
})

test_that("an almanac says that it reads files", {
  folder <- withr::local_tempdir()
  dir.create(file.path(folder, "moves"))
  write_records(random_records(3), file.path(folder, "moves", "a.csv"))
  text <- sub("moves.csv", "moves", small_almanac("{ask: active, by: month}"), fixed = TRUE)
  writeLines(text, file.path(folder, "almanac.yml"))
  expect_match(run("build", file.path(folder, "almanac.yml"))$notes, "is a folder, and an almanac reads files", all = FALSE)
})
