# The walk through the demo data in R: each step asks a question, says how, and answers.

run_demo_in_r <- function(given) {
  env <- new.env(parent = topenv())
  steps <- if (isTRUE(given$more)) more_steps() else first_steps()
  for (i in seq_along(steps)) demo_step(paste0(i, ". ", names(steps)[i]), steps[[i]], env)
}

# What is shown of a step: the code as it is typed, its last value, and sentences.
step_of <- function(code, n = NULL, sentences = NULL) {
  list(code = code, n = n, sentences = sentences)
}

first_steps <- function() list(
  "Read: who was posted where, from which day to which" =
    step_of("postings <- demo_records(\"postings\")", n = 3),
  "Check: what is wrong with them?" = step_of(c(
    "check_spans(postings, first_day, last_day, key = observer, weight = share,",
    "            as_of = \"2026-06-30\") |> summary()"), n = 4),
  "Declare, once: what they are and how they are read" = step_of(c(
    "staff <- spans(postings, first_day, last_day, key = observer, weight = share,",
    "               as_of = \"2026-06-30\")"), n = 2),
  "Scaffold: which months did each posting cover, from which day?" =
    step_of("scaffold(staff, by = \"month\", carry = station, to = \"2026-06-30\")", n = 3),
  "Count: how many observers in each quarter?" =
    step_of("active(staff, by = \"quarter\", from = \"2025-07-01\")"),
  "Explain: how does a count come about?" =
    step_of("explain_count(staff, on = \"2026-06-30\")"),
  "Move: who came, who went?" = step_of(
    "moved <- movement(staff, by = \"quarter\", from = \"2025-07-01\")",
    sentences = "summary(moved)"),
  "Allocate: how much of each funder's grants belongs to each year, to the cent?" = step_of(c(
    "grants <- spans(demo_records(\"grants\"), first_day, last_day, key = grant,",
    "                as_of = \"2026-06-30\")",
    "years <- allocate(grants, amount, by = \"year\", group = funder, digits = 2, total = TRUE)",
    "widen(years)")),
  "Compare: each year with the one before" = step_of("versus(years, \"period_before\")", n = 3),
  "Reconcile: does it tie to the records?" = step_of(c(
    "months <- active(staff, by = \"month\")", "reconcile(months)"))
)

