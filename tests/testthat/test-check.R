messy <- data.frame(
  who = c("OB-1", "OB-1", "ob-1", NA, "OB-2", "OB-3", "OB-4", "OB-5", "OB-6", "OB-7", "OB-7", "OB-8", "OB-8"),
  from = c("2026-01-01", "2026-02-10", "2026-05-01", "2026-01-01", "2026-13-01", "2026-04-01", "0202-04-01",
           "2206-04-01", "2026-04-01", "2026-04-01", "2026-04-01", "2026-05-05", ""),
  to = c("2026-02-15", "", "2026-05-31", "2026-01-31", "2026-12-31", "2026-03-01", "2026-05-01", "", "9999-12-31",
         "2026-04-03", "2026-04-03", "", "2026-05-01"),
  note = c(letters[1:9], "x", "x", "y", "z")
)

test_that("each kind of finding has its row, key, value and severity", {
  found <- check_spans(messy, from, to, key = who, as_of = "2026-06-30")
  expect_identical(names(found), c("finding", "severity", "row", "key", "column", "value", "detail"))
  at <- function(finding) found$row[found$finding == finding]
  expect_identical(at("unreadable start"), 5L)
  expect_identical(at("missing start"), 13L)
  expect_identical(at("impossible year"), 7L)
  expect_identical(at("end before start"), 6L)
  expect_identical(at("missing key"), 4L)
  expect_identical(at("far end"), 9L)
  expect_identical(at("duplicate record"), 11L)
  expect_identical(at("overlapping records"), c(2L, 11L))
  expect_identical(at("implausible year"), 8L)
  expect_identical(at("key spelled two ways"), 3L)
  expect_identical(at("future start"), 8L)
  expect_false(is.unsorted(match(found$severity, c("error", "warning", "note"))))
  row <- found[found$finding == "end before start", ]
  expect_identical(unlist(row[c("key", "column", "value")], use.names = FALSE), c("OB-3", "to", "2026-03-01"))
  expect_match(found$detail[found$row == 2], "overlaps row 1 from 2026-02-10 on: 6 days")
  expect_match(conventions(found), "13 records; 6 errors, 5 warnings, 1 note; last day counted; as of 2026-06-30")
})

test_that("sentinels, empty spans and several open records are found", {
  data <- data.frame(k = c("a", "a", "b", "b"), s = day("2026-01-01") + c(0, 40, 0, 5), e = day(c(NA, "9999-12-31", "2026-01-01", "2026-01-09")))
  found <- check_spans(data, s, e, key = k, end_counts = FALSE, means_open = "9999-12-31", as_of = "2026-06-30")
  expect_identical(found$finding, c("overlapping records", "several open", "empty span"))
  expect_match(found$detail[1], "without an end")
  expect_identical(found$row[2:3], c(2L, 3L))
})

test_that("a spans object shows also what it set aside, in rows of the source", {
  x <- spans(messy[-c(8, 9), ], from, to, key = who, as_of = "2026-06-30", unusable = "set_aside")
  found <- check_spans(x)
  expect_setequal(found$row[found$severity == "error"], c(4L, 5L, 6L, 7L, 11L))
  kept <- suppressMessages(read_records(system.file("extdata", "postings.csv", package = "almanacridge"), keep = list(station = "Tarn Head")))
  kept$last_day[3] <- kept$first_day[3] - 1
  found <- check_spans(kept, first_day, last_day, key = observer, as_of = "2026-06-30")
  original <- demo_records("postings")
  expect_identical(found$row[found$finding == "end before start"], which(original$station %in% "Tarn Head")[3])
})

test_that("overlaps found are those of an oracle on generated records", {
  for (seed in 1:40) {
    records <- random_records(seed)
    if (nrow(records) == 0) next
    found <- check_spans(records, start, end, key = who, as_of = "2024-12-31")
    days <- seq(min(records$start), max(records$start) + 400, by = "day")
    on <- active_days(records, days)
    order <- order(records$who, records$start, seq_len(nrow(records)))
    want <- Filter(function(i) {
      earlier <- order[seq_len(match(i, order) - 1L)]
      earlier <- earlier[records$who[earlier] == records$who[i]]
      any(colSums(on[earlier, , drop = FALSE]) > 0 & on[i, ])
    }, seq_len(nrow(records)))
    expect_setequal(found$row[found$finding == "overlapping records"], want)
    open <- which(is.na(records$end))
    expect_identical(sum(found$finding == "several open"), sum(duplicated(records$who[open])))
  }
})

test_that("rows in are rows used, left out and set aside", {
  for (seed in 1:40) {
    set.seed(seed)
    n <- sample(1:30, 1)
    text <- function() sample(c("2026-01-05", "2026-02-01", "2026-02-30", "", "x", "17/3/2026"), n, TRUE)
    data <- tibble::tibble(k = sample(c("a", "B", "b", NA), n, TRUE), s = text(), e = text(), label = sample(c("Yes", "yes", "no"), n, TRUE))
    file <- withr::local_tempfile(fileext = ".csv")
    write_records(data, file)
    chosen <- suppressMessages(read_records(file, keep = list(label = "YES")))
    x <- spans(chosen, s, e, key = k, as_of = "2026-06-30", unusable = "set_aside")
    expect_identical(nrow(x) + nrow(set_aside(x)) + sum(data$label == "no"), n)
    expect_setequal(set_aside(x)$row, unique(check_spans(x)$row[check_spans(x)$severity == "error"]))
  }
})

