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
#' @param start Starts: Date, POSIXct or ISO 8601 text. Or a [spans()] object,
#'   whose open spans then run through the as-of date.
#' @param end Ends, of the same kind: as many as `start`, or one for all.
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
#' @param ... Not used.
#' @return Numbers in the unit, NA where a start or end is missing. Of a spans
#'   object a tibble, one row per record: `row`, the key, `start`, `end`, `open`,
#'   and the time in a column named by its unit, `working_hours` for one.
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
#' @export
elapsed <- function(start, ...) {
  UseMethod("elapsed")
}

#' @rdname elapsed
#' @export
elapsed.default <- function(start, end, unit = NULL, calendar = NULL, day_hours = 24, end_counts = TRUE,
                            negative = FALSE, tz = NULL, ...) {
  check_elapsed(unit, calendar, day_hours)
  check_flag(end_counts, "end_counts")
  check_flag(negative, "negative")
  if (!is.null(tz)) check_zone(tz)
  from <- moments_given(start, "start", tz)
  to <- moments_given(end, "end", tz)
  check_pairs(from$values, to$values)
  kinds <- setdiff(c(from$on, to$on), "blank")
  if (length(kinds) == 2) {
    ridge_abort(c("{.arg start} holds {from$on}, {.arg end} holds {to$on}.", i = "Make both dates, or both date-times."), "argument")
  }
  on_days <- !identical(kinds, "instants")
  size <- if (length(from$values) == 0 || length(to$values) == 0) 0L else max(length(from$values), length(to$values))
  start <- rep_len(from$values, size)
  end <- rep_len(to$values, size)
  if (!negative && any(end < start, na.rm = TRUE)) refuse_turned(which(end < start), start, end)
  zone <- if (on_days) "UTC" else first_of(tz, choose_zone(from$values, NULL))
  scale <- if (on_days) 86400 else 1
  seconds <- seconds_between(scale * as.double(start), scale * (as.double(end) + (on_days && end_counts)), calendar, zone)
  seconds / unit_seconds(first_of(unit, if (on_days) "days" else "hours"), day_hours)
}

#' @rdname elapsed
#' @export
elapsed.ridge_spans <- function(start, unit = NULL, calendar = NULL, day_hours = 24, ...) {
  x <- start
  rlang::check_dots_empty()
  check_spans_class(x, "elapsed")
  check_elapsed(unit, calendar, day_hours)
  how <- about(x)
  unit <- first_of(unit, if (is.null(how$tz)) "days" else "hours")
  columns <- record_lengths(x, "elapsed")
  scale <- if (is.null(how$tz)) 86400 else 1
  from <- scale * as.double(columns$start)
  to <- scale * (as.double(columns$end) + is.null(how$tz))
  # What begins after the as-of date has lasted no time yet.
  to[is.na(to)] <- from[is.na(to)]
  columns[c("days", "hours")] <- NULL
  name <- paste0(if (!is.null(calendar)) "working_", unit)
  columns[[name]] <- seconds_between(from, to, calendar, zone_of(how$tz)) / unit_seconds(unit, day_hours)
  words <- c(paste("Elapsed:", gsub("_", " ", name), "of each record"), working_time_words(calendar), day_words(unit, day_hours),
             open_length_words(x), usual_lengths(x))
  new_result(columns, "elapsed", paste0(paste(words, collapse = "; "), "."), nrow = nrow(x), value = name, source = x,
             calendar = calendar, unit = unit, day_hours = day_hours)
}

check_elapsed <- function(unit, calendar, day_hours) {
  if (!is.null(unit)) check_choice(unit, names(time_units), "unit")
  if (!is.null(calendar)) check_calendar(calendar)
  unit_seconds(first_of(unit, "days"), day_hours)
}

moments_given <- function(values, arg, tz) {
  read <- read_moments(values, arg, tz)
  if (length(read$bad) > 0) {
    ridge_abort(c("{.arg {arg}}: {.val {as.character(values)[read$bad[1]]}} (row {read$bad[1]}) is no date.",
                  i = "Write dates as 2026-01-31 and date-times as 2026-01-31 09:00."), "records")
  }
  read
}

seconds_between <- function(start, stop, calendar, tz) {
  if (is.null(calendar)) stop - start else working_seconds(start, stop, calendar, tz)
}

day_words <- function(unit, day_hours) {
  if (!(unit %in% c("days", "weeks"))) {
    return(NULL)
  }
  hours <- unit_seconds("days", day_hours) / 3600
  paste("a day is", format(hours), "hours")
}
