#' Dates and clocks as instants
#'
#' `at_clock()` puts a date and a time of day together. `between_clocks()` does so for
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
#' @param date_order The order of day and month in dates as text that do not prove it:
#'   see [read_dates()].
#' @param tz The time zone of the clocks; by default the session's.
#' @param finish_date The dates of the finishes, where they are known; then
#'   these rule.
#' @param equal_clocks What a finish equal to its begin on the same date means: `"day"`,
#'   24 hours by the clock, or `"nothing"`. `NULL` refuses such rows.
#' @return `at_clock()`: POSIXct, `NA` where the date or the clock is missing.
#'   `between_clocks()`: a tibble with `start` and `end`, POSIXct.
#' @section Errors:
#' A clock that is none (1680), a finish before its begin by its own date, and
#' equal times without `equal_clocks` are errors of class `ridge_error_records` that
#' name the rows; lengths that do not fit are of class `ridge_error_argument`.
#' @examples
#' at_clock(as.Date("2026-03-04"), c("630", "18:45", "4:20 PM"), tz = "Europe/Vienna")
#' between_clocks("2026-03-28", "22:00", "06:00", tz = "Europe/Vienna")
#' @export
at_clock <- function(date, clock, tz = NULL, date_order = NULL) {
  tz <- zone_given(tz)
  parts <- same_length(days = clock_days(date, "date", date_order),
                       seconds = clock_seconds(clock, "clock"))
  local_instants(day_seconds * parts$days + parts$seconds, tz)
}

#' @rdname at_clock
#' @export
between_clocks <- function(date, begin, finish, tz = NULL, finish_date = NULL,
                           equal_clocks = NULL, date_order = NULL) {
  if (!is.null(equal_clocks)) check_choice(equal_clocks, c("day", "nothing"), "equal_clocks")
  tz <- zone_given(tz)
  parts <- same_length(
    day = clock_days(date, "date", date_order), begin = clock_seconds(begin, "begin"),
    finish = clock_seconds(finish, "finish"),
    last = if (!is.null(finish_date)) clock_days(finish_date, "finish_date", date_order)
  )
  last <- parts$last %||% finish_days(parts, equal_clocks)
  start <- day_seconds * parts$day + parts$begin
  end <- day_seconds * last + parts$finish
  before <- which(end < start)
  if (length(before) > 0) {
    n <- length(before)
    rows <- utils::head(before, 5)
    ridge_abort(
      c("{n} finish{?es} {?is/are} before the begin by {?its/their} own date: row{?s} {rows}.",
        i = "Mend {arg_name('finish_date')}, or leave it out: such a finish is on the next day."),
      "records", arg = "finish_date", row = rows)
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
  vctrs::vec_recycle_common(!!!parts)
}

finish_days <- function(parts, equal_clocks) {
  same <- which(parts$begin == parts$finish)
  if (length(same) > 0 && is.null(equal_clocks)) {
    n <- length(same)
    rows <- utils::head(same, 5)
    ways <- paste(arg_set("equal_clocks", "day"), "or", arg_set("equal_clocks", "nothing"))
    ridge_abort(c("{n} shift{?s} begin{?s/} and finish{?es/} at the same time: row{?s} {rows}.",
                  i = "Say {ways}."), "records", arg = "equal_clocks", row = rows)
  }
  next_day <- parts$finish == parts$begin & identical(equal_clocks, "day")
  parts$day + (parts$finish < parts$begin | next_day)
}

clock_days <- function(date, arg, date_order) {
  if (is.character(date) || is.factor(date)) {
    date <- read_dates(date, date_order)
  }
  if (!inherits(date, "Date")) {
    ridge_abort("{arg_name(arg)} must be dates, not {.val {describe(date)}}.", "argument",
                arg = arg, value = date)
  }
  whole_days(date)
}

report_clock_changes <- function(local, seconds, tz) {
  known <- which(!is.na(local))
  if (length(known) == 0 || is_utc(tz)) {
    return(invisible())
  }
  skipped <- known[local_seconds(seconds[known], tz) != local[known]]
  later <- local[known] - zone_offset(local[known] + day_seconds, tz)
  repeated <- known[later != seconds[known] & local_seconds(later, tz) == local[known]]
  if (length(c(skipped, repeated)) == 0) {
    return(invisible())
  }
  n <- lengths(list(skipped, repeated))
  skipped <- utils::head(skipped, 5)
  repeated <- utils::head(repeated, 5)
  cli::cli_inform(c(
    "!" = if (n[1] > 0) paste("{n[1]} time{?s} {?was/were} skipped by a clock change in {tz} and",
                              "moved on by as much: row{?s} {skipped}."),
    "!" = if (n[2] > 0) paste("{n[2]} time{?s} came twice by a clock change in {tz}; the first",
                              "is taken: row{?s} {repeated}.")
  ))
}
