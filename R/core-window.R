# The window is the first to the last day shown, before it is widened to whole
# periods. `facts` gives the days (and instants) that the records know of.

check_whole <- function(whole) {
  if (is.null(whole)) NULL else as_grain(whole, "whole")
}

resolve_window <- function(from, to, whole, calendar, facts, tz) {
  given <- list(from = if (!is.null(from)) as_single_day(from, "from", zone_of(tz)),
                to = if (!is.null(to)) as_single_day(to, "to", zone_of(tz)))
  window <- list(from = first_of(given$from, facts$first), to = first_of(given$to, facts$last))
  if (is.null(window$from) || is.null(window$to)) {
    return(NULL)
  }
  if (window$from > window$to) {
    refuse_window(window, given)
  }
  whole <- check_whole(whole)
  if (is.null(whole)) {
    return(window)
  }
  if (whole$unit %in% c("hour", "own")) {
    ridge_abort("{.arg whole} must be a grain of a day or more, such as {.val year}.", "argument")
  }
  rule <- grain_rule(whole, calendar)
  bounds <- grain_bounds(rule$in_months, rule$size, rule$origin, window$from, window$to)
  list(from = bounds[1], to = bounds[length(bounds)] - 1L)
}

first_of <- function(value, otherwise) {
  if (is.null(value)) otherwise else value
}

zone_of <- function(tz) {
  if (is.null(tz)) "UTC" else tz
}

refuse_window <- function(window, given) {
  from <- format(as_date(window$from))
  to <- format(as_date(window$to))
  if (is.null(given$to)) {
    ridge_abort(c("{.arg from} ({from}) is after the last day the records know of ({to}).",
                  i = "Name {.arg to} as well."), "argument")
  }
  if (is.null(given$from)) {
    ridge_abort(c("{.arg to} ({to}) is before the first start ({from}).",
                  i = "Name {.arg from} as well."), "argument")
  }
  ridge_abort(c("{.arg from} ({from}) is after {.arg to} ({to}).", i = "Exchange the two."),
              "argument")
}

# The axis of a window: NULL where there is neither a window nor a record.
window_axis <- function(grain, window, calendar, tz, hours = NULL) {
  if (is.null(window)) {
    return(NULL)
  }
  check_own_window(grain, window)
  axis <- make_axis(grain, window$from, window$to, calendar, tz)
  if (is_hourly(axis)) trim_hours(axis, hours) else axis
}

check_own_window <- function(grain, window) {
  if (grain$unit != "own") {
    return(invisible())
  }
  first <- grain$table$first[1]
  last <- grain$table$stop[length(grain$table$stop)] - 1L
  if (window$to < first || window$from > last) {
    ridge_abort(c("The table of periods given to {.arg by} ({format(as_date(first))} to {format(as_date(last))}) does not meet the window ({format(as_date(window$from))} to {format(as_date(window$to))}).",
                  i = "Use a table that covers the records, or name {.arg from} and {.arg to} within it."),
                "argument")
  }
}

# Hours are shown from the hour of the first instant to that of the last.
trim_hours <- function(axis, hours) {
  if (is.null(hours)) {
    return(axis)
  }
  axis_part(axis, axis$stop > hours$from & axis$first < hours$to)
}
