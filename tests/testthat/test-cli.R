demo_file <- function() system.file("extdata", "postings.csv", package = "almanacridge")

# The real program, in a process of its own.
run_program <- function(args, ...) {
  script <- system.file("exec", "ridge", package = "almanacridge")
  libraries <- paste(.libPaths(), collapse = .Platform$path.sep)
  err <- withr::local_tempfile()
  out <- suppressWarnings(system2(script, shQuote(args), stdout = TRUE, stderr = err,
                                  env = paste0("R_LIBS=", shQuote(libraries)), ...))
  status <- attr(out, "status")
  list(out = as.character(out), notes = readLines(err), status = if (is.null(status)) 0L else status)
}

declared <- c("--start", "first_day", "--end", "last_day", "--as-of", "2026-06-30")
read_back <- function(lines) data.table::fread(text = lines, data.table = FALSE)

test_that("ridge active gives the table that active() gives, as CSV, with its conventions noted", {
  got <- run("active", demo_file(), declared, "--key", "observer", "--group", "station", "--by", "quarter")
  expected <- active(demo_staff(), by = "quarter", group = station)
  table <- read_back(got$out)
  expect_identical(table$active, expected$active)
  expect_identical(table$period, data.table::as.IDate(expected$period))
  expect_identical(table$station[1], "Cold Shoulder")
  expect_identical(got$notes, conventions(expected))
  expect_identical(got$status, 0L)
})

test_that("every option reaches the verb", {
  got <- run("active", demo_file(), declared, "--key", "observer", "--weight", "share", "--of", "weight",
             "--rule", "mean_day", "--by", "6 months", "--from", "2025-01-01", "--to", "2026-05-01",
             "--whole", "year", "--year-starts", "April", "--label", "name", "--end-counts", "no",
             "--total", "--group", "station,role", "--leave-out", "station=", "--keep", "role=trainee",
             "--keep", "role=observer", "--unusable", "set_aside", "--means-open", "9999-12-31")
  data <- subset(demo_records("postings"), !is.na(station) & role %in% c("trainee", "observer"))
  x <- spans(data, first_day, last_day, key = observer, weight = share, end_counts = FALSE,
             as_of = "2026-06-30", unusable = "set_aside")
  expected <- active(x, by = "6 months", group = c(station, role), rule = "mean_day", of = "weight",
                     from = "2025-01-01", to = "2026-05-01", whole = "year", total = TRUE,
                     calendar = calendar_rules(year_starts = "April"), label = "name")
  table <- read_back(got$out)
  expect_equal(table$active, expected$active)
  expect_identical(table$label, expected$label)
  expect_identical(table$total, expected$total)
  expect_match(got$notes, "last day not counted")
  expect_match(got$notes, "1 record set aside; [0-9]+ left out|none set aside; [0-9]+ left out")
})

test_that("scaffolds, periods, own dates and tables of periods", {
  rows <- run("scaffold", demo_file(), declared, "--key", "observer", "--by", "month", "--rule",
              "last_day", "--carry", "station", "--to", "2026-06-30")
  expected <- scaffold(demo_staff(), rule = "last_day", carry = station, to = "2026-06-30")
  expect_identical(read_back(rows$out)$days, expected$days)
  full <- run("scaffold", demo_file(), declared, "--key", "observer", "--every-period", "--by", "year")
  expect_identical(sum(read_back(full$out)$present), sum(scaffold(demo_staff(), by = "year", every_period = TRUE)$present))
  file <- withr::local_tempfile(fileext = ".csv")
  listed <- run("periods", "--by", "week", "--from", "2026-01-01", "--to", "2026-02-01", "--week-starts",
                "7", "--weekend", "Friday,Saturday", "--holidays", "2026-01-06", "--out", file)
  expect_identical(listed$out, character())
  weeks <- data.table::fread(file)
  expect_identical(weeks$working_days[1:2], c(5L, 4L))
  counted <- run("active", demo_file(), declared, "--by", file, "--rule", "last_day")
  dated <- run("active", demo_file(), declared, "--on", paste(weeks$period_end, collapse = ","))
  expect_identical(read_back(counted$out)$active, read_back(dated$out)$active)
})

