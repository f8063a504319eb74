# The walk through the demo data on the command line: each step asks a question, says how, and
# answers. The order of work first; what else there is with --more; in R with --in-r.

run_demo <- function(given, run_command) {
  if (isTRUE(given$in_r)) {
    return(run_demo_in_r(given))
  }
  folder <- demo_copies()
  before <- setwd(folder)
  on.exit(setwd(before))
  cat("The demo data is in the folder ridge-demo:\n> cd ridge-demo\n\n")
  steps <- if (isTRUE(given$more)) more_commands() else first_commands()
  questions <- paste0(seq_along(steps), ". ", names(steps))
  for (i in seq_along(steps)) demo_command(questions[i], steps[[i]], run_command)
  if (!isTRUE(given$more)) demo_editions(length(steps) + 1, run_command)
  writeLines(demo_ending(isTRUE(given$more)))
}

demo_copies <- function() {
  folder <- file.path(getwd(), "ridge-demo")
  dir.create(folder, showWarnings = FALSE)
  if (file.access(folder, 2) != 0) {
    ridge_abort(c("The demo needs a folder to write to, and cannot make {.file {folder}}.",
                  i = "Go to one of your own."), "file", value = folder)
  }
  file.copy(list.files(demo_folder(), "[.](csv|ics|yml)$", full.names = TRUE), folder,
            overwrite = TRUE)
  folder
}

demo_rule <- function(question) {
  cat(cli::rule(question, width = 100), "\n", sep = "")
}

demo_command <- function(question, lines, run_command) {
  demo_rule(question)
  demo_line(lines, run_command)
}

demo_line <- function(lines, run_command) {
  cat(paste0(c("> ", rep("    ", length(lines) - 1)), lines), sep = " \\\n")
  cat("\n")
  words <- scan(text = lines, what = "", quote = "'\"", quiet = TRUE)
  run_command(words[-1])
  cat("\n")
}

# The almanac over all tables, twice: with the list of postings as it was in May, and as it is.
demo_editions <- function(number, run_command) {
  demo_rule(paste0(number, ". Almanac: all of it each month, and what is new since the last one"))
  lacking <- tryCatch(need_edition_packages(), ridge_error = function(cnd) one_line(cnd$message))
  if (is.character(lacking)) {
    return(cat("Left out here. ", lacking, "\n\n", sep = ""))
  }
  demo_copy("postings.csv", "postings_june.csv")
  demo_copy("postings_may.csv", "postings.csv")
  demo_line("ridge build almanac.yml --as-of 2026-05-31 --out edition-may --quiet", run_command)
  demo_copy("postings_june.csv", "postings.csv")
  demo_line("ridge build almanac.yml", run_command)
}

demo_copy <- function(from, to) {
  cat("> cp ", from, " ", to, "\n", sep = "")
  file.copy(from, to, overwrite = TRUE)
}

posted <- "postings.csv --start first_day --end last_day --key observer --as-of 2026-06-30"
mended <- c("faults.csv --start reported --end mended --key fault",
            "--tz Europe/Vienna --as-of 2026-06-30")
office <- "--unit hours --hours 09:00,17:30 --holidays closures.ics"
granted <- "grants.csv --start first_day --end last_day --key grant --as-of 2026-06-30"

first_commands <- function() list(
  "Read: who was posted where, from which day to which" =
    "ridge records postings.csv --sort first_day --limit 3",
  "Check: what is wrong with them?" = paste("ridge check", posted, "--limit 3"),
  "Scaffold: which months did each posting cover, from which day?" =
    c(paste("ridge scaffold", posted), "--by month --carry station --to 2026-06-30 --limit 3"),
  "Count: how many observers in each quarter?" =
    c(paste("ridge active", posted), "--by quarter --from 2025-07-01"),
  "Count: at which stations are most of them this month?" =
    c(paste("ridge active", posted),
      "--by month --group station --from 2026-06-01 --sort active:down --limit 3"),
  "Explain: how does a count come about?" =
    paste("ridge explain-count", posted, "--on 2026-06-30"),
  "Move: who came, who went?" =
    c(paste("ridge movement", posted), "--by quarter --from 2025-07-01 --summary"),
  "Allocate: how much of each funder's grants belongs to each year, to the cent?" =
    c(paste("ridge allocate", granted),
      "--amount amount --by year --group funder --digits 2 --total --wide"),
  "Compare: each year with the one before" =
    c(paste("ridge versus", granted), "--compare allocate --amount amount --by year --digits 2"),
  "Reconcile: does it tie to the records?" =
    c(paste("ridge active", posted), "--by month --to 2026-06-30 --reconcile",
      "--out active-by-month.csv --figure active-by-month.png")
)

