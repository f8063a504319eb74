#' Dates and clocks as instants
#'
#' `at_clock()` puts a date and a time of day together. `shift_times()` does so for
#' the begin and the finish of a shift, and knows that a finish before its begin
#' is on the next day.
#'
#' Clocks are read from text (`"6:30"`, `"06:30:15"`, `"18.45"`, `"0630"`,
#' `"4:20 AM"`, `"4 pm"`), from whole numbers, which are always hours and
#' minutes (630 is 06:30, 32 is 00:32, 2400 is the end of the day), from
#' fractions of a day (numbers above 0 and below 1), and from times of day such
#' as hms or difftime.
#'
#' A time that a clock change skips is moved on by as much as was skipped; one
#' that it repeats is its first. How many there were is reported.
#'
#' @param date Dates: Date, or text that proves to be; see [read_dates()].
#' @param clock,begin,finish Times of day, one for each date, or one for all.
#'   Blank and `NA` are missing.
#' @param tz The time zone of the clocks; by default the session's.
#' @param finish_date The dates of the finishes, where they are known; then
#'   these rule.
#' @param equal What a finish equal to its begin on the same date means: `"day"`,
#'   24 hours by the clock, or `"nothing"`. `NULL` refuses such rows.
#' @return `at_clock()`: POSIXct, `NA` where the date or the clock is missing.
#'   `shift_times()`: a tibble with `start` and `end`, POSIXct.
#' @section Errors:
#' A clock that is none (1680), a finish before its begin by its own date, and
#' equal times without `equal` are errors of class `ridge_error_records` that
#' name the rows; lengths that do not fit are of class `ridge_error_argument`.
#' @examples
#' at_clock(as.Date("2026-03-04"), c("630", "18:45", "4:20 PM"), tz = "Europe/Vienna")
#' shift_times("2026-03-28", "22:00", "06:00", tz = "Europe/Vienna")
#' @export
at_clock <- function(date, clock, tz = NULL) {
  tz <- zone_given(tz)
  parts <- same_length(days = clock_days(date, "date", tz), seconds = clock_seconds(clock, "clock"))
  local_instants(86400 * parts$days + parts$seconds, tz)
}

#' @rdname at_clock
#' @export
shift_times <- function(date, begin, finish, tz = NULL, finish_date = NULL, equal = NULL) {
  if (!is.null(equal)) check_choice(equal, c("day", "nothing"), "equal")
  tz <- zone_given(tz)
  parts <- same_length(
    day = clock_days(date, "date", tz), begin = clock_seconds(begin, "begin"),
    finish = clock_seconds(finish, "finish"),
    last = if (!is.null(finish_date)) clock_days(finish_date, "finish_date", tz)
  )
  last <- if (is.null(parts$last)) finish_days(parts, equal) else parts$last
  start <- 86400 * parts$day + parts$begin
  end <- 86400 * last + parts$finish
  before <- which(end < start)
  if (length(before) > 0) {
    ridge_abort(c("{count_of(length(before), 'finish')} {cli::qty(length(before))}{?is/are} before the begin by {cli::qty(length(before))}{?its/their} own date: row{?s} {utils::head(before, 5)}.",
                  i = "Mend {.arg finish_date}, or leave it out to have such a finish on the next day."), "records")
  }
  tibble::tibble(start = local_instants(start, tz), end = local_instants(end, tz))
}

# The instants at which clocks of the zone show these local seconds.
local_instants <- function(local, tz) {
  seconds <- local
  seconds[!is.na(local)] <- instant_at(local[!is.na(local)], tz)
  report_clock_changes(local, seconds, tz)
  as_instant(seconds, tz)
}

same_length <- function(...) {
  parts <- Filter(Negate(is.null), list(...))
  sizes <- lengths(parts)
  if (!all(sizes %in% c(1L, max(sizes)))) {
    ridge_abort(c("Dates and clocks must be as many, or one for all, not {and_list(sizes)}.",
                  i = "Take them from the same table."), "argument")
  }
  vctrs::vec_recycle_common(...)
}

zone_given <- function(tz) {
  if (is.null(tz)) local_zone() else check_zone(tz)
}

finish_days <- function(parts, equal) {
  same <- which(parts$begin == parts$finish)
  if (length(same) > 0 && is.null(equal)) {
    ridge_abort(c("{count_of(length(same), 'shift')} {cli::qty(length(same))}begin{?s/} and finish{?es/} at the same time: row{?s} {utils::head(same, 5)}.",
                  i = "Say {.code equal = \"day\"} or {.code equal = \"nothing\"}."), "records")
  }
  parts$day + (parts$finish < parts$begin | (parts$finish == parts$begin & identical(equal, "day")))
}