test_that("codes stay as they are written, and instants carry their offset", {
  file <- withr::local_tempfile(fileext = ".csv")
  writeLines(c("who,from,to", "007,2026-03-29 00:30,2026-03-29 03:30", "7,2026-03-29 01:00,2026-03-29 01:30"), file)
  got <- run("active", file, "--start", "from", "--end", "to", "--group", "who", "--by", "hour", "--tz",
             "Europe/Vienna", "--key", "who", "--as-of", "2026-03-31")
  table <- data.table::fread(text = got$out, colClasses = "character")
  expect_identical(unique(table$who), c("007", "7"))
  expect_identical(table$period[1:3], c("2026-03-29T00:00:00+01:00", "2026-03-29T01:00:00+01:00",
                                        "2026-03-29T03:00:00+02:00"))
  writeLines(c("who,from", "9,2026-01-01", "10,2026-01-02"), file)
  numbers <- run("active", file, "--start", "from", "--one-day", "--group", "who", "--by", "year")
  expect_identical(read_back(numbers$out)$who, c(9L, 10L))
  there <- run("active", file, "--start", "from", "--all-open", "--by", "day", "--as-of", "2026-01-03")
  expect_identical(read_back(there$out)$active, c(1L, 2L, 2L))
})

test_that("figures are drawn in the three formats", {
  for (ending in c("png", "svg", "pdf")) {
    file <- withr::local_tempfile(fileext = paste0(".", ending))
    got <- run("active", demo_file(), declared, "--by", "quarter", "--figure", file)
    expect_identical(got$status, 0L)
    expect_gt(file.size(file), 4000)
  }
})

test_that("wrong command lines say what is wrong in one line, with the way out, and status 2", {
  base <- c("active", demo_file(), declared)
  wrong <- list(
    list("activ", "Did you mean `ridge active`"),
    list(c("help", "scafold"), "Did you mean `ridge help scaffold`"),
    list("active", "Name a file of records, or several"),
    list(c("active", demo_file()), "`--start` must name"),
    list(c("active", demo_file(), "--start", "first_day"), "Say one of `--end COLUMN`"),
    list(c(base, "--one-day"), "Say one of `--end COLUMN`"),
    list(c(base, "--grup", "station"), "Did you mean `--group`"),
    list(c(base, "--group"), "`--group` needs a value"),
    list(c(base, "--group", "statoin"), "Did you mean \"station\""),
    list(c(base, "--rule", "anyday"), "Did you mean \"any_day\""),
    list(c(base, "--by", "moth"), "Did you mean \"month\""),
    list(c(base, "--from", "soon"), "--from must be a date such as"),
    list(c(base, "--on", "2026-01-01", "--by", "month"), "--on and --by cannot go together"),
    list(c(base, "--keep", "station"), "takes COLUMN=VALUE"),
    list(c(base, "--keep", "sation=Whinfell"), "Did you mean \"station\""),
    list(c(base, "--tz", "Mars"), "--tz must be a time zone"),
    list(c(base, "--out", "counts.docx"), "must end in"),
    list(c(base, "--figure", "no-such-folder/a.png"), "there is no folder"),
    list(c(base, "--of", "keys"), "needs a key"),
    list(c(base, "--week-starts", "Sonntag"), "does not know \"Sonntag\""),
    list(c("periods", "--by", "month"), "--from and --to must name"),
    list("periods", "needs `--by`")
  )
  for (case in wrong) {
    got <- run(case[[1]])
    expect_identical(got$out, character())
    expect_length(got$notes, 1)
    expect_match(got$notes, case[[2]], fixed = TRUE)
    expect_identical(got$status, 2L, label = case[[2]])
  }
})

