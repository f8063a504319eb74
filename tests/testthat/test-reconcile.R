test_that("every verb ties on generated tables, whatever the rule", {
  for (seed in 1:40) {
    set.seed(seed)
    records <- random_records(seed)
    counts <- seed %% 2 == 0
    records <- records[is.na(records$end) | records$end > records$start, ]
    x <- spans(records, start, end, key = who, weight = share, end_counts = counts, as_of = "2024-04-30")
    closed <- spans(transform(records, end = ifelse(is.na(end), start + 30, end) |> as.Date(origin = "1970-01-01"), a = round(runif(nrow(records), -5, 90), 2)),
                    start, end, key = who, end_counts = counts, as_of = "2024-04-30")
    rule <- count_rules <- c("any_day", "first_day", "last_day", "every_day", "mean_day", "peak_day")[seed %% 6 + 1]
    for (of in c("keys", "records", "weight")) {
      expect_ties(active(x, "month", group = site, rule = rule, of = of, total = TRUE, to = "2024-06-30", from = "2024-01-01"), label = paste("active", seed, of))
    }
    expect_ties(scaffold(x, "week", from = "2024-02-01", to = "2024-05-31"), label = paste("scaffold", seed))
    expect_ties(scaffold(x, "month", every_period = TRUE, from = "2024-02-01", to = "2024-05-31"), label = paste("full", seed))
    for (basis in c("day", "period")) {
      expect_ties(allocate(closed, a, basis = basis, digits = 2, from = "2024-02-01", to = "2024-03-31"), label = paste("allocate", basis, seed))
      expect_ties(allocate(closed, a, basis = basis, group = site, from = "2024-02-01", to = "2024-03-31"), label = paste("totals", basis, seed))
    }
    expect_ties(allocate(closed, a, digits = 2), label = paste("whole", seed))
    expect_ties(allocate(x, share, spread = "repeat", rule = c("any_day", "first_day", "last_day", "every_day")[seed %% 4 + 1], to = "2024-06-30", from = "2024-01-01"), label = paste("due", seed))
    office <- calendar_rules(hours = c("09:00", "17:30"), holidays = "2024-04-01")
    expect_ties(time_within(x, group = site, calendar = office, to = "2024-03-31", from = "2024-02-01"), label = paste("time", seed))
    expect_ties(elapsed(x, "hours", office), label = paste("elapsed", seed))
    expect_ties(working_days(x, calendar = office), label = paste("working days", seed))
    expect_ties(consecutive(x), label = paste("stretches", seed))
    expect_ties(gaps(x), label = paste("gaps", seed))
    expect_ties(overlaps(x), label = paste("pairs", seed))
    expect_ties(concurrency(x, group = site), label = paste("levels", seed))
    expect_ties(peaks(x), label = paste("peaks", seed))
    expect_ties(roster(x, on = c("2024-03-01", "2024-03-31"), rule = "every_day"), label = paste("roster", seed))
    expect_ties(explain_count(x, on = "2024-03-15"), label = paste("explain", seed))
    expect_ties(widen(allocate(closed, a, digits = 2, group = site, total = TRUE, from = "2024-02-01", to = "2024-03-31")), label = paste("wide", seed))
  }
})

