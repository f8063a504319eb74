# The window is the first to the last day shown, before it is widened to whole
# periods. `facts` gives the days (and ticks) that the records know of.

check_whole <- function(whole) {
  if (is.null(whole)) NULL else as_grain(whole, "whole")
}

resolve_window <- function(from, to, whole, calendar, facts, timeline, base) {
  zone <- zone_of(timeline)
  given <- list(from = if (!is.null(from)) as_single_day(from, "from", zone, base, "first"),
                to = if (!is.null(to)) as_single_day(to, "to", zone, base, "last"))
  window <- list(from = given$from %||% facts$first, to = given$to %||% facts$last)
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
    ridge_abort("{arg_name('whole')} must be a grain of a day or more, such as {.val year}.",
                "argument", arg = "whole")
  }
  rule <- grain_rule(whole, calendar)
  bounds <- grain_bounds(rule$in_months, rule$size, rule$origin, window$from, window$to)
  list(from = bounds[1], to = bounds[length(bounds)] - 1L)
}

refuse_window <- function(window, given) {
  days <- format(as_date(c(window$from, window$to)))
  from <- paste0(arg_name("from"), " (", days[1], ")")
  to <- paste0(arg_name("to"), " (", days[2], ")")
  if (is.null(given$to)) {
    ridge_abort(c("{from} is after {days[2]}, the last day shown without {arg_name('to')}.",
                  i = "Name {arg_name('to')} as well."), "argument", arg = "from", value = days[1])
  }
  if (is.null(given$from)) {
    ridge_abort(c("{to} is before the first start ({days[1]}).",
                  i = "Name {arg_name('from')} as well."), "argument", arg = "to", value = days[2])
  }
  ridge_abort(c("{from} is after {to}.", i = "Exchange the two."), "argument", arg = "from",
              value = days[1])
}

# The axis of a window: NULL where there is neither a window nor a record. `reach` says
# which periods it has to know: those of the "window", "from_start" or of all "spans".
window_axis <- function(grain, window, calendar, timeline, hours = NULL, facts = NULL,
                        reach = "window") {
  if (is.null(window)) {
    return(NULL)
  }
  check_own_window(grain, window)
  axis <- make_axis(grain, window$from, window$to, calendar, timeline)
  if (is_hourly(axis) && !is.null(hours)) {
    axis <- axis_part(axis, axis$stop > hours$from & axis$first < hours$to)
  }
  if (reach == "window" || is.null(facts$first) || axis_size(axis) == 0) axis
  else if (reach == "from_start") axis_from_start(axis, facts)
  else axis_of_spans(axis, facts)
}

# What is counted from the first start on is counted also before the window.
axis_from_start <- function(axis, facts) {
  if (facts$first_tick >= axis$first[1]) {
    return(axis)
  }
  all <- make_axis(axis$grain, facts$first, axis_days(axis)[2], axis$calendar, axis$timeline)
  with_all_periods(axis, axis_part(all, all$stop <= axis$stop[axis_size(axis)]))
}

axis_of_spans <- function(axis, facts) {
  if (axis$grain$unit == "own") {
    return(axis)
  }
  shown <- axis_days(axis)
  all <- make_axis(axis$grain, min(facts$first, shown[1]),
                   max(facts$last, facts$last_known, shown[2]), axis$calendar, axis$timeline)
  with_all_periods(axis, all)
}

check_own_window <- function(grain, window) {
  if (grain$unit != "own") {
    return(invisible())
  }
  ends <- c(grain$table$first[1], grain$table$stop[length(grain$table$stop)] - 1L)
  if (window$to < ends[1] || window$from > ends[2]) {
    table <- paste(format(as_date(ends)), collapse = " to ")
    shown <- paste(format(as_date(c(window$from, window$to))), collapse = " to ")
    ridge_abort(
      c(paste("The table of periods given to {arg_name('by')} ({table}) does not meet the window",
              "({shown})."),
        i = paste("Use a table that covers the records, or name {arg_name('from')} and",
                  "{arg_name('to')} within it.")),
      "argument", arg = "by")
  }
}

# By hour a window is cut to the hours asked for: instants as they are, days whole. The
# hour that holds the last moment asked for is shown, so that moment counts.
hour_window <- function(window, from, to, whole, facts, timeline) {
  if (is.null(window) || on_days(timeline)) {
    return(NULL)
  }
  days <- first_ticks(c(window$from, window$to + 1L), timeline)
  edge <- function(given, known, whole_day, beyond = 0) {
    if (!is.null(whole)) whole_day
    else if (inherits(given, "POSIXt")) as.numeric(given) + beyond
    else if (is.null(given)) known %||% whole_day
    else whole_day
  }
  list(from = edge(from, facts$first_tick, days[1]),
       to = edge(to, facts$stop_tick, days[2], beyond = microsecond))
}
