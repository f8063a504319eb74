count_rules <- c("any_day", "first_day", "last_day", "every_day", "mean_day", "peak_day")

#' How many are active at a time
#'
#' Counts, for each period of a grain or for each of your own dates, how many
#' keys, records or how much weight is active, by one of six rules. Every period
#' of the window is there for every group, with 0 where nothing is.
#'
#' @param x A [spans()] object.
#' @param by A grain such as `"month"` (the default), a multiple such as
#'   `"2 weeks"`, or a table of periods: see [periods()].
#' @param group The columns to break the count down by, or `NULL`. A missing
#'   value is a group of its own.
#' @param count The rule: `"any_day"` (the default), `"first_day"`,
#'   `"last_day"`, `"every_day"` of the period, `"mean_day"` (the average over
#'   its days) or `"peak_day"` (the most at once). On instants the words mean
#'   moments: active at any, at the first, at the last, throughout, the average
#'   over time, the most at one moment.
#' @param of What is counted: `"keys"` (each key once; the default where there
#'   is a key), `"records"`, or `"weight"`, the sum of the weights. A key is
#'   active when any of its records is.
#' @param on Your own dates in place of a grain: Date or ISO 8601 text; on
#'   instants also POSIXct, each a moment. Each date is counted once, in order.
#' @param from,to The first and last day of the window, or `NULL`: from the first
#'   start to the last known start or end, or to the as-of date where a span is
#'   open. A window widens to whole periods, and hides; it never filters.
#' @param whole A grain to widen the window to, such as `"year"`.
#' @param calendar Where weeks and years start: see [calendar_rules()].
#' @param total With groups: also the line over all groups, where a key counts
#'   once however many groups it is in? Adds the column `total`.
#' @param label Adds the column `label` in this form: see [periods()].
#' @return A tibble: the group columns, `total` if asked for (logical; the group
#'   is NA in such lines), `period`, `period_end`, `label` if asked for, and
#'   `active`: integer, or double for weights and averages. Never NA.
#' @section Errors:
#' A wrong argument is an error of class `ridge_error_argument`, a wrong column
#' of class `ridge_error_column`, a result too large to hold of class
#' `ridge_error_size`.
#' @examples
#' staff <- spans(demo_records("postings"), first_day, last_day, key = observer,
#'                weight = share, as_of = "2026-06-30")
#' active(staff, by = "quarter", from = "2025-01-01")
#' active(staff, by = "year", group = station, count = "last_day", of = "weight")
#' active(staff, on = c("2026-01-01", "2026-06-30"))
#' @export
active <- function(x, by = NULL, group = NULL, count = NULL, of = NULL, on = NULL, from = NULL,
                   to = NULL, whole = NULL, calendar = calendar_rules(), total = FALSE,
                   label = NULL) {
  UseMethod("active")
}

#' @export
active.default <- function(x, ...) {
  check_spans_class(x, "active")
}

#' @export
active.ridge_spans <- function(x, by = NULL, group = NULL, count = NULL, of = NULL, on = NULL,
                               from = NULL, to = NULL, whole = NULL,
                               calendar = calendar_rules(), total = FALSE, label = NULL) {
  check_spans_class(x, "active")
  of <- choose_of(x, of)
  check_flag(total, "total")
  check_label(label)
  groups <- group_codes(x, pick_groups(x, rlang::enquo(group), c("period", "period_end", "label",
                                                                 "total", "active")))
  if (is.null(on)) {
    rule <- check_choice(first_of(count, "any_day"), count_rules, "count")
    grain <- resolve_by(rlang::enquo(by), x, "month")
    axis <- resolve_axis(x, grain, from, to, whole, calendar)
  } else {
    refuse_with_on(list(by = by, from = from, to = to,
                        whole = whole))
    axis <- dates_axis(x, on, calendar)
    rule <- dates_rule(axis, count)
  }
  count_periods(x, axis, groups, rule, of, total, label)
}

choose_of <- function(x, of) {
  has_key <- length(about(x)$names$key) > 0
  if (is.null(of)) {
    return(if (has_key) "keys" else "records")
  }
  check_choice(of, c("keys", "records", "weight"), "of")
  if (of == "keys" && !has_key) {
    ridge_abort(c("{.code of = \"keys\"} needs a key, and {.fn spans} was given none.",
                  i = "Name it there, or count {.code of = \"records\"}."), "argument")
  }
  if (of == "weight" && is.null(about(x)$names$weight)) {
    ridge_abort(c("{.code of = \"weight\"} needs a weight column, and {.fn spans} was given none.",
                  i = "Say {.code spans(..., weight = share)}, for one."), "argument")
  }
  of
}

