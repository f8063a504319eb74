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

# The records of the file as a spans object.
read_spans <- function(given) {
  check_outputs(given)
  if (length(given$files) != 1) {
    usage_abort(c("Name one file of records, not {length(given$files)}.",
                  i = "For example {.code ridge active postings.csv --start first_day --end last_day}."))
  }
  if (is.null(given$start)) {
    usage_abort("{.code --start} must name the column of first days.")
  }
  data.table::setDTthreads(0)
  records <- read_csv_records(given$files, needed_columns(given))
  chosen <- choose_records(records, given$keep, given$leave_out)
  source <- source_of(chosen)
  chosen <- with_order(chosen, given)
  if (!is.null(given$start_clock) || !is.null(given$end_clock)) {
    chosen <- with_clocks(chosen, given)
    given[c("start", "end")] <- given[c("start_clock", "end_clock")]
  }
  chosen <- with_source(chosen, source)
  if (nrow(chosen) == 0) check_window_given(given, nrow(records))
  spans(chosen, start = tidyselect::all_of(given$start), end = !!end_given(given),
        key = tidyselect::all_of(given$key), weight = tidyselect::all_of(given$weight),
        end_counts = if (!is.null(given$end_counts)) given$end_counts == "yes",
        open = given$open, as_of = if (is.null(given$as_of)) Sys.Date() else given$as_of,
        tz = given$tz, problems = if (is.null(given$problems)) "stop" else given$problems)
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
           names(given$keep), names(given$leave_out)))
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
    return(read_csv_records(given$by))
  }
  given$by
}

calendar_given <- function(given) {
  standard <- formals(calendar_rules)
  weekend <- if (is.null(given$weekend)) eval(standard$weekend)
  else if (identical(given$weekend, "none")) NULL
  else number_or_text(given$weekend)
  calendar_rules(
    weekend = weekend, holidays = given$holidays,
    week_starts = number_or_text(first_of(given$week_starts, standard$week_starts)),
    year_starts = number_or_text(first_of(given$year_starts, standard$year_starts))
  )
}

number_or_text <- function(words) {
  if (all(grepl("^[0-9]+$", words))) as.integer(words) else words
}

# Wrong endings and folders are found before any work is done.
check_outputs <- function(given) {
  if (!is.null(given$out)) check_ending(given$out, table_formats, "out")
  if (!is.null(given$figure)) check_ending(given$figure, figure_formats, "figure")
}

hand_over <- function(result, given) {
  check_outputs(given)
  say_note(conventions(result))
  if (is.null(given$out)) {
    write_csv_table(result)
  } else {
    write_csv_table(result, given$out)
    say_note("Table: ", given$out, " (", count_of(nrow(result), "row"), ")")
  }
  if (!is.null(given$figure)) {
    write_figure(autoplot(result), given$figure)
    say_note("Figure: ", given$figure)
  }
}
command_scaffold <- function(given) {
  x <- read_spans(given)
  result <- scaffold(x, by = grain_given(given), keep = first_of(given$rule, "any_day"),
                     of = given$of, shape = first_of(given$shape, "rows"),
                     carry = tidyselect::all_of(given$carry), from = given$from, to = given$to,
                     whole = given$whole, calendar = calendar_given(given), label = given$label)
  hand_over(result, given)
}
