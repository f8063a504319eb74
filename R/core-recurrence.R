# Days of a repeated event, by the rules of RFC 5545: each day from the first on
# is looked at, and those that every part of the rule allows are kept.

recurrence_parts <- c("FREQ", "INTERVAL", "COUNT", "UNTIL", "BYDAY", "BYMONTH", "BYMONTHDAY",
                      "BYSETPOS", "WKST")

# Two hundred years.
most_repeated_days <- 73050L

weekday_codes <- c("MO", "TU", "WE", "TH", "FR", "SA", "SU")

# A rule as text, "FREQ=YEARLY;COUNT=3", as a list; NULL where it says what is
# not understood here.
parse_recurrence <- function(text) {
  pairs <- strsplit(strsplit(toupper(text), ";", fixed = TRUE)[[1]], "=", fixed = TRUE)
  if (!all(lengths(pairs) == 2)) {
    return(NULL)
  }
  rule <- stats::setNames(lapply(pairs, `[`, 2), vapply(pairs, `[`, "", 1))
  known <- all(names(rule) %in% recurrence_parts) &&
    isTRUE(rule$FREQ %in% c("DAILY", "WEEKLY", "MONTHLY", "YEARLY"))
  if (!known) {
    return(NULL)
  }
  for (part in c("INTERVAL", "COUNT", "BYMONTH", "BYMONTHDAY", "BYSETPOS")) {
    if (!is.null(rule[[part]])) {
      rule[[part]] <- suppressWarnings(as.integer(strsplit(rule[[part]], ",", fixed = TRUE)[[1]]))
      if (anyNA(rule[[part]]) || any(abs(rule[[part]]) > 10000)) return(NULL)
    }
  }
  rule$INTERVAL <- max(1L, (rule$INTERVAL %||% 1L))
  rule$WKST <- match((rule$WKST %||% "MO"), weekday_codes)
  if (!is.null(rule[["BYDAY"]])) {
    rule[["BYDAY"]] <- strsplit(rule[["BYDAY"]], ",", fixed = TRUE)[[1]]
    if (!all(grepl("^[-+]?[0-9]{0,2}(MO|TU|WE|TH|FR|SA|SU)$", rule[["BYDAY"]]))) return(NULL)
  }
  rule
}

# Day numbers from `start` (always the first) to `last`, at most COUNT of them.
recurrence_days <- function(rule, start, last, most = most_repeated_days) {
  count <- rule$COUNT
  if (is.null(count)) {
    return(allowed_days(rule, start, last, most))
  }
  # As far as needed, doubling; the last day bounds what can never be reached.
  span <- 400L * rule$INTERVAL
  repeat {
    reach <- min(start + span, last, start + most)
    days <- allowed_days(rule, start, reach, most)
    if (length(days) >= count || reach == last) return(utils::head(days, count))
    if (reach == start + most) refuse_long_repeats(start, last)
    span <- 4L * span
  }
}

refuse_long_repeats <- function(start, last) {
  ridge_abort(c(paste("iCalendar: an event repeats from {format(as_date(start))} to",
                      "{format(as_date(last))}, which is too long to be written out."),
                i = "Name the last day wanted with {arg_name('repeat_until')}."), "size",
              arg = "repeat_until", value = last - start)
}

allowed_days <- function(rule, start, last, most) {
  if (last < start) {
    return(start)
  }
  # No event goes on for so long, and thirty that did would take minutes.
  if (last - start > most) refuse_long_repeats(start, last)
  days <- start:last
  date <- civil_dates(days)
  first <- lapply(date, `[`, 1)
  week_of <- function(day, date) day - (date$weekday - rule$WKST) %% 7L
  step <- switch(rule$FREQ,
    DAILY = days - start,
    WEEKLY = (week_of(days, date) - week_of(start, first)) %/% 7L,
    MONTHLY = 12L * (date$year - first$year) + date$month - first$month,
    YEARLY = date$year - first$year
  )
  allowed <- step %% rule$INTERVAL == 0 & allowed_months(rule, date, first) &
    allowed_in_month(rule, days, date, first)
  chosen <- days[allowed]
  if (!is.null(rule$BYSETPOS)) {
    chosen <- by_position(chosen, step[allowed], rule$BYSETPOS)
  }
  sort(unique(c(start, chosen)))
}

allowed_months <- function(rule, date, first) {
  if (!is.null(rule[["BYMONTH"]])) {
    return(date$month %in% rule[["BYMONTH"]])
  }
  whole_year <- rule$FREQ == "YEARLY" && is.null(rule[["BYDAY"]]) && is.null(rule[["BYMONTHDAY"]])
  if (whole_year) date$month == first$month else TRUE
}

allowed_in_month <- function(rule, days, date, first) {
  allowed <- rep(TRUE, length(days))
  month_first <- days - date$day + 1L
  next_month <- day_numbers(date$year + date$month %/% 12L, date$month %% 12L + 1L,
                            rep(1L, length(days)))
  if (!is.null(rule[["BYMONTHDAY"]])) {
    from_end <- date$day - (next_month - month_first) - 1L
    allowed <- allowed & (date$day %in% rule[["BYMONTHDAY"]] | from_end %in% rule[["BYMONTHDAY"]])
  }
  if (!is.null(rule[["BYDAY"]])) {
    of_year <- rule$FREQ == "YEARLY" && is.null(rule[["BYMONTH"]])
    from <- if (of_year) day_numbers(date$year, rep(1L, length(days)),
                                     rep(1L, length(days))) else month_first
    to <- if (of_year) day_numbers(date$year + 1L, rep(1L, length(days)),
                                   rep(1L, length(days))) else next_month
    allowed <- allowed & on_named_weekday(rule[["BYDAY"]], days, date$weekday, from, to)
  }
  if (is.null(rule[["BYMONTHDAY"]]) && is.null(rule[["BYDAY"]])) {
    allowed <- switch(rule$FREQ, DAILY = allowed, WEEKLY = date$weekday == first$weekday,
                      date$day == first$day)
  }
  allowed
}

# MO is every Monday, 2MO the second and -1MO the last of the month or year.
on_named_weekday <- function(names, days, weekday, from, to) {
  number <- suppressWarnings(as.integer(sub("[A-Z]+$", "", names)))
  code <- match(sub("^[-+0-9]*", "", names), weekday_codes)
  nth <- (days - from) %/% 7L + 1L
  nth_last <- -((to - 1L - days) %/% 7L) - 1L
  hits <- lapply(seq_along(names), function(i) {
    weekday == code[i] & (is.na(number[i]) | nth == number[i] | nth_last == number[i])
  })
  Reduce(`|`, hits)
}

by_position <- function(days, step, positions) {
  rank <- stats::ave(days, step, FUN = seq_along)
  size <- stats::ave(days, step, FUN = length)
  days[rank %in% positions | (rank - size - 1L) %in% positions]
}