# Records that do not come as a start and an end in one clean table, ranges, time and
# cohorts.
more_steps <- function() list(
  "Watches: kinds spelled many ways, a date and two clocks, past midnight" = step_of(c(
    "watches <- fold_labels(demo_records(\"watches\"), kind)",
    "kept <- between_clocks(watches$watch_date, watches$begin, watches$finish,",
    "                       tz = \"Europe/Vienna\")",
    "watches <- tibble::tibble(watches[c(\"observer\", \"kind\", \"begin\", \"finish\")], kept)"),
      n = 4),
  "How many hours of watch in each month, and how many of them at night?" = step_of(c(
    "counted <- subset(watches, kind %in% c(\"Night watch\", \"storm watch\"))",
    "on_watch <- spans(counted, start, end, key = observer, as_of = \"2026-06-30\")",
    "time_within(on_watch, by = \"month\", total = TRUE,",
    "            bands = list(night = c(\"22:00\", \"06:00\")))"), n = 3),
  "A log of changes as spans: how many held each grade at the end of the year?" = step_of(c(
    "held <- spans_from_changes(demo_records(\"grade_changes\"), reached_on, key = observer,",
    "                           state = grade, ending_states = \"left\", as_of = \"2026-06-30\")",
    "active(held, by = \"year\", group = grade, rule = \"last_day\", from = \"2025-01-01\")")),
  "Two lists, those here and those who left, as one: what is wrong with them?" = step_of(c(
    paste("here <- spans(demo_records(\"observers_here\"), since, NA, key = observer, as_of =",
          "\"2026-06-30\")"),
    "left <- spans(demo_records(\"observers_left\"), joined, last_day, key = person,",
    "              as_of = \"2026-06-30\")",
    "check_spans(bind_spans(here = here, left = left)) |> summary()")),
  "For how many days in a row was each snow stake read?" = step_of(c(
    "readings <- spans(demo_records(\"stake_readings\"), read_on, NULL, key = stake,",
    "                  as_of = \"2026-06-30\")", "consecutive(readings, longest = TRUE)"), n = 3),
  "Where are five working days without a reading?" =
    step_of("gaps(readings, min_days = 5, calendar = calendar_rules())", n = 3),
  "Which instruments were lent out twice at once?" = step_of(c(
    "loans <- spans(demo_records(\"instrument_loans\"), lent_on, returned_on, key = instrument,",
    "               end_counts = FALSE, as_of = \"2026-06-30\")", "overlaps(loans)"), n = 3),
  "When were most of them out?" = step_of("peaks(loans)"),
  "On how many days were fewer at the stations than have to be, trips aside?" = step_of(c(
    "staff <- spans(demo_records(\"postings\"), first_day, last_day, key = observer,",
    "               as_of = \"2026-06-30\")",
    "trips <- spans(demo_records(\"field_trips\"), first_day, last_day, key = observer)",
    "needed <- data.frame(station = c(\"Stonebow\", \"Tarn Head\"), floor = c(18, 29))",
    "short <- peaks(staff, group = station, floor = needed, less = trips, from = \"2026-01-01\")"),
    n = 3, sentences = "summary(short)"),
  "How many working hours until a fault was mended?" = step_of(c(
    "faults <- spans(demo_records(\"faults\"), reported, mended, key = fault,",
    "                as_of = \"2026-06-30\", tz = \"Europe/Vienna\")",
    paste("office <- calendar_rules(hours = c(\"09:00\", \"17:30\"), holidays =",
          "demo_records(\"closures\"))"),
    "took <- elapsed(faults, \"hours\", office)"), n = 3, sentences = "summary(took)"),
  "In which month were how many of them mended within 24 working hours?" = step_of(
    "elapsed(faults, \"hours\", office, by = \"month\", within = 24)", n = 3),
  "What of the grants was billed in each year, and what is not recognised yet?" = step_of(c(
    "grants <- spans(demo_records(\"grants\"), first_day, last_day, key = grant,",
    "                as_of = \"2026-06-30\")",
    "allocate(grants, amount, by = \"year\", digits = 2, show = \"balance\")")),
  "How many in the last four periods of a 4-4-5 year, against the year before?" = step_of(c(
    "year <- own_periods(pattern = \"4-4-5\", years = 2024:2026, month = \"June\",",
    "                    ends = \"nearest\")",
    "counted <- active(staff, by = year, rule = \"last_day\")",
    "tail(versus(counted, \"year_before\"), 4)")),
  "Of those who started together, who is left? And how long do they stay?" = step_of(
    "widen(cohorts(staff, by = \"year\"))",
    sentences = c("summary(cohorts(staff, by = \"year\"))", "summary(length_of_stay(staff))")),
  "Who moved in June, and from where to where since 2025?" = step_of(c(
    "june <- movement(staff, group = station, show = \"records\", from = \"2026-06-01\")",
    "june[june$flow == \"moved_in\", ]"),
    sentences = paste("summary(movement(staff, by = \"year\", group = station, show =",
                      "\"routes\", from = \"2025-01-01\"))")),
  "Why are the numbers of May other ones than in the list of a month before?" = step_of(c(
    "told_before <- spans(demo_records(\"postings_may\"), first_day, last_day, key = observer,",
    "                     as_of = \"2026-05-31\")",
    "told <- restated(staff, told_before, from = \"2026-01-01\")"), sentences = "summary(told)"),
  "What did the last quarters look like at the end of 2025?" = step_of(
    "movement(as_seen_on(staff, \"2025-12-31\"), by = \"quarter\", from = \"2025-07-01\")")
)

demo_step <- function(question, step, env) {
  rlang::local_options(width = 100)
  # The steps are R: what goes wrong in them, and notes, are said in its words.
  before <- speak(NULL)
  on.exit(speak(before))
  cat(cli::rule(question, width = 100), "\n", sep = "")
  cat(paste0("> ", step$code), "", sep = "\n")
  value <- eval(parse(text = step$code), env)
  print(value, n = step$n)
  cat("\n")
  for (code in step$sentences) {
    cat(strwrap(paste(eval(parse(text = code), env), collapse = " "), 100), sep = "\n")
  }
  if (length(step$sentences)) cat("\n")
}
