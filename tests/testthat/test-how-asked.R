# A question is spelled in R and asked again; a command is typed and gives the same table.

demo_file <- function(set) {
  path <- paste0(set, ".csv")
  if (!file.exists(path)) data.table::fwrite(demo_records(set), path)
  path
}

file_staff <- function(...) {
  spans(read_records(demo_file("postings"), ...), first_day, last_day, key = observer,
        weight = share, as_of = "2026-12-31")
}

asked_again <- function(text) eval(parse(text = text), new.env(parent = globalenv()))

# The words of a command line, as a shell would part them.
typed <- function(text) {
  words <- scan(text = text, what = "", quiet = TRUE, sep = " ", quote = "'")
  words[words != ""]
}

expect_asked_again <- function(result) {
  text <- how_asked(result)
  again <- asked_again(text)
  expect_identical(as.data.frame(again), as.data.frame(result), label = text)
  expect_identical(conventions(again), conventions(result), label = text)
}

expect_typed <- function(result) {
  text <- how_asked(result, as = "command")
  got <- run(c(typed(text)[-1], "--out", "typed.csv"))
  expect_identical(got$status, 0L, label = text)
  want <- "want.csv"
  write_records(result, want)
  expect_identical(readLines("typed.csv"), readLines(want), label = text)
}

questions <- function(s) {
  cal <- calendar_rules(weekend = "Sunday", holidays = c("2026-01-01", "2026-05-01"),
                        hours = c("08:00", "16:00"))
  week <- calendar_rules(weekend = NULL, every_year = "12-25")
  list(
    active(s, "quarter", group = station, rule = "last_day", total = TRUE, from = "2025-01-01"),
    active(s, on = c("2025-01-01", "2026-06-30"), of = "weight"),
    active(s, "month", group = c(station, role), from = "2026-01-01", to = "2026-03-31",
           calendar = calendar_rules(year_starts = "July")),
    widen(allocate(s, share, by = "year", group = station, open_to_as_of = TRUE),
          sums = "both"),
    versus(active(s, "month", group = station, from = "2026-01-01"), against = "year_before"),
    versus(active(s, "month", group = station, from = "2026-01-01"), against = "Whinfell"),
    versus(movement(s, "quarter", from = "2025-01-01"), against = "period_before",
           values = "started"),
    scaffold(s, "quarter", of = "keys", rule = "every_day", from = "2025-01-01"),
    scaffold(s, "year", every_period = TRUE, of = "keys"),
    movement(s, "quarter", group = station, returns = TRUE, rates = TRUE, from = "2025-01-01"),
    cohorts(s, "year", rule = "last_day", returns = FALSE),
    allocate(s, share, by = "year", basis = "period", digits = 2, total = TRUE,
             open_to_as_of = TRUE),
    gaps(s, edges = TRUE, min_days = 3),
    gaps(s, per = NULL, calendar = week),
    consecutive(s, same = station, tolerance = 2, calendar = cal),
    overlaps(s, differing = station),
    missing_days(s, expected = c("2026-06-01", "2026-06-08"), from = "2026-06-01"),
    concurrency(s, group = station, from = "2026-01-01"),
    peaks(s, group = station, capacity = 2),
    elapsed(s, unit = "hours", calendar = cal),
    length_of_stay(s, group = station),
    explain_count(s, on = "2026-01-01"),
    roster(s, on = c("2026-01-01", "2026-03-31"), rule = "first_day", group = role)
  )
}

test_that("every question is spelled in R and, asked again, gives the same result", {
  withr::local_dir(withr::local_tempdir())
  for (result in questions(file_staff(keep = list(role = c("Observer", "trainee"))))) {
    expect_asked_again(result)
  }
})

test_that("every question is spelled as a command that gives the same table", {
  withr::local_dir(withr::local_tempdir())
  for (result in questions(file_staff(leave_out = list(station = "Tarn Head")))) {
    expect_typed(result)
  }
})

