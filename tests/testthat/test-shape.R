# A table on its way out: ordered, cut, its columns chosen and named.

declared <- c("--start", "first_day", "--end", "last_day", "--as-of", "2026-06-30", "--key", "observer")
file <- function() file.path(demo_folder(), "postings.csv")
demo_folder <- function() system.file("extdata", package = "almanacridge")
table_of <- function(got) utils::read.csv(text = got$out, check.names = FALSE)

test_that("rows are ordered, from the highest too, and cut; the line says how many are left", {
  got <- run("active", file(), declared, "--group", "station", "--by", "month", "--from", "2026-05-01",
             "--sort", "active:down,station", "--limit", "5")
  all <- active(demo_staff(), group = station, from = "2026-05-01")
  plain <- as.data.frame(all)
  expected <- plain[order(-plain$active, plain$station, method = "radix"), ][1:5, ]
  expect_identical(table_of(got)$active, expected$active)
  expect_identical(table_of(got)$station, as.character(expected$station))
  expect_match(got$notes, "5 of 16 rows", all = FALSE)
  up <- run("active", file(), declared, "--by", "year", "--sort", "active:up")
  expect_false(is.unsorted(table_of(up)$active))
  whole <- run("active", file(), declared, "--by", "year", "--limit", "500")
  expect_identical(nrow(table_of(whole)), 8L)
})

test_that("missing values come last, whichever way; ties keep their order", {
  source <- withr::local_tempfile(fileext = ".csv", lines = c("who,n", "a,2", "b,", "c,10", "d,2"))
  expect_identical(table_of(run("records", source, "--sort", "n"))$who, c("a", "d", "c", "b"))
  expect_identical(table_of(run("records", source, "--sort", "n:down"))$who, c("c", "a", "d", "b"))
})

test_that("columns are chosen in the order asked, named anew, and may be both in one go", {
  got <- run("active", file(), declared, "--by", "year", "--select", "active,period", "--rename", "active=observers",
             "--rename", "period=year")
  expect_named(table_of(got), c("observers", "year"))
  expect_match(got$notes, "active on any day of the year", all = FALSE)
  expect_identical(table_of(got)$observers, active(demo_staff(), by = "year")$active)
  wide <- run("active", file(), declared, "--by", "year", "--group", "station", "--wide", "--select", "2026,station")
  expect_named(table_of(wide), c("2026", "station"))
  records <- run("records", file(), "--select", "observer,share", "--rename", "observer=who", "--limit", "2")
  expect_identical(dim(table_of(records)), c(2L, 2L))
  expect_named(table_of(records), c("who", "share"))
})

test_that("a result so chosen still ties as a whole, and a job still sees an empty table", {
  got <- run("active", file(), declared, "--by", "year", "--select", "active", "--limit", "1", "--reconcile")
  expect_identical(got$status, 0L)
  expect_match(got$notes, "all tie to the source", all = FALSE)
  text <- run("elapsed", file(), declared, "--text", "--sort", "days:down", "--limit", "2", "--select", "days,text")
  days <- sort(elapsed(demo_staff())$days, decreasing = TRUE)[1:2]
  expect_equal(table_of(text)$days, days)
  expect_match(table_of(text)$text, " days?$")
})

test_that("what is not there, or would be twice, is refused before anything is written", {
  out <- withr::local_tempfile(fileext = ".csv", lines = "old")
  refused <- function(words, ...) {
    got <- run("active", file(), declared, "--by", "year", "--out", out, ...)
    expect_identical(got$status, 2L)
    expect_match(got$notes, words, all = FALSE)
    expect_identical(readLines(out), "old")
  }
  refused("--sort: there is no column \"activ\".*Did you mean \"active\"", "--sort", "activ")
  refused("--select: there is no column \"x\"", "--select", "x")
  refused("--rename: there is no column \"x\"", "--rename", "x=y")
  refused("two columns would be called \"period\"", "--rename", "active=period")
  refused("takes COLUMN=NAME, such as `--rename active=observers`", "--rename", "active")
  refused("--limit` takes a whole number of rows from 1, not 0", "--limit", "0")
  refused("--limit` takes a whole number of rows from 1, not 1.5", "--limit", "1.5")
  refused("--limit` takes a number", "--limit", "x")
})

test_that("a file is not replaced by less than was in it", {
  source <- withr::local_tempfile(fileext = ".csv")
  file.copy(file(), source)
  before <- tools::md5sum(source)
  for (asked in list(c("--limit", "3"), c("--select", "observer"))) {
    got <- run("records", source, "--out", source, asked)
    expect_identical(got$status, 2L)
    expect_match(got$notes, "would be lost", all = FALSE)
    expect_identical(tools::md5sum(source), before)
  }
  sorted <- run("records", source, "--out", source, "--sort", "share")
  expect_identical(sorted$status, 0L)
  expect_false(is.unsorted(utils::read.csv(source)$share))
})

