# What a tick is. Spans are half-open in ticks, [start, stop): on days a tick is a day
# number (integer), on instants it is seconds since 1970 (double) of which whole
# microseconds count. Nothing else in the package knows the last-day rule, how long a
# tick is, or that there are two kinds.

day_timeline <- function() {
  structure(list(on = "days", tz = NULL), class = "ridge_timeline")
}

instant_timeline <- function(tz) {
  structure(list(on = "instants", tz = tz), class = "ridge_timeline")
}

# The timeline on which a zone's civil days lie: none is that of days.
timeline_of_zone <- function(tz) {
  if (is.null(tz)) day_timeline() else instant_timeline(tz)
}

on_days <- function(timeline) {
  timeline$on == "days"
}

# The zone whose civil days are meant; days themselves are those of any.
zone_of <- function(timeline) {
  timeline$tz %||% "UTC"
}

microsecond <- one_moment

never <- function(timeline) {
  if (on_days(timeline)) .Machine$integer.max else Inf
}

is_never <- function(stop, timeline) {
  if (on_days(timeline)) stop == .Machine$integer.max else is.infinite(stop)
}

# Columns as ticks, and as the civil days that hold them.
ticks_of <- function(values, timeline) {
  if (on_days(timeline)) whole_days(values) else as.double(values)
}

days_of <- function(values, timeline) {
  if (on_days(timeline)) whole_days(values) else civil_day(as.double(values), timeline$tz)
}

# The last-day rule: where the last day counts, a span stops at the day after it.
stops_of <- function(ends, timeline, end_counts) {
  stops_at(ticks_of(ends, timeline), timeline, end_counts)
}

stops_at <- function(last, timeline, end_counts) {
  if (on_days(timeline)) last + as.integer(end_counts) else last
}

# The same the other way: the end that makes a span stop there.
ends_of <- function(stop, timeline, end_counts) {
  as_moments(if (on_days(timeline)) stop - as.integer(end_counts) else stop, timeline)
}

# How much less than its stop the end is that tables show: the last counted day, and
# the moment itself of instants.
end_less <- function(timeline) {
  if (on_days(timeline)) 1L else 0
}

last_of <- function(stop, timeline) {
  as_moments(stop - end_less(timeline), timeline)
}

after_last <- function(ends, timeline) {
  ends + end_less(timeline)
}

as_moments <- function(ticks, timeline) {
  if (on_days(timeline)) as_date(ticks) else as_instant(ticks, timeline$tz)
}

blank_moments <- function(n, timeline) {
  as_moments(rep(NA_real_, n), timeline)
}

tick_after <- function(at, timeline) {
  if (on_days(timeline)) at + 1L else at + moment_step(at)
}

tick_before <- function(stop, timeline) {
  if (on_days(timeline)) stop - 1L else stop - moment_step(stop)
}

# A microsecond, or where moments are too far away to be told so finely, the next that is.
moment_step <- function(at) {
  pmax(microsecond, 2^(floor(log2(pmax(abs(at), 1))) - 52))
}

# The civil day of a tick, and the first tick of a civil day.
day_of_tick <- function(ticks, timeline) {
  if (on_days(timeline)) as.integer(ticks) else civil_day(ticks, timeline$tz)
}

first_ticks <- function(days, timeline) {
  if (on_days(timeline)) days else day_starts(days, timeline$tz)
}

# The as-of date counts: it stops with its last tick. A moment is meant as it is.
as_of_stop <- function(as_of, timeline, arg = "as_of", base = today()) {
  if (!on_days(timeline) && inherits(as_of, "POSIXt")) {
    return(as.numeric(as_of))
  }
  first_ticks(as_single_day(as_of, arg, zone_of(timeline), base) + 1L, timeline)
}

# Lengths and their unit.
length_unit <- function(timeline) {
  if (on_days(timeline)) list(name = "days", one = "day", ticks = 1)
  else list(name = "hours", one = "hour", ticks = hour_seconds)
}

length_columns <- function(ticks, timeline) {
  if (on_days(timeline)) list(days = as.integer(ticks)) else list(hours = ticks / hour_seconds)
}

# Kernels count instants in whole microseconds, and give what they covered in them.
microseconds <- 1e6

covered_lengths <- function(covered, timeline) {
  if (on_days(timeline)) covered else covered / (microseconds * hour_seconds)
}

# Ticks of a day of 24 hours, and of a second.
ticks_in_day <- function(timeline) {
  if (on_days(timeline)) 1 else day_seconds
}

in_seconds <- function(ticks, timeline) {
  if (on_days(timeline)) day_seconds * as.double(ticks) else as.double(ticks)
}

tick_text <- function(ticks, timeline) {
  if (on_days(timeline)) format(as_date(ticks))
  else format(as_instant(ticks, timeline$tz), "%Y-%m-%d %H:%M")
}

length_text <- function(ticks, timeline) {
  if (on_days(timeline)) sprintf("%d day%s", as.integer(ticks), ifelse(ticks == 1, "", "s"))
  else paste(format(round(ticks / hour_seconds, 2), trim = TRUE, drop0trailing = TRUE), "hours")
}

choose_end_counts <- function(end_counts, timeline) {
  if (is.null(end_counts)) {
    return(on_days(timeline))
  }
  check_flag(end_counts, "end_counts")
  if (end_counts && !on_days(timeline)) {
    ridge_abort(c(paste("{arg_set('end_counts', TRUE)} has no meaning for instants: a span ends",
                        "at its end."),
                  i = paste("Leave {arg_name('end_counts')}",
                            "out{in_r(', or turn the columns into dates', '')}.")),
                "argument", arg = "end_counts", value = end_counts)
  }
  end_counts
}

# How the last day is told: in general, and of ends beside a moment. An end that counts
# is before the day after it.
last_day_told <- function(end_counts) {
  if (end_counts) "last day counted" else "last day not counted"
}

ends_beside <- function(moment, timeline, end_counts) {
  if (on_days(timeline) && end_counts) {
    list(ended = paste("before", moment), ending = paste("on", moment, "or later"))
  } else {
    list(ended = paste("by", moment), ending = paste("after", moment))
  }
}

need_days <- function(timeline, what, arg = NULL) {
  if (!on_days(timeline)) {
    ridge_abort(c("{what} spans on days; these are on instants.",
                  i = "Use columns of dates{in_r(', with as.Date()', '')}."),
                "argument", arg = arg)
  }
}

check_alike <- function(a, b, other = "y") {
  if (a$on != b$on) {
    ridge_abort(c("{arg_name('x')} is on {a$on}, {arg_name(other)} on {b$on}.",
                  i = "Declare both alike{in_r(' with spans()', '')}."), "argument", arg = other)
  }
}

# Lengths before a moment and after it.
lengths_named <- function(so_far, left, timeline) {
  named <- function(ticks, what) {
    columns <- length_columns(ticks, timeline)
    stats::setNames(columns, paste0(names(columns), what))
  }
  c(named(so_far, "_so_far"), named(left, "_left"))
}