clock_days <- function(date, arg, tz) {
  if (is.character(date) || is.factor(date)) {
    date <- read_dates(date)
  }
  if (!inherits(date, "Date")) {
    ridge_abort("{.arg {arg}} must be dates, not {.val {describe(date)}}.", "argument")
  }
  whole_days(date)
}

# Seconds of the day; only the distinct clocks are read.
clock_seconds <- function(clock, arg) {
  if (inherits(clock, "difftime")) {
    seconds <- as.numeric(clock, units = "secs")
    return(refuse_clocks(ifelse(seconds >= 0 & seconds <= 86400, seconds, NA), clock, arg))
  }
  if (inherits(clock, "ITime")) {
    return(as.double(clock))
  }
  if (!is.numeric(clock) && !is.character(clock) && !is.factor(clock) && !all(is.na(clock))) {
    ridge_abort("{.arg {arg}} must be clocks as text or numbers, not {.val {describe(clock)}}.", "argument")
  }
  distinct <- unique(clock)
  read <- if (is.numeric(distinct)) number_seconds(distinct) else text_seconds(as.character(distinct))
  refuse_clocks(read[match(clock, distinct)], clock, arg)
}

refuse_clocks <- function(seconds, clock, arg) {
  blank <- is.na(clock) | is_blank(if (is.factor(clock)) as.character(clock) else clock)
  wrong <- which(is.na(seconds) & !blank)
  if (length(wrong) > 0) {
    first <- utils::head(wrong, 5)
    ridge_abort(c("{.arg {arg}}: {count_of(length(wrong), 'value')} {cli::qty(length(wrong))}{?is/are} no time of day: {.val {as.character(clock[first])}} ({cli::qty(length(first))}row{?s} {first}).",
                  i = "Write them as 6:30, 0630 or 6:30 PM, from 0:00 to 24:00."), "records")
  }
  seconds
}

hours_and_minutes <- function(hour, minute, second = 0) {
  good <- minute < 60 & second < 60 & (hour < 24 | (hour == 24 & minute == 0 & second == 0))
  ifelse(good, 3600 * hour + 60 * minute + second, NA)
}

# 630 is 06:30; 0.78125 is 18:45; 18.45 is 18:45, where a table lost the text.
number_seconds <- function(number) {
  whole <- number == round(number)
  hundredths <- round(100 * number)
  dotted <- abs(100 * number - hundredths) < 1e-6
  seconds <- ifelse(number > 0 & number < 1, round(86400 * number),
    ifelse(number < 0 | number > 2400, NA,
      ifelse(whole, hours_and_minutes(number %/% 100, number %% 100),
        ifelse(dotted, hours_and_minutes(hundredths %/% 100, hundredths %% 100), NA))))
  as.double(seconds)
}

clock_pattern <- "^([0-9]{1,2})(?:[:.h]([0-9]{2})(?:[:.]([0-9]{2}(?:[.,][0-9]+)?))?)? *(am|pm|a[.]m[.]|p[.]m[.])?$"

text_seconds <- function(text) {
  text <- tolower(trimws(text))
  plain <- grepl("^[0-9]{1,4}$", text) | grepl("^0?[.][0-9]+$", text)
  seconds <- rep(NA_real_, length(text))
  seconds[plain] <- number_seconds(as.double(text[plain]))
  worded <- which(!plain & grepl(clock_pattern, text, perl = TRUE))
  part <- function(i) sub(clock_pattern, paste0("\\", i), text[worded], perl = TRUE)
  number <- function(words) ifelse(nzchar(words), suppressWarnings(as.double(sub(",", ".", words))), 0)
  half <- substr(part(4), 1, 1)
  hour <- number(part(1))
  hour <- ifelse(half == "", hour, ifelse(hour < 1 | hour > 12, NA, hour %% 12 + 12 * (half == "p")))
  seconds[worded] <- hours_and_minutes(hour, number(part(2)), number(part(3)))
  seconds
}

report_clock_changes <- function(local, seconds, tz) {
  known <- which(!is.na(local))
  if (length(known) == 0 || is_utc(tz)) {
    return(invisible())
  }
  skipped <- known[local_seconds(seconds[known], tz) != local[known]]
  later <- local[known] - zone_offset(local[known] + 86400, tz)
  repeated <- known[later != seconds[known] & local_seconds(later, tz) == local[known]]
  if (length(c(skipped, repeated)) == 0) {
    return(invisible())
  }
  cli::cli_inform(c(
    "!" = if (length(skipped)) "{count_of(length(skipped), 'time')} {cli::qty(length(skipped))}{?was/were} skipped by a clock change in {tz} and moved on by as much: row{?s} {utils::head(skipped, 5)}.",
    "!" = if (length(repeated)) "{count_of(length(repeated), 'time')} {cli::qty(length(repeated))}came twice by a clock change in {tz}; the first is taken: row{?s} {utils::head(repeated, 5)}."
  ))
}
