# Each command reads, calls a verb and writes; it calculates nothing.

command_active <- function(given) {
  x <- read_spans(given)
  result <- active(x, by = grain_given(given), group = tidyselect::all_of(given$group),
                   count = given$count, of = given$of, on = given$on, from = given$from,
                   to = given$to, whole = given$whole, calendar = calendar_given(given),
                   total = isTRUE(given$total), label = given$label)
  hand_over(result, given)
}

command_periods <- function(given) {
  if (is.null(given$by)) {
    usage_abort(c("{.code ridge periods} needs {.code --by}.", i = "Say {.code --by month}, for one."))
  }
  result <- periods(grain_given(given), from = given$from, to = given$to, whole = given$whole,
                    calendar = calendar_given(given), tz = given$tz,
                    label = if (is.null(given$label)) "code" else given$label)
  hand_over(result, given)
}

# The records of the file as a spans object; what was set aside goes to a file.
read_spans <- function(given) {
  check_record_options(given)
  if (!is.null(given$set_aside)) given$problems <- "set_aside"
  source <- read_input(given, if (!shows_records(given)) needed_columns(given))
  ready <- ready_records(source, given)
  x <- declare_given(ready$records, ready$given, spans)
  if (!is.null(given$set_aside)) write_set_aside(x, source, given$set_aside)
  if (is.null(given$seen_on)) x else as_seen_on(x, given$seen_on)
}

# Then all columns of the records are asked for.
shows_records <- function(given) {
  isTRUE(given$all_columns) || !is.null(given$set_aside) || identical(given$show, "records")
}

check_record_options <- function(given) {
  check_outputs(given)
  check_one_file(given)
  if (is.null(given$start)) {
    usage_abort("{.code --start} must name the column of first days.")
  }
  data.table::setDTthreads(0)
}

check_one_file <- function(given) {
  if (length(given$files) != 1) {
    usage_abort(c("Name one file of records, not {length(given$files)}.",
                  i = "For example {.code ridge active postings.csv --start first_day --end last_day}."))
  }
}

# The table of the file, with its labels folded where that was asked for.
read_input <- function(given, needed = NULL) {
  records <- read_table(given$files, given$format, needed, sheet = sheet_given(given),
                        encoding = first_of(given$encoding, "UTF-8"), tz = given$tz, until = given$until)
  if (is.null(given$fold)) {
    return(records)
  }
  for (name in given$fold) check_column(records, name, "fold")
  fold_labels(records, tidyselect::all_of(given$fold), into = given$into, near = first_of(given$near, "report"))
}

sheet_given <- function(given) {
  if (!is.null(given$sheet)) number_or_text(given$sheet)
}

# The records chosen, their dates and clocks as the options say.
ready_records <- function(records, given) {
  chosen <- choose_records(records, given$keep, given$leave_out, first_of(given$match, "folded"))
  source <- source_of(chosen)
  chosen <- with_order(chosen, given)
  if (!is.null(given$start_clock) || !is.null(given$end_clock)) {
    chosen <- with_clocks(chosen, given)
    given[c("start", "end")] <- given[c("start_clock", "end_clock")]
  } else if (holds_intervals(chosen, given)) {
    chosen <- split_intervals(chosen, given$start, given$tz)
    given[c("start", "end")] <- paste0(given$start, c("_start", "_end"))
  }
  if (nrow(chosen) == 0) check_window_given(given, nrow(records))
  list(records = with_source(chosen, source[c("rows", "left_out")]), given = given)
}

# One column may hold both, as intervals.
holds_intervals <- function(records, given) {
  one <- is.null(given$end) || identical(given$end, given$start)
  one && given$start %in% names(records) && is.character(records[[given$start]]) && all_intervals(records[[given$start]])
}

declare_given <- function(records, given, verb) {
  verb(records, start = tidyselect::all_of(given$start), end = !!end_given(given),
       key = tidyselect::all_of(given$key), weight = tidyselect::all_of(given$weight),
       end_counts = if (!is.null(given$end_counts)) given$end_counts == "yes",
       open = given$open, as_of = if (is.null(given$as_of)) Sys.Date() else given$as_of,
       tz = given$tz, problems = if (is.null(given$problems)) "stop" else given$problems)
}

