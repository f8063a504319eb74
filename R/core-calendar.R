weekday_names <- c("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")

#' Where weeks and years start, what a working day is, and its hours
#'
#' A calendar tells the verbs what they cannot know from the records. It reads no
#' file: holidays come as dates, as a column, or as the table that
#' [read_records()] makes of an iCalendar file.
#'
#' @param weekend Days of the week that are no working days: English names, in
#'   full or their first letters (`"Sat"`), or numbers from 1 (Monday) to 7
#'   (Sunday). `NULL` for none.
#' @param holidays Dates that are no working days: Date or ISO 8601 text, none
#'   missing; or a data frame with their first days in `start` and, if you like,
#'   their last days in `end`. `NULL` for none.
#' @param every_year Holidays that come every year, as month and day: `"12-25"`.
#'   `"02-29"` comes in leap years only.
#' @param hours The working hours: the times of day at which work begins and
#'   ends, in pairs, so that `c("08:00", "12:00", "13:00", "16:30")` has a break.
#'   Or a list of these by weekday; an element without a name is for the days not
#'   named. `NULL`: a working day has its whole 24 hours.
#' @param week_starts The first day of a week: a name or a number, as above.
#' @param year_starts The first month of a year: an English name, in full or
#'   its first letters, or a number from 1 to 12. Quarters and years follow it,
#'   and years that do not start in January are labelled `2026/27`.
#' @param tz The time zone of the hours; `NULL`: that of the spans they are
#'   applied to.
#' @return A calendar. Printing it says in two lines what it holds.
#' @section Errors:
#' An unknown weekday, month or zone, a holiday that is no date, and hours that do
#' not rise, lie on a weekend day or leave a working day out are errors of class
#' `ridge_error_argument`.
#' @examples
#' calendar_rules(weekend = c("Friday", "Saturday"), week_starts = "Sunday")
#' calendar_rules(holidays = demo_records("closures"),
#'                every_year = c("12-25", "12-26"),
#'                hours = list(c("09:00", "17:30"), Friday = c("09:00", "12:00", "13:00", "15:00")),
#'                tz = "Europe/Vienna")
#' @export
calendar_rules <- function(weekend = c("Saturday", "Sunday"), holidays = NULL, every_year = NULL,
                           hours = NULL, week_starts = "Monday", year_starts = "January",
                           tz = NULL) {
  weekend <- sort(unique(name_numbers(weekend, weekday_names, "weekend")))
  structure(
    list(
      weekend = weekend,
      holidays = holiday_days(holidays),
      every_year = sort(unique(yearly_days(every_year))),
      hours = read_hours(hours, weekend),
      week_starts = one_number(week_starts, weekday_names, "week_starts"),
      year_starts = one_number(year_starts, month.name, "year_starts"),
      tz = check_zone_given(tz)
    ),
    class = "ridge_calendar"
  )
}

# Every day of dates, or of a table with first and last days.
holiday_days <- function(holidays) {
  if (!is.data.frame(holidays)) {
    return(sort(unique(if (length(holidays)) as_days(holidays, "holidays", call_for = "dates"))))
  }
  if (!("start" %in% names(holidays))) {
    ridge_abort(
      c(paste("{arg_name('holidays')} as a table needs a column {.val start}; it has",
              "{.val {names(holidays)}}."),
        i = in_r("Give the column of dates alone, such as {.code holidays = closures$day}.",
                 "Name the column {.val start}.")), "argument", arg = "holidays")
  }
  tz <- attr(holidays$start, "tzone")[1] %||% "UTC"
  end <- holidays[["end"]]
  first <- as_days(holidays$start, "holidays$start", tz, "dates")
  last <- if (is.null(end)) first else as_days(end, "holidays$end", tz, "dates")
  # An event with times that ends at midnight does not touch the day after.
  if (inherits(end, "POSIXt")) {
    at_midnight <- local_seconds(as.double(as.POSIXct(end)), tz) %% day_seconds == 0
    last <- last - (at_midnight & last > first)
  }
  if (any(last < first)) {
    row <- which(last < first)[1]
    ridge_abort("{arg_name('holidays')}: row {row} ends before it starts.", "argument",
                arg = "holidays", row = row)
  }
  sort(unique(rep(first, last - first + 1L) + sequence(last - first + 1L) - 1L))
}

