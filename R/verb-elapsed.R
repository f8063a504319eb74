#' How long it took, in calendar or working time
#'
#' The time from a start to an end: all of it, or with a calendar only what falls
#' into working time.
#'
#' Between days, the last day counts (unless `end_counts = FALSE`), and each has 24
#' hours; between instants hours are real, also over a clock change.
#'
#' Working time is the real time that falls on working days or into their hours,
#' from Monday 2 March 2026 09:00 to Tuesday 17 March 15:00 that is 11 days and 6
#' hours of 15 days and 6 hours. To count whole working days and to add the clock
#' time left over overstates: 2 to 17 March are 12 working days, and 6 hours more
#' on the clock make 12 days and 6 hours, although the first and the last day were
#' only worked in part.
#'
#' @param x Starts: Date, POSIXct or ISO 8601 text. Or a [spans()] object,
#'   whose open spans then run through the as-of date; of each record of a table in a database
#'   where it was told its `row`.
#' @param end Ends, of the same kind: as many as `x`, or one for all.
#' @param unit `"seconds"`, `"minutes"`, `"hours"`, `"days"` or `"weeks"`. `NULL`:
#'   days between days, hours between instants.
#' @param calendar `NULL`: all time counts. Or a calendar of [calendar_rules()]:
#'   only its working time does.
#' @param day_hours How many hours make a day, 7 of which make a week: 24, another
#'   number, or a calendar: the hours of its working day, and of its week.
#' @param end_counts Between dates: does the last day count?
#' @param negative `TRUE`: where an end is before its start the time is negative.
#'   `FALSE`: that is an error.
#' @param tz The time zone of text without an offset, and of the calendar's hours
#'   where it names none; `NULL`: that of the values.
#' @param group,by Of a spans object: not each record, but groups, and periods of a grain such
#'   as `"month"`, or both.
#' @param by_start Periods are those in which records started, not those in which they ended?
#' @param within With `group` or `by`: a target in the unit; how many ended within it.
#' @param carry Columns of the records to carry along with each.
#' @param from,to,whole,label The window of periods and their labels: see [active()]. By default
#'   from the first start to the as-of date.
#' @param ... Not used.
#' @return Numbers in the unit, NA where a start or end is missing. Of a spans
#'   object a tibble, one row per record: `row`, the key, `start`, `end`, `open`,
#'   and the time in a column named by its unit, `working_hours` for one.
#'
#'   With `group` or `by`: the group columns, `period` and `period_end`, `ended` (how many), and
#'   of those `median`, `mean`, `percentile_90` (of type 7, between two records by their
#'   distance) and `longest`, NA where none ended; `still_open`: how many have no end yet (by
#'   period those open at its end, with `by_start` those that started in it); with `within`
#'   how many ended `within` it, and `share_within`.
#' @section Errors:
#' Ends before their starts are an error of class `ridge_error_records` that names
#' the rows, as are texts that are no dates; a wrong argument is of class
#' `ridge_error_argument`.
#' @seealso [elapsed_text()] for words, [tenure()] for calendar months and years.
#' @examples
#' elapsed("2026-03-02 09:00", "2026-03-17 15:00", "days", tz = "UTC")
#' elapsed("2026-03-02 09:00", "2026-03-17 15:00", "days", calendar_rules(), tz = "UTC")
#' faults <- spans(demo_records("faults"), reported, mended, key = fault, as_of = "2026-06-30",
#'                 tz = "Europe/Vienna")
#' office <- calendar_rules(hours = c("09:00", "17:30"), holidays = demo_records("closures"))
#' elapsed(faults, "hours", office)
#' elapsed(faults, "hours", office, by = "quarter", within = 24)
#' elapsed(faults, "days", group = station)
#' @export
elapsed <- function(x, ...) {
  UseMethod("elapsed")
}

