# Several lists on one command line, and two files against each other.

here <- function(name) file.path(system.file("extdata", package = "almanacridge"), paste0(name, ".csv"))
table_of <- function(got) utils::read.csv(text = got$out)
two_lists <- c(here("observers_here"), "--start", "since", "--all-open", "--key", "observer", "--as-of", "2026-06-30",
               "--and", here("observers_left"), "--start", "joined", "--end", "last_day", "--key", "person")
bound <- function() {
  suppressMessages(bind_spans(
    observers_here = spans(demo_records("observers_here"), since, NA, key = observer, as_of = "2026-06-30"),
    observers_left = spans(demo_records("observers_left"), joined, last_day, key = person, as_of = "2026-06-30")))
}

test_that("lists with column names of their own are one, in any command that reads records", {
  got <- run("active", two_lists, "--by", "year", "--group", "source")
  expect_identical(got$status, 0L)
  expect_identical(table_of(got)$active, active(bound(), "year", group = source)$active)
  expect_match(got$notes, "434 records of 2 lists", all = FALSE)
  expect_match(got$notes, "open in one list and ended in another: see `ridge check`", all = FALSE)
  moved <- run("movement", two_lists, "--by", "year", "--reconcile")
  expect_identical(moved$status, 0L)
  expect_identical(table_of(moved)$closing, movement(bound(), "year")$closing)
  against <- run("versus", two_lists, "--by", "year")
  expect_identical(table_of(against)$active, active(bound(), "year")$active)
})

test_that("the question is that of all, wherever it stands", {
  got <- run("active", two_lists, "--by", "year", "--rule", "last_day")
  first <- run("active", "--by", "year", "--rule", "last_day", two_lists)
  expect_identical(got$out, first$out)
})

test_that("check finds what is open in one list and ended in the other", {
  got <- run("check", two_lists)
  expect_identical(got$status, 1L)
  expect_identical(sum(table_of(got)$finding == "open and ended"), nrow(subset(check_spans(bound()), finding == "open and ended")))
})

test_that("a third list, and one that is said in the words of the first", {
  folder <- withr::local_tempdir()
  put <- function(name, ...) {
    path <- file.path(folder, name)
    writeLines(c("who,from,upto", ...), path)
    path
  }
  a <- put("a.csv", "x,2026-01-01,2026-01-10")
  b <- put("b.csv", "y,2026-01-05,")
  c <- put("c.csv", "z,2026-01-07,2026-01-08", "x,2026-01-01,2026-01-10")
  got <- run("active", a, "--start", "from", "--end", "upto", "--key", "who", "--as-of", "2026-01-31", "--and", b, "--and", c,
             "--on", "2026-01-04,2026-01-07")
  expect_identical(table_of(got)$active, c(1L, 3L))
  expect_match(got$notes, "1 record is in two lists: counted once, see `--set-aside FILE`", all = FALSE)
  aside <- file.path(folder, "aside.csv")
  run("active", a, "--start", "from", "--end", "upto", "--key", "who", "--as-of", "2026-01-31", "--and", c, "--set-aside", aside)
  expect_match(utils::read.csv(aside)$reason, "is in \"a\" too, row 1")
  expect_match(run("active", a, "--start", "from", "--end", "upto", "--and", file.path(folder, "none.csv"))$notes, "none.csv", all = FALSE)
  expect_match(run("active", a, "--start", "from", "--end", "upto", "--and", b, "--start", "nope")$notes, "--start: there is no column \"nope\"",
               all = FALSE)
  expect_match(run("records", a, "--and", b)$notes, "has no option `--and`", all = FALSE)
})

test_that("records of two files overlap, with the columns of both", {
  trips <- c(here("field_trips"), "--start", "first_day", "--end", "last_day", "--key", "observer", "--as-of", "2026-06-30")
  got <- run("overlaps", trips, "--with", here("postings"), "--carry", "station,role", "--reconcile")
  away <- spans(demo_records("field_trips"), first_day, last_day, key = observer, as_of = "2026-06-30")
  expected <- overlaps(away, demo_staff(), carry = c(station, role))
  expect_identical(got$status, 0L)
  expect_identical(table_of(got)$days, expected$days)
  expect_identical(table_of(got)$role_b, as.character(expected$role_b))
  other <- withr::local_tempfile(fileext = ".csv")
  renamed <- demo_records("postings")
  names(renamed)[match(c("first_day", "last_day", "observer"), names(renamed))] <- c("begins", "ends", "person")
  write_records(renamed, other)
  own <- run("overlaps", trips, "--with", other, "--with-columns", "begins,ends,person")
  expect_identical(table_of(own)$days, overlaps(away, demo_staff())$days)
  expect_match(run("overlaps", trips, "--with-columns", "a,b,c")$notes, "`--with-columns` plays no part without `--with`")
  expect_match(run("overlaps", trips, "--with", other, "--with-columns", "a,b")$notes, "must name the start, the end and the key")
})