# A question of every verb, with the options that change what its rows are.
many_results <- function(x, y, closed) {
  working <- calendar_rules(holidays = "2024-04-01")
  office <- calendar_rules(hours = c("09:00", "17:30"))
  days <- almanacridge:::on_days(almanacridge:::timeline_of(x))
  list(
    stretches = consecutive(x, same = site, tolerance = 3), tagged = consecutive(x, same = site, show = "records"), longest = consecutive(x, per = site, longest = TRUE),
    weekdays = if (days) consecutive(x, calendar = working, tolerance = 1), edges = gaps(x, from = "2024-02-01", to = "2024-05-31", edges = TRUE), cut = gaps(x, per = NULL, from = "2024-02-01"),
    working_gaps = if (days) gaps(x, per = site, calendar = working, min_days = 2), missing = if (days) missing_days(x, calendar = working, from = "2024-01-15", to = "2024-05-02"),
    expected = if (days) missing_days(x, per = site, expected = c("2024-02-01", "2024-03-03")), long = overlaps(x, min_days = 3), differing = overlaps(x, per = NULL, differing = site),
    by_key = overlaps(x, total = TRUE), by_pair = overlaps(x, per = NULL, differing = site, total = TRUE), two = overlaps(x, y, per = site), two_total = overlaps(x, y, min_days = 10, total = TRUE),
    weights = concurrency(x, group = site, of = "weight"), cut_levels = concurrency(x, of = "records", from = "2024-02-01", to = "2024-03-31"), above = peaks(x, group = site, of = "records", capacity = 2),
    above_weight = peaks(x, of = "weight", capacity = 1.1), on_day = roster(x, on = "2024-01-30"), whole_month = explain_count(x, on = c("2024-03-01", "2024-03-20"), rule = "every_day"),
    not_counted = explain_count(x, on = c("2024-03-01", "2024-03-20"), rule = "every_day", show = "records"), records = explain_count(x, on = c("2024-03-01", "2024-03-20"), show = "records", of = "records"),
    keys = scaffold(x, "week", of = "keys", rule = "first_day", from = "2024-02-01", to = "2024-04-15"), full = scaffold(x, "month", of = "keys", rule = "every_day"), carried = scaffold(x, "quarter", carry = site),
    there = scaffold(x, "week", every_period = TRUE, of = "records", rule = "last_day", from = "2024-02-01", to = "2024-03-31"), parts = allocate(closed, amount, basis = "period", digits = 0),
    cut_pieces = allocate(closed, amount, digits = 2, from = "2024-02-01", to = "2024-03-31"), due = allocate(x, amount, spread = "repeat", rule = "first_day", to = "2024-05-31"),
    due_totals = allocate(x, amount, spread = "repeat", group = site, total = TRUE, to = "2024-05-31"), banded = time_within(x, calendar = office, bands = list(noon = c("11:00", "13:00"))),
    moves = movement(x, group = site, total = TRUE, returns = TRUE), weights_moved = movement(x, "quarter", of = "weight"), hours = elapsed(x, "hours", office), worked = if (days) working_days(x, calendar = working), stays = length_of_stay(x, group = site), left = cohorts(x, group = site, returns = TRUE),
    told = restated(x, y, group = site, total = TRUE, from = "2024-01-01", to = "2024-04-30"), told_weights = restated(x, y, of = "weight", rule = "first_day"), changes = restated(x, y, group = site, show = "records"),
    members = cohorts(x, group = site, show = "records", rule = "last_day"), rows = active(x, group = site, show = "records"), folded = roster(x, on = "2024-02-20", of = "keys"), left_over = active(x, group = site, less = y, rule = "mean_day"),
    present = concurrency(x, less = y), limits = peaks(x, group = site, of = "records", capacity = 2, floor = 1, from = "2024-01-01", to = "2024-05-31"), limited = concurrency(x, of = "records", capacity = data.frame(capacity = c(1, 3), from = c("2024-01-01", "2024-03-01")), floor = 1),
    limit_days = peaks(x, group = site, of = "records", capacity = 1, floor = 1, show = "days", from = "2024-01-01", to = "2024-05-31"), took = elapsed(x, group = site, by = "month", within = 20), took_all = elapsed(x, "hours", office, group = site),
    balance = allocate(closed, amount, group = site, total = TRUE, digits = 2, show = "balance"), beside = gaps(x, carry = c(site, share)), pairs_carried = overlaps(x, carry = share), carried_along = consecutive(x, carry = share, carried = "last"),
    gap_totals = gaps(x, group = site), stretch_totals = consecutive(x, group = site, calendar = if (days) working), pair_totals = overlaps(x, differing = who, group = site),
    missing_totals = if (days) missing_days(x, group = site), due_days = move_working_days(x, 5, working), looked_up = versus(active(x, group = site, from = "2024-03-01", to = "2024-04-30"), "period_before"),
    against = versus(active(x, group = site, from = "2024-01-01", to = "2024-04-30"), "period_before"), wide = widen(allocate(closed, amount, group = site, total = TRUE, digits = 2), sums = "both"))
}