# With the columns and values of the source, whatever was made of them since.
write_set_aside <- function(x, source, path) {
  aside <- set_aside(x)
  columns <- lapply(as.list(plain_tibble(source)), function(column) column[aside$row])
  names(columns) <- make.unique(c("row", "reason", names(columns)), "_")[-(1:2)]
  write_records(tibble::new_tibble(c(list(row = aside$row, reason = aside$reason), columns), nrow = nrow(aside)), path)
  say_note("Set aside: ", path, " (", count_of(nrow(aside), "record"), ")")
}

command_check <- function(given) {
  check_record_options(given)
  ready <- ready_records(read_input(given, needed_columns(given)), given)
  found <- declare_given(ready$records, ready$given, check_spans)
  hand_over(found, given)
  for (line in finding_lines(summary(found))) say_note(line)
  exit_with(if (any(found$severity == "error")) 1L else 0L)
}

finding_lines <- function(summary) {
  sprintf("%s: %s, %s (%s)", summary$severity, summary$finding,
          vapply(summary$records, count_of, character(1), "record"), summary$example)
}

command_changes <- function(given) {
  check_outputs(given)
  check_one_file(given)
  for (option in c("at", "state")) {
    if (is.null(given[[option]])) usage_abort("{.code --{option}} must name a column of the log.")
  }
  records <- read_input(given)
  given$start <- given$at
  chosen <- choose_records(records, given$keep, given$leave_out, first_of(given$match, "folded"))
  source <- source_of(chosen)
  chosen <- with_source(with_order(chosen, given), source[c("rows", "left_out")])
  if (!is.null(given$set_aside)) given$problems <- "set_aside"
  x <- spans_from_changes(chosen, tidyselect::all_of(given$at), tidyselect::all_of(given$key),
                          tidyselect::all_of(given$state), closing_states = given$closing,
                          repeats = first_of(given$repeats, "merge"), same_day = first_of(given$same_day, "last"),
                          as_of = if (is.null(given$as_of)) Sys.Date() else given$as_of, tz = given$tz,
                          problems = first_of(given$problems, "stop"))
  if (!is.null(given$set_aside)) write_set_aside(x, records, given$set_aside)
  hand_over(x, given)
}

command_records <- function(given) {
  check_outputs(given)
  check_one_file(given)
  records <- read_records(given$files, given$format, sheet = sheet_given(given), order = given$order, tz = given$tz,
                          keep = as.list(given$keep), leave_out = as.list(given$leave_out),
                          match = first_of(given$match, "folded"), encoding = first_of(given$encoding, "UTF-8"),
                          until = given$until)
  if (!is.null(given$fold)) {
    for (name in given$fold) check_column(records, name, "fold")
    records <- fold_labels(records, tidyselect::all_of(given$fold), into = given$into, near = first_of(given$near, "report"))
  }
  write_out(records, given)
}

# Starts and ends in an order that the user names.
with_order <- function(records, given) {
  for (name in if (!is.null(given$order)) intersect(c(given$start, given$end), names(records))) {
    column <- records[[name]]
    if (is.character(column)) {
      read <- read_text_moments(column, name, given$tz, given$order)
      if (length(read$bad) == 0) records[[name]] <- read$values
    }
  }
  records
}

# Dates and clocks become instants, in the columns of the clocks.
with_clocks <- function(records, given) {
  if (is.null(given$start_clock) || is.null(given$end_clock)) {
    usage_abort("{.code --start-clock} and {.code --end-clock} go together.")
  }
  columns <- c(start = given$start, end = given$end, start_clock = given$start_clock,
               end_clock = given$end_clock)
  for (option in names(columns)) {
    check_column(records, columns[[option]], option)
  }
  times <- shift_times(
    records[[given$start]], records[[given$start_clock]], records[[given$end_clock]], tz = given$tz,
    finish_date = if (!is.null(given$end)) records[[given$end]], equal = given$equal
  )
  records[[given$start_clock]] <- times$start
  records[[given$end_clock]] <- times$end
  records
}

