#' Dates and date-times from text
#'
#' Reads text as people and programs write dates: ISO 8601; day-month-year and
#' month-day-year with any separator; month names, in English and in the
#' session's locale; a clock before or after the date. Two-digit years 00 to 68
#' are 20xx. The order of day and month is taken from the text only where the
#' whole of it proves the order (one value over 12 does); otherwise name it.
#'
#' @param text A character vector, a factor or numbers. Blank and `NA` are
#'   missing.
#' @param date_order The order, where it is not proven: `"dmy"`, `"mdy"` or `"ymd"`.
#'   Plain numbers are dates only where you say so: `"days_1900"` (days, the usual
#'   system of workbooks), `"days_1904"`, or `"seconds_1970"`.
#' @param tz The time zone of clocks without an offset; by default the session's.
#'   A time that a clock change repeats is its first one; one that it skips is
#'   moved on by as much.
#' @return A Date vector, or POSIXct where there are clocks; `NA` where the text
#'   is blank. Never a guess.
#' @section Errors:
#' Text that is no date, an order that is not proven or contradicted, and clocks
#' in some rows only are errors of class `ridge_error_records`.
#' @examples
#' read_dates(c("3/4/2026", "17/4/2026"))
#' read_dates(c("3/4/2026", "12/4/2026"), date_order = "mdy")
#' read_dates(c("4 March 2026", "5 Mar 26", NA))
#' read_dates("Mar 5, 2026 4:20 PM", tz = "Europe/Vienna")
#' read_dates(46085, date_order = "days_1900")
#' @export
read_dates <- function(text, date_order = NULL, tz = NULL) {
  check_date_order(date_order)
  check_zone_given(tz)
  if (is.numeric(text)) text <- number_text(text)
  if (!is.character(text) && !is.factor(text) && !all(is.na(text))) {
    ridge_abort("{arg_name('text')} must be text, not {.val {describe(text)}}.", "argument",
                arg = "text")
  }
  read <- read_text_moments(if (is.factor(text)) text else as.character(text), "text", tz,
                            date_order)
  if (length(read$bad) > 0) {
    first <- utils::head(read$bad, 5)
    n <- length(read$bad)
    ridge_abort(
      c(paste("{n} text{?s} cannot be read as {?a date/dates}:",
              "{.val {as.character(text[first])}} ({cli::qty(length(first))}place{?s} {first})."),
        i = paste("Mend {cli::qty(n)}{?it/them}, or name the {arg_name('date_order')} if",
                  "{?it is/they are} in another.")),
      "records", row = first, value = as.character(text[first]))
  }
  read$values
}
