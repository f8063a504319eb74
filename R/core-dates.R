# Lengths in seconds, the same everywhere.
day_seconds <- 86400
hour_seconds <- 3600
one_moment <- 1e-6

first_year <- 1600L
last_year <- 9999L

as_date <- function(days) {
  structure(as.double(days), class = "Date")
}

as_instant <- function(seconds, tz) {
  structure(as.double(seconds), class = c("POSIXct", "POSIXt"), tzone = tz)
}

# The one place where dates become whole days. Dates beyond any calendar, infinite ones
# among them, are missing; a part of a day falls to its day, where it was not refused.
whole_days <- function(dates) {
  days <- unclass(dates)
  if (is.integer(days)) as.integer(days) else suppressWarnings(as.integer(floor(days)))
}

# Which of them are no days: infinite, or with a part of a day.
no_whole_days <- function(dates) {
  days <- unclass(dates)
  if (is.integer(days) || are_whole_days(as.double(days))) integer()
  else which(is.infinite(days) | days != floor(days))
}

in_years <- function(days) {
  days >= day_numbers(first_year, 1L, 1L) & days <= day_numbers(last_year, 12L, 31L)
}

all_years <- function() {
  day_numbers(c(first_year, last_year), c(1L, 12L), c(1L, 31L))
}

all_in_years <- function(days) {
  most <- .Machine$integer.max
  ends <- c(min(days, most, na.rm = TRUE), max(days, -most, na.rm = TRUE))
  ends[1] > ends[2] || all(in_years(ends))
}

check_years <- function(days, arg) {
  if (anyNA(days)) {
    ridge_abort("{arg_name(arg)} must not be missing (NA).", "argument", arg = arg)
  }
  outside <- which(!in_years(days))
  if (length(outside) > 0) {
    seen <- format(as_date(days[outside[1]]))
    ridge_abort(
      "{arg_name(arg)} must lie in the years {first_year} to {last_year}, not {.val {seen}}.",
      "argument", arg = arg, value = seen)
  }
  days
}

iso_day <- function(days) {
  date <- civil_dates(days)
  sprintf("%04d-%02d-%02d", date$year, date$month, date$day)
}

spoken_day <- function(day) {
  date <- civil_dates(day)
  paste(date$day, month.name[date$month], date$year)
}

# Day numbers moved by months: to the same day of that month, or its last one
# where it has no such day.
add_months <- function(days, months) {
  date <- civil_dates(as.integer(days))
  month <- 12L * date$year + date$month - 1L + as.integer(months)
  first <- day_numbers(month %/% 12L, month %% 12L + 1L, rep(1L, length(month)))
  after <- day_numbers((month + 1L) %/% 12L, (month + 1L) %% 12L + 1L, rep(1L, length(month)))
  first + pmin(date$day, after - first) - 1L
}