test_that("moments, bands, zones, open records and tables without an end come back too", {
  withr::local_dir(withr::local_tempdir())
  shifts <- data.frame(
    "who works" = c("a", "b", "a"), start = c("2026-03-28 21:00", "2026-03-29 01:30", "2026-04-02 00:00"),
    end = c("2026-03-29 06:00", "2026-03-29 03:30", NA), check.names = FALSE)
  data.table::fwrite(shifts, "shift list.csv")
  vienna <- "Europe/Vienna"
  in_utc <- spans(read_records("shift list.csv"), start, end, tz = vienna, as_of = "2026-04-03")
  expect_asked_again(active(in_utc, "day"))
  expect_error(how_asked(active(in_utc, "day"), "command"), "`tz`", class = "ridge_error_argument")
  x <- spans(read_records("shift list.csv", tz = vienna), start, end, key = "who works",
             as_of = "2026-04-03")
  office <- calendar_rules(weekend = c("Tuesday", "Wednesday", "Friday", "Sunday"),
                           hours = list(Monday = c("08:00", "12:00"), Thursday = c("09:00", "17:00"),
                                        Saturday = c("18:00", "24:00")))
  moments <- list(
    active(x, "6 hours", of = "records"),
    time_within(x, "day", bands = list(night = c("22:00", "06:00"), weekend = c("Saturday", "Sunday"))),
    elapsed(x, calendar = office, unit = "hours", day_hours = 6),
    gaps(x, edges = TRUE, from = "2026-03-28", to = "2026-04-03"))
  writeLines(c("on", "03/04/2026", "05/04/2026"), "days.csv")
  days <- spans(read_records("days.csv", date_order = "dmy"), on, NULL, as_of = "2026-05-01")
  open <- spans(read_records("days.csv", date_order = "mdy", format = "csv", encoding = "Latin-1"),
                on, NA, as_of = "2026-05-05")
  days <- list(active(days, "day", from = "2026-04-01", to = "2026-04-07"), active(open, "day"))
  for (result in c(moments, days)) {
    expect_asked_again(result)
    expect_typed(result)
  }
})

test_that("what was known on a day, rows dropped and rows chosen are told", {
  withr::local_dir(withr::local_tempdir())
  s <- file_staff()
  back <- as_seen_on(s, "2025-06-30")
  expect_asked_again(active(back, "year"))
  expect_typed(active(back, "year"))
  some <- active(s[s$role %in% "trainee", ], "year")
  expect_match(how_asked(some), "^# \\d+ of 633 records were dropped first\n")
  saved <- withr::local_tempfile(fileext = ".rds")
  saveRDS(active(s, "year"), saved)
  read <- readRDS(saved)
  expect_error(how_asked(read), "whose records are known.*`source`", class = "ridge_error_argument")
  expect_identical(how_asked(read, source = s), how_asked(active(s, "year")))
  # Records that were changed since are not those of the file.
  records <- read_records("postings.csv")
  records$role <- toupper(records$role)
  changed <- active(spans(records, first_day, last_day, key = observer), "year")
  expect_match(how_asked(changed), "^records [|]>")
})

test_that("what a command cannot ask is said", {
  s <- file_staff()
  own <- active(s, own_periods(as.Date("2026-01-01"), as.Date("2026-02-15")))
  expect_match(how_asked(own), "own_periods(", fixed = TRUE)
  expect_error(how_asked(own, "command"), "cannot be given", class = "ridge_error_argument")
  shift <- data.frame(s = as.POSIXct("2026-04-03 09:00", tz = "UTC"), e = as.POSIXct(NA, tz = "UTC"))
  at_noon <- active(spans(shift, s, e, as_of = as.POSIXct("2026-04-03 12:00", tz = "UTC")), "hour")
  expect_identical(as.data.frame(eval(parse(text = how_asked(at_noon)))), as.data.frame(at_noon))
  expect_error(how_asked(at_noon, "command"), "`as_of`", class = "ridge_error_argument")
  expect_error(how_asked(mtcars), "must be a result", class = "ridge_error_argument")
  expect_error(how_asked(own, "excel"), "must be one of", class = "ridge_error_argument")
})