test_that("files that cannot be used say why in one line, with status 1", {
  write_file <- function(content) {
    file <- withr::local_tempfile(fileext = ".csv", .local_envir = parent.frame(2))
    if (is.raw(content)) writeBin(content, file) else writeLines(content, file)
    file
  }
  set.seed(1)
  wrong <- list(
    list("no-such-file.csv", "There is no file"),
    list(withr::local_tempdir(), "no file whose ending"),
    list(write_file(character()), "is empty"),
    list(write_file("from,to"), "holds no records"),
    list(write_file(as.raw(sample(0:255, 9000, replace = TRUE))), "NUL bytes"),
    list(write_file(c("from,to", "2026-01-01,2026-02-01", "2026-01-01")), "cannot be read as CSV"),
    list(write_file(c("from,to", "\"a,2026-01-01", "b\"c,2026-01-01")), "cannot be read as CSV"),
    list(write_file(c("from,to", "03/04/2026,2026-05-01")), "3 April 2026 or 4 March 2026"),
    list(write_file(c("from,to", "2026-05-01,2026-04-01")), "is before the start"),
    list(write_file(c("from,to", "20260501,20260601")), "must hold dates"),
    list(write_file(c("from,to", "2026-05-01,9999-12-31")), "say --means-open 9999-12-31")
  )
  for (case in wrong) {
    got <- run("active", case[[1]], "--start", "from", "--end", "to")
    expect_length(got$notes, 1)
    expect_match(got$notes, case[[2]], fixed = TRUE)
    expect_identical(got$status, 1L, label = case[[2]])
  }
  long <- write_file(c("from,to", "1600-01-01 00:30,9599-12-31 00:00"))
  hours <- run("active", long, "--start", "from", "--end", "to", "--by", "hour", "--as-of", "9599-12-31", "--tz", "UTC")
  expect_match(hours$notes, "70,126,560 periods of one hour|are too many")
  expect_identical(hours$status, 1L)
  nothing <- run("active", demo_file(), declared, "--keep", "station=Nowhere")
  expect_match(nothing$notes, "leave none of the 633 records", all = FALSE)
})

test_that("the program pipes, answers and exits as it should", {
  skip_on_os("windows")
  piped <- run_program(c("active", "-", declared, "--by", "year"), input = readLines(demo_file()))
  direct <- run("active", demo_file(), declared, "--by", "year")
  expect_identical(piped$out, direct$out)
  expect_identical(run_program("--version")$out, paste("ridge", utils::packageVersion("almanacridge")))
  expect_identical(run_program(c("active", "nothing.csv"))$status, 2L)
  expect_match(run_program("help")$out[1], "^ridge: daily to yearly answers")
  plotting <- sprintf("almanacridge::run_ridge(c('periods', '--by', 'year', '--from', '2026-01-01', '--to', '2026-01-01')); cat('%s' %%in%% loadedNamespaces())", "ggplot2")
  out <- system2(file.path(R.home("bin"), "Rscript"), c("-e", shQuote(plotting)), stdout = TRUE, stderr = FALSE,
                 env = paste0("R_LIBS=", shQuote(paste(.libPaths(), collapse = .Platform$path.sep))))
  expect_identical(out[length(out)], "FALSE")
})

test_that("a reader who stops early is no error", {
  skip_on_os("windows")
  script <- system.file("exec", "ridge", package = "almanacridge")
  err <- withr::local_tempfile()
  libraries <- paste(.libPaths(), collapse = .Platform$path.sep)
  withr::local_envvar(R_LIBS = libraries)
  out <- system(paste(shQuote(script), "help active 2>", shQuote(err), "| head -n 1"), intern = TRUE)
  expect_match(out, "^ridge active FILE")
  expect_identical(readLines(err), character())
})