refuse_with_on <- function(given) {
  given <- names(given)[!vapply(given, is.null, logical(1))]
  if (length(given) > 0) {
    ridge_abort(c("{.arg on} and {.arg {given[1]}} cannot go together: {.arg on} names the dates themselves.",
                  i = "Leave one of them out."), "argument")
  }
}

# Dates of the user's own, each a period of one day or, on instants, a moment.
dates_axis <- function(x, on, calendar) {
  check_calendar(calendar)
  tz <- about(x)$tz
  if (length(on) == 0) {
    ridge_abort("{.arg on} must hold at least one date.", "argument")
  }
  grain <- list(unit = "day", size = 1L, name = "day")
  if (!is.null(tz) && inherits(on, "POSIXt")) {
    if (anyNA(on)) check_years(NA, "on")
    moments <- sort(unique(as.numeric(on)))
    return(list(grain = list(unit = "hour", size = 1L, name = "moment"), tz = tz,
                calendar = calendar, first = moments, stop = moments + 1e-6))
  }
  days <- sort(unique(as_days(on, "on", zone_of(tz), "dates")))
  new_axis(grain, calendar, tz, days, days + 1L)
}

# One day on days, and one moment on instants, leave no choice of rule.
dates_rule <- function(axis, count) {
  if (!is.null(axis$tz) && !is_hourly(axis)) {
    return(check_choice(first_of(count, "any_day"), count_rules, "count"))
  }
  if (!is.null(count)) {
    ridge_abort(c("{.arg count} has no meaning with {.arg on}: a single day leaves no choice.",
                  i = "Leave {.arg count} out."), "argument")
  }
  "any_day"
}

count_periods <- function(x, axis, groups, rule, of, total, label) {
  size <- if (is.null(axis)) 0L else axis_size(axis)
  lines <- groups$size + (total && length(groups$names) > 0)
  check_fits(as.double(lines) * size, 8 * (3 + length(groups$names)), "This count",
             "Choose a coarser `by`, a narrower window or fewer groups.")
  counts <- count_groups(x, axis, groups$codes, groups$size, rule, of)
  if (lines > groups$size) {
    counts <- c(counts, count_groups(x, axis, NULL, 1L, rule, of))
  }
  columns <- group_columns(groups, lines, size)
  if (total && length(groups$names) > 0) {
    columns$total <- rep(seq_len(lines) > groups$size, each = size)
  }
  periods <- if (is.null(axis)) no_periods(label) else axis_columns(axis, label)
  columns <- c(columns, lapply(periods, vctrs::vec_rep, lines), list(active = counts))
  new_result(columns, "active", describe_active(x, axis, groups, rule, of),
             axis = axis, groups = groups$names, of = of, rule = rule, label = label,
             unit = axis_title(x, of), value = "active", ids = groups$names,
             adds = c(periods = FALSE, groups = of != "keys"), source = x)
}

count_groups <- function(x, axis, codes, size, rule, of) {
  is_double <- of == "weight" || rule == "mean_day"
  if (is.null(axis) || size == 0L) {
    return(if (is_double) double() else integer())
  }
  index <- span_index(x)
  weight <- if (of == "weight") in_index_order(as.double(x[[about(x)$names$weight]]), index)
  count_active(index$start, index$stop, axis$first, axis$stop, codes, size,
               if (of == "keys") index$key, weight, rule)
}

# Each group's values once per period; missing in the line over all groups.
group_columns <- function(groups, lines, size) {
  places <- rep(seq_len(lines), each = size)
  places[places > groups$size] <- NA
  lapply(groups$values, vctrs::vec_slice, places)
}

no_periods <- function(label) {
  columns <- list(period = as_date(double()), period_end = as_date(double()))
  if (!is.null(label)) columns$label <- character()
  columns
}

counted_words <- function(x, of) {
  switch(of, keys = paste("keys", paste0("(", and_list(about(x)$names$key), ")")),
         records = "records", weight = paste("sum of", about(x)$names$weight))
}

axis_title <- function(x, of) {
  if (of == "keys") paste0(and_list(about(x)$names$key), ", each counted once") else counted_words(x, of)
}

describe_active <- function(x, axis, groups, rule, of) {
  grain <- if (is.null(axis)) "period" else axis$grain$name
  per <- if (length(groups$names)) paste(" per", and_list(groups$names)) else ""
  on_instants <- !is.null(about(x)$tz)
  active <- if (grain == "moment") "active at that moment" else rule_words(rule, grain, on_instants)
  paste0("Counted: ", counted_words(x, of), per, ", ", active, "; ", usual_words(x), ".")
}
