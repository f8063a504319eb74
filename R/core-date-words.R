#' Dates in words
#'
#' Arguments that take a day (`as_of`, `from`, `to`, `on`, the date of [as_seen_on()]), and the
#' options of the command line that feed them, also take it in words:
#'
#' * `"today"`, `"yesterday"`, `"tomorrow"`;
#' * `"start of"` or `"end of"` `"last"`, `"this"` or `"next"` `"week"` (from Monday),
#'   `"month"`, `"quarter"` or `"year"` (of the civil calendar), such as `"end of last month"`;
#' * `"2 weeks ago"`, `"in 3 months"`: days, weeks, months or years;
#' * `"2026-06"`, `"2026-Q2"`, `"2026"`: its first day for `from`, its last for `to`, `as_of` and
#'   [as_seen_on()].
#'
#' For `as_of` they are relative to today, for everything else to the as-of date of the records:
#' a table that was asked as of the end of May reads the same whenever it is made. The line of
#' conventions says which day it was.
#'
#' @section Errors:
#' A text that is neither a date nor such words is an error of class `ridge_error_argument` that
#' names the argument and the ways to say a day.
#' @name date_words
#' @examples
#' staff <- spans(demo_records("postings"), first_day, last_day, key = observer,
#'                as_of = "2026-06")
#' active(staff, from = "start of this year", to = "end of last month")
#' active(staff, on = c("today", "1 year ago"))
NULL

# Dates as people say them: "today", "end of last month", "2 weeks ago", "2026-06". They are
# relative to a day: the as-of date of the records, or, where that date itself is said, today.

# The day numbers of words; NA where a text says none. `edge` is which day of a longer time is
# meant where the words leave it open: the "first" or the "last"; "none": no longer time will do.
said_days <- function(text, base, edge) {
  vapply(tolower(trimws(text)), said_day, 0L, base = as.integer(base), edge = edge,
         USE.NAMES = FALSE)
}

said_day <- function(words, base, edge) {
  if (is.na(words) || grepl("^[0-9]{4}-[0-9]{2}-[0-9]{2}", words)) {
    return(NA_integer_)
  }
  near <- c(today = 0L, yesterday = -1L, tomorrow = 1L)[words]
  if (!is.na(near)) {
    return(base + unname(near))
  }
  parts <- function(pattern) regmatches(words, regexec(pattern, words))[[1]][-1]
  whole <- parts("^(start|end) of (last|this|next) (week|month|quarter|year)$")
  if (length(whole)) {
    step <- match(whole[2], c("last", "this", "next")) - 2L
    bounds <- bounds_around(base, whole[3], step)
    return(if (whole[1] == "start") bounds[1] else bounds[2])
  }
  ago <- parts("^([0-9]{1,4}) (day|week|month|year)s? ago$")
  ahead <- parts("^in ([0-9]{1,4}) (day|week|month|year)s?$")
  if (length(ago)) return(days_away(base, -as.integer(ago[1]), ago[2]))
  if (length(ahead)) return(days_away(base, as.integer(ahead[1]), ahead[2]))
  month <- parts("^([0-9]{4})-(0[1-9]|1[0-2])$")
  if (length(month)) {
    return(edge_of_months(as.integer(month[1]), as.integer(month[2]), 1L, edge))
  }
  quarter <- parts("^([0-9]{4})-q([1-4])$")
  if (length(quarter)) {
    return(edge_of_months(as.integer(quarter[1]), 3L * as.integer(quarter[2]) - 2L, 3L, edge))
  }
  if (grepl("^[0-9]{4}$", words)) edge_of_months(as.integer(words), 1L, 12L, edge) else NA_integer_
}

# The first and the last day of the week, month, quarter or year, so many before or after it.
bounds_around <- function(base, unit, step) {
  if (unit == "week") {
    first <- base - civil_dates(base)$weekday + 1L + 7L * step
    return(c(first, first + 6L))
  }
  months <- c(month = 1L, quarter = 3L, year = 12L)[[unit]]
  date <- civil_dates(base)
  month <- ((12L * date$year + date$month - 1L) %/% months + step) * months
  c(first_of_month(month), first_of_month(month + months) - 1L)
}

edge_of_months <- function(year, month, months, edge) {
  if (edge == "none" || year < 1600L) {
    return(NA_integer_)
  }
  first <- 12L * year + month - 1L
  if (edge == "first") first_of_month(first) else first_of_month(first + months) - 1L
}

# Of a month counted from the year 0.
first_of_month <- function(month) {
  day_numbers(as.integer(month %/% 12L), as.integer(month %% 12L) + 1L, 1L)
}

days_away <- function(base, count, unit) {
  switch(unit, day = base + count, week = base + 7L * count,
         month = as.integer(add_months(base, count)),
         year = as.integer(add_months(base, 12L * count)))
}

# Texts as dates in ISO form, where they say a day.
in_iso_words <- function(value, base, edge) {
  if (is.factor(value)) value <- as.character(value)
  if (is.null(base) || !is.character(value)) {
    return(value)
  }
  days <- said_days(value, base, edge)
  replace(value, !is.na(days), format(as_date(days[!is.na(days)])))
}

# Which days the words of a question were: `from` "start of this year" is 2026-01-01.
said_in_words <- function(arguments, base) {
  edges <- c(from = "first", to = "last", on = "none")
  said <- lapply(intersect(names(edges), names(arguments)), function(name) {
    value <- arguments[[name]]
    if (!is.character(value)) return(NULL)
    days <- said_days(value, base, edges[[name]])
    told <- which(!is.na(days))
    if (length(told)) {
      paste0(arg_name(name), " \"", value[told], "\" is ", format(as_date(days[told])))
    }
  })
  unlist(said)
}

today <- function() {
  as.integer(Sys.Date())
}