#' @rdname elapsed
#' @export
elapsed.default <- function(x, end, unit = NULL, calendar = NULL, day_hours = 24,
                            end_counts = TRUE, negative = FALSE, tz = NULL, ...) {
  check_elapsed(unit, calendar, day_hours)
  check_flag(end_counts, "end_counts")
  check_flag(negative, "negative")
  check_zone_given(tz)
  from <- moments_given(x, "x", tz)
  to <- moments_given(end, "end", tz)
  kinds <- setdiff(c(from$on, to$on), "blank")
  if (length(kinds) == 2) {
    ridge_abort(c("{arg_name('x')} holds {from$on}, {arg_name('end')} holds {to$on}.",
                  i = "Make both dates, or both date-times."), "argument", arg = "end")
  }
  both <- paired(list(start = from$values, end = to$values))
  turned <- which(both$end < both$start)
  if (!negative && length(turned) > 0) refuse_turned(turned, both$start, both$end)
  timeline <- if (identical(kinds, "instants")) instant_timeline(tz %||% choose_zone(from$values,
      NULL))
  else day_timeline()
  ticks <- list(start = as.double(both$start),
                stop = stops_at(as.double(both$end), timeline, end_counts))
  seconds <- seconds_between(in_seconds(ticks$start, timeline), in_seconds(ticks$stop, timeline),
                             calendar, zone_of(timeline))
  seconds / unit_seconds(unit %||% length_unit(timeline)$name, day_hours)
}

#' @rdname elapsed
#' @export
elapsed.ridge_spans <- function(x, unit = NULL, calendar = NULL, day_hours = 24, group = NULL,
                                by = NULL, by_start = FALSE, within = NULL, carry = NULL,
                                from = NULL, to = NULL, whole = NULL, label = NULL, ...) {
  rlang::check_dots_empty()
  check_spans_class(x, "elapsed")
  check_elapsed(unit, calendar, day_hours)
  unit <- unit %||% length_unit(timeline_of(x))$name
  name <- paste0(if (!is.null(calendar)) "working_", unit)
  carry <- pick_carried(x, rlang::enquo(carry), c("row", "start", "end", "open", name), "elapsed")
  group <- pick_groups(x, rlang::enquo(group), c(elapsed_columns, "period", "period_end", "label"),
                       "elapsed")
  by <- rlang::enquo(by)
  grain <- if (!rlang::quo_is_null(by)) resolve_by(by, x)
  by <- rlang::eval_tidy(by)
  window <- list(from = from, to = to, whole = whole, label = label)
  check_elapsed_groups(group, by, by_start, within, carry, window)
  axis <- if (!is.null(by)) {
    ask_axis(x, grain, facts_of(x), from, to, whole,
             calendar %||% calendar_rules(), until = "as_of")
  }
  question <- new_question("elapsed", list(group = group, carry = carry), axis = axis)
  if (length(group) > 0 || !is.null(by)) {
    open <- facts_of(x)$open
    words <- sentence_of(elapsed_group_words(question$arguments), "90th percentile of type 7",
                         working_time_words(calendar), day_words(unit, day_hours),
                         if (open > 0) paste(count_of(open, "open span"), "not among them"),
                         usual_lengths(x))
    return(elapsed_by_group(x, question, words))
  }
  here <- records_behind(x, list(kind = "all"), carry)
  value <- record_seconds(here, calendar) / unit_seconds(unit, day_hours)
  columns <- record_lengths(here, "elapsed")
  columns[c("days", "hours")] <- NULL
  columns <- c(columns, stats::setNames(list(value), name), columns_of(here, carry))
  words <- sentence_of(paste("Elapsed:", gsub("_", " ", name), "of each record"),
                       working_time_words(calendar), day_words(unit, day_hours),
                       open_length_words(x), usual_lengths(x))
  new_records(question, x, columns, words, values = c(name, "open"), nrow = nrow(here))
}

