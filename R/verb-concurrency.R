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
  UseMethod("concurrency")
}

#' @export
concurrency.default <- function(x, ...) {
  check_spans_class(x, "concurrency")
}

level_columns <- c("start", "end", "days", "hours", "level", "open")

#' @export
concurrency.ridge_spans <- function(x, group = NULL, of = NULL, from = NULL, to = NULL) {
  check_spans_class(x, "concurrency")
  of <- choose_of(x, of)
  groups <- group_codes(x, pick_groups(x, rlang::enquo(group), level_columns))
  window <- gap_window(x, from, to, edges = FALSE)
  steps <- level_steps(x, groups, of, window)
  level_result(x, groups, of, steps, window, "concurrency", NULL)
}

#' @rdname concurrency
#' @export
peaks <- function(x, group = NULL, of = NULL, capacity = NULL, from = NULL, to = NULL) {
  UseMethod("peaks")
}

#' @export
peaks.default <- function(x, ...) {
  check_spans_class(x, "peaks")
}

#' @export
peaks.ridge_spans <- function(x, group = NULL, of = NULL, capacity = NULL, from = NULL, to = NULL) {
  check_spans_class(x, "peaks")
  if (!is.null(capacity)) check_amount(capacity, "capacity")
  of <- choose_of(x, of)
  groups <- group_codes(x, pick_groups(x, rlang::enquo(group), level_columns))
  window <- gap_window(x, from, to, edges = FALSE)
  steps <- level_steps(x, groups, of, window)
  steps <- if (is.null(capacity)) highest_steps(steps) else steps_above(steps, capacity)
  level_result(x, groups, of, steps, window, "peaks", capacity)
}

# list(start, stop, group, level), by group and start.
level_steps <- function(x, groups, of, window) {
  index <- span_index(x)
  weight <- if (of == "weight") in_index_order(as.double(x[[about(x)$names$weight]]), index)
  steps <- steps_of(index$start, index$stop, groups$codes, if (of == "keys") index$key, weight)
  if (is.null(window)) {
    return(steps)
  }
  steps$start <- pmax(steps$start, window$first)
  steps$stop <- pmin(steps$stop, window$stop)
  kept <- which(steps$start < steps$stop)
  lapply(steps, `[`, kept)
}

highest_steps <- function(steps) {
  if (length(steps$level) == 0) {
    return(steps)
  }
  top <- tapply(steps$level, steps$group, max)
  kept <- which(steps$level == top[as.character(steps$group)])
  lapply(steps, `[`, kept)
}

# Steps above the capacity that meet, as one with its highest level.
steps_above <- function(steps, capacity) {
  kept <- which(steps$level > capacity)
  steps <- lapply(steps, `[`, kept)
  n <- length(kept)
  if (n == 0) {
    return(steps)
  }
  goes_on <- c(FALSE, steps$group[-1] == steps$group[-n] & steps$start[-1] == steps$stop[-n])
  piece <- cumsum(!goes_on)
  last <- c(which(!goes_on)[-1] - 1L, n)
  list(start = steps$start[!goes_on], stop = steps$stop[last], group = steps$group[!goes_on],
       level = as.vector(tapply(steps$level, piece, max)))
}

level_result <- function(x, groups, of, steps, window, verb, capacity) {
  columns <- range_columns(steps$start, steps$stop, about(x))
  columns <- append(columns, list(level = steps$level), after = 3L)
  columns <- c(lapply(groups$values, vctrs::vec_slice, steps$group + 1L), columns)
  new_result(columns, verb, describe_level(x, groups, of, window, capacity, verb), groups = groups$names, of = of,
             capacity = capacity, tz = about(x)$tz, unit = axis_title(x, of), source = x)
}

describe_level <- function(x, groups, of, window, capacity, verb) {
  per <- if (length(groups$names)) paste(" per", and_list(groups$names)) else ""
  shown <- if (!is.null(window)) paste("from", format(as_date(window$from)), "to", format(as_date(window$to)))
  how <- if (verb == "concurrency") "at once, change by change"
  else if (is.null(capacity)) "the most at once" else paste("at once, above", format(capacity))
  paste0(paste(c(paste0("Counted: ", counted_words(x, of), per, ", ", how), shown, usual_words(x)), collapse = "; "), ".")
}
