# The same answers from one release to the next.
#   Rscript tests/answers/answers.R write FOLDER      some 700 results, one file
#   Rscript tests/answers/answers.R compare OLD NEW   says which differ
# Run it with the release before, and with this one, and compare. What was renamed or
# changed on purpose differs, and is looked at.

demo <- function() {
  quiet <- function(table) suppressMessages(demo_records(table))
  staff <- spans(quiet("postings"), first_day, last_day, key = observer, weight = share, as_of = "2026-06-30")
  loans <- spans(quiet("instrument_loans"), lent_on, returned_on, key = instrument, end_counts = FALSE, as_of = "2026-06-30")
  readings <- spans(quiet("stake_readings"), read_on, NULL, key = stake, as_of = "2026-06-30")
  grants <- spans(quiet("grants"), first_day, last_day, key = grant, as_of = "2026-06-30")
  pledges <- spans(quiet("pledges"), first_day, last_day, key = supporter, as_of = "2026-06-30")
  faults <- spans(quiet("faults"), reported, mended, key = fault, as_of = "2026-06-30", tz = "Europe/Vienna")
  trips <- spans(quiet("field_trips"), first_day, last_day, key = observer, as_of = "2026-06-30")
  closures <- spans(quiet("closures"), start, end, as_of = "2026-06-30")
  watches <- suppressMessages(fold_labels(quiet("watches"), kind))
  kept <- suppressMessages(between_clocks(watches$watch_date, watches$begin, watches$finish, tz = "Europe/Vienna"))
  on_watch <- spans(cbind(watches, kept), start, end, key = observer, as_of = "2026-06-30")
  here <- spans(quiet("observers_here"), since, NA, key = observer, as_of = "2026-06-30")
  left <- spans(quiet("observers_left"), joined, last_day, key = person, as_of = "2026-06-30")
  office <- calendar_rules(hours = c("09:00", "17:30"), holidays = quiet("closures"))
  split_day <- calendar_rules(hours = c("08:00", "12:00", "13:00", "16:30"), every_year = c("12-25", "02-29"), year_starts = "April")
  list2env(mget(ls()), new.env(parent = globalenv()))
}