needed_columns <- function(given) {
  unique(c(given$start, given$end, given$start_clock, given$end_clock, given$key, given$weight, given$group, given$carry,
           given$same, given$across, given$amount, setdiff(given$per, "none"),
           names(given$keep), names(given$leave_out), given$fold))
}

# Without a record and without a window there is nothing to show.
check_window_given <- function(given, records) {
  if (!is.null(given$on) || !is.null(given$from) && !is.null(given$to)) {
    return(invisible())
  }
  what <- if (records == 0) "{.file {given$files}} holds no records, only column names."
  else "{.code --keep} and {.code --leave-out} leave none of the {count_of(records, 'record')}."
  ridge_abort(c(what, i = "Name {.code --from} and {.code --to} for a table of zeros."), "records")
}

end_given <- function(given) {
  ways <- c(end = !is.null(given$end) || !is.null(given$end_clock), one_day = isTRUE(given$one_day),
            all_open = isTRUE(given$all_open))
  if (sum(ways) != 1) {
    usage_abort("Say one of {.code --end COLUMN}, {.code --one-day} (there is no end) and {.code --all-open} (all are still there).")
  }
  switch(names(ways)[ways], end = rlang::expr(tidyselect::all_of(!!given$end)), one_day = NULL,
         all_open = NA)
}

# A grain, or a file with a table of periods.
grain_given <- function(given) {
  if (!is.null(given$by) && grepl("[.]csv$", given$by, ignore.case = TRUE)) {
    return(read_table(given$by))
  }
  given$by
}

calendar_given <- function(given) {
  standard <- formals(calendar_rules)
  weekend <- if (is.null(given$weekend)) eval(standard$weekend)
  else if (identical(given$weekend, "none")) NULL
  else number_or_text(given$weekend)
  calendar_rules(
    weekend = weekend, holidays = holidays_given(given), yearly = given$yearly, hours = hours_given(given), tz = given$hours_tz,
    week_starts = number_or_text(first_of(given$week_starts, standard$week_starts)),
    year_starts = number_or_text(first_of(given$year_starts, standard$year_starts))
  )
}

# Dates, or a file that holds them.
holidays_given <- function(given) {
  if (length(given$holidays) != 1 || !grepl("[.][a-z]", given$holidays)) {
    return(given$holidays)
  }
  table <- read_records(given$holidays, until = given$until)
  if ("start" %in% names(table)) {
    return(table)
  }
  dates <- Filter(function(name) inherits(table[[name]], "Date"), names(table))
  if (length(dates) != 1) {
    ridge_abort(c("{.arg holidays}: {.file {given$holidays}} has {length(dates)} columns of dates, not one.",
                  i = "Name the column {.val start}, and {.val end} where holidays last longer."), "records")
  }
  table[[dates]]
}

hours_given <- function(given) {
  if (is.null(given$hours) && is.null(given$hours_on)) {
    return(NULL)
  }
  c(if (!is.null(given$hours)) list(clock_words(given$hours)), lapply(given$hours_on, clock_words))
}

# 09:00,17:30 or 09:00-17:30.
clock_words <- function(text) {
  split_words(gsub("-", ",", text, fixed = TRUE))
}

split_words <- function(text) {
  trimws(unlist(strsplit(text, ",", fixed = TRUE)))
}

number_or_text <- function(words) {
  if (all(grepl("^[0-9]+$", words))) as.integer(words) else words
}

# Wrong endings and folders are found before any work is done.
check_outputs <- function(given) {
  if (!is.null(given$out)) check_ending(given$out, table_endings, "out")
  if (!is.null(given$set_aside)) check_ending(given$set_aside, table_endings, "set_aside")
  if (!is.null(given$figure)) check_ending(given$figure, figure_formats, "figure")
}

hand_over <- function(result, given, ...) {
  check_outputs(given)
  if (!is.null(given$totals) && !isTRUE(given$wide)) usage_abort("{.code --totals} are those of the wide form: say {.code --wide} too.")
  shown <- if (isTRUE(given$wide)) widen(result, totals = first_of(given$totals, "none"), label = first_of(given$label, "code")) else result
  say_note(conventions(shown))
  write_out(if (isTRUE(given$text)) with_text(result) else shown, given)
  if (!is.null(given$figure)) {
    write_figure(autoplot(result, ...), given$figure)
    say_note("Figure: ", given$figure)
  }
  if (isTRUE(given$summary)) for (sentence in summary(result)) say_note(sentence)
  if (isTRUE(given$reconcile)) report_checks(reconcile(shown))
}