test_that("how_asked() spells the second file, and years of weeks", {
  away <- spans(read_records(here("field_trips")), first_day, last_day, key = observer, as_of = "2026-06-30")
  staff <- spans(read_records(here("postings")), first_day, last_day, key = observer, as_of = "2026-06-30")
  words <- function(text) scan(text = text, what = "", quote = "'\"", quiet = TRUE)[-1]
  pairs <- overlaps(away, staff)
  again <- run(words(how_asked(pairs, as = "command")))
  expect_identical(table_of(again)$days, pairs$days)
  year <- own_periods(pattern = "4-4-5", years = 2025:2026, month = "June", ends = "nearest", extra_week = 3, long_years = 2025)
  counted <- active(staff, by = year, rule = "last_day")
  text <- how_asked(counted, as = "command")
  expect_match(text, "--by 4-4-5 --years 2025-2026 --week-year month=June", fixed = TRUE)
  expect_identical(table_of(run(words(text)))$active, counted$active)
})

test_that("years of weeks on the command line", {
  got <- run("periods", "--by", "5-4-4", "--years", "2025-2026", "--week-year", "month=June", "--week-year", "ends-on=Sunday",
             "--from", "2025-01-01", "--to", "2026-06-30")
  expected <- periods(own_periods(pattern = "5-4-4", years = 2025:2026, month = "June", ends_on = "Sunday"), "2025-01-01", "2026-06-30")
  expect_identical(table_of(got)$period, format(expected$period))
  left <- run("cohorts", here("postings"), "--start", "first_day", "--end", "last_day", "--key", "observer", "--as-of", "2026-06-30",
              "--by", "4-4-5", "--years", "2025-2026")
  expect_match(left$notes, "its periods begin on 2024-12-29, the first record on 2019-01-01. Let them begin earlier, with `--years`", all = FALSE)
  expect_match(run("periods", "--by", "4-4-5")$notes, "`--years` takes the first and the last year")
  expect_match(run("periods", "--by", "4-4-5", "--years", "soon")$notes, "not \"soon\"")
  expect_match(run("periods", "--by", "month", "--years", "2025")$notes, "--years plays no part without a year of weeks")
  expect_match(run("periods", "--by", "4-4-5", "--years", "2025", "--week-year", "moth=June")$notes, "`--week-year` knows ends-on")
  expect_match(run("periods", "--by", "4-4-5", "--years", "2025", "--week-year", "ends=soon")$notes, "--week-year must be one of")
})

test_that("how_asked() spells lists that were bound, in R and as a command", {
  here <- spans(suppressMessages(read_records(here("observers_here"))), since, NA, key = observer, as_of = "2026-06-30")
  left <- spans(suppressMessages(read_records(here_file <- file.path(system.file("extdata", package = "almanacridge"), "observers_left.csv"))),
                joined, last_day, key = person, as_of = "2026-06-30")
  both <- suppressMessages(bind_spans(observers_here = here, observers_left = left))
  counted <- active(as_seen_on(both, "2026-01-31"), "year", group = source)
  again <- suppressMessages(eval(parse(text = how_asked(counted))))
  expect_identical(tibble::as_tibble(again), tibble::as_tibble(counted))
  text <- how_asked(counted, as = "command")
  expect_match(text, "--all-open --key observer --as-of 2026-06-30 --seen-on|--and .*observers_left.csv --start joined --end last_day --key person")
  words <- scan(text = sub("^# [^\n]*\n", "", text), what = "", quote = "'\"", quiet = TRUE)[-1]
  expect_identical(table_of(run(words))$active, counted$active)
  named <- suppressMessages(bind_spans(a = here, b = left))
  expect_error(how_asked(active(named, group = source), as = "command"), "cannot be given `group`", class = "ridge_error_argument")
  expect_match(how_asked(active(named), as = "command"), "--and ")
})