# What is asked of each record, and what of groups and periods.
check_elapsed_groups <- function(group, by, by_start, within, carry, window) {
  check_flag(by_start, "by_start")
  if (!is.null(within)) check_amount(within, "within")
  check_label(window$label)
  counted <- length(group) > 0 || !is.null(by)
  if (length(carry) && counted) {
    refuse_together("carry", list(group = if (length(group)) group, by = by),
                    "a group has no record's columns")
  }
  alone <- c(window, list(by_start = if (by_start) by_start))
  alone <- if (is.null(by)) alone[!vapply(alone, is.null, NA)]
  if (!counted && !is.null(within)) alone <- c(alone, list(within = within))
  if (length(alone) > 0) {
    ways <- if (names(alone)[1] == "within") "{arg_name('by')} or {arg_name('group')}"
    else "{arg_name('by')}"
    ridge_abort(c(paste0("{arg_name(names(alone)[1])} plays no part without ", ways, "."),
                  i = "Say {arg_set('by', 'month')}, for one."), "argument",
                arg = names(alone)[1])
  }
}

check_elapsed <- function(unit, calendar, day_hours) {
  if (!is.null(unit)) check_choice(unit, names(time_units), "unit")
  if (!is.null(calendar)) check_calendar(calendar)
  unit_seconds(unit %||% "days", day_hours)
}

moments_given <- function(values, arg, tz) {
  read <- read_moments(values, arg, tz)
  if (length(read$bad) > 0) {
    row <- read$bad[1]
    seen <- shown_value(values[row])
    reason <- why_unreadable(values[row])
    ridge_abort(c("{arg_name(arg)}: {.val {seen}} (row {row}) {reason}.",
                  i = "Write dates as 2026-01-31 and date-times as 2026-01-31 09:00."), "records",
                arg = arg, row = row, value = seen)
  }
  read
}

#' @export
sentences.ridge_elapsed <- function(object) {
  if ("ended" %in% about(object)$values) {
    return(elapsed_group_sentences(object))
  }
  value <- about(object)$values[1]
  length <- object[[value]]
  unit <- gsub("_", " ", value)
  spread <- format_plain(stats::quantile(length, c(0.5, 0.9), names = FALSE), 1)
  longest <- which.max(length)
  row <- if ("row" %in% names(object)) paste0(" (row ", format_rows(object$row[longest]), ")")
  open <- sum(object$open)
  c(paste0("Of ", count_of(nrow(object), "record"), " half took up to ", spread[1], " ", unit,
           ", nine in ten up to ", spread[2], "; the longest took ",
           format_plain(length[longest], 1), row, "."),
    if (open > 0) paste(count_of(open, "record"), if (open == 1) "is" else "are", "still open."))
}

# Every length.
#' @export
source_checks.ridge_elapsed <- function(result, x) {
  made <- about(result)
  asked <- made$question$arguments
  plain <- lapply(plain_lengths(x)[c("start", "stop")], in_seconds, made$timeline)
  if (nrow(x) == 0) {
    return(list())
  }
  stretches <- if (!is.null(asked$calendar)) {
    working_stretches(asked$calendar, min(plain$start), max(plain$stop), zone_of(made$timeline))
  }
  seconds <- plain_time(stretches)(plain$start, plain$stop)
  expected <- seconds / unit_seconds(asked$unit, asked$day_hours)
  if ("ended" %in% made$values) {
    return(elapsed_group_checks(result, x, expected))
  }
  c(cell_checks("lengths of the spans", expected[rows_left(result)], result[[made$values[1]]],
                FALSE), record_row_checks(result, x))
}

# Start, end and length of each record as its row shows them.
record_row_checks <- function(result, x) {
  if (!"row" %in% names(result)) {
    return(list())
  }
  plain <- plain_records(x)
  expected <- plain_rows(data.frame(line = seq_len(nrow(plain)), plain[c("start", "stop")]), x)
  timeline <- timeline_of(x)
  found <- data.frame(line = match(result$row, about(x)$rows), start = as.double(result$start),
                      stop = as.double(result$end) + on_days(timeline), open = result$open)
  found$length <- plain_tibble(result)[[length_unit(timeline)$name]]
  row_checks("records", expected[names(found)], found, is_whole(result), "length")
}