test_that("sound records have no findings, the summary one row a kind, and both print", {
  sound <- data.frame(k = 1:3, s = day("2026-01-01"), e = day("2026-01-31"))
  found <- check_spans(sound, s, e, key = k, as_of = "2026-06-30")
  expect_identical(nrow(found), 0L)
  expect_identical(nrow(summary(found)), 0L)
  expect_error(autoplot(found), "nothing to draw", class = "ridge_error_argument")
  found <- check_spans(messy, from, to, key = who, as_of = "2026-06-30")
  expect_identical(sum(summary(found)$records), 12L)
  expect_s3_class(autoplot(found), "ggplot")
  expect_error(check_spans(1), "asks about records", class = "ridge_error_argument")
  expect_error(check_spans(messy, from, until), "no column \"until\"", class = "ridge_error_column")
})

test_that("ridge check says each finding, writes the table and exits 1 where there is an error", {
  file <- withr::local_tempfile(fileext = ".csv")
  write_records(messy, file)
  got <- run("check", file, "--start", "from", "--end", "to", "--key", "who", "--as-of", "2026-06-30")
  expect_identical(got$status, 1L)
  expect_true(any(grepl("^error: end before start, 1 record \\(row 6", got$notes)))
  expect_identical(length(got$out), 13L)
  sound <- system.file("extdata", "postings.csv", package = "almanacridge")
  got <- run("check", sound, "--start", "first_day", "--end", "last_day", "--key", "observer", "--as-of", "2026-06-30")
  expect_identical(got$status, 0L)
})

test_that("--set-aside writes the source's own columns and rows with the reasons", {
  file <- withr::local_tempfile(fileext = ".csv")
  aside <- withr::local_tempfile(fileext = ".csv")
  write_records(messy[-c(8, 9), ], file)
  got <- run("active", file, "--start", "from", "--end", "to", "--key", "who", "--as-of", "2026-06-30", "--set-aside", aside, "--by", "year")
  expect_identical(got$status, 0L)
  table <- utils::read.csv(aside, colClasses = "character")
  expect_identical(names(table), c("row", "reason", "who", "from", "to", "note"))
  expect_identical(table$row, c("4", "5", "6", "7", "11"))
  expect_identical(table$from[3], "2026-04-01")
  expect_match(table$reason[3], "is before the start")
  expect_identical(table$note[5], "z")
})

# The detail names the file and the row there behind what it says in memory.
without_file <- function(found) {
  found$detail <- sub(" \\[[0-9]{2}[.](csv|parquet), row [0-9,]+\\]$", "", found$detail)
  found
}

test_that("findings in files are those in memory, however the records are cut", {
  for (seed in 1:6) {
    set.seed(seed)
    n <- sample(c(1, 40, 400), 1)
    dates <- c(format(day("2025-01-01") + 0:300), "2026-02-30", "1890-01-01", "9999-12-31")
    records <- data.frame(who = sample(c("OB-1", "ob-1", "OB 1", "B", "c", NA), n, TRUE),
                          s = sample(dates, n, TRUE), e = sample(c(dates, NA, NA), n, TRUE),
                          label = sample(c("Yes", "yes", "no"), n, TRUE), n = sample(3, n, TRUE))
    records <- rbind(records, records[sample(n, 1), ])
    filed <- in_files(records, 3, c("csv", "parquet")[1 + seed %% 2])
    for (key in list("who", character())) {
      ask <- function(x) check_spans(x, s, e, key = tidyselect::all_of(key), end_counts = FALSE, as_of = "2025-06-30")
      found <- ask(filed)
      expect_identical(as.data.frame(without_file(found)), as.data.frame(ask(records)))
      expect_identical(conventions(found), conventions(ask(records)))
      expect_true(all(reconcile(found)$ok))
    }
  }
})

test_that("a finding in files names its file, and declaring them names keys spelled in two ways", {
  folder <- withr::local_tempdir()
  writeLines(c("who,from,to", "a-1,2024-01-01,2024-01-31"), file.path(folder, "a.csv"))
  writeLines(c("who,from,to", "b,2024-02-01,2024-03-01", "A 1,2024-01-20,"), file.path(folder, "b.csv"))
  found <- check_spans(record_files(folder), from, to, key = who, as_of = "2024-06-30")
  expect_identical(found$finding, "key spelled two ways")
  expect_identical(found$detail, "usually spelled \"A 1\" [a.csv, row 1]")
  expect_message(spans(record_files(folder), from, to, key = who), "Keys in \"who\": .*differ only in case")
  got <- run("check", folder, "--start", "from", "--end", "to", "--key", "who", "--as-of", "2024-06-30")
  expect_identical(got$status, 0L)
  expect_match(got$out[2], "key spelled two ways,warning,1,a-1,who,a-1,")
  got <- run("check", folder, "--start", "from", "--end", "to", "--key", "who", "--where", "who != 'b'")
  expect_match(got$notes, "Checked: 2 records.* 1 left out", all = FALSE)
  got <- run("check", folder, "--start", "from", "--end", "to", "--keep", "who=b")
  expect_identical(got$status, 2L)
  expect_match(got$notes, "--where", all = FALSE)
})
