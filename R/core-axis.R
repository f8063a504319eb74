# An axis holds consecutive periods as half-open ticks of a timeline, with the first
# and last civil day of each. The periods shown are the axis itself; `all` are those
# that a verb has to know beside them: from the first start on, or over all spans.

new_axis <- function(grain, calendar, timeline, first_day, stop_day, labels = NULL) {
  list(grain = grain, calendar = calendar, timeline = timeline, own_labels = labels,
       first = first_ticks(first_day, timeline), stop = first_ticks(stop_day, timeline),
       first_day = first_day, last_day = stop_day - 1L)
}

# All periods that touch the days from `from` to `to`.
make_axis <- function(grain, from, to, calendar, timeline) {
  if (grain$unit == "own") {
    return(own_axis(grain, from, to, calendar, timeline))
  }
  if (grain$unit == "hour") {
    return(hour_axis(grain, from, to, calendar, timeline))
  }
  rule <- grain_rule(grain, calendar)
  days_each <- if (rule$in_months) 30 * rule$size else rule$size
  check_period_count((to - from) / days_each, grain, from, to)
  bounds <- grain_bounds(rule$in_months, rule$size, rule$origin, from, to)
  new_axis(grain, calendar, timeline, bounds[-length(bounds)], bounds[-1])
}

own_axis <- function(grain, from, to, calendar, timeline) {
  table <- grain$table
  shown <- table$stop > from & table$first <= to
  axis <- new_axis(grain, calendar, timeline, table$first[shown], table$stop[shown],
                   table$labels[shown])
  axis[c("own_year", "own_nth")] <- list(table$year[shown], table$nth[shown])
  axis
}

# Hours are real hours counted from the first instant of each civil day, so a
# day of 23 or 25 hours has as many; a last one may be cut short by midnight.
hour_axis <- function(grain, from, to, calendar, timeline) {
  check_period_count(hours_in_day / grain$size * (to - from + 1), grain, from, to)
  timeline <- instant_timeline(zone_of(timeline))
  starts <- first_ticks(seq.int(from, to + 1L), timeline)
  length_each <- hour_seconds * grain$size
  count <- ceiling(diff(starts) / length_each)
  first <- rep(starts[-length(starts)], count) + length_each * (sequence(count) - 1)
  list(grain = grain, calendar = calendar, timeline = timeline, first = first,
       stop = c(first[-1], starts[length(starts)]), first_day = NULL, last_day = NULL)
}

axis_size <- function(axis) {
  length(axis$first)
}

axis_part <- function(axis, keep) {
  for (field in c("first", "stop", "first_day", "last_day", "own_labels", "own_year",
                  "own_nth")) {
    if (!is.null(axis[[field]])) axis[[field]] <- axis[[field]][keep]
  }
  axis
}

is_hourly <- function(axis) {
  axis$grain$unit == "hour"
}

# The first and last civil day of an axis.
axis_days <- function(axis) {
  size <- axis_size(axis)
  if (!is_hourly(axis)) {
    return(c(axis$first_day[1], axis$last_day[size]))
  }
  day_of_tick(c(axis$first[1], axis$stop[size] - 1), axis$timeline)
}

# The periods shown within all that lie between `from` and `to`, as places from 0.
with_all_periods <- function(axis, all) {
  # By their days, as one that a zone skipped begins when the next one does.
  before <- if (is.null(axis$first_day)) sum(all$first < axis$first[1])
  else sum(all$first_day < axis$first_day[1])
  axis$all <- list(first = all$first, stop = all$stop, from = before,
                   to = before + axis_size(axis))
  axis
}

# Periods known by an axis: the shown ones where no others are needed.
all_periods <- function(axis) {
  axis$all %||% list(first = axis$first, stop = axis$stop, from = 0L, to = axis_size(axis))
}

# The same periods without those that hold no tick, and which of the shown ones are left:
# NULL where all of them are.
ticking <- function(periods) {
  has <- periods$first < periods$stop
  if (all(has)) {
    return(periods)
  }
  shown <- seq_len(periods$to - periods$from)
  list(first = periods$first[has], stop = periods$stop[has],
       from = sum(has[seq_len(periods$from)]), to = sum(has[seq_len(periods$to)]),
       left = shown[has[periods$from + shown]])
}

# The place of periods by their first tick.
place_of_first <- function(ticks, axis) {
  match(as.double(ticks), ifelse(axis$first < axis$stop, as.double(axis$first), NA))
}

grain_name <- function(axis) {
  if (is.null(axis)) "period" else axis$grain$name
}

# More than one of a grain, as they are said.
grain_plural <- function(axis) {
  name <- grain_name(axis)
  if (grepl("s$", name)) name else paste0(name, "s")
}
