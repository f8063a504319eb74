#' How many at once, change by change
#'
#' `concurrency()` gives the exact level as a step function: from which day (or
#' moment) to which how much is there, by group, from the first start to the last
#' end. `peaks()` says when it is fullest, or where it is above a capacity.
#'
#' @param x A [spans()] object.
#' @param group The columns to break the level down by, or `NULL`. A missing value
#'   is a group of its own.
#' @param of What is counted: `"keys"` (each key once; the default where there is
#'   a key), `"records"`, or `"weight"`, the sum of the weights.
#' @param from,to The first and last day shown, or `NULL`; they hide, never filter.
#' @param capacity `NULL`: the highest level of each group and when it was. A
#'   number: the stretches above it.
#' @return A tibble of the group columns, `start`, `end` (the last day), `days` (or
#'   `hours`), `level` and `open` (it goes on; `end` is then the as-of date, `NA`
#'   with length 0 for a level that begins after it). Two rows that meet differ in
#'   level; 0 between records is shown. `level` is integer, double for weights. For
#'   `peaks()` it is the highest of the stretch.
#' @section Errors:
#' A wrong argument is an error of class `ridge_error_argument`, a wrong column of
#' class `ridge_error_column`.
#' @examples
#' loans <- spans(demo_records("instrument_loans"), lent_on, returned_on,
#'                key = instrument, end_counts = FALSE, as_of = "2026-06-30")
#' concurrency(loans, from = "2026-05-01")
#' peaks(loans)
#' peaks(loans, capacity = 11)
#' @export
concurrency <- function(x, group = NULL, of = NULL, from = NULL, to = NULL) {
  check_spans_class(x, "concurrency")
  of <- choose_of(x, of)
  group <- pick_groups(x, rlang::enquo(group), step_columns, "concurrency")
  window <- ask_window(x, from, to)
  question <- new_question("concurrency", list(group = group), window = window)
  level_result(x, question, level_steps(x, question), "at once, change by change")
}

step_columns <- c("start", "end", "days", "hours", "level", "open")

# list(start, stop, group, level), by group and start.
level_steps <- function(x, question) {
  asked <- question$arguments
  cut_to_window(levels_of(x, NULL, groups_of(x, asked$group), NULL, asked$of), question$window)
}

level_result <- function(x, question, steps, how) {
  asked <- question$arguments
  columns <- range_columns(steps$start, steps$stop, x)
  columns <- append(columns, list(level = steps$level), after = 3L)
  columns <- c(slice_all(groups_of(x, asked$group)$values, steps$group + 1L), columns)
  words <- sentence_of(paste0("Counted: ", counted_words(x, asked$of), group_words(asked$group),
                              ", ", how),
                       shown_words(question$window), usual_words(x))
  new_ranges(question, x, columns, words, names = asked$group, values = "level",
             title = measure_title(x, asked$of))
}

# Every step.
#' @export
source_checks.ridge_concurrency <- function(result, x) {
  level_checks(result, x, identity)
}

level_checks <- function(result, x, choose) {
  question <- about(result)$question
  asked <- question$arguments
  partition <- plain_partition(plain_tibble(x)[asked$group])
  units <- plain_units(plain_records(x), partition$of, asked$of)
  steps <- cut_to_window(plain_steps(units, if (asked$of == "weight") 9), question$window)
  steps <- choose(as.data.frame(steps))
  expected <- plain_rows(steps, x)
  expected$level <- steps$level
  range_checks("levels", result, partition$values, asked$group, expected,
               data.frame(level = result$level), near = "level")
}
