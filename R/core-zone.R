# Civil time of a zone, from R's own time zone database. `local` seconds are
# those a clock in the zone would show, counted as if it were in UTC.

# Looking through the folders of the time zone database takes as long as reading a small file.
zone_names <- function() {
  if (is.null(zones$names)) zones$names <- OlsonNames()
  zones$names
}

zones <- new.env(parent = emptyenv())

is_zone <- function(tz) {
  if (identical(tz, "UTC")) TRUE else tz %in% zone_names()
}

check_zone <- function(tz, arg = "tz") {
  if (!rlang::is_string(tz) || !is_zone(tz)) {
    hint <- if (rlang::is_string(tz)) nearest(tz, zone_names()) else "Europe/Paris"
    seen <- describe(tz)
    ridge_abort(
      c("{arg_name(arg)} must be a time zone that this machine knows, not {.val {seen}}.",
        i = if (!is.null(hint)) "Did you mean {.val {hint}}?"), "argument", arg = arg, value = tz)
  }
  tz
}

# A zone that may be left out.
check_zone_given <- function(tz) {
  if (is.null(tz)) NULL else check_zone(tz)
}

# The zone that is named, that of the values, or the session's.
choose_zone <- function(values, tz) {
  zone <- tz %||% attr(values, "tzone")[1] %||% ""
  if (!nzchar(zone)) local_zone() else check_zone(zone)
}

zone_given <- function(tz) {
  if (is.null(tz)) local_zone() else check_zone(tz)
}

# The session's zone. Where the system's link names it, that spares starting
# another program to ask.
local_zone <- function() {
  given <- Sys.getenv("TZ")
  if (nzchar(given)) {
    return(zone_in_environment(given))
  }
  tz <- sub(".*zoneinfo/", "", Sys.readlink("/etc/localtime"))
  if (!nzchar(tz)) {
    tz <- suppressWarnings(Sys.timezone())
  }
  if (is.na(tz) || !is_zone(tz)) "UTC" else tz
}

# TZ may have a colon before it, or the path of the zone's file. What else it says, such
# as rules of its own, is not taken for another zone.
zone_in_environment <- function(given) {
  tz <- sub("^:", "", given)
  tz <- sub("^/.*zoneinfo/(posix/|right/)?", "", tz)
  if (is_zone(tz)) {
    return(tz)
  }
  ridge_abort(c("The environment's TZ, {.val {given}}, is no time zone that this machine knows.",
                i = paste("Set TZ to the name of one, such as {.val Europe/Vienna}, or name it",
                          "with {arg_name('tz')}.")), "argument", arg = "tz", value = given)
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
  day_seconds * day + hour_seconds * shown$hour + 60 * shown$min + shown$sec + (seconds - whole)
}

civil_day <- function(seconds, tz) {
  as.integer(local_seconds(seconds, tz) %/% day_seconds)
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
  before <- zone_offset(local - day_seconds, tz)
  after <- zone_offset(local + day_seconds, tz)
  first <- local - before
  second <- local - after
  only_second <- zone_offset(first, tz) != before & zone_offset(second, tz) == after
  ifelse(only_second, second, first)
}

# The first instant of each civil day. Where the clock skips midnight a day
# begins at the change; a day skipped whole begins when the next one does.
day_starts <- function(days, tz) {
  midnight <- day_seconds * as.double(days)
  starts <- instant_at(midnight, tz)
  late <- which(local_seconds(starts, tz) != midnight)
  if (length(late) > 0) {
    starts[late] <- change_before(midnight[late], tz)
  }
  starts
}

# Halving finds the clock change that skipped these local times, to the second.
change_before <- function(local, tz) {
  low <- local - zone_offset(local + day_seconds, tz)
  high <- local - zone_offset(local - day_seconds, tz)
  while (any(high - low > 1)) {
    middle <- floor((low + high) / 2)
    past <- local_seconds(middle, tz) >= local
    high <- ifelse(past, middle, high)
    low <- ifelse(past, low, middle)
  }
  high
}

# Dates given as an argument: Date, date-time or ISO text, as day numbers.
# With a `base` words such as "end of last month" are relative to it.
as_days <- function(value, arg, tz = "UTC", call_for = "a date", base = NULL, edge = "last") {
  if (is.factor(value)) value <- as.character(value)
  value <- in_iso_words(value, base, edge)
  if (is.character(value)) {
    read <- read_iso_text(value)
    wrong <- which(read$kind != 1L)
    if (length(wrong) > 0) refuse_date(value[wrong[1]], arg, call_for, !is.null(base))
    days <- read$day
  } else if (inherits(value, "Date")) {
    broken <- no_whole_days(value)
    if (length(broken) > 0) refuse_date(shown_value(value[broken[1]]), arg, "a whole day")
    days <- whole_days(value)
  } else if (inherits(value, "POSIXt")) {
    days <- civil_day(as.numeric(as.POSIXct(value)), tz)
  } else {
    refuse_date(describe(value), arg, call_for)
  }
  check_years(days, arg)
}

refuse_date <- function(seen, arg, call_for, in_words = FALSE) {
  ridge_abort(
    c("{arg_name(arg)} must be {call_for} such as {.val 2026-06-30}, not {.val {seen}}.",
      i = if (in_words) paste("Or in words: {.val today}, {.val end of last month},",
                              "{.val start of this year}, {.val 2 weeks ago}, {.val 2026-06}.")),
    "argument", arg = arg, value = seen)
}

as_single_day <- function(value, arg, tz = "UTC", base = NULL, edge = "last") {
  if (length(value) != 1) {
    ridge_abort("{arg_name(arg)} must be one date, not {describe(value)}.", "argument", arg = arg,
                value = value)
  }
  as_days(value, arg, tz, base = base, edge = edge)
}