some_spans <- function(seed, instants = FALSE, closed = FALSE) {
  records <- random_records(seed)
  records$amount <- round(stats::runif(nrow(records), -5, 90), 2)
  if (closed) records$end[is.na(records$end)] <- records$start[is.na(records$end)] + 30
  records <- records[is.na(records$end) | records$end > records$start, ]
  if (instants) {
    hours <- sample(0:23, nrow(records), TRUE)
    at <- function(date, hour) as.POSIXct(date + hour / 24, tz = "UTC")
    records <- transform(records, start = at(start, hours), end = at(end, hours))
  }
  spans(records, start, end, key = who, weight = share, end_counts = if (!instants) seed %% 2 == 0, as_of = "2024-04-30", tz = if (instants) "Europe/Vienna")
}

test_that("every row of every result is worked out once more, and one that is changed is found", {
  for (seed in 1:12) {
    set.seed(seed)
    instants <- seed %% 3 == 0
    results <- suppressMessages(many_results(some_spans(seed, instants), some_spans(seed + 50, instants), some_spans(seed, instants, closed = TRUE)))
    for (name in names(Filter(function(result) NROW(result) > 0, results))) {
      result <- results[[name]]
      what <- paste(name, seed)
      expect_ties(result, label = what)
      expect_ties(result[sort(sample(nrow(result), ceiling(nrow(result) / 2))), ], label = paste("half of", what))
      numbers <- names(Filter(function(column) is.numeric(column) || inherits(column, c("Date", "POSIXct")), as.list(result)))
      known <- Filter(function(column) !is.na(result[[column]][1]), numbers)
      # What the records hold beside start, end and key is looked at where it is carried along.
      for (column in known) expect_false(all(reconcile(spoilt(result, column))$ok), label = paste(what, column))
    }
  }
})

test_that("what is too large, or has lost the names of its rows, is said not to be proven", {
  large <- spans(data.frame(s = "2026-01-01", e = "2026-12-31", a = 9e13), s, e, as_of = "2026-12-31")
  got <- reconcile(allocate(large, a, digits = 2))
  expect_match(got$check, "pieces: not proven row by row, the amounts are too large for it", all = FALSE)
  expect_match(conventions(got), "6 checks: all but 1 tie to the source: it is not proven.", fixed = TRUE)
  notes <- capture.output(status <- almanacridge:::report_checks(got), type = "message")
  expect_identical(as.integer(status), 0L)
  expect_match(notes, "^- pieces: not proven row by row, the amounts are too large for it$", all = FALSE)
  stretches <- consecutive(demo_staff())
  got <- reconcile(stretches[setdiff(names(stretches), "observer")])
  expect_match(got$check, "stretches: not proven row by row, the columns that name its rows are gone", all = FALSE)
  empty <- suppressMessages(spans(demo_records("postings")[0, ], first_day, last_day, key = observer, as_of = "2026-06-30"))
  for (result in list(active(empty, from = "2026-01-01", to = "2026-03-31"), gaps(empty), elapsed(empty), cohorts(empty), widen(active(empty, from = "2026-01-01", to = "2026-03-31")))) {
    expect_ties(result)
    expect_match(reconcile(result)$check, "no records, so nothing is there", all = FALSE)
  }
})

test_that("open spans that overlap have a length up to the as-of date, also where a least one is asked for", {
  two <- data.frame(k = 1, s = c("2026-01-01", "2026-02-18"))
  x <- spans(two, s, NA, key = k, as_of = "2026-02-20")
  expect_identical(nrow(overlaps(x, min_days = 4)), 0L)
  expect_identical(overlaps(x, min_days = 3)$days, 3L)
  expect_identical(nrow(overlaps(x, min_days = 4, total = TRUE)), 0L)
})

