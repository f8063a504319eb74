# Columns of dates as text. What one text cannot prove, the order of day and
# month, the whole column must prove, or the user must name.

date_orders <- c("dmy", "mdy", "ymd")
number_orders <- c("days_1900", "days_1904", "seconds_1970")

order_words <- c(dmy = "day-month-year", mdy = "month-day-year", ymd = "year-month-day",
                 days_1900 = "day numbers of a workbook (1900)",
                 days_1904 = "day numbers of a workbook (1904)",
                 seconds_1970 = "seconds since 1970")

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
  kind <- ifelse(read$form == 0L, 0L,
                 ifelse(read$form %in% 1:2 & !is.na(read$day), 1L + read$clock, 4L))
  moments <- list(kind = kind, day = read$day, second = read$second, order = used)
  if (!is.null(order) && order %in% number_orders) with_numbers(moments, read, order) else moments
}

# One value over 12 proves the order; two that differ, or none, prove nothing.
prove_order <- function(read, texts, name) {
  numbers <- read$form == 2L
  only_dmy <- which(numbers & !is.na(read$dmy) & is.na(read$mdy))
  only_mdy <- which(numbers & !is.na(read$mdy) & is.na(read$dmy))
  if (length(only_dmy) > 0 && length(only_mdy) > 0) {
    seen <- texts[c(only_dmy[1], only_mdy[1])]
    ridge_abort(
      c(paste("Column {.val {name}} contradicts itself: {.val {seen[1]}} can only be",
              "day-month-year, {.val {seen[2]}} only month-day-year."),
        i = "Mend the column, or name the order of all with {order_ways()}."), "records",
          value = seen)
  }
  if (length(only_dmy) > 0) return("dmy")
  if (length(only_mdy) > 0) return("mdy")
  either <- which(numbers & !is.na(read$dmy) & read$dmy != read$mdy)
  if (length(either) > 0) {
    one <- either[1]
    both <- c(spoken_day(read$dmy[one]), spoken_day(read$mdy[one]))
    ridge_abort(
      c(paste("Column {.val {name}} does not prove its order: {.val {texts[one]}} is {both[1]}",
              "or {both[2]}."),
        i = "Name it with {order_ways()}."), "records", value = texts[one])
  }
  "dmy"
}

order_ways <- function() {
  paste(arg_set("date_order", "dmy"), "or", arg_set("date_order", "mdy"))
}

# Spreadsheets of the first kind count a 29 February 1900 that never was, so
# their days are right from 1 March 1900, number 61, on.
with_numbers <- function(moments, read, order) {
  at <- which(read$form == 3L)
  value <- read$value[at]
  in_days <- order != "seconds_1970"
  origin <- switch(order, days_1900 = day_numbers(1899L, 12L, 30L),
                   days_1904 = day_numbers(1904L, 1L, 1L), seconds_1970 = 0L)
  # A clock kept as a fraction of a day is right to the second.
  seconds <- if (in_days) round(day_seconds * value) else value
  fits <- value >= switch(order, days_1900 = 61, days_1904 = 0, seconds_1970 = -1.2e10) &
    value < if (in_days) 2958466 else 2.6e11
  moments$day[at] <- ifelse(fits, as.integer(origin + seconds %/% day_seconds), NA)
  moments$second[at] <- seconds %% day_seconds
  timed <- if (in_days) ifelse(moments$second[at] > 0, 2L, 1L) else 3L
  # A column of moments has some at midnight.
  if (in_days && any(timed == 2L & fits)) timed <- 2L
  moments$kind[at] <- ifelse(fits, timed, 4L)
  moments$order <- order
  moments
}

check_date_order <- function(date_order) {
  if (!is.null(date_order)) check_choice(date_order, c(date_orders, number_orders), "date_order")
}
