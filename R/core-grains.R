grain_units <- c("hour", "day", "week", "month", "quarter", "year")
hours_in_day <- 24L

# A grain is a unit and how many of it a period holds, or a table of periods.
as_grain <- function(by, arg = "by") {
  if (inherits(by, "ridge_own_periods")) {
    return(list(unit = "own", size = 1L, name = "period", table = by))
  }
  if (is.data.frame(by)) {
    return(as_grain(own_periods_from(by)))
  }
  if (inherits(by, "Date")) {
    ridge_abort(c("{.arg {arg}} must be a grain or a table of periods, not dates alone.",
                  i = "Say {.code {arg} = own_periods(first_days, last_day)}, or {.arg on} to count on those dates."),
                "argument")
  }
  pattern <- "^ *([0-9]*) *([a-z]+?)s? *$"
  text <- if (rlang::is_string(by)) tolower(by) else ""
  if (!grepl(pattern, text, perl = TRUE)) {
    refuse_grain(by, arg)
  }
  size <- sub(pattern, "\\1", text, perl = TRUE)
  unit <- sub(pattern, "\\2", text, perl = TRUE)
  size <- if (nzchar(size)) suppressWarnings(as.integer(size)) else 1L
  if (!(unit %in% grain_units) || is.na(size) || size < 1L || size > 10000L) {
    refuse_grain(by, arg)
  }
  if (unit == "hour" && hours_in_day %% size != 0L) {
    ridge_abort(c("{.arg {arg}} = {.val {by}} does not divide a day: hours are counted from midnight.",
                  i = "Say 1, 2, 3, 4, 6, 8, 12 or 24 hours."), "argument")
  }
  list(unit = unit, size = size, name = if (size == 1L) unit else paste0(size, " ", unit, "s"))
}

refuse_grain <- function(by, arg) {
  hint <- if (rlang::is_string(by)) nearest(by, grain_units) else "month"
  ridge_abort(c("{.arg {arg}} must be a grain such as {.val month} or {.val 2 weeks}, not {.val {describe(by)}}.",
                i = "Grains are {.or {.val {grain_units}}}. Did you mean {.val {hint}}?",
                i = "A column to break the result down by goes to {.arg group}."), "argument")
}

# Multiples are counted from the year 2000: its first day, the first week that
# starts in it, the first month of a year by the calendar.
grain_rule <- function(grain, calendar) {
  new_year <- day_numbers(2000L, 1L, 1L)
  if (grain$unit == "day") {
    return(list(in_months = FALSE, size = grain$size, origin = new_year))
  }
  if (grain$unit == "week") {
    ahead <- (calendar$week_starts - civil_dates(new_year)$weekday) %% 7L
    return(list(in_months = FALSE, size = 7L * grain$size, origin = new_year + ahead))
  }
  months <- c(month = 1L, quarter = 3L, year = 12L)[[grain$unit]]
  list(in_months = TRUE, size = months * grain$size, origin = 24000L + calendar$year_starts - 1L)
}

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
    ridge_abort("{.arg first_days} must hold at least one date.", "argument")
  }
  unordered <- which(diff(first) <= 0)
  if (length(unordered) > 0) {
    i <- unordered[1] + 1L
    ridge_abort(c("{.arg first_days} must rise: number {i} is {format(as_date(first[i]))}, after {format(as_date(first[i - 1L]))}.",
                  i = "Sort them and take each once: {.code sort(unique(first_days))}."), "argument")
  }
  if (last < first[length(first)]) {
    ridge_abort("{.arg last_day} ({format(as_date(last))}) must not be before the first day of the last period ({format(as_date(first[length(first)]))}).",
                "argument")
  }
  if (!is.null(labels) && length(labels) != length(first)) {
    ridge_abort("{.arg labels} must hold {length(first)} text{?s}, one for each period, not {length(labels)}.",
                "argument")
  }
  structure(list(first = first, stop = c(first[-1], last + 1L),
                 labels = if (is.null(labels)) NULL else as.character(labels)),
            class = "ridge_own_periods")
}

own_periods_from <- function(table) {
  lacking <- setdiff(c("period", "period_end"), names(table))
  if (length(lacking) > 0 || nrow(table) == 0) {
    ridge_abort(c("{.arg by} as a table of periods needs rows with \"period\" and \"period_end\".",
                  i = "This one has {nrow(table)} row{?s} and the columns {.val {names(table)}}."),
                "argument")
  }
  first <- as_days(table$period, "by$period", call_for = "dates")
  last <- as_days(table$period_end, "by$period_end", call_for = "dates")
  broken <- which(last[-length(last)] + 1L != first[-1])
  if (length(broken) > 0) {
    i <- broken[1]
    ridge_abort(c("{.arg by} must hold consecutive periods: row {i} ends on {format(as_date(last[i]))}, row {i + 1L} begins on {format(as_date(first[i + 1L]))}.",
                  i = "Each period begins the day after the one before ends."), "argument")
  }
  own_periods(as_date(first), as_date(last[length(last)]), labels = table$label)
}

#' @export
print.ridge_own_periods <- function(x, ...) {
  cat(count_of(length(x$first), "period"), ", ", format(as_date(x$first[1])), " to ",
      format(as_date(x$stop[length(x$stop)] - 1L)), "\n", sep = "")
  invisible(x)
}
