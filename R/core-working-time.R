# Stretches of time that count, as seconds [open, close): sorted, none meets
# another. A zone's clock decides: what it skips is in none, what it shows twice
# counts twice.

time_units <- c(seconds = 1, minutes = 60, hours = hour_seconds, days = day_seconds, weeks = 604800)

# The seconds of a unit, where a day has `day_hours` hours or is a working day.
unit_seconds <- function(unit, day_hours) {
  check_choice(unit, names(time_units), "unit")
  if (inherits(day_hours, "ridge_calendar")) {
    length <- working_day_hours(day_hours)
    return(hour_seconds * switch(unit, days = length$day, weeks = length$week,
                                 time_units[[unit]] / hour_seconds))
  }
  if (check_amount(day_hours, "day_hours") == 0) {
    ridge_abort("{arg_name('day_hours')} must be more than 0.", "argument", arg = "day_hours")
  }
  if (unit %in% c("days", "weeks")) time_units[[unit]] * day_hours / 24 else time_units[[unit]]
}

# All time of these local hours: `from` and `to` are seconds of each day's clock. What a
# clock shows again after it was set back past midnight lies in the day after.
clock_stretches <- function(days, from, to, tz) {
  begins <- day_starts(days, tz)
  if (is_utc(tz)) {
    return(merged_stretches(begins + from, begins + to))
  }
  ends <- day_starts(days + 1L, tz)
  after <- day_starts(days + 2L, tz)
  usual <- function(begins, ends) {
    ends - begins == day_seconds & zone_offset(begins, tz) == zone_offset(ends - 1, tz)
  }
  plain <- usual(begins, ends) & usual(ends, after)
  odd <- which(!plain & ends > begins)
  pieces <- lapply(odd,
                   function(i) odd_day_stretches(begins[i], after[i], day_seconds * days[i] +
                                                 c(from[i], to[i]), tz))
  merged_stretches(c(begins[plain] + from[plain], unlist(lapply(pieces, `[[`, "open"))),
                   c(begins[plain] + to[plain], unlist(lapply(pieces, `[[`, "close"))))
}

# A day on which the clock changes: between changes its offset is one.
odd_day_stretches <- function(begin, end, local, tz) {
  cuts <- c(begin, offset_changes(begin, end, tz), end)
  from <- cuts[-length(cuts)]
  offset <- zone_offset(from, tz)
  open <- pmax(from, local[1] - offset)
  close <- pmin(cuts[-1], local[2] - offset)
  list(open = open[open < close], close = close[open < close])
}

offset_changes <- function(begin, end, tz) {
  low <- seq(begin, end - 1, by = 900)
  high <- c(low[-1], end - 1)
  changed <- zone_offset(low, tz) != zone_offset(high, tz)
  low <- low[changed]
  high <- high[changed]
  after <- zone_offset(high, tz)
  while (any(high - low > 1)) {
    middle <- floor((low + high) / 2)
    past <- zone_offset(middle, tz) == after
    high <- ifelse(past, middle, high)
    low <- ifelse(past, low, middle)
  }
  high
}

merged_stretches <- function(open, close) {
  order <- order(open)
  open <- open[order]
  close <- cummax(c(close[order]))
  new <- c(TRUE, open[-1] > close[-length(close)])[seq_along(open)]
  list(open = open[new], close = close[c(which(new)[-1] - 1L, length(close))[seq_len(sum(new))]])
}

# The time that is in both.
common_stretches <- function(a, b) {
  cuts <- sort(unique(c(a$open, a$close, b$open, b$close)))
  inside <- function(x) findInterval(cuts, x$open) > findInterval(cuts, x$close)
  both <- which(inside(a) & inside(b))
  merged_stretches(cuts[both], cuts[both + 1L])
}

# The working time of a calendar from the civil day of one moment to another's.
working_stretches <- function(calendar, from, to, tz) {
  tz <- calendar$tz %||% tz
  days <- seq.int(civil_day(from, tz) - 1L, civil_day(to, tz) + 1L)
  days <- days[is_working_day(days, calendar)]
  if (is.null(calendar$hours)) {
    return(clock_stretches(days, rep(0, length(days)), rep(day_seconds, length(days)), tz))
  }
  pairs <- calendar$hours[civil_dates(days)$weekday]
  each <- vapply(pairs, ncol, 1L)
  all <- do.call(cbind, pairs)
  if (length(days) == 0) list(open = double(), close = double())
  else clock_stretches(rep(days, each), all[1, ], all[2, ], tz)
}

# Seconds of working time between moments; negative where they come turned.
working_seconds <- function(start, stop, calendar, tz) {
  moments <- c(start, stop)
  if (!any(is.finite(moments))) {
    return(rep(NA_real_, length(start)))
  }
  known <- range(moments, finite = TRUE)
  counted <- working_stretches(calendar, known[1], known[2], tz)
  clock_between(start, stop, counted$open, counted$close)
}

seconds_between <- function(start, stop, calendar, tz) {
  if (is.null(calendar)) stop - start else working_seconds(start, stop, calendar, tz)
}

working_time_words <- function(calendar) {
  if (is.null(calendar)) {
    return(NULL)
  }
  paste0(calendar_words(calendar), if (!is.null(calendar$hours)) paste(",", hours_words(calendar)),
         if (length(calendar$tz)) paste(",", "times of", calendar$tz))
}

# A band is a range of the clock (also over midnight), weekdays, or a list of
# such parts.
band_stretches <- function(band, name, from, to, tz) {
  days <- seq.int(civil_day(from, tz) - 1L, civil_day(to, tz) + 1L)
  parts <- lapply(if (is.list(band)) band else list(band),
                  function(part) band_part(part, name, days, tz))
  merged_stretches(unlist(lapply(parts, `[[`, "open")), unlist(lapply(parts, `[[`, "close")))
}

band_part <- function(part, name, days, tz) {
  if (is.character(part) && !any(grepl("[0-9]", part))) {
    chosen <- days[civil_dates(days)$weekday %in% name_numbers(part, weekday_names, "bands")]
    return(clock_stretches(chosen, rep(0, length(chosen)), rep(day_seconds, length(chosen)), tz))
  }
  clocks <- full_clocks(part, "bands")
  if (length(clocks) != 2 || anyNA(clocks) || clocks[1] == clocks[2]) {
    ridge_abort(
      c(paste("{arg_name('bands')}: {.val {name}} must be two different times of day, or",
              "weekdays, not {.val {as.character(part)}}."),
        i = band_example()), "argument", arg = "bands", value = as.character(part))
  }
  n <- length(days)
  if (clocks[1] < clocks[2]) clock_stretches(days, rep(clocks[1], n), rep(clocks[2], n), tz)
  else clock_stretches(c(days, days), rep(c(0, clocks[1]), each = n),
                       rep(c(clocks[2], day_seconds), each = n), tz)
}

band_example <- function() {
  in_r("Such as {.code list(night = c(\"22:00\", \"06:00\"), weekend = \"Sunday\")}.",
       "Such as night=22:00,06:00 or weekend=Saturday,Sunday.")
}

check_bands <- function(bands) {
  if (is.null(bands)) {
    return(invisible())
  }
  if (!is.list(bands) || is.null(names(bands)) || any(names(bands) == "") ||
      anyDuplicated(names(bands))) {
    ridge_abort(c("{arg_name('bands')} must be a list with a name of its own for each band.",
                  i = band_example()), "argument", arg = "bands")
  }
}