# Month and day as one number, 1225 for the 25th of December.
yearly_days <- function(every_year) {
  if (is.null(every_year)) {
    return(integer())
  }
  text <- sub("^--", "", as.character(every_year))
  no_day <- is.na(suppressWarnings(as.Date(paste0("2000-", text), "%Y-%m-%d")))
  wrong <- which(no_day | !grepl("^[0-9]{2}-[0-9]{2}$", text))
  if (length(wrong) > 0) {
    seen <- as.character(every_year)[wrong[1]]
    ridge_abort(
      c("{arg_name('every_year')} must be months and days such as {.val 12-25}, not {.val {seen}}.",
        i = "Dates of one year go to {arg_name('holidays')}."), "argument", arg = "every_year",
      value = seen)
  }
  as.integer(sub("-", "", text))
}

# The pairs of seconds from midnight for each of the seven weekdays.
read_hours <- function(hours, weekend) {
  if (is.null(hours)) {
    return(NULL)
  }
  if (!is.list(hours)) hours <- list(hours)
  named <- if (is.null(names(hours))) rep("", length(hours)) else names(hours)
  if (sum(named == "") > 1) {
    ridge_abort(c("{arg_name('hours')} has {sum(named == '')} elements without a weekday.",
                  i = "One may stand for the days not named."), "argument", arg = "hours")
  }
  by_day <- vector("list", 7L)
  if (any(named == "")) by_day[setdiff(1:7,
                                       weekend)] <- list(working_pairs(hours[[which(named == "")]]))
  days <- name_numbers(named[named != ""], weekday_names, "hours_on")
  by_day[days] <- lapply(unname(hours[named != ""]), working_pairs)
  off <- intersect(days, weekend)
  if (length(off) > 0) {
    ridge_abort(c("{arg_name('hours')} names {weekday_names[off[1]]}, which is in the weekend.",
                  i = "Take it out of one of them."), "argument", arg = "hours")
  }
  lacking <- setdiff(which(vapply(by_day, is.null, NA)), weekend)
  if (length(lacking) > 0) {
    ridge_abort(
      c("{arg_name('hours')} has none for {and_list(weekday_names[lacking])}.",
        i = in_r("Name them, or add an element without a name for the days not named.",
                 "Name them one by one, or say {arg_name('hours')} for all days."),
        i = "Or put the days into {arg_name('weekend')}."), "argument", arg = "hours")
  }
  by_day
}

# Where 9 may be meant as 09:00 it is not taken for 00:09.
full_clocks <- function(clocks, arg) {
  short <- which(grepl("^ *[0-9]{1,2} *$", as.character(clocks)))
  if (length(short) > 0) {
    seen <- as.character(clocks)[short[1]]
    ridge_abort("{arg_name(arg)}: write {.val {seen}} with its minutes, such as {.val 09:00}.",
                "argument", arg = arg, value = seen)
  }
  clock_seconds(clocks, arg)
}

working_pairs <- function(clocks) {
  seconds <- full_clocks(clocks, "hours")
  if (length(seconds) == 0 || length(seconds) %% 2 != 0 || anyNA(seconds) ||
      any(diff(seconds) <= 0)) {
    ridge_abort(
      c(paste("{arg_name('hours')} must be pairs of times of day that rise, such as",
              "{pair_example()}, not {.val {as.character(clocks)}}."),
        i = "Work past midnight is written as two days: up to {.val 24:00} and from {.val 0:00}."),
      "argument", arg = "hours", value = as.character(clocks))
  }
  matrix(seconds, nrow = 2)
}

pair_example <- function() {
  in_r("`c(\"09:00\", \"17:30\")`", "09:00,17:30")
}

name_numbers <- function(value, names, arg) {
  if (is.numeric(value)) {
    found <- match(value, seq_along(names))
  } else {
    long_enough <- nchar(value) >= 3
    found <- ifelse(long_enough, pmatch(tolower(value), tolower(names), duplicates.ok = TRUE),
                    match(value, as.character(seq_along(names))))
  }
  if (anyNA(found)) {
    wrong <- value[is.na(found)][1]
    ridge_abort(c("{arg_name(arg)} does not know {.val {wrong}}.",
                  i = paste("Say {.val {names[1]}} to {.val {names[length(names)]}}, or 1 to",
                            "{length(names)}.")),
                "argument", arg = arg, value = wrong)
  }
  as.integer(found)
}