test_that("instants tie too, over a clock change", {
  at <- as.POSIXct(c("2026-03-28 22:00", "2026-10-24 22:00", "2026-03-29 01:00"), tz = "Europe/Vienna")
  x <- spans(data.frame(k = c(1, 1, 2), s = at, e = at + c(7, 9, 30) * 3600, a = c(70, 90, 1)), s, e, key = k, tz = "Europe/Vienna", as_of = "2026-12-31")
  for (result in list(active(x, "day"), active(x, "6 hours", rule = "mean_day"), time_within(x, "day"), allocate(x, a, "day", digits = 2), consecutive(x), gaps(x), overlaps(x), elapsed(x))) {
    expect_ties(result)
  }
})

test_that("what does not tie is named", {
  staff <- demo_staff()
  results <- list(active = active(staff, "year", to = "2026-06-30"), days = scaffold(staff, "year", to = "2026-06-30"), days = consecutive(staff), days = gaps(staff), level = peaks(staff))
  for (i in seq_along(results)) {
    wrong <- spoilt(results[[i]], names(results)[i])
    got <- reconcile(wrong)
    expect_false(all(got$ok), label = names(results)[i])
    expect_match(conventions(got), "do(es)? not tie")
  }
  grants <- spans(demo_records("grants"), first_day, last_day, key = grant, as_of = "2026-06-30")
  pieces <- reconcile(spoilt(allocate(grants, amount, digits = 2), "amount"))
  expect_identical(pieces$check[!pieces$ok], c("allocated + outside the window = amounts in", "records whose pieces make their amount", "pieces: as worked out once more"))
  expect_identical(pieces$difference[!pieces$ok], c(1, -1, -1))
})

test_that("records read are accounted for: used, set aside, left out, or dropped later", {
  messy <- data.frame(who = c("a", NA, "b", "c"), from = c("2026-01-01", "2026-01-01", "2026-13-01", "2026-02-01"), to = "2026-03-05")
  x <- spans(messy, from, to, key = who, unusable = "set_aside", as_of = "2026-06-30")
  expect_identical(reconcile(x)$found, c(4, 2))
  expect_ties(subset(x, who == "a"), 2L)
  expect_ties(x[c(2, 1), ])
  twice <- reconcile(x[c(1, 1, 2), ])
  expect_identical(twice$ok, c(FALSE, FALSE))
  expect_match(conventions(twice), "records used, each once")
  expect_false(all(reconcile(active(x[c(1, 1, 2), ], "year"))$ok))
  here <- spans(demo_records("observers_here"), since, NA, key = observer, as_of = "2026-06-30")
  left <- spans(demo_records("observers_left"), joined, last_day, key = person, as_of = "2026-06-30")
  expect_ties(suppressMessages(bind_spans(here = here, left = left)), 2L)
  file <- withr::local_tempfile(fileext = ".csv")
  data.table::fwrite(demo_records("postings"), file)
  chosen <- suppressMessages(read_records(file, leave_out = list(station = "Whinfell")))
  expect_ties(active(spans(chosen, first_day, last_day, key = observer, as_of = "2026-06-30"), "year"))
})

test_that("a plain table has nothing to tie to", {
  staff <- demo_staff()
  changed <- active(staff, "year")
  changed$active <- 0L
  expect_error(reconcile(changed), "changed is a plain table", class = "ridge_error_argument")
  expect_error(reconcile(periods("month", from = "2026-01-01", to = "2026-02-01")), "nothing to tie to", class = "ridge_error_argument")
})

test_that("ridge --reconcile says what ties, and --wide lays out", {
  file <- system.file("extdata", "grants.csv", package = "almanacridge")
  got <- run("allocate", file, "--start", "first_day", "--end", "last_day", "--key", "grant", "--amount", "amount", "--group", "funder",
             "--by", "year", "--digits", "2", "--as-of", "2026-06-30", "--wide", "--sums", "both", "--reconcile")
  expect_identical(got$status, 0L)
  expect_match(got$notes, "ties: allocated \\+ outside the window = amounts in: both 199,464.72", all = FALSE)
  table <- utils::read.csv(text = got$out, check.names = FALSE)
  expect_equal(table$sum[nrow(table)], 199464.72)
  expect_equal(rowSums(table[grep("^20", names(table))]), table$sum)
  checks <- almanacridge:::report_checks
  notes <- capture.output(status <- checks(reconcile(spoilt(active(demo_staff(), "year"), "active"))), type = "message")
  expect_identical(as.integer(status), 1L)
  expect_match(notes, "DOES NOT TIE: active: sum of all cells: 1,163 expected, 1,164 found", all = FALSE)
})