# Records that do not come as a start and an end in one clean table, ranges, time and
# cohorts.
more_commands <- function() list(
  "Watches: how many hours in each month, and how many of them at night?" =
    c("ridge time-within watches.csv --start watch_date --start-clock begin --end-clock finish",
      "--key observer --tz Europe/Vienna --as-of 2026-06-30 --fold kind",
      "--keep 'kind=night watch' --keep 'kind=storm watch'",
      "--by month --total --bands night=22:00,06:00 --limit 3"),
  "A log of changes as records with a start and an end" =
    c("ridge changes grade_changes.csv --at reached_on --key observer --state grade",
      "--ending-states left --as-of 2026-06-30 --out held.csv"),
  "How many held each grade at the end of the year?" =
    c("ridge active held.csv --start start --end end --key observer --as-of 2026-06-30",
      "--group grade --by year --rule last_day --from 2025-01-01"),
  "Two lists, those here and those who left, as one: what is wrong with them?" =
    c("ridge check observers_here.csv --start since --all-open --key observer --as-of 2026-06-30",
      "--and observers_left.csv --start joined --end last_day --key person"),
  "For how many days in a row was each snow stake read?" =
    c("ridge consecutive stake_readings.csv --start read_on --one-day --key stake",
      "--as-of 2026-06-30 --longest --sort days:down --limit 3"),
  "Where are five working days without a reading?" =
    c("ridge gaps stake_readings.csv --start read_on --one-day --key stake --as-of 2026-06-30",
      "--working --min-days 5 --limit 3"),
  "Which instruments were lent out twice at once?" =
    c("ridge overlaps instrument_loans.csv --start lent_on --end returned_on --key instrument",
      "--end-counts no --as-of 2026-06-30 --limit 3"),
  "Who was on a trip while posted, and where?" =
    c("ridge overlaps field_trips.csv --start first_day --end last_day --key observer",
      "--as-of 2026-06-30 --with postings.csv --carry station,purpose --limit 3"),
  "On how many days were fewer than 18 at a station, trips aside?" =
    c(paste("ridge peaks", posted), paste("--keep station=Stonebow --floor 18 --less",
                                          "field_trips.csv --from 2026-01-01 --limit 3 --summary")),
  "How many working hours until a fault was mended?" =
    c(paste("ridge elapsed", mended[1]), mended[2], office, "--limit 3 --summary"),
  "In which month were how many of them mended within 24 working hours?" =
    c(paste("ridge elapsed", mended[1]), mended[2], office, "--by month --within 24 --limit 3"),
  "By when has each fault to be mended, ten working days on?" =
    c(paste("ridge due", mended[1]), mended[2], "--after 10 --holidays closures.ics --limit 3"),
  "What of the grants was billed in each year, and what is not recognised yet?" =
    c(paste("ridge allocate", granted),
      "--amount amount --by year --digits 2 --show balance"),
  "How many in the last four periods of a 4-4-5 year, against the year before?" =
    c(paste("ridge versus", posted),
      paste("--by 4-4-5 --years 2024-2026 --week-year month=June --week-year ends=nearest",
            "--rule last_day"),
      "--against year_before --sort period:down --limit 4"),
  "Of those who started together, who is left? And how long do they stay?" =
    c(paste("ridge cohorts", posted), "--by year --wide --summary"),
  "Who moved in June?" =
    c(paste("ridge movement", posted),
      "--by month --group station --show records --from 2026-06-01 --limit 3"),
  "Why are the numbers of May other ones than in the list of a month before?" =
    c(paste("ridge restated", posted),
      "--earlier postings_may.csv --earlier-as-of 2026-05-31 --from 2026-04-01 --summary"),
  "What did the last quarters look like at the end of 2025?" =
    c(paste("ridge movement", posted), "--seen-on 2025-12-31 --by quarter --from 2025-07-01")
)

demo_ending <- function(more) c(
  if (!more) c(paste("The report:        open ridge-demo/edition/index.html in a browser (or",
                     "ridge build --browse there)"),
               "The whole table:   ridge-demo/active-by-month.csv",
               "As a picture:      ridge-demo/active-by-month.png",
               paste("More steps:        ridge demo --more (clocks, logs, lists, gaps, overlaps,",
                     "elapsed time, cohorts)")),
  paste0("The same in R:     ridge demo --in-r", if (more) " --more"),
  "What there is:     ridge help"
)