demo_calls <- expression(
  active(staff, to = "2027-12-31"), active(staff, by = "week", rule = "mean_day", to = "2027-12-31"), active(staff, by = "day", from = "2026-01-01", to = "2027-12-31"),
  active(staff, by = "quarter", group = station, rule = "last_day", total = TRUE, to = "2027-12-31"),
  active(staff, by = "quarter", group = c(station, role), of = "weight", rule = "peak_day", to = "2027-12-31"),
  active(staff, by = "year", of = "records", rule = "every_day", label = "name", to = "2027-12-31"),
  active(staff, by = "2 weeks", of = "weight", rule = "mean_day", whole = "year", to = "2027-12-31"),
  active(staff, by = "6 months", rule = "first_day", calendar = calendar_rules(year_starts = "April"), label = "code", to = "2027-12-31"),
  active(staff, on = c("2026-01-01", "2025-02-28", "2026-06-30"), group = role),
  active(staff, by = own_periods(c("2026-01-05", "2026-02-02", "2026-03-02"), "2026-04-05")),
  active(faults, by = "hour", from = "2026-03-28", to = "2026-03-30"), active(faults, by = "day", rule = "peak_day", from = "2026-01-01", to = "2027-12-31"),
  active(faults, on = as.POSIXct("2026-03-29 02:30", tz = "Europe/Vienna")), active(on_watch, by = "6 hours", from = "2026-03-28", to = "2026-03-30"),
  active(loans, by = "week", of = "records", rule = "peak_day", to = "2027-12-31"), active(as_seen_on(staff, "2025-12-31"), by = "quarter", to = "2027-12-31"),
  scaffold(staff, carry = station), scaffold(staff, by = "quarter", rule = "last_day", of = "keys", from = "2026-01-01"),
  scaffold(staff, by = "month", every_period = TRUE, whole = "year"), scaffold(staff, every_period = TRUE, of = "records", by = "year"),
  scaffold(faults, by = "day", carry = c(instrument), from = "2026-03-25", to = "2026-04-02", label = "name"),
  scaffold(loans, by = "day", from = "2026-06-01"), scaffold(staff, by = "week", rule = "every_day"),
  periods("month", "2025-01-01", "2026-06-30"), periods("quarter", "2025-04-01", "2026-03-31", label = "name", calendar = split_day),
  periods("day", "2026-03-28", "2026-03-30", tz = "Europe/Vienna"), periods("hour", "2026-10-24", "2026-10-25", tz = "Europe/Vienna"),
  periods("3 weeks", "2019-12-30", "2020-03-01"), movement(staff, to = "2027-12-31"), movement(staff, by = "quarter", group = station, total = TRUE, rates = TRUE, to = "2027-12-31"),
  movement(staff, by = "year", returns = TRUE, to = "2027-12-31"), movement(staff, of = "weight", group = role, to = "2027-12-31"), movement(staff, of = "records", by = "2 months", to = "2027-12-31"),
  movement(faults, by = "week", to = "2027-12-31"), concurrency(staff), concurrency(loans, group = instrument), concurrency(staff, group = station, of = "weight"),
  concurrency(loans, from = "2026-05-01", to = "2026-05-31", of = "records"), peaks(loans), peaks(loans, capacity = 11), peaks(staff, group = station),
  concurrency(faults), overlaps(loans), overlaps(loans, total = TRUE), overlaps(trips, differing = observer, per = station, min_days = 3),
  overlaps(trips, closures), overlaps(trips, differing = station, total = TRUE), overlaps(faults, differing = fault, min_days = 1),
  gaps(readings), gaps(readings, min_days = 5, calendar = calendar_rules()), gaps(staff, edges = TRUE, from = "2025-01-01", to = "2025-12-31"),
  gaps(loans, per = NULL), gaps(faults, per = instrument), missing_days(readings, from = "2026-04-01"),
  missing_days(readings, calendar = office, per = stake), consecutive(readings), consecutive(readings, longest = TRUE, tolerance = 2),
  consecutive(staff, same = station), consecutive(staff, calendar = calendar_rules(), show = "records"), consecutive(faults, per = instrument),
  allocate(grants, amount, digits = 2), allocate(grants, amount, by = "year", group = funder, digits = 2, total = TRUE),
  allocate(grants, amount, by = "quarter", basis = "working_day", calendar = office, show = "calculation", digits = 2),
  allocate(grants, amount, basis = "period", total = TRUE), allocate(grants, amount, group = funder, from = "2025-06-01", to = "2025-12-31"),
  allocate(pledges, monthly, spread = "repeat", from = "2026-05-01", to = "2026-06-30"), allocate(pledges, monthly, spread = "repeat", rule = "first_day", total = TRUE),
  allocate(pledges, monthly, open_to_as_of = TRUE, digits = 2, group = supporter), time_within(on_watch, by = "month", group = kind, bands = list(night = c("22:00", "06:00"), weekend = c("Saturday", "Sunday"))),
  time_within(on_watch, by = "day", carry = kind), time_within(faults, total = TRUE, calendar = office), time_within(staff, by = "year", unit = "weeks", total = TRUE),
  cohorts(staff, by = "quarter"), cohorts(staff, by = "year", group = role, rule = "last_day", returns = FALSE), cohorts(faults, by = "month"),
  length_of_stay(staff), length_of_stay(staff, group = role, unit = "years", confidence = 0.9), roster(staff, on = "2026-03-01"), roster(staff, on = c("2026-01-01", "2026-03-31"), group = station, rule = "every_day"),
  roster(faults), explain_count(staff, on = "2026-03-01"), explain_count(staff, on = c("2026-01-01", "2026-03-31"), rule = "every_day"),
  explain_count(staff, on = "2026-03-01", of = "weight"), explain_count(staff, on = "2026-03-01", show = "records"), explain_count(faults),
  elapsed(faults, "hours", office), elapsed(faults, "days", office, day_hours = office), elapsed(staff), elapsed("2026-03-02 09:00", "2026-03-17 15:00", "days", calendar_rules(), tz = "UTC"),
  working_days(staff), working_days(grants, calendar = office), working_days("2026-01-01", c("2026-06-30", NA)), move_working_days(as.Date("2026-06-30") + 0:9, -5:4, office),
  elapsed_text(c(270, 30.25, 2 / 3, -1.5, NA), "hours"), elapsed_text(42.25, "hours", form = "clock"), elapsed_parts(c(366, -0.51), "hours"), tenure("2024-02-29", c("2025-02-27", "2025-02-28"), form = "parts"),
  versus(active(staff, by = "quarter", from = "2024-01-01", to = "2027-12-31"), "year_before"), versus(active(staff, by = "6 months", group = station, to = "2027-12-31"), list(station = "Whinfell")),
  versus(movement(staff, by = "quarter", group = station, total = TRUE, to = "2027-12-31"), "total", values = "started"), versus(allocate(grants, amount, by = "year", group = funder, digits = 2)),
  versus(active(staff, by = "month", from = "2025-01-01", to = "2027-12-31"), "2025-06-01"),
  widen(active(staff, by = "quarter", group = station, to = "2027-12-31")), widen(allocate(grants, amount, by = "year", group = funder, digits = 2), sums = "both"), widen(cohorts(staff, by = "year")),
  widen(active(staff, by = "year", group = station, total = TRUE, to = "2027-12-31"), across = "station"), widen(scaffold(staff, by = "year", every_period = TRUE)),
  reconcile(active(staff, group = station, total = TRUE, to = "2027-12-31")), reconcile(allocate(grants, amount, digits = 2, to = "2025-12-31")), reconcile(movement(staff, group = station, total = TRUE, to = "2027-12-31")),
  reconcile(cohorts(staff)), reconcile(time_within(on_watch, total = TRUE)), reconcile(consecutive(staff)), reconcile(overlaps(loans)), reconcile(gaps(readings)), reconcile(concurrency(loans)),
  summary(active(staff, by = "month", to = "2027-12-31")), summary(movement(staff, by = "quarter", to = "2027-12-31")), summary(cohorts(staff, by = "quarter")), summary(length_of_stay(staff)), summary(elapsed(faults)),
  summary(versus(active(staff, by = "quarter", to = "2027-12-31"))), summary(allocate(grants, amount, by = "year", digits = 2)), summary(time_within(on_watch, group = kind)),
  check_spans(staff), check_spans(loans), summary(check_spans(loans)), set_aside(staff),
  suppressMessages(check_spans(bind_spans(here = here, left = left))), suppressMessages(tibble::as_tibble(bind_spans(here = here, left = left))),
  suppressMessages(tibble::as_tibble(spans_from_changes(demo_records("grade_changes"), reached_on, key = observer, state = grade, ending_states = "left", as_of = "2026-06-30"))),
  tibble::as_tibble(as_seen_on(staff, "2025-12-31")), watches, label_spellings(demo_records("watches"), kind),
  read_dates(c("3/4/2026", "17/4/2026")), read_intervals(c("2026-01-01/2026-03-31", "2026-01-01/P3M", "2026-01-01/..")),
  at_clock(as.Date("2026-03-04"), c("630", "18:45", "4:20 PM"), tz = "Europe/Vienna"), kept,
  overlap_length(as.Date("2026-06-03"), as.Date("2026-06-14"), as.Date("2026-06-11"), as.Date("2026-06-30"))
)

