# A verb asked with what a command line gave: the options whose argument the verb has.

ask_verb <- function(verb, x, given, options, calendar = "always") {
  of_records <- c("elapsed", "working_days", "move_working_days")
  called <- if (verb %in% of_records) paste0(verb, ".ridge_spans") else verb
  formal <- names(formals(verb_named(called)))
  arguments <- list()
  # What declared the records is no argument of the verb, whatever its name.
  if (!is.null(x)) options <- options[setdiff(names(options), from_records())]
  for (row in options) {
    value <- given[[gsub("-", "_", row$name)]]
    if (!is.null(value) && row$arg %in% formal) {
      arguments[row$arg] <- list(argument_given(row, value))
    }
  }
  if ("by" %in% formal) arguments$by <- week_years_given(given) %||% arguments$by
  if ("calendar" %in% formal) arguments$calendar <- calendar_asked(given, calendar)
  if ("day_hours" %in% names(arguments)) arguments$day_hours <- day_hours_given(given)
  if (is.null(x)) rlang::inject(verb_named(verb)(!!!arguments))
  else with_scaffolds_at_hand(rlang::inject(verb_named(verb)(x, !!!arguments)))
}

argument_given <- function(row, value) {
  if (names_columns(row)) {
    return(by_names(if (identical(value, "none") && row$name == "per") character() else value))
  }
  if (row$kind == "limit") {
    return(limit_given(value))
  }
  if (row$name == "bands") {
    return(lapply(value, clock_words))
  }
  if (row$kind == "grain" && grepl("[.]csv$", value, ignore.case = TRUE)) {
    return(read_table(value))
  }
  value
}

# Years of weeks, where --by names their pattern.
week_years_given <- function(given) {
  if (is.null(given$by) || !(given$by %in% names(week_patterns))) {
    option <- names(only_given(given, c("years", "week_year")))
    if (length(option) > 0) {
      usage_abort(c("{arg_name(option[1])} plays no part without a year of weeks.",
                    i = "Say {spelled('by', '4-4-5')}, for one."))
    }
    return(NULL)
  }
  told <- given$week_year %||% list()
  names(told) <- gsub("-", "_", names(told) %||% character())
  unknown <- setdiff(names(told), week_year_names)
  if (length(unknown) > 0) {
    usage_abort(paste("{spelled('week-year')} knows {.or {gsub('_', '-', week_year_names)}}, not",
                      "{.val {unknown[1]}}."))
  }
  for (name in intersect(names(told), c("month", "extra_week"))) {
    told[[name]] <- number_or_text(told[[name]])
  }
  if (!is.null(told$long_years)) told$long_years <- number_or_text(split_words(told$long_years))
  rlang::inject(own_periods(pattern = given$by, years = years_given(given$years), !!!told))
}

years_given <- function(years) {
  ends <- strsplit(years %||% "", "[-:]")[[1]]
  if (!(length(ends) %in% 1:2) || !all(grepl("^[0-9]{4}$", trimws(ends)))) {
    seen <- if (!is.null(years)) paste0(", not ", dQuote(years, FALSE))
    usage_abort(c("{spelled('years')} takes the first and the last year of weeks{seen}.",
                  i = "Such as {spelled('years', '2024-2027')}."))
  }
  ends <- as.integer(ends)
  if (ends[1] > ends[length(ends)]) {
    usage_abort("{spelled('years')}: the first year, {ends[1]}, is after the last, {ends[2]}.")
  }
  seq(ends[1], ends[length(ends)])
}

# A number stands for itself; a file holds a table; else it is a column.
limit_given <- function(value) {
  if (is_numeral(value)) as.numeric(value)
  else if (is_file_of_limits(value)) read_table(value)
  else by_names(value)
}

# NULL where the verb's own is meant. Hours leave no doubt that working time is.
calendar_asked <- function(given, calendar) {
  options <- gsub("-", "_", c(calendar_names(), hours_names()))
  told <- names(only_given(given, options))
  working <- isTRUE(given$working) || any(c("hours", "hours_on") %in% told)
  if (calendar == "working" && !working && length(told) > 0) {
    usage_abort(c("{arg_name(told[1])} plays no part where every day counts.",
                  i = "Say {spelled('working')} where only working days do."))
  }
  if (calendar == "always" && length(told) > 0 || working) calendar_given(given)
}

calendar_given <- function(given) {
  arguments <- list(every_year = given$every_year, holidays = holidays_given(given),
                    hours = hours_given(given), tz = given$hours_tz)
  for (name in c("week_starts", "year_starts")) {
    if (!is.null(given[[name]])) arguments[[name]] <- number_or_text(given[[name]])
  }
  if (identical(given$weekend, "none")) arguments["weekend"] <- list(NULL)
  else if (!is.null(given$weekend)) arguments$weekend <- number_or_text(given$weekend)
  do.call(calendar_rules, arguments)
}

# Dates, or a file that holds them.
holidays_given <- function(given) {
  if (length(given$holidays) != 1 || !grepl("[.][a-z]", given$holidays)) {
    return(given$holidays)
  }
  table <- read_records(given$holidays, repeat_until = given$repeat_until)
  if ("start" %in% names(table)) {
    return(table)
  }
  dates <- Filter(function(name) inherits(table[[name]], "Date"), names(table))
  if (length(dates) != 1) {
    ridge_abort(
      c(paste("{arg_name('holidays')}: {.file {given$holidays}} has {length(dates)} columns of",
              "dates, not one."),
        i = "Name the column {.val start}, and {.val end} where holidays last longer."), "records",
      arg = "holidays", value = given$holidays)
  }
  table[[dates]]
}

hours_given <- function(given) {
  all <- if (!is.null(given$hours)) list(clock_words(given$hours))
  hours <- c(all, lapply(given$hours_on, clock_words))
  if (length(hours)) hours
}

day_hours_given <- function(given) {
  if (identical(given$day_hours, "working")) {
    return(calendar_given(given))
  }
  read_number(list(name = "day-hours"), given$day_hours)
}

check_amount_given <- function(given) {
  if (is.null(given$amount)) usage_abort("{spelled('amount')} must name the column of amounts.")
}

# Words and dates stand for themselves; else it names a value for each group.
against_given <- function(given) {
  against <- given$against %||% "period_before"
  if (against %in% against_words || grepl("^[0-9]{4}-", against)) {
    return(against)
  }
  if (is.null(given$group)) {
    usage_abort(paste("{spelled('against')} takes period_before, year_before, a date or, with",
                      "{spelled('group')}, one of its values, not {.val {against}}."))
  }
  values <- split_words(against)
  if (length(values) != length(given$group)) {
    usage_abort(paste("{spelled('against')} must give a value for each of {.val {given$group}},",
                      "not {.val {against}}."))
  }
  stats::setNames(as.list(values), given$group)
}

# The options of a figure go to its arguments.
figure_of <- function(result, given, figure) {
  arguments <- c(stats::setNames(given[figure], names(figure)), given[figure_arguments])
  rlang::inject(autoplot(result, !!!Filter(Negate(is.null), arguments)))
}

with_text <- function(result) {
  made <- about(result)
  asked <- made$question$arguments
  text <- elapsed_text(result[[made$values[1]]], asked$unit, day_hours = asked$day_hours)
  tibble::add_column(tibble::as_tibble(result), text = text)
}
