grain_units <- c("hour", "day", "week", "month", "quarter", "year")
hours_in_day <- 24L

# A grain is a unit and how many of it a period holds, or a table of periods.
as_grain <- function(by, arg = "by") {
  if (inherits(by, "ridge_own_periods")) {
    return(list(unit = "own", size = 1L, name = by$how$grain %||% "period", table = by))
  }
  if (is.data.frame(by)) {
    return(as_grain(own_periods_from(by)))
  }
  if (inherits(by, "Date")) {
    ridge_abort(c("{arg_name(arg)} must be a grain or a table of periods, not dates alone.",
                  i = in_r("Say {.code {arg} = own_periods(first_days, last_day)}."),
                  i = "{arg_name('on')} counts on those dates."), "argument", arg = arg)
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
    ridge_abort(c("{arg_set(arg, by)} does not divide a day: hours are counted from midnight.",
                  i = "Say 1, 2, 3, 4, 6, 8, 12 or 24 hours."), "argument", arg = arg, value = by)
  }
  list(unit = unit, size = size, name = if (size == 1L) unit else paste0(size, " ", unit, "s"))
}

refuse_grain <- function(by, arg) {
  hint <- if (rlang::is_string(by)) nearest(by, grain_units) else "month"
  seen <- describe(by)
  ridge_abort(
    c("{arg_name(arg)} must be a grain such as {.val month} or {.val 2 weeks}, not {.val {seen}}.",
      i = "Grains are {.or {.val {grain_units}}}.",
      i = if (!is.null(hint)) "Did you mean {.val {hint}}?",
      i = "A column to break the result down by goes to {arg_name('group')}."), "argument",
    arg = arg, value = by)
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

# Consecutive periods: their first days, the day after each, and labels.
new_own_periods <- function(first, last, labels) {
  structure(list(first = first, stop = c(first[-1], last + 1L),
                 labels = if (!is.null(labels)) as.character(labels)),
            class = "ridge_own_periods")
}

own_periods_from <- function(table) {
  lacking <- setdiff(c("period", "period_end"), names(table))
  if (length(lacking) > 0 || nrow(table) == 0) {
    ridge_abort(
      c("{arg_name('by')} as a table of periods needs rows with \"period\" and \"period_end\".",
        i = "This one has {nrow(table)} row{?s} and the columns {.val {names(table)}}."),
      "argument", arg = "by")
  }
  first <- as_days(table$period, "by$period", call_for = "dates")
  last <- as_days(table$period_end, "by$period_end", call_for = "dates")
  turned <- which(last < first)
  if (length(turned) > 0) {
    ridge_abort("{arg_name('by')}: row {turned[1]} ends before it begins.", "argument", arg = "by",
                row = turned[1])
  }
  broken <- which(last[-length(last)] + 1L != first[-1])
  if (length(broken) > 0) {
    i <- broken[1]
    seen <- format(as_date(c(last[i], first[i + 1L])))
    ridge_abort(
      c(paste("{arg_name('by')} must hold consecutive periods: row {i} ends on {seen[1]}, row",
              "{i + 1L} begins on {seen[2]}."),
        i = "Each period begins the day after the one before ends."), "argument", arg = "by",
          row = i)
  }
  new_own_periods(first, last[length(last)], table$label)
}

#' @export
print.ridge_own_periods <- function(x, ...) {
  cat(count_of(length(x$first), "period"), ", ", format(as_date(x$first[1])), " to ",
      format(as_date(x$stop[length(x$stop)] - 1L)), "\n", sep = "")
  invisible(x)
}