# Small tables with one-day, nested, touching, open, future and empty spans.
generated <- function(seed) {
  set.seed(seed)
  n <- sample(c(0:3, 20:60), 1)
  start <- as.Date("2024-02-10") + sample(-300:400, n, replace = TRUE)
  end <- start + sample(c(0, 1, 5, 20, 70, 300), n, replace = TRUE) + sample(0:3, n, replace = TRUE)
  end[runif(n) < 0.2] <- NA
  records <- data.frame(who = sample(letters[1:9], n, replace = TRUE), site = sample(c("north", "south", NA), n, replace = TRUE, prob = c(4, 3, 1)),
                        share = sample(c(1, 0.5, 0.4, 0.1, 1 / 3), n, replace = TRUE), pay = round(runif(n, -50, 5000), sample(0:4, 1)), start, end)
  x <- spans(records, start, end, key = who, weight = share, end_counts = seed %% 3 != 0, as_of = "2024-10-15")
  moment <- function(day) as.POSIXct(format(day), tz = "Europe/Vienna") + sample(0:86399, n, replace = TRUE)
  first <- moment(start)
  timed <- data.frame(who = records$who, site = records$site, share = records$share, pay = records$pay, first = first,
                      last = pmax(first, moment(end)))
  y <- spans(timed, first, last, key = who, weight = share, as_of = "2024-10-15")
  closed <- records[!is.na(end) & end > start, ]
  z <- spans(closed, start, end, key = who, as_of = "2024-10-15")
  list2env(mget(c("x", "y", "z")), new.env(parent = globalenv()))
}

