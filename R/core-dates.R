first_year <- 1600L
last_year <- 9999L

as_date <- function(days) {
  structure(as.double(days), class = "Date")
}

as_instant <- function(seconds, tz) {
  structure(as.double(seconds), class = c("POSIXct", "POSIXt"), tzone = tz)
}

# Dates given as an argument: Date, date-time or ISO text, as day numbers.
as_days <- function(value, arg, tz = "UTC", call_for = "a date") {
  if (is.factor(value)) {
    value <- as.character(value)
  }
  if (is.character(value)) {
    read <- read_iso_text(value)
    wrong <- which(read$kind != 1L)
    if (length(wrong) > 0) {
      ridge_abort("{.arg {arg}} must be {call_for} such as {.val 2026-06-30}, not {.val {value[wrong[1]]}}.",
                  "argument")
    }
    days <- read$day
  } else if (inherits(value, "Date")) {
    days <- as.integer(floor(unclass(value)))
  } else if (inherits(value, "POSIXt")) {
    days <- civil_day(as.numeric(as.POSIXct(value)), tz)
  } else {
    ridge_abort("{.arg {arg}} must be {call_for} such as {.code as.Date(\"2026-06-30\")}, not {.val {describe(value)}}.",
                "argument")
  }
  check_years(days, arg)
}

check_years <- function(days, arg) {
  if (anyNA(days)) {
    ridge_abort("{.arg {arg}} must not be missing (NA).", "argument")
  }
  outside <- which(!in_years(days))
  if (length(outside) > 0) {
    ridge_abort("{.arg {arg}} must lie in the years {first_year} to {last_year}, not {.val {format(as_date(days[outside[1]]))}}.",
                "argument")
  }
  days
}

in_years <- function(days) {
  days >= day_numbers(first_year, 1L, 1L) & days <= day_numbers(last_year, 12L, 31L)
}

all_in_years <- function(days) {
  ends <- c(min(days, .Machine$integer.max, na.rm = TRUE), max(days, -.Machine$integer.max, na.rm = TRUE))
  ends[1] > ends[2] || all(in_years(ends))
}

as_single_day <- function(value, arg, tz = "UTC") {
  if (length(value) != 1) {
    ridge_abort("{.arg {arg}} must be one date, not {describe(value)}.", "argument")
  }
  as_days(value, arg, tz)
}
