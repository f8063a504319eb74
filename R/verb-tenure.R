#' Calendar months and years between dates
#'
#' How many whole months have passed between two dates, and the days beyond. A
#' month is full on the same day of the month, or on the last day of a month that
#' has no such day: from 31 January it is full on 28 February, or 29. The last day
#' counts, so that 1 January to 31 December is a year, unless `end_counts = FALSE`.
#'
#' @param start,end First and last days: Date or ISO 8601 text, as many of each or
#'   one for all.
#' @param form `"text"` ("2 years 3 months"; days only where no month is full),
#'   `"parts"`, or `"months"`: whole months.
#' @param end_counts Does the last day count?
#' @return Text; a tibble with `years`, `months` and `days`; or whole numbers. NA
#'   where a date is missing.
#' @section Errors:
#' Ends before their starts are an error of class `ridge_error_records` that names
#' the rows; a wrong argument is of class `ridge_error_argument`.
#' @examples
#' tenure("2024-04-01", "2026-06-30")
#' tenure("2024-02-29", c("2025-02-27", "2025-02-28"), form = "parts")
#' staff <- demo_records("postings")
#' head(tenure(staff$first_day, "2026-12-31"), 3)
#' @export
tenure <- function(start, end, form = "text", end_counts = TRUE) {
  check_choice(form, c("text", "parts", "months"), "form")
  check_flag(end_counts, "end_counts")
  days <- paired(list(start = as.double(plain_days(start, "start")),
                      end = as.double(plain_days(end, "end"))))
  start <- days$start
  end <- days$end
  size <- length(start)
  turned <- which(end < start)
  if (length(turned) > 0) refuse_turned(turned, as_date(start), as_date(end))
  known <- !is.na(start) & !is.na(end)
  passed <- months_between(start[known], stops_at(end[known], day_timeline(), end_counts))
  months <- replace(rep(NA_integer_, size), known, passed$months)
  days <- replace(rep(NA_integer_, size), known, passed$days)
  switch(form, months = months, text = tenure_text(months %/% 12L, months %% 12L, days),
         parts = tibble::tibble(years = months %/% 12L, months = months %% 12L, days = days))
}

months_between <- function(start, stop) {
  from <- civil_dates(as.integer(start))
  to <- civil_dates(as.integer(stop))
  months <- 12L * (to$year - from$year) + to$month - from$month
  months <- months - (add_months(start, months) > stop)
  list(months = as.integer(months), days = as.integer(stop - add_months(start, months)))
}

tenure_text <- function(years, months, days) {
  part <- function(n, noun) ifelse(n == 0, "", paste(n, ifelse(n == 1, noun, paste0(noun, "s"))))
  text <- trimws(paste(part(years, "year"), part(months, "month")))
  replace(ifelse(text == "", ifelse(days == 0, "0 days", part(days, "day")), text), is.na(days), NA)
}
