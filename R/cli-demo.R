# The walk through the demo data: each step asks, answers and says how.

command_demo <- function(given) {
  postings <- demo_records("postings")
  folder <- file.path(getwd(), "ridge-demo")
  dir.create(folder, showWarnings = FALSE)
  demo_step("1. The records: who was posted where, from which day to which",
            "postings <- demo_records(\"postings\")", postings, n = 4)
  staff <- spans(postings, "first_day", "last_day", key = "observer", weight = "share",
                 as_of = "2026-06-30")
  demo_step("2. Declared once: what they are and how they are read",
            "staff <- spans(postings, first_day, last_day, key = observer, weight = share, as_of = \"2026-06-30\")",
            staff, n = 4)
  quarters <- active(staff, by = "quarter", from = "2025-01-01", to = "2026-06-30")
  demo_step("3. How many observers in each quarter?",
            "active(staff, by = \"quarter\", from = \"2025-01-01\", to = \"2026-06-30\")", quarters)
  full_time <- active(staff, by = "year", count = "mean_day", of = "weight", to = "2026-06-30")
  demo_step("4. How many full posts on the average day of each year?",
            "active(staff, by = \"year\", count = \"mean_day\", of = \"weight\", to = \"2026-06-30\")",
            full_time)
  laid_out <- scaffold(staff, by = "month", carry = "station", to = "2026-06-30")
  demo_step("5. Which months did each posting cover, from which day?",
            "scaffold(staff, by = \"month\", carry = station, to = \"2026-06-30\")",
            laid_out, n = 6)
  demo_reading()
  demo_ranges(staff)
  demo_amounts()
  months <- active(staff, by = "month", to = "2026-06-30")
  demo_step("15. The main answer: observers active in each month", "active(staff, by = \"month\", to = \"2026-06-30\")",
            months, n = 6)
  write_csv_table(months, file.path(folder, "active-by-month.csv"))
  write_figure(autoplot(months), file.path(folder, "active-by-month.png"))
  file.copy(file.path(demo_folder(), "postings.csv"), folder, overwrite = TRUE)
  writeLines(c(
    "The whole table:  ridge-demo/active-by-month.csv",
    "As a picture:     ridge-demo/active-by-month.png",
    "The same from the command line:",
    "  ridge active ridge-demo/postings.csv --start first_day --end last_day \\",
    "    --key observer --by month --to 2026-06-30 --as-of 2026-06-30 --figure counts.png"
  ))
}

# Records that do not come as a start and an end in one clean table.
demo_reading <- function() {
  watches <- fold_labels(demo_records("watches"), "kind")
  kept <- shift_times(watches$watch_date, watches$begin, watches$finish, tz = "Europe/Vienna")
  watches <- tibble::as_tibble(cbind(watches[c("observer", "kind", "begin", "finish")], kept))
  demo_step("6. Watches: kinds spelled many ways, a date and two clocks, past midnight",
            "watches <- fold_labels(demo_records(\"watches\"), kind)
> kept <- shift_times(watches$watch_date, watches$begin, watches$finish, tz = \"Europe/Vienna\")", watches, n = 4)
  counting <- watches[watches$kind %in% c("Night watch", "storm watch"), ]
  on_watch <- spans(counting, "start", "end", key = "observer", as_of = "2026-06-30")
  demo_step("7. How many were on night or storm watch, at the most at once, in each month?",
            "active(on_watch, by = \"month\", count = \"peak_day\")",
            active(on_watch, by = "month", count = "peak_day"), n = 4)
  held <- spans_from_changes(demo_records("grade_changes"), "reached_on", key = "observer", state = "grade",
                             closing_states = "left", as_of = "2026-06-30")
  demo_step("8. A log of changes as spans: how many held each grade at the end of the year?",
            "held <- spans_from_changes(grades, reached_on, key = observer, state = grade, closing_states = \"left\", as_of = \"2026-06-30\")
> active(held, by = \"year\", group = grade, count = \"last_day\", from = \"2025-01-01\")",
            active(held, by = "year", group = "grade", count = "last_day", from = "2025-01-01", to = "2026-06-30"))
  both <- bind_spans(
    here = spans(demo_records("observers_here"), "since", NA, key = "observer", as_of = "2026-06-30"),
    left = spans(demo_records("observers_left"), "joined", "last_day", key = "person", as_of = "2026-06-30")
  )
  demo_step("9. Two lists, those here and those who left, as one: what is wrong with them?",
            "check_spans(bind_spans(here = here, left = left)) |> summary()", summary(check_spans(both)))
}

# Stretches, gaps, overlaps, levels, and who is behind a number.
demo_ranges <- function(staff) {
  readings <- spans(demo_records("stake_readings"), "read_on", NULL, key = "stake", as_of = "2026-06-30")
  demo_step("10. For how many days in a row was each snow stake read?", "consecutive(readings, longest = TRUE)",
            consecutive(readings, longest = TRUE))
  demo_step("11. And where are five working days or more without a reading?", "gaps(readings, min_days = 5, calendar = calendar_rules())",
            gaps(readings, min_days = 5, calendar = calendar_rules()), n = 3)
  loans <- spans(demo_records("instrument_loans"), "lent_on", "returned_on", key = "instrument", end_counts = FALSE,
                 as_of = "2026-06-30")
  demo_step("12. Which instruments were lent out twice at once? When were most of them out?", "overlaps(loans)
> peaks(loans)", overlaps(loans))
  print(peaks(loans))
  cat("\n")
  demo_step("13. Who is behind the count of 1 March 2026, and how does it come about?", "explain_count(staff, on = \"2026-03-01\")",
            explain_count(staff, on = "2026-03-01"))
}

demo_amounts <- function() {
  grants <- spans(demo_records("grants"), "first_day", "last_day", key = "grant", as_of = "2026-06-30")
  demo_step("14. How much of each funder's grants belongs to each year, to the cent?",
            "allocate(grants, amount, by = \"year\", group = funder, digits = 2)",
            allocate(grants, "amount", by = "year", group = "funder", digits = 2), n = 5)
}

demo_step <- function(question, code, table, n = NULL) {
  rlang::local_options(width = 100)
  cat(cli::rule(question, width = 100), "\n", sep = "")
  cat("> ", code, "\n\n", sep = "")
  print(table, n = n)
  cat("\n")
}