test_that("the demo walks through and leaves a table and a picture", {
  withr::local_dir(withr::local_tempdir())
  got <- run("demo")
  expect_identical(got$status, 0L)
  expect_true(file.exists("ridge-demo/active-by-month.png"))
  table <- data.table::fread("ridge-demo/active-by-month.csv")
  expect_identical(table$active, active(demo_staff(), by = "month", to = "2026-06-30")$active)
  expect_match(got$notes, "all tie to the source", all = FALSE)
  expect_identical(sum(grepl("^\\S+ [0-9]+[.] [A-Z]", got$out)), length(first_commands()) + 1L)
  skip_if_no_reports()
  told <- jsonlite::read_json("ridge-demo/edition/edition.json")
  expect_true(told$ok)
  expect_identical(told$compared_with, "2026-05-31")
  expect_match(got$out, "^The report: +open ridge-demo/edition/index.html", all = FALSE)
})

test_that("every command that the demo shows can be typed as it stands", {
  withr::local_dir(withr::local_tempdir())
  shown <- run("demo", "--more")$out
  expect_identical(sum(grepl("^> ridge ", shown)), length(more_commands()))
  for (words in c("night_hours", "OB-1541.*Tarn Head", "share_within", "F-0001.*2025-10-17", "2025-P12", "end_changed")) {
    expect_match(shown, words, all = FALSE)
  }
  text <- paste(shown, collapse = "\n")
  commands <- regmatches(text, gregexpr("> ridge (.|\n)*?[^\\\\](?=\n)", text, perl = TRUE))[[1]]
  expect_length(commands, length(more_commands()))
  setwd("ridge-demo")
  unlink("held.csv")
  for (command in commands) {
    words <- scan(text = gsub("\\\\\n", " ", sub("^> ridge ", "", command)), what = "", quote = "'\"", quiet = TRUE)
    # A check tells of errors in the lists; all others are done.
    expect_identical(run(words)$status, if (words[1] == "check") 1L else 0L, label = command)
  }
})

test_that("the demo in R ties too, and there is more of it", {
  withr::local_dir(withr::local_tempdir())
  first <- run("demo", "--in-r")$out
  expect_match(first, "all tie to the source", all = FALSE)
  expect_identical(sum(grepl("^\\S+ [0-9]+[.] [A-Z]", first)), length(first_steps()))
  more <- run("demo", "--in-r", "--more")
  expect_identical(more$status, 0L)
  for (words in c("night_hours", "Longest stretch", "Overlaps per instrument", "working hours of each record", "Half have ended by", "not begun by then")) {
    expect_match(more$out, words, all = FALSE)
  }
  expect_identical(run("demo", "--all")$status, 2L)
})

test_that("help names every option of every command", {
  for (command in c("active", "scaffold", "periods", "demo")) {
    page <- run("help", command)
    expect_identical(page$status, 0L)
    expect_identical(run(command, "--help")$out, page$out)
  }
  expect_true(any(grepl("--leave-out COLUMN=VALUE", run("help", "active")$out, fixed = TRUE)))
})

test_that("install_ridge() puts a program that can be run where it is told", {
  skip_on_os("windows")
  folder <- withr::local_tempdir()
  expect_message(path <- install_ridge(folder), "Installed")
  expect_identical(file.access(path, 1), c(0L), ignore_attr = TRUE)
  expect_message(install_ridge(folder), "PATH")
  expect_error(install_ridge(c("a", "b")), "one folder")
  expect_error(install_ridge("/proc/nowhere"), "nothing can be written")
})

