# An axis holds consecutive periods as half-open ticks: day numbers for spans on
# days, seconds since 1970 for spans on instants (`tz` is then the zone whose
# civil days the periods follow). Each period also has its first and last day.

new_axis <- function(grain, calendar, tz, first_day, stop_day, labels = NULL) {
  on_days <- is.null(tz)
  list(grain = grain, calendar = calendar, tz = tz, own_labels = labels,
       first = if (on_days) first_day else day_starts(first_day, tz),
       stop = if (on_days) stop_day else day_starts(stop_day, tz),
       first_day = first_day, last_day = stop_day - 1L)
}

# All periods that touch the days from `from` to `to`.
make_axis <- function(grain, from, to, calendar, tz = NULL) {
  if (grain$unit == "own") {
    return(own_axis(grain, from, to, calendar, tz))
  }
  if (grain$unit == "hour") {
    return(hour_axis(grain, from, to, calendar, tz))
  }
  rule <- grain_rule(grain, calendar)
  days_each <- if (rule$in_months) 30 * rule$size else rule$size
  check_period_count((to - from) / days_each, grain, from, to)
  bounds <- grain_bounds(rule$in_months, rule$size, rule$origin, from, to)
  new_axis(grain, calendar, tz, bounds[-length(bounds)], bounds[-1])
}

own_axis <- function(grain, from, to, calendar, tz) {
  table <- grain$table
  shown <- table$stop > from & table$first <= to
  new_axis(grain, calendar, tz, table$first[shown], table$stop[shown], table$labels[shown])
}

# Hours are real hours counted from the first instant of each civil day, so a
# day of 23 or 25 hours has as many; a last one may be cut short by midnight.
hour_axis <- function(grain, from, to, calendar, tz) {
  check_period_count(hours_in_day / grain$size * (to - from + 1), grain, from, to)
  tz <- if (is.null(tz)) "UTC" else tz
  starts <- day_starts(seq.int(from, to + 1L), tz)
  length_each <- 3600 * grain$size
  count <- ceiling(diff(starts) / length_each)
  first <- rep(starts[-length(starts)], count) + length_each * (sequence(count) - 1)
  list(grain = grain, calendar = calendar, tz = tz, first = first, stop = c(first[-1], starts[length(starts)]),
       first_day = NULL, last_day = NULL)
}

axis_size <- function(axis) {
  length(axis$first)
}

axis_part <- function(axis, keep) {
  for (field in c("first", "stop", "first_day", "last_day", "own_labels")) {
    if (!is.null(axis[[field]])) axis[[field]] <- axis[[field]][keep]
  }
  axis
}

is_hourly <- function(axis) {
  axis$grain$unit == "hour"
}

# The columns `period` and `period_end` (and `label`, where a form is asked for).
axis_columns <- function(axis, form = NULL) {
  columns <- if (is_hourly(axis)) {
    list(period = as_instant(axis$first, axis$tz), period_end = as_instant(axis$stop, axis$tz))
  } else {
    list(period = as_date(axis$first_day), period_end = as_date(axis$last_day))
  }
  if (!is.null(form)) {
    columns$label <- axis_labels(axis, form)
  }
  columns
}
