#' A table of periods of your own
#'
#' Periods that no grain describes. Give it to `by` in place of a grain. Each period runs to
#' the day before the next one begins. Either you name their first days, or the pattern of
#' years of whole weeks: 52, and every fifth or sixth year 53.
#'
#' A year of weeks ends on a weekday: the last such one of a month (`ends = "last"`) or the
#' one nearest to the end of that month (`"nearest"`). So the rule finds the years of 53 weeks;
#' where they are fixed otherwise, `long_years` names them. The further week lengthens the last
#' period, or that of `extra_week`. [versus()] with `"year_before"` compares such periods by
#' their place in the year, and says where a longer period is compared with a shorter one;
#' [cohorts()] takes them too.
#'
#' @param first_days The first day of each period: Date or ISO 8601 text, in
#'   order, each once, none missing.
#' @param last_day The last day of the last period: one date.
#' @param labels Text for each period, or `NULL` for its first and last day.
#' @param pattern The weeks of the periods of each quarter, `"4-4-5"`, `"4-5-4"` or `"5-4-4"`,
#'   or `"13x4"`: 13 periods of 4 weeks. Then `years` must be named too, and neither
#'   `first_days` nor `last_day`.
#' @param years The years, such as `2024:2027`.
#' @param ends_on The weekday on which years end, by name.
#' @param month The month that they end in, or nearest to the end of, by name or number.
#' @param ends `"last"`: on the last such weekday of the month. `"nearest"`: on the one nearest
#'   to its end, which may lie in the next.
#' @param named_by Is a year named by the calendar year of that month (`"end"`), or by the one
#'   before, in which most of it lies (`"start"`)?
#' @param long_years The years of 53 weeks; `NULL`: by the rule. The first year begins where
#'   the rule says.
#' @param extra_week Which period the 53rd week lengthens, by its number; `NULL`: the last.
#' @param grain `"period"`, or the `"week"`s, `"quarter"`s or `"year"`s that they make.
#' @return A table of periods. A data frame with the columns `period` and
#'   `period_end`, and `label` if you like, serves `by` as well.
#' @section Errors:
#' First days together with a pattern, a pattern without years, first days out of order, a
#' last day before the last first day and a wrong
#' number of labels are errors of class `ridge_error_argument`.
#' @examples
#' quarter <- own_periods(c("2026-01-05", "2026-02-02", "2026-03-02"), "2026-04-05",
#'                        labels = c("P1", "P2", "P3"))
#' periods(quarter)
#' retail <- own_periods(pattern = "4-5-4", years = 2023:2024, ends_on = "Saturday",
#'                       month = "January", ends = "nearest", named_by = "start")
#' periods(retail)
#' @export
own_periods <- function(first_days = NULL, last_day = NULL, labels = NULL, pattern = NULL,
                        years = NULL, ends_on = "Saturday", month = "December", ends = "last",
                        named_by = "end", long_years = NULL, extra_week = NULL,
                        grain = "period") {
  if (!is.null(pattern)) {
    refuse_together("pattern", list(first_days = first_days, last_day = last_day, labels = labels),
                    "a pattern makes the periods and their labels")
    how <- list(pattern = pattern, years = years, ends_on = ends_on, month = month, ends = ends,
                named_by = named_by, long_years = long_years, extra_week = extra_week,
                grain = grain)
    return(own_week_years(check_week_years(how)))
  }
  refuse_together("first_days", list(years = years, long_years = long_years,
                                     extra_week = extra_week), "they belong to a pattern")
  if (is.null(first_days) || is.null(last_day)) {
    ridge_abort(c("Name {arg_name('first_days')} and {arg_name('last_day')}, or a pattern.",
                  i = "Such as {.code pattern = \"4-4-5\", years = 2024:2027}."), "argument",
                arg = if (is.null(first_days)) "first_days" else "last_day")
  }
  first <- as_days(first_days, "first_days", call_for = "dates")
  last <- as_single_day(last_day, "last_day")
  if (length(first) == 0) {
    ridge_abort("{arg_name('first_days')} must hold at least one date.", "argument",
                arg = "first_days")
  }
  unordered <- which(diff(first) <= 0)
  if (length(unordered) > 0) {
    i <- unordered[1] + 1L
    seen <- format(as_date(first[c(i, i - 1L)]))
    ridge_abort(
      c("{arg_name('first_days')} must rise: number {i} is {seen[1]}, after {seen[2]}.",
        i = in_r("Sort them and take each once: {.code sort(unique(first_days))}.",
                 "Sort them and take each once.")), "argument", arg = "first_days", row = i)
  }
  if (last < first[length(first)]) {
    seen <- format(as_date(c(last, first[length(first)])))
    ridge_abort(
      paste("{arg_name('last_day')} ({seen[1]}) must not be before the first day of the last",
            "period ({seen[2]})."),
      "argument", arg = "last_day", value = seen[1])
  }
  if (!is.null(labels) && length(labels) != length(first)) {
    ridge_abort(
      paste("{arg_name('labels')} must hold {length(first)} text{?s}, one for each period, not",
            "{length(labels)}."),
      "argument", arg = "labels")
  }
  new_own_periods(first, last, labels)
}

# Names become numbers, and what the years cannot be is refused.
check_week_years <- function(how) {
  check_choice(how$pattern, names(week_patterns), "pattern")
  check_choice(how$ends, c("last", "nearest"), "ends")
  check_choice(how$named_by, c("end", "start"), "named_by")
  check_choice(how$grain, week_grains, "grain")
  how$years <- check_week_year_numbers(how$years, "years")
  if (!is.null(how$long_years)) {
    how$long_years <- check_week_year_numbers(how$long_years, "long_years")
  }
  if (!identical(how$years, seq(min(how$years), max(how$years)))) {
    ridge_abort(c("{arg_name('years')} must follow each other, each once.",
                  i = "Say {.code years = 2024:2027}."), "argument", arg = "years")
  }
  how$ends_on <- one_number(how$ends_on, weekday_names, "ends_on")
  how$month <- one_number(how$month, month.name, "month")
  periods <- length(week_patterns[[how$pattern]])
  how$extra_week <- as.integer(check_amount(how$extra_week %||% periods, "extra_week",
                                            whole = TRUE, most = periods))
  if (how$extra_week == 0L) {
    ridge_abort("{arg_name('extra_week')} is the number of a period, from 1 to {periods}.",
                "argument", arg = "extra_week", value = 0)
  }
  if (how$grain == "quarter" && periods == 13L) {
    ridge_abort(c("13 periods make no quarters.", i = "Say {arg_set('grain', 'period')}."),
                "argument", arg = "grain")
  }
  how
}

check_week_year_numbers <- function(years, arg) {
  known <- is.numeric(years) && length(years) > 0 && !anyNA(years) && all(years == round(years)) &&
    all(years >= 1601 & years <= 9998)
  if (!known) {
    ridge_abort(c("{arg_name(arg)} must be years such as {.code 2024:2027}, not {.val
                  {describe(years)}}.", i = "From 1601 to 9998."), "argument", arg = arg,
                value = years)
  }
  as.integer(years)
}
