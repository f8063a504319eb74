# Columns of dates as text. What one text cannot prove, the order of day and
# month, the whole column must prove, or the user must name.

date_orders <- c("dmy", "mdy", "ymd")
number_orders <- c("excel", "excel1904", "epoch")

order_words <- c(dmy = "day-month-year", mdy = "month-day-year", ymd = "year-month-day",
                 excel = "day numbers of a spreadsheet (1900)",
                 excel1904 = "day numbers of a spreadsheet (1904)", epoch = "seconds since 1970")

# English names first; those of the session's locale may be others.
month_words <- function() {
  local <- function(form) format(as_date(day_numbers(rep(2001L, 12), 1:12, rep(1L, 12))), form)
  tolower(c(month.name, local("%B"), local("%b")))
}

# Distinct texts as `kind` (0 blank, 1 date, 2 local time, 3 UTC time, 4
# unreadable), `day` and `second`, with the `order` that was used, if any was.
read_moment_texts <- function(texts, name, order = NULL) {
  read <- read_date_text(tolower(texts), month_words())
  used <- NULL
  if (any(read$form == 2L)) {
    used <- if (!is.null(order) && order %in% date_orders) order else prove_order(read, texts, name)
    read$day <- ifelse(read$form == 2L, read[[used]], read$day)
  }
  kind <- ifelse(read$form == 0L, 0L, ifelse(read$form %in% 1:2 & !is.na(read$day), 1L + read$clock, 4L))
  moments <- list(kind = kind, day = read$day, second = read$second, order = used)
  if (!is.null(order) && order %in% number_orders) with_numbers(moments, read, order) else moments
}

# One value over 12 proves the order; two that differ, or none, prove nothing.
prove_order <- function(read, texts, name) {
  numbers <- read$form == 2L
  only_dmy <- which(numbers & !is.na(read$dmy) & is.na(read$mdy))
  only_mdy <- which(numbers & !is.na(read$mdy) & is.na(read$dmy))
  if (length(only_dmy) > 0 && length(only_mdy) > 0) {
    ridge_abort(c("Column {.val {name}} contradicts itself: {.val {texts[only_dmy[1]]}} can only be day-month-year, {.val {texts[only_mdy[1]]}} only month-day-year.",
                  i = "Mend the column, or name the order of all with {.code order = \"dmy\"} or {.code order = \"mdy\"}."),
                "records")
  }
  if (length(only_dmy) > 0) return("dmy")
  if (length(only_mdy) > 0) return("mdy")
  either <- which(numbers & !is.na(read$dmy) & read$dmy != read$mdy)
  if (length(either) > 0) {
    one <- either[1]
    ridge_abort(c("Column {.val {name}} does not prove its order: {.val {texts[one]}} is {spoken_day(read$dmy[one])} or {spoken_day(read$mdy[one])}.",
                  i = "Name it with {.code order = \"dmy\"} or {.code order = \"mdy\"}."), "records")
  }
  "dmy"
}

spoken_day <- function(day) {
  date <- civil_dates(day)
  paste(date$day, month.name[date$month], date$year)
}

# Spreadsheets of the first kind count a 29 February 1900 that never was, so
# their days are right from 1 March 1900, number 61, on.
with_numbers <- function(moments, read, order) {
  at <- which(read$form == 3L)
  value <- read$value[at]
  origin <- switch(order, excel = day_numbers(1899L, 12L, 30L), excel1904 = day_numbers(1904L, 1L, 1L),
                   epoch = 0L)
  seconds <- if (order == "epoch") value else 86400 * value
  # A clock kept as a fraction of a day is right to the second.
  if (order != "epoch") seconds <- round(seconds)
  fits <- value >= switch(order, excel = 61, excel1904 = 0, epoch = -1.2e10) &
    value < if (order == "epoch") 2.6e11 else 2958466
  moments$day[at] <- ifelse(fits, as.integer(origin + seconds %/% 86400), NA)
  moments$second[at] <- seconds %% 86400
  timed <- if (order == "epoch") 3L else ifelse(moments$second[at] > 0, 2L, 1L)
  # A column of moments has some at midnight.
  if (order != "epoch" && any(timed == 2L & fits)) timed <- 2L
  moments$kind[at] <- ifelse(fits, timed, 4L)
  moments$order <- order
  moments
}

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
#' @param order The order, where it is not proven: `"dmy"`, `"mdy"` or `"ymd"`.
#'   Plain numbers are dates only where you say so: `"excel"` (days, the usual
#'   system of spreadsheets), `"excel1904"`, or `"epoch"` (seconds since 1970).
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
#' read_dates(c("3/4/2026", "12/4/2026"), order = "mdy")
#' read_dates(c("4 March 2026", "5 Mar 26", NA))
#' read_dates("Mar 5, 2026 4:20 PM", tz = "Europe/Vienna")
#' read_dates(46085, order = "excel")
#' @export
read_dates <- function(text, order = NULL, tz = NULL) {
  if (!is.null(order)) check_choice(order, c(date_orders, number_orders), "order")
  if (!is.null(tz)) check_zone(tz)
  if (is.numeric(text)) {
    text <- ifelse(is.na(text), NA, format(text, digits = 15, scientific = FALSE, trim = TRUE))
  }
  if (!is.character(text) && !is.factor(text) && !all(is.na(text))) {
    ridge_abort("{.arg text} must be text, not {.val {describe(text)}}.", "argument")
  }
  read <- read_text_moments(if (is.factor(text)) text else as.character(text), "text", tz, order)
  if (length(read$bad) > 0) {
    first <- utils::head(read$bad, 5)
    ridge_abort(c("{count_of(length(read$bad), 'text')} cannot be read as {cli::qty(length(read$bad))}{?a date/dates}: {.val {as.character(text[first])}} ({cli::qty(length(first))}place{?s} {first}).",
                  i = "Mend {cli::qty(length(read$bad))}{?it/them}, or name the {.arg order} if {?it is/they are} in another."), "records")
  }
  read$values
}
