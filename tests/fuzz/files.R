# Damaged files of every format, and texts of clocks, intervals, calendars and labels, turned
# at random from those in the corpus. Each is read, or refused in plain words; what is not
# goes into the corpus.
#   Rscript tests/fuzz/files.R SECONDS SEED
suppressMessages(library(almanacridge))

corpus <- if (dir.exists("tests/fuzz/corpus")) "tests/fuzz/corpus" else file.path(dirname(sub("--file=", "", grep("--file=", commandArgs(), value = TRUE))), "corpus")

sources <- function(folder) {
  table <- utils::head(demo_records("postings"), 40)
  at <- utils::head(demo_records("faults"), 20)
  endings <- c("csv", "tsv", "json", "ndjson", "xlsx", "parquet", "csv.gz")
  for (ending in endings) suppressMessages(write_records(table, file.path(folder, paste0("postings.", ending))))
  for (ending in c("csv", "json", "parquet", "xlsx")) suppressMessages(write_records(at, file.path(folder, paste0("faults.", ending))))
  file.copy(system.file("extdata", "closures.ics", package = "almanacridge"), folder)
  kept <- list.files(corpus, "^file-", full.names = TRUE)
  file.copy(kept, folder)
  list.files(folder, full.names = TRUE)
}

# Bytes changed, cut, doubled, or exchanged with those of another place.
damaged <- function(bytes) {
  n <- length(bytes)
  if (n < 2) return(bytes)
  at <- sample(n, 1)
  switch(sample(5, 1),
    replace(bytes, sample(n, min(n, sample(c(1, 4, 20), 1))), as.raw(sample(0:255, 1))),
    bytes[seq_len(at)],
    append(bytes, bytes[seq(at, min(n, at + sample(200, 1)))], at),
    bytes[-seq(at, min(n, at + sample(50, 1)))],
    replace(bytes, at, charToRaw(sample(c("\"", ",", "\n", "\r", "-", "9", "{", "["), 1))))
}

words <- c("10:30", "9.45 pm", "2400", "0.5", "24:00", "2026-01-01/P1M", "P1Y2M3DT4H", "2026-01-01T10:00/2026-01-02T11:00", "--12-25",
           "DTSTART;TZID=Europe/Vienna:20260101T100000", "RRULE:FREQ=MONTHLY;BYDAY=-1MO;COUNT=5", "Whinfell", "whin-fell", "OB_1", "\u00e9t\u00e9")

turned <- function(text) {
  letters <- strsplit(text, "")[[1]]
  for (i in seq_len(sample(3, 1))) letters <- damaged_letters(letters)
  paste(letters, collapse = "")
}

damaged_letters <- function(letters) {
  at <- sample(length(letters) + 1, 1)
  switch(sample(3, 1), append(letters, sample(c("0", "9", ":", "-", "/", "T", "Z", " ", "\u00df", "%", "{", "W"), 1), at - 1),
         letters[-at], c(letters, letters))
}

plain <- function(expr) {
  tryCatch({
    suppressMessages(force(expr))
    TRUE
  }, ridge_error = function(cnd) TRUE, error = function(cnd) conditionMessage(cnd), warning = function(cnd) paste("warning:", conditionMessage(cnd)))
}

read_text <- function(text) {
  event <- c("BEGIN:VCALENDAR", "VERSION:2.0", "BEGIN:VEVENT", "DTSTART;VALUE=DATE:20260101", text, "END:VEVENT", "END:VCALENDAR")
  calendar <- file.path(tempdir(), "turned.ics")
  writeLines(event, calendar, useBytes = TRUE)
  list(clock = plain(at_clock("2026-01-01", text, "Europe/Vienna")), dates = plain(read_dates(text, tz = "UTC")),
       interval = plain(read_intervals(text, tz = "UTC")), duration = plain(elapsed_number(text)), calendar = plain(read_records(calendar, tz = "UTC")),
       labels = plain(fold_labels(data.frame(label = c(text, "Whinfell", "")), label)))
}

run_files <- function(seconds, seed) {
  set.seed(seed)
  folder <- tempfile("fuzz-")
  dir.create(folder)
  files <- sources(folder)
  tried <- 0
  until <- proc.time()[["elapsed"]] + seconds
  while (proc.time()[["elapsed"]] < until) {
    tried <- tried + 1
    if (stats::runif(1) < 0.3) {
      text <- turned(sample(words, 1))
      for (one in read_text(text)) if (!isTRUE(one)) stop("The text ", encodeString(text, quote = "\""), ": ", one, call. = FALSE)
      next
    }
    file <- sample(files, 1)
    bytes <- damaged(readBin(file, "raw", file.size(file)))
    bad <- file.path(folder, paste0("bad-", basename(file)))
    writeBin(bytes, bad)
    said <- plain(read_records(bad, tz = "UTC"))
    if (!isTRUE(said)) {
      kept <- file.path(corpus, paste0("file-", seed, "-", tried, "-", basename(file)))
      file.copy(bad, kept)
      stop(basename(kept), ": ", said, call. = FALSE)
    }
    unlink(bad)
  }
  tried
}

if (sys.nframe() == 0) {
  asked <- as.double(commandArgs(trailingOnly = TRUE))
  seed <- if (length(asked) > 1) asked[2] else as.integer(Sys.time()) %% 1e6
  cat("seed", seed, "\n")
  cat(sprintf("fuzz: %s files and texts read, or refused in plain words (seed %s)\n",
              format(run_files(if (length(asked)) asked[1] else 120, seed), big.mark = ","), seed))
}