generated_calls <- expression(
  active(x, by = "month", group = site, rule = "every_day", total = TRUE, to = "2025-12-31"), active(x, by = "week", of = "weight", rule = "mean_day", group = site, to = "2025-12-31"),
  active(y, by = "month", of = "weight", rule = "peak_day", to = "2025-12-31"), active(y, by = "week", group = site, rule = "last_day", to = "2025-12-31"),
  scaffold(x, by = "month", to = "2024-12-31"), scaffold(y, by = "month", of = "keys", rule = "first_day", to = "2024-12-31"),
  movement(x, by = "month", group = site, total = TRUE, returns = TRUE, from = "2023-06-01", to = "2025-01-31"), movement(y, by = "quarter", of = "weight", group = site, from = "2023-06-01", to = "2025-01-31"),
  concurrency(x, group = site), concurrency(y, of = "weight"), overlaps(x), overlaps(y, per = site, differing = who), gaps(x), gaps(y, per = site),
  consecutive(x, tolerance = 2), consecutive(y, tolerance = 5), allocate(z, pay, digits = 2), allocate(z, pay, group = site, total = TRUE, by = "week"),
  allocate(z, pay, digits = 1, basis = "period", total = TRUE), time_within(y, group = site), time_within(x, by = "quarter"), cohorts(x, group = site), cohorts(y, by = "quarter", returns = FALSE),
  roster(x, on = c("2024-03-01", "2024-03-31")), explain_count(x, on = "2024-05-01"), elapsed(y, "minutes"), working_days(x), check_spans(x)
)

# A result as plain columns, or whatever it is; an error as its class.
answer <- function(call, env) {
  value <- tryCatch(eval(call, env), error = function(cnd) class(cnd)[1])
  if (is.data.frame(value)) lapply(as.list(tibble::as_tibble(value)), identity) else value
}

answers <- function() {
  asked <- function(calls, env, name) {
    texts <- vapply(calls, function(call) paste(deparse(call, 500), collapse = " "), "")
    stats::setNames(lapply(calls, answer, env), sprintf("%s%03d %s", name, seq_along(calls), texts))
  }
  c(asked(demo_calls, demo(), "demo "), unlist(lapply(1:20, function(seed) asked(generated_calls, generated(seed), sprintf("table %02d ", seed))), recursive = FALSE))
}

compare <- function(old, new) {
  old <- readRDS(file.path(old, "answers.rds"))
  new <- readRDS(file.path(new, "answers.rds"))
  stopifnot(length(old) == length(new))
  same <- 0
  for (i in seq_along(old)) {
    if (identical(old[[i]], new[[i]])) same <- same + 1
    else cat(names(new)[i], ":", utils::head(all.equal(old[[i]], new[[i]]), 3), "\n", sep = " ")
  }
  cat(sprintf("%d of %d answers are identical.\n", same, length(old)))
}

arguments <- commandArgs(trailingOnly = TRUE)
if (arguments[1] == "write") {
  suppressPackageStartupMessages(library(almanacridge))
  dir.create(arguments[2], recursive = TRUE, showWarnings = FALSE)
  saveRDS(answers(), file.path(arguments[2], "answers.rds"))
} else {
  compare(arguments[2], arguments[3])
}
