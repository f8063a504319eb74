# The walk through the demo data: each step asks, answers and says how. The order
# of work first; what else there is with --more.

command_demo <- function(given) {
  if (isTRUE(given$more)) {
    return(demo_more())
  }
  postings <- demo_records("postings")
  staff <- demo_declared(postings)
  demo_counts(staff)
  demo_flow(staff)
  demo_amounts()
  months <- active(staff, by = "month", to = "2026-06-30")
  demo_step("10. Reconcile: does it tie to the records?", "reconcile(active(staff, by = \"month\", to = \"2026-06-30\"))", reconcile(months))
  demo_files(months)
}

demo_declared <- function(postings) {
  demo_step("1. Read: who was posted where, from which day to which", "postings <- demo_records(\"postings\")", postings, n = 3)
  declared <- "postings, first_day, last_day, key = observer, weight = share, as_of = \"2026-06-30\""
  found <- check_spans(postings, "first_day", "last_day", key = "observer", weight = "share", as_of = "2026-06-30")
  demo_step("2. Check: what is wrong with them?", paste0("check_spans(", declared, ") |> summary()"), summary(found), n = 4)
  staff <- spans(postings, "first_day", "last_day", key = "observer", weight = "share", as_of = "2026-06-30")
  demo_step("3. Declare, once: what they are and how they are read", paste0("staff <- spans(", declared, ")"), staff, n = 2)
  staff
}

demo_counts <- function(staff) {
  laid_out <- scaffold(staff, by = "month", carry = "station", to = "2026-06-30")
  demo_step("4. Scaffold: which months did each posting cover, from which day?",
            "scaffold(staff, by = \"month\", carry = station, to = \"2026-06-30\")", laid_out, n = 3)
  quarters <- active(staff, by = "quarter", from = "2025-07-01", to = "2026-06-30")
  demo_step("5. Count: how many observers in each quarter?", "active(staff, by = \"quarter\", from = \"2025-07-01\", to = \"2026-06-30\")", quarters)
  demo_step("6. Explain: how does a count come about?", "explain_count(staff, on = \"2026-06-30\")", explain_count(staff, on = "2026-06-30"))
}

demo_flow <- function(staff) {
  moved <- movement(staff, by = "quarter", from = "2025-07-01", to = "2026-06-30")
  demo_step("7. Move: who came, who went?", "movement(staff, by = \"quarter\", from = \"2025-07-01\", to = \"2026-06-30\")", moved)
  cat(strwrap(summary(moved), 100), "", sep = "\n")
}

