#' A table of periods of your own
#'
#' Periods that no grain describes, such as the weeks of a 4-4-5 year. Give it
#' to `by` in place of a grain. Each period runs to the day before the next one
#' begins.
#'
#' @param first_days The first day of each period: Date or ISO 8601 text, in
#'   order, each once, none missing.
#' @param last_day The last day of the last period: one date.
#' @param labels Text for each period, or `NULL` for its first and last day.
#' @return A table of periods. A data frame with the columns `period` and
#'   `period_end`, and `label` if you like, serves `by` as well.
#' @section Errors:
#' First days out of order, a last day before the last first day and a wrong
#' number of labels are errors of class `ridge_error_argument`.
#' @examples
#' quarter <- own_periods(c("2026-01-05", "2026-02-02", "2026-03-02"), "2026-04-05",
#'                        labels = c("P1", "P2", "P3"))
#' periods(quarter)
#' @export
own_periods <- function(first_days, last_day, labels = NULL) {
  first <- as_days(first_days, "first_days", call_for = "dates")
  last <- as_single_day(last_day, "last_day")
  if (length(first) == 0) {
    ridge_abort("{arg_name('first_days')} must hold at least one date.", "argument",
                arg = "first_days")
  }
  unordered <- which(diff(first) <= 0)
  if (length(unordered) > 0) {
    i <- unordered[1] + 1L
    seen <- format(as_date(first[c(i, i - 1L)]))
    ridge_abort(
      c("{arg_name('first_days')} must rise: number {i} is {seen[1]}, after {seen[2]}.",
        i = in_r("Sort them and take each once: {.code sort(unique(first_days))}.",
                 "Sort them and take each once.")), "argument", arg = "first_days", row = i)
  }
  if (last < first[length(first)]) {
    seen <- format(as_date(c(last, first[length(first)])))
    ridge_abort(
      paste("{arg_name('last_day')} ({seen[1]}) must not be before the first day of the last",
            "period ({seen[2]})."),
      "argument", arg = "last_day", value = seen[1])
  }
  if (!is.null(labels) && length(labels) != length(first)) {
    ridge_abort(
      paste("{arg_name('labels')} must hold {length(first)} text{?s}, one for each period, not",
            "{length(labels)}."),
      "argument", arg = "labels")
  }
  new_own_periods(first, last, labels)
}