test_that("ridge time-in, elapsed and working-days give what R gives", {
  folder <- system.file("extdata", package = "almanacridge")
  watches <- run("time-within", file.path(folder, "watches.csv"), "--start", "watch_date", "--start-clock", "begin", "--end-clock", "finish",
                 "--group", "station", "--bands", "night=22:00,06:00", "--bands", "weekend=Sat,Sun", "--tz", "Europe/Vienna", "--as-of", "2026-06-30", "--reconcile")
  data <- demo_records("watches")
  kept <- suppressMessages(between_clocks(data$watch_date, data$begin, data$finish, tz = "Europe/Vienna"))
  x <- spans(cbind(data, kept), start, end, as_of = "2026-06-30")
  want <- time_within(x, group = station, bands = list(night = c("22:00", "06:00"), weekend = c("Saturday", "Sunday")))
  expect_equal(utils::read.csv(text = watches$out)$night_hours, want$night_hours)
  expect_identical(watches$status, 0L)
  faults <- run("elapsed", file.path(folder, "faults.csv"), "--start", "reported", "--end", "mended", "--key", "fault", "--tz", "Europe/Vienna", "--as-of", "2026-06-30",
                "--hours", "09:00,17:30", "--hours-on", "Fri=09:00,15:00", "--every-year", "12-25", "--unit", "days", "--day-hours", "8", "--text")
  office <- calendar_rules(hours = list(c("09:00", "17:30"), Fri = c("09:00", "15:00")), every_year = "12-25")
  y <- spans(demo_records("faults"), reported, mended, key = fault, tz = "Europe/Vienna", as_of = "2026-06-30")
  expect_equal(utils::read.csv(text = faults$out)$working_days, elapsed(y, "days", office, day_hours = 8)$working_days)
  expect_match(faults$out[2], "1 day 1 hour")
  drawn <- withr::local_tempfile(fileext = ".png")
  both <- run("elapsed", file.path(folder, "faults.csv"), "--start", "reported", "--end", "mended", "--tz", "Europe/Vienna", "--text", "--figure", drawn, "--summary", "--as-of", "2026-06-30")
  expect_true(file.exists(drawn))
  expect_match(both$notes, "records half took up to", all = FALSE)
  expect_match(both$out[1], "text$")
  trips <- run("working-days", file.path(folder, "field_trips.csv"), "--start", "first_day", "--end", "last_day", "--holidays", file.path(folder, "closures.ics"), "--as-of", "2026-06-30")
  z <- spans(demo_records("field_trips"), first_day, last_day, as_of = "2026-06-30")
  expect_identical(utils::read.csv(text = trips$out)$working_days, working_days(z, calendar = suppressMessages(calendar_rules(holidays = demo_records("closures"))))$working_days)
  dashed <- run("elapsed", file.path(folder, "faults.csv"), "--start", "reported", "--end", "mended", "--tz", "Europe/Vienna", "--hours", "09:00-12:00,13:00-17:30", "--as-of", "2026-06-30")
  expect_equal(utils::read.csv(text = dashed$out)$working_hours, elapsed(y, "hours", calendar_rules(hours = c("09:00", "12:00", "13:00", "17:30")))$working_hours)
  unnamed <- run("time-within", file.path(folder, "faults.csv"), "--start", "reported", "--end", "mended", "--bands", "night")
  expect_match(unnamed$notes, "takes NAME=CLOCK,CLOCK, such as `--bands night=22:00,06:00`, not \"night\"", all = FALSE)
  bad <- run("elapsed", file.path(folder, "faults.csv"), "--start", "reported", "--end", "mended", "--tz", "Europe/Vienna", "--working", "--hours", "17:30,09:00")
  expect_identical(bad$status, 2L)
  expect_match(bad$notes, "--hours must be pairs of times of day", all = FALSE)
})