# One line for each check, and a status that says whether all tie.
report_checks <- function(checks) {
  shown <- function(x) format(x, big.mark = ",", digits = 15, scientific = FALSE, trim = TRUE)
  say_note("Reconciled: ", conventions(checks))
  for (i in seq_len(nrow(checks))) {
    found <- if (checks$ok[i]) paste("both", shown(checks$expected[i])) else
      paste0(shown(checks$expected[i]), " expected, ", shown(checks$got[i]), " found")
    say_note(if (checks$ok[i]) "- ties: " else "- DOES NOT TIE: ", checks$check[i], ": ", found)
  }
  exit_with(if (all(checks$ok)) 0L else 1L)
}

write_out <- function(table, given) {
  if (is.null(given$out)) {
    return(write_csv_table(table))
  }
  write_records(table, given$out)
  say_note("Table: ", given$out, " (", count_of(nrow(table), "row"), ")")
}

# A status that is not 0 although the command did what it was asked.
exit_with <- function(status) {
  structure(status, class = "exit_status")
}
command_scaffold <- function(given) {
  x <- read_spans(given)
  result <- scaffold(x, by = grain_given(given), keep = first_of(given$rule, "any_day"),
                     of = given$of, shape = first_of(given$shape, "rows"),
                     carry = tidyselect::all_of(given$carry), from = given$from, to = given$to,
                     whole = given$whole, calendar = calendar_given(given), label = given$label)
  hand_over(result, given)
}

# `per` as an option: "none" is all records together, nothing the key.
per_given <- function(given) {
  if (is.null(given$per)) NULL else if (identical(given$per, "none")) character() else given$per
}

with_per <- function(verb, x, given, ...) {
  per <- per_given(given)
  if (is.null(per)) verb(x, ...) else verb(x, per = tidyselect::all_of(per), ...)
}

working_calendar <- function(given) {
  if (isTRUE(given$working)) calendar_given(given)
}

number_given <- function(given, option, otherwise = NULL) {
  value <- given[[gsub("-", "_", option)]]
  if (is.null(value)) {
    return(otherwise)
  }
  number <- suppressWarnings(as.double(value))
  if (is.na(number)) usage_abort("{.code --{option}} takes a number, not {.val {value}}.")
  number
}

command_consecutive <- function(given) {
  x <- read_spans(given)
  hand_over(with_per(consecutive, x, given, same = tidyselect::all_of(given$same),
                     tolerance = number_given(given, "tolerance", 0), calendar = working_calendar(given),
                     longest = isTRUE(given$longest), show = first_of(given$show, "stretches")), given)
}

command_gaps <- function(given) {
  x <- read_spans(given)
  hand_over(with_per(gaps, x, given, from = given$from, to = given$to, edges = isTRUE(given$edges),
                     min_days = number_given(given, "min-days"), calendar = working_calendar(given)), given)
}

command_overlaps <- function(given) {
  x <- read_spans(given)
  hand_over(with_per(overlaps, x, given, across = tidyselect::all_of(given$across),
                     min_days = number_given(given, "min-days"), total = isTRUE(given$total)), given)
}

command_concurrency <- function(given) {
  x <- read_spans(given)
  capacity <- number_given(given, "capacity")
  result <- if (isTRUE(given$peaks)) peaks(x, group = tidyselect::all_of(given$group), of = given$of, capacity = capacity, from = given$from, to = given$to)
  else concurrency(x, group = tidyselect::all_of(given$group), of = given$of, from = given$from, to = given$to)
  hand_over(result, given, capacity = capacity)
}

command_roster <- function(given) {
  given$all_columns <- TRUE
  x <- read_spans(given)
  hand_over(roster(x, on = given$on, group = tidyselect::all_of(given$group), count = given$count), given)
}

command_explain <- function(given) {
  x <- read_spans(given)
  hand_over(explain_count(x, on = given$on, count = given$count, of = given$of, show = first_of(given$show, "steps")), given)
}