one_number <- function(value, names, arg) {
  if (length(value) != 1) {
    ridge_abort("{arg_name(arg)} must be one name or number, not {describe(value)}.", "argument",
                arg = arg, value = value)
  }
  name_numbers(value, names, arg)
}

check_calendar <- function(calendar) {
  if (!inherits(calendar, "ridge_calendar")) {
    ridge_abort(
      c(paste("{arg_name('calendar')} must come from {.fn calendar_rules}, not",
              "{.val {describe(calendar)}}."),
        i = "Say {.code calendar = calendar_rules(year_starts = \"April\")}, for one."),
      "argument", arg = "calendar", value = calendar)
  }
  calendar
}

#' @export
print.ridge_calendar <- function(x, ...) {
  cat("Weeks start on ", weekday_names[x$week_starts], ", years in ", month.name[x$year_starts],
      if (length(x$tz)) paste0("; times of ", x$tz), ".\n", sep = "")
  cat("Weekend: ", weekend_words(x), "; ", holiday_words(x), "; ", hours_words(x), ".\n", sep = "")
  invisible(x)
}

weekend_words <- function(calendar) {
  weekend <- weekday_names[calendar$weekend]
  if (length(weekend)) and_list(weekend) else "none"
}

holiday_words <- function(calendar) {
  yearly <- length(calendar$every_year)
  paste0(count_of(length(calendar$holidays), "holiday"),
         if (yearly > 0) paste(" and", yearly, "every year"))
}

# Weekdays with the same hours are named together.
hours_words <- function(calendar) {
  if (is.null(calendar$hours)) {
    return("working days of 24 hours")
  }
  clock <- function(seconds) {
    minutes <- as.integer(seconds %/% 60)
    sprintf("%02d:%02d", minutes %/% 60L, minutes %% 60L)
  }
  text <- vapply(calendar$hours, function(pairs) {
    if (is.null(pairs)) "" else and_list(paste(clock(pairs[1, ]), "to", clock(pairs[2, ])))
  }, "")
  kinds <- unique(text[text != ""])
  if (length(kinds) == 1) paste("hours", kinds)
  else paste("hours",
             paste(vapply(kinds,
                          function(kind) paste(and_list(substr(weekday_names[text == kind], 1, 3)),
                                               kind), ""), collapse = ", "))
}

is_working_day <- function(days, calendar) {
  date <- civil_dates(days)
  working <- !(date$weekday %in% calendar$weekend) & !(days %in% calendar$holidays)
  if (length(calendar$every_year)) {
    working <- working & !((100L * date$month + date$day) %in% calendar$every_year)
  }
  working
}

# What a working day and a working week are, in hours.
working_day_hours <- function(calendar) {
  each <- rep(24, 7)
  if (!is.null(calendar$hours)) {
    worked <- function(pairs) if (is.null(pairs)) 0 else sum(pairs[2, ] - pairs[1, ]) / hour_seconds
    each <- vapply(calendar$hours, worked, 0)
  }
  each[calendar$weekend] <- 0
  worked <- unique(each[each > 0])
  if (length(worked) != 1) {
    lengths <- and_list(format(worked))
    ridge_abort(
      c(if (length(worked)) "A working day has no one length: {lengths} hours, by weekday."
        else "The calendar has no working day.",
        i = "Say how many hours make a day, such as {arg_set('day_hours', 8)}."), "argument",
      arg = "day_hours")
  }
  list(day = worked, week = sum(each))
}

# How many working days there are before each day of a range, within it.
working_days_before <- function(from, to, calendar) {
  c(0L, cumsum(is_working_day(from:to, calendar)))
}

calendar_words <- function(calendar) {
  if (is.null(calendar)) {
    return(NULL)
  }
  off <- if (length(calendar$weekend)) paste(weekend_words(calendar), "off") else "no weekend"
  paste0("working days (", off, ", ", holiday_words(calendar), ")")
}
