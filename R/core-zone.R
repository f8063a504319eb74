# Civil time of a zone, from R's own time zone database. `local` seconds are
# those a clock in the zone would show, counted as if it were in UTC.

check_zone <- function(tz, arg = "tz") {
  if (!rlang::is_string(tz) || !(tz %in% OlsonNames())) {
    hint <- if (rlang::is_string(tz)) nearest(tz, OlsonNames()) else "Europe/Paris"
    ridge_abort(c("{.arg {arg}} must be a time zone that this machine knows, not {.val {describe(tz)}}.",
                  i = "Did you mean {.val {hint}}?"), "argument")
  }
  tz
}

# The session's zone. Where the system's link names it, that spares starting
# another program to ask.
local_zone <- function() {
  tz <- Sys.getenv("TZ")
  if (!nzchar(tz)) {
    tz <- sub(".*zoneinfo/", "", Sys.readlink("/etc/localtime"))
  }
  if (!nzchar(tz)) {
    tz <- suppressWarnings(Sys.timezone())
  }
  if (is.na(tz) || !(tz %in% OlsonNames())) "UTC" else tz
}

is_utc <- function(tz) {
  tz %in% c("UTC", "Etc/UTC", "GMT", "Etc/GMT")
}

local_seconds <- function(seconds, tz) {
  if (is_utc(tz)) {
    return(seconds)
  }
  whole <- floor(seconds)
  shown <- as.POSIXlt(as_instant(whole, tz), tz = tz)
  day <- day_numbers(as.integer(shown$year + 1900L), as.integer(shown$mon + 1L),
                     as.integer(shown$mday))
  86400 * day + 3600 * shown$hour + 60 * shown$min + shown$sec + (seconds - whole)
}

civil_day <- function(seconds, tz) {
  as.integer(local_seconds(seconds, tz) %/% 86400)
}

zone_offset <- function(seconds, tz) {
  local_seconds(seconds, tz) - seconds
}

# The instant at which a clock shows `local`. A time shown twice is its first
# showing; one that the clock skipped is moved on by as much as it skipped.
instant_at <- function(local, tz) {
  if (is_utc(tz) || length(local) == 0) {
    return(local)
  }
  before <- zone_offset(local - 86400, tz)
  after <- zone_offset(local + 86400, tz)
  first <- local - before
  second <- local - after
  only_second <- zone_offset(first, tz) != before & zone_offset(second, tz) == after
  ifelse(only_second, second, first)
}

# The first instant of each civil day. Where the clock skips midnight a day
# begins at the change; a day skipped whole begins when the next one does.
day_starts <- function(days, tz) {
  midnight <- 86400 * as.double(days)
  starts <- instant_at(midnight, tz)
  late <- which(local_seconds(starts, tz) != midnight)
  if (length(late) > 0) {
    starts[late] <- change_before(midnight[late], tz)
  }
  starts
}

# Halving finds the clock change that skipped these local times, to the second.
change_before <- function(local, tz) {
  low <- local - zone_offset(local + 86400, tz)
  high <- local - zone_offset(local - 86400, tz)
  while (any(high - low > 1)) {
    middle <- floor((low + high) / 2)
    past <- local_seconds(middle, tz) >= local
    high <- ifelse(past, middle, high)
    low <- ifelse(past, low, middle)
  }
  high
}