test_that("the commands of ranges give what R gives", {
  folder <- system.file("extdata", package = "almanacridge")
  loans <- c(file.path(folder, "instrument_loans.csv"), "--start", "lent_on", "--end", "returned_on", "--key", "instrument",
             "--end-counts", "no", "--as-of", "2026-06-30")
  x <- spans(demo_records("instrument_loans"), lent_on, returned_on, key = instrument, end_counts = FALSE, as_of = "2026-06-30")
  same <- function(args, result) {
    got <- run(args)
    expect_identical(got$status, 0L, label = args[1])
    table <- utils::read.csv(text = got$out)
    expect_identical(names(table), names(result), label = args[1])
    for (name in names(result)) expect_identical(as.character(table[[name]]), as.character(result[[name]]), label = paste(args[1], name))
    expect_true(conventions(result) %in% got$notes)
  }
  same(c("consecutive", loans, "--longest", "--tolerance", "2"), consecutive(x, tolerance = 2, longest = TRUE))
  same(c("consecutive", loans, "--per", "none", "--working"), consecutive(x, per = NULL, calendar = calendar_rules()))
  same(c("gaps", loans, "--min-days", "20", "--edges", "--from", "2025-07-01"), gaps(x, min_days = 20, edges = TRUE, from = "2025-07-01"))
  same(c("overlaps", loans), overlaps(x))
  same(c("overlaps", loans, "--differing", "borrower", "--per", "none", "--total"), overlaps(x, per = NULL, differing = borrower, total = TRUE))
  same(c("concurrency", loans, "--group", "borrower"), concurrency(x, group = borrower))
  same(c("peaks", loans, "--capacity", "10"), peaks(x, capacity = 10))
  same(c("roster", loans, "--on", "2026-05-01", "--group", "borrower"), roster(x, on = "2026-05-01", group = borrower))
  same(c("explain-count", loans, "--on", "2026-05-01,2026-05-31", "--rule", "every_day"), explain_count(x, on = c("2026-05-01", "2026-05-31"), rule = "every_day"))
  same(c("explain-count", loans, "--show", "records"), explain_count(x, show = "records"))
})

test_that("wrong options of the commands of ranges are told", {
  loans <- c(system.file("extdata", "instrument_loans.csv", package = "almanacridge"), "--start", "lent_on", "--end", "returned_on")
  expect_match(run("gaps", loans, "--min-days", "x")$notes, "--min-days` takes a number")
  expect_match(run("consecutive", loans, "--tolerance=-1")$notes, "0 or more")
  expect_match(run("overlaps", loans, "--diffring", "x")$notes, "Did you mean `--differing`")
  expect_match(run("overlaps", loans, "--differing", "whom")$notes, "no column \"whom\"")
  expect_match(run("roster", loans, "--on", "someday")$notes, "--on must be a date")
  expect_identical(run("concurrency", loans, "--of", "keys")$status, 2L)
})

test_that("jobs are stopped where they ask for it, and are told nothing but errors", {
  file <- system.file("extdata", "postings.csv", package = "almanacridge")
  declared <- c(file, "--start", "first_day", "--end", "last_day", "--key", "observer", "--as-of", "2026-06-30")
  quiet <- run("active", declared, "--by", "year", "--quiet", "--fail-on", "untied,empty")
  expect_identical(quiet$status, 0L)
  expect_identical(quiet$notes, character())
  expect_identical(quiet$out, run("active", declared, "--by", "year")$out)
  expect_gt(length(run("active", declared, "--by", "year")$notes), 0)
  none <- run("gaps", declared, "--min-days", "99999", "--fail-on", "empty", "--quiet")
  expect_identical(none$status, 1L)
  expect_identical(none$notes, "ridge: the table has no rows.")
  expect_identical(run("gaps", declared, "--min-days", "99999")$status, 0L)
  loans <- system.file("extdata", "instrument_loans.csv", package = "almanacridge")
  checked <- c("check", loans, "--start", "lent_on", "--end", "returned_on", "--key", "instrument", "--end-counts", "no", "--as-of", "2026-06-30")
  expect_identical(run(checked)$status, 0L)
  expect_identical(run(checked, "--fail-on", "warning")$status, 1L)
  expect_match(run("active", declared, "--fail-on", "warning")$notes, "takes empty or untied, not", all = FALSE)
  expect_match(run(checked, "--fail-on", "empty")$notes, "takes error or warning, not", all = FALSE)
  expect_match(run("active", declared, "--quiet", "--by", "fortnight")$notes, "^ridge: ", all = FALSE)
})
