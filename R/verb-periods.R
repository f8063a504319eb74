#' The periods of a window
#'
#' Lists periods of a grain, from the one that holds `from` to the one that
#' holds `to`: the same ones, with the same labels, that the other verbs use.
#'
#' @param by A grain: `"hour"`, `"day"`, `"week"`, `"month"`, `"quarter"` or
#'   `"year"`; a multiple such as `"2 weeks"` or `"6 months"`, counted from the
#'   year 2000; or a table of periods from [own_periods()].
#' @param from,to The first and the last day to show, each one date (Date or
#'   ISO 8601 text, years 1600 to 9999). The window widens to whole periods.
#'   `NULL` is allowed only with a table of periods, where it means all.
#' @param whole A grain to widen the window to, such as `"year"`, or `NULL`.
#' @param calendar Where weeks and years start, and which days are working days:
#'   see [calendar_rules()].
#' @param label The form of the labels: `"code"` (2026-03, 2026-W10, 2026-Q1),
#'   `"name"` (Mar 2026), `"first_day"` or `"last_day"`.
#' @param tz A time zone, or `NULL`. Needed to cut hours; for longer periods it
#'   adds the column `hours`.
#' @return A tibble with one row per period: `period` and `period_end`, its first
#'   and its last day (Date); `label` (character); `days` and `working_days`
#'   (integer); with `tz`, `hours` (real elapsed hours, so a day has 23 or 25
#'   when clocks change and 0 if the zone skipped it). By hour `period` and
#'   `period_end` are instants, the end not counted, and `hours` replaces the
#'   days. There are no NA.
#' @section Errors:
#' An unknown grain, a date that is none, `from` after `to`: errors of class
#' `ridge_error_argument`. More than 10 million periods: `ridge_error_size`.
#' @examples
#' periods("month", "2026-01-01", "2026-06-30")
#' periods("quarter", "2025-04-01", "2026-03-31", label = "name",
#'         calendar = calendar_rules(year_starts = "April"))
#' periods("day", "2026-03-28", "2026-03-30", tz = "Europe/Vienna")
#' @export
periods <- function(by, from = NULL, to = NULL, whole = NULL, calendar = calendar_rules(),
                    label = "code", tz = NULL) {
  grain <- as_grain(by)
  check_calendar(calendar)
  label <- check_choice(label, label_forms, "label")
  check_zone_given(tz)
  timeline <- timeline_of_zone(tz)
  if (grain$unit == "hour" && on_days(timeline)) {
    ridge_abort(c(paste("{arg_set('by', grain$name)} needs {arg_name('tz')}, the zone whose",
                        "hours are meant."),
                  i = "Say {arg_set('tz', 'Europe/Vienna')}, for one."), "argument", arg = "tz")
  }
  facts <- if (grain$unit == "own") {
    list(first = grain$table$first[1], last = max(grain$table$stop) - 1L)
  }
  window <- resolve_window(from, to, whole, calendar, facts, timeline, today())
  if (is.null(window)) {
    ridge_abort(paste("{arg_name('from')} and {arg_name('to')} must name the first and the last",
                      "day to show."),
                "argument", arg = "from")
  }
  axis <- window_axis(grain, window, calendar, timeline)
  question <- new_question("periods", axis = axis)
  columns <- period_columns(axis, label)
  new_result(columns, question, NULL, describe_periods(axis, calendar), values = "period")
}

period_columns <- function(axis, label) {
  columns <- axis_columns(axis, label)
  if (!is_hourly(axis)) {
    columns$days <- axis$last_day - axis$first_day + 1L
    columns$working_days <- count_working_days(axis)
  }
  if (!on_days(axis$timeline)) {
    columns <- c(columns, length_columns(axis$stop - axis$first, axis$timeline))
  }
  columns
}

count_working_days <- function(axis) {
  if (axis_size(axis) == 0) {
    return(integer())
  }
  first <- axis$first_day[1]
  worked <- working_days_before(first, axis$last_day[axis_size(axis)], axis$calendar)
  worked[axis$last_day - first + 2L] - worked[axis$first_day - first + 1L]
}

describe_periods <- function(axis, calendar) {
  sentence_of(paste(count_of(axis_size(axis), "period"), "of one", axis$grain$name),
              paste0("weeks start on ", weekday_names[calendar$week_starts], ", years in ",
                     month.name[calendar$year_starts]),
              paste("weekend:", weekend_words(calendar)), holiday_words(calendar),
              if (!on_days(axis$timeline)) paste("times of", axis$timeline$tz))
}