test_that("lists are bound on both sides of a comparison with an earlier export, and set aside together", {
  folder <- withr::local_tempdir()
  put <- function(name, ...) {
    path <- file.path(folder, name)
    writeLines(c(...), path)
    path
  }
  here <- put("here.csv", "who,from,upto", "a,2026-01-01,", "b,2026-01-05,", ",2026-01-07,")
  gone <- put("gone.csv", "person,began,ended", "c,2025-11-01,2026-01-10", "d,2025-12-01,2025-11-01")
  asked <- c(here, "--start", "from", "--end", "upto", "--key", "who", "--as-of", "2026-01-31")
  bound <- c("--and", gone, "--start", "began", "--end", "ended", "--key", "person")
  refused <- run("active", asked, bound)
  expect_identical(refused$status, 1L)
  expect_match(refused$notes, "Row 3", all = FALSE)
  aside <- file.path(folder, "aside.csv")
  got <- run("active", asked, bound, "--set-aside", aside, "--on", "2026-01-08", "--reconcile")
  expect_identical(got$status, 0L)
  expect_identical(table_of(got)$active, 3L)
  expect_identical(utils::read.csv(aside)$source, c("here", "gone"))
  few <- run("active", asked, bound, "--set-aside", aside, "--where", "from >= \"2026-01-05\"", "--on", "2026-01-08")
  expect_identical(few$status, 2L)
  expect_match(few$notes, "from", all = FALSE)
  chosen <- run("active", asked, bound, "--where", "!is.na(person) & person == \"c\"", "--keep", "who=a", "--set-aside", aside)
  expect_identical(chosen$status, 2L)
  own <- run("active", asked, "--keep", "who=a", bound, "--keep", "person=c", "--on", "2026-01-08")
  expect_identical(table_of(own)$active, 2L)
  earlier <- put("before.csv", "who,from,upto", "a,2026-01-01,")
  told <- run("restated", asked, "--keep", "who=a", "--keep", "who=b", bound, "--keep", "person=c", "--earlier", earlier, "--earlier-as-of", "2026-01-20",
              "--from", "2026-01-01", "--reconcile")
  expect_identical(told$status, 0L)
  expect_identical(table_of(told)$now, 3L)
  expect_identical(table_of(told)$before, 1L)
})

test_that("what cannot be laid out wide, and routes of records, are told in the words of a command", {
  posted <- c(here("postings"), "--start", "first_day", "--end", "last_day", "--key", "observer", "--as-of", "2026-06-30")
  for (asked in list(c("elapsed", posted, "--wide"), c("active", posted, "--show", "records", "--wide"))) {
    got <- run(asked)
    expect_identical(got$status, 2L)
    expect_match(got$notes, "`--wide` lays out results by period, and this table is none. Leave it out", all = FALSE)
  }
  routes <- run("movement", posted, "--show", "routes", "--of", "records", "--group", "station")
  expect_match(routes$notes, "Name --group and a key; records only start and end.", all = FALSE)
})

test_that("a column that the second file calls otherwise is told with its file and the way out", {
  trips <- c(here("field_trips"), "--start", "first_day", "--end", "last_day", "--key", "observer", "--as-of", "2026-06-30")
  got <- run("overlaps", trips, "--with", here("instrument_loans"))
  expect_identical(got$status, 2L)
  expect_match(got$notes, "instrument_loans.csv': --start: there is no column \"first_day\".*--with-columns", all = FALSE)
  got <- run("active", trips, "--less", here("instrument_loans"))
  expect_match(got$notes, "instrument_loans.csv': .*--less-columns", all = FALSE)
  got <- run("active", trips, "--and", here("observers_left"))
  expect_match(got$notes, "observers_left.csv': --start: there is no column \"first_day\".*behind `--and .*observers_left.csv`", all = FALSE)
  expect_match(run("active", trips, "--strat", "x")$notes, "Did you mean `--start`")
  expect_match(run("periods", "--by", "4-4-5", "--years", "2026-2024")$notes, "the first year, 2026, is after the last, 2024")
  expect_match(run("due", here("faults"), "--start", "reported", "--key", "fault", "--tz", "UTC", "--after", "soon")$notes,
               "--after: there is no column \"soon\"", all = FALSE)
  expect_match(run("records", here("faults"), "--rename", "fault=a", "--rename", "fault=b")$notes, "gives \"fault\" two names: \"a\" and \"b\"", all = FALSE)
})
