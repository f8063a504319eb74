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
    named <- !is.null(order) && order %in% date_orders
    if (named) check_named_order(read, texts, name, order)
    used <- if (named) order else prove_order(read, texts, name)
    read$day <- ifelse(read$form == 2L, read[[used]], read$day)
  }
  kind <- ifelse(read$form == 0L, 0L,
                 ifelse(read$form %in% 1:2 & !is.na(read$day), 1L + read$clock, 4L))
  moments <- list(kind = kind, day = read$day, second = read$second, order = used)
  if (!is.null(order) && order %in% number_orders) with_numbers(moments, read, order) else moments
}

# Orders that give every text a day, of those that have one in any order. A text with a
# single reading proves it; where several orders are left that give other days nothing is
# proven.
prove_order <- function(read, texts, name) {
  days <- as.data.frame(read[date_orders])
  some <- which(read$form == 2L & rowSums(!is.na(days)) > 0)
  days <- days[some, ]
  texts <- texts[some]
  orders <- date_orders[colSums(is.na(days)) == 0]
  if (length(orders) == 0) refuse_contradiction(days, texts, name)
  unlike <- which(rowSums(days[orders] != days[[orders[1]]]) > 0)[1]
  if (!is.na(unlike)) {
    both <- spoken_day(unique(unlist(days[unlike, orders])))
    ridge_abort(
      c(paste("Column {.val {name}} does not prove its order: {.val {texts[unlike]}} is",
              "{.or {both}}."),
        i = "Name it with {order_ways(orders)}."), "records", value = texts[unlike])
  }
  orders[1]
}

# Two texts that have no order in common; the first is the one with fewest readings.
refuse_contradiction <- function(days, texts, name) {
  can <- !is.na(as.matrix(days))
  first <- which.min(rowSums(can))
  shared <- rowSums(can[, can[first, ], drop = FALSE])
  pair <- c(first, which.min(shared))
  words <- vapply(pair, function(i) order_words[[date_orders[can[i, ]][1]]], "")
  seen <- texts[pair]
  ridge_abort(
    c(paste("Column {.val {name}} contradicts itself: {.val {seen[1]}} can only be",
            "{words[1]}, {.val {seen[2]}} only {words[2]}."),
      i = "Mend the column: dates of two orders cannot be told apart."), "records", value = seen)
}

# An order that is named must be that of all texts.
check_named_order <- function(read, texts, name, order) {
  numbers <- which(read$form == 2L)
  against <- numbers[is.na(read[[order]][numbers])]
  for (other in setdiff(date_orders, order)) {
    proven <- against[!is.na(read[[other]][against])]
    if (length(proven) > 0) {
      ridge_abort(
        c(paste("Column {.val {name}} is not {order_words[[order]]}: {.val {texts[proven[1]]}} can",
                "only be {order_words[[other]]}."),
          i = paste("Leave {arg_name('date_order')} out where the column proves its order, or",
                    "mend the value.")), "records", arg = "date_order", value = texts[proven[1]])
    }
  }
}

order_of_text <- function(column, name, order = NULL) {
  read_moment_texts(unique(column), name, order)$order
}

order_ways <- function(orders = c("dmy", "mdy")) {
  ways <- vapply(orders, function(order) arg_set("date_order", order), "")
  paste(ways, collapse = " or ")
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
