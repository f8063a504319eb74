# How long records took.

#' @export
lengths_of.default <- function(x, groups, axis, calendar, by_start) {
  ticks <- record_ticks(x)
  timeline <- timeline_of(x)
  open <- is_never(ticks$stop, timeline)
  line <- codes_of(x, groups$names) + 1L
  value <- replace(record_seconds(x, calendar), open, NA)
  if (is.null(axis)) return(list(value = value, line = line, place = rep(1L, length(line))))
  at <- if (by_start) ticks$start else pmax(ticks$start, tick_before(ticks$stop, timeline))
  # What starts with the first tick of the next period is not there yet.
  list(value = value, line = line, place = place_inside(at, axis),
       from = ends_before(tick_after(ticks$start, timeline), axis),
       till = ends_before(ticks$stop, axis))
}

# Seconds of each record; what begins after the as-of date has lasted no time yet.
record_seconds <- function(x, calendar) {
  ticks <- lapply(through_as_of(record_ticks(x), x), in_seconds, timeline_of(x))
  seconds_between(ticks$start, ticks$stop, calendar, zone_of(timeline_of(x)))
}

# The period that a tick is in; NA outside of all.
place_inside <- function(at, axis) {
  place <- findInterval(at, axis$first)
  inside <- place > 0L & at < c(axis$stop, 0)[pmax(place, 1L)]
  replace(place, !inside, NA)
}

# The first period that does not end before a tick.
ends_before <- function(at, axis) {
  findInterval(at, axis$stop, left.open = TRUE) + 1L
}
