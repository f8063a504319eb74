weekday_names <- c("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")

#' Where weeks and years start, and which days are working days
#'
#' A calendar tells the verbs what they cannot know from the records. It holds
#' no times of day and no time zone.
#'
#' @param weekend Days of the week that are no working days: English names, in
#'   full or their first letters (`"Sat"`), or numbers from 1 (Monday) to 7
#'   (Sunday). `NULL` for none.
#' @param holidays Dates that are no working days: Date or ISO 8601 text. They
#'   must not be missing. `NULL` for none.
#' @param week_starts The first day of a week: a name or a number, as above.
#' @param year_starts The first month of a year: an English name, in full or
#'   its first letters, or a number from 1 to 12. Quarters and years follow it,
#'   and years that do not start in January are labelled `2026/27`.
#' @return A calendar. Printing it says what it holds.
#' @section Errors:
#' An unknown weekday or month, or a holiday that is no date, is an error of
#' class `ridge_error_argument`.
#' @examples
#' calendar_rules(weekend = c("Friday", "Saturday"), week_starts = "Sunday")
#' calendar_rules(holidays = c("2026-12-25", "2026-12-26"), year_starts = "April")
#' @export
calendar_rules <- function(weekend = c("Saturday", "Sunday"), holidays = NULL,
                           week_starts = "Monday", year_starts = "January") {
  structure(
    list(
      weekend = sort(unique(name_numbers(weekend, weekday_names, "weekend"))),
      holidays = sort(unique(if (length(holidays)) as_days(holidays, "holidays", call_for = "dates"))),
      week_starts = one_number(week_starts, weekday_names, "week_starts"),
      year_starts = one_number(year_starts, month.name, "year_starts")
    ),
    class = "ridge_calendar"
  )
}

name_numbers <- function(value, names, arg) {
  if (is.numeric(value)) {
    found <- match(value, seq_along(names))
  } else {
    long_enough <- nchar(value) >= 3
    found <- ifelse(long_enough, pmatch(tolower(value), tolower(names), duplicates.ok = TRUE), NA)
  }
  if (anyNA(found)) {
    wrong <- value[is.na(found)][1]
    ridge_abort(c("{.arg {arg}} does not know {.val {wrong}}.",
                  i = "Say {.val {names[1]}} to {.val {names[length(names)]}}, or 1 to {length(names)}."),
                "argument")
  }
  as.integer(found)
}

one_number <- function(value, names, arg) {
  if (length(value) != 1) {
    ridge_abort("{.arg {arg}} must be one name or number, not {describe(value)}.", "argument")
  }
  name_numbers(value, names, arg)
}

check_calendar <- function(calendar) {
  if (!inherits(calendar, "ridge_calendar")) {
    ridge_abort(c("{.arg calendar} must come from {.fn calendar_rules}, not {.val {describe(calendar)}}.",
                  i = "Say {.code calendar = calendar_rules(year_starts = \"April\")}, for one."),
                "argument")
  }
  calendar
}

#' @export
print.ridge_calendar <- function(x, ...) {
  weekend <- weekday_names[x$weekend]
  cat("Weeks start on ", weekday_names[x$week_starts], ", years in ", month.name[x$year_starts],
      ".\n", sep = "")
  cat("Weekend: ", if (length(weekend)) and_list(weekend) else "none", "; ",
      count_of(length(x$holidays), "holiday"), ".\n", sep = "")
  invisible(x)
}

is_working_day <- function(days, calendar) {
  !(civil_dates(days)$weekday %in% calendar$weekend) & !(days %in% calendar$holidays)
}