test_that("an option may be shortened while it is clear, and behind -- words are files", {
  short <- run("active", file(), "--start", "first_day", "--end", "last_day", "--as-of", "2026-06-30", "--ru", "last_day", "--by", "year",
               "--gr=station")
  expect_identical(table_of(short)$active, active(spans(demo_records("postings"), first_day, last_day, as_of = "2026-06-30"),
                                                  "year", group = station, rule = "last_day")$active)
  expect_match(run("active", file(), "--sta", "x")$notes, "`--sta` is the beginning of several options.*Say `--start` or `--start-clock`")
  expect_match(run("active", file(), "--gruop", "x")$notes, "no option `--gruop`. Did you mean `--group`")
  withr::local_dir(withr::local_tempdir())
  file.copy(file(), "--odd.csv")
  odd <- run("records", "--limit", "1", "--", "--odd.csv")
  expect_identical(odd$status, 0L)
  expect_identical(nrow(table_of(odd)), 1L)
  expect_match(run("active", "--keep")$notes, "`--keep` needs a value")
  expect_match(run("active", "--keep", "--limit")$notes, "`--keep` needs a value")
  expect_match(run("records", file(), "--missing", "-,N/A", "--limit", "1")$notes, "633 records", all = FALSE)
})

# A call of every command that hands over a table.
every_command <- function() {
  at <- function(name) file.path(demo_folder(), name)
  posted <- c(at("postings.csv"), declared)
  mended <- c(at("faults.csv"), "--start", "reported", "--end", "mended", "--key", "fault", "--tz", "Europe/Vienna", "--as-of", "2026-06-30")
  read <- c(at("stake_readings.csv"), "--start", "read_on", "--one-day", "--key", "stake", "--as-of", "2026-06-30")
  lent <- c(at("instrument_loans.csv"), "--start", "lent_on", "--end", "returned_on", "--key", "instrument", "--end-counts", "no", "--as-of", "2026-06-30")
  list(
    active = posted, scaffold = posted, movement = posted, cohorts = c(posted, "--by", "year"),
    allocate = c(at("grants.csv"), "--start", "first_day", "--end", "last_day", "--key", "grant", "--as-of", "2026-06-30", "--amount", "amount"),
    "time-within" = mended, restated = c(posted, "--earlier", at("postings_may.csv"), "--earlier-as-of", "2026-05-31"),
    versus = c(posted, "--by", "year"), periods = c("--by", "month", "--from", "2026-01-01", "--to", "2026-06-30"),
    consecutive = read, gaps = read, "missing-days" = read, overlaps = lent, concurrency = lent, peaks = c(lent, "--capacity", "8"),
    elapsed = mended, "working-days" = posted, due = c(mended, "--after", "3"), "length-of-stay" = posted, roster = posted,
    "explain-count" = posted, check = posted,
    changes = c(at("grade_changes.csv"), "--at", "reached_on", "--key", "observer", "--state", "grade", "--as-of", "2026-06-30"),
    records = at("postings.csv")
  )
}

test_that("every command that hands over a table orders, cuts, chooses and names", {
  asked <- every_command()
  without <- c("begin", "build", "completion", "demo", "help")
  expect_setequal(names(asked), setdiff(names(command_rows()), without))
  for (command in names(asked)) {
    whole <- run(command, asked[[command]])
    table <- table_of(whole)
    last <- names(table)[ncol(table)]
    got <- run(command, asked[[command]], "--sort", paste0(last, ":down"), "--limit", "2", "--select", last, "--rename", paste0(last, "=mine"))
    expect_identical(got$status, whole$status, label = command)
    expect_named(table_of(got), "mine", label = command)
    expect_identical(length(got$out), 1L + min(2L, nrow(table)), label = command)
    quiet <- run(command, asked[[command]], "--limit", "1", "--quiet")
    expect_identical(quiet$notes, character(), label = command)
  }
})

test_that("every command that draws takes a title, and refuses it without a figure", {
  draws <- names(Filter(function(command) "figure" %in% command$options, command_rows()))
  picture <- withr::local_tempfile(fileext = ".png")
  for (command in setdiff(draws, "scaffold")) {
    asked <- every_command()[[command]]
    got <- run(command, asked, "--figure", picture, "--title", "Mine", "--size", "10", "--figure-size", "400x300")
    expect_true(file.exists(picture), label = command)
    expect_match(got$notes, "Figure: ", all = FALSE, label = command)
    unlink(picture)
    expect_identical(run(command, asked, "--title", "Mine")$status, 2L, label = command)
  }
})