demo_amounts <- function() {
  grants <- spans(demo_records("grants"), "first_day", "last_day", key = "grant", as_of = "2026-06-30")
  years <- allocate(grants, "amount", by = "year", group = "funder", digits = 2, total = TRUE)
  demo_step("8. Allocate: how much of each funder's grants belongs to each year, to the cent?",
            "years <- allocate(grants, amount, by = \"year\", group = funder, digits = 2, total = TRUE)
> widen(years)", widen(years))
  demo_step("9. Compare: each year with the one before", "versus(years, \"previous\")", versus(years, "previous"), n = 3)
}

demo_files <- function(months) {
  folder <- file.path(getwd(), "ridge-demo")
  dir.create(folder, showWarnings = FALSE)
  write_csv_table(months, file.path(folder, "active-by-month.csv"))
  write_figure(autoplot(months), file.path(folder, "active-by-month.png"))
  file.copy(file.path(demo_folder(), "postings.csv"), folder, overwrite = TRUE)
  writeLines(c(
    "The whole table:  ridge-demo/active-by-month.csv",
    "As a picture:     ridge-demo/active-by-month.png",
    "More steps:       ridge demo --more (clocks, logs, lists, gaps, overlaps, elapsed time, cohorts)",
    "The same from the command line:",
    "  ridge active ridge-demo/postings.csv --start first_day --end last_day \\",
    "    --key observer --by month --to 2026-06-30 --as-of 2026-06-30 --figure counts.png"
  ))
}

demo_more <- function() {
  demo_reading()
  demo_ranges()
  demo_time()
  postings <- demo_records("postings")
  staff <- spans(postings, "first_day", "last_day", key = "observer", as_of = "2026-06-30")
  left <- cohorts(staff, by = "year")
  demo_step("8. Of those who started together, who is left? And how long do they stay?", "cohorts(staff, by = \"year\") |> widen()", widen(left))
  cat(strwrap(c(summary(left), summary(lasting(staff))), 100), "", sep = "\n")
  then <- as_seen_on(staff, "2025-12-31")
  demo_step("9. What did the last quarters look like at the end of 2025?", "as_seen_on(staff, \"2025-12-31\") |> movement(by = \"quarter\", from = \"2025-07-01\")",
            movement(then, by = "quarter", from = "2025-07-01", to = "2025-12-31"))
}

# Records that do not come as a start and an end in one clean table.
demo_reading <- function() {
  watches <- fold_labels(demo_records("watches"), "kind")
  kept <- shift_times(watches$watch_date, watches$begin, watches$finish, tz = "Europe/Vienna")
  watches <- tibble::as_tibble(cbind(watches[c("observer", "kind", "begin", "finish")], kept))
  demo_step("1. Watches: kinds spelled many ways, a date and two clocks, past midnight",
            "watches <- fold_labels(demo_records(\"watches\"), kind)
> kept <- shift_times(watches$watch_date, watches$begin, watches$finish, tz = \"Europe/Vienna\")", watches, n = 4)
  on_watch <- spans(watches[watches$kind %in% c("Night watch", "storm watch"), ], "start", "end", key = "observer", as_of = "2026-06-30")
  demo_step("2. How many hours of watch in each month, and how many of them at night?",
            "time_in(on_watch, by = \"month\", total = TRUE, bands = list(night = c(\"22:00\", \"06:00\")))",
            time_in(on_watch, by = "month", total = TRUE, bands = list(night = c("22:00", "06:00"))), n = 3)
  held <- spans_from_changes(demo_records("grade_changes"), "reached_on", key = "observer", state = "grade",
                             closing_states = "left", as_of = "2026-06-30")
  demo_step("3. A log of changes as spans: how many held each grade at the end of the year?",
            "held <- spans_from_changes(grades, reached_on, key = observer, state = grade, closing_states = \"left\", as_of = \"2026-06-30\")
> active(held, by = \"year\", group = grade, count = \"last_day\", from = \"2025-01-01\")",
            active(held, by = "year", group = "grade", count = "last_day", from = "2025-01-01", to = "2026-06-30"))
  both <- bind_spans(
    here = spans(demo_records("observers_here"), "since", NA, key = "observer", as_of = "2026-06-30"),
    left = spans(demo_records("observers_left"), "joined", "last_day", key = "person", as_of = "2026-06-30")
  )
  demo_step("4. Two lists, those here and those who left, as one: what is wrong with them?",
            "check_spans(bind_spans(here = here, left = left)) |> summary()", summary(check_spans(both)))
}

# Stretches, gaps, overlaps and levels.
demo_ranges <- function() {
  readings <- spans(demo_records("stake_readings"), "read_on", NULL, key = "stake", as_of = "2026-06-30")
  demo_step("5. For how many days in a row was each snow stake read? Where are five working days without?",
            "consecutive(readings, longest = TRUE)
> gaps(readings, min_days = 5, calendar = calendar_rules())", consecutive(readings, longest = TRUE), n = 3)
  print(gaps(readings, min_days = 5, calendar = calendar_rules()), n = 3)
  cat("\n")
  loans <- spans(demo_records("instrument_loans"), "lent_on", "returned_on", key = "instrument", end_counts = FALSE,
                 as_of = "2026-06-30")
  demo_step("6. Which instruments were lent out twice at once? When were most of them out?", "overlaps(loans)
> peaks(loans)", overlaps(loans), n = 3)
  print(peaks(loans))
  cat("\n")
}

demo_time <- function() {
  faults <- spans(demo_records("faults"), "reported", "mended", key = "fault", as_of = "2026-06-30", tz = "Europe/Vienna")
  office <- calendar_rules(hours = c("09:00", "17:30"), holidays = suppressMessages(demo_records("closures")))
  took <- elapsed(faults, "hours", office)
  demo_step("7. How many working hours until a fault was mended?",
            "office <- calendar_rules(hours = c(\"09:00\", \"17:30\"), holidays = demo_records(\"closures\"))
> took <- elapsed(faults, \"hours\", office)", took, n = 3)
  cat(strwrap(summary(took), 100), "", sep = "\n")
}

demo_step <- function(question, code, table, n = NULL) {
  rlang::local_options(width = 100)
  cat(cli::rule(question, width = 100), "\n", sep = "")
  cat("> ", code, "\n\n", sep = "")
  print(table, n = n)
  cat("\n")
}
