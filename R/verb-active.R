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
#' @param rule When something counts as active: `"any_day"` (the default), `"first_day"`,
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
#'   start to the as-of date. What is known beyond it, such as ends that were
#'   announced, is shown when `to` asks for it. A window widens to whole periods, and
#'   hides; it never filters. Dates may be said in words: see [date_words].
#' @param whole A grain to widen the window to, such as `"year"`.
#' @param calendar Where weeks and years start: see [calendar_rules()].
#' @param total With groups: also the line over all groups, where a key counts
#'   once however many groups it is in? Adds the column `total`.
#' @param less Those who are away: a [spans()] object with a key that is declared as well.
#'   Each key counts only while it has a record of `x` and none of these.
#' @param show `"counts"`, or `"records"`: a row for each key (or record) that is active in
#'   a period, to see who is behind the number; for the rules that decide one by one.
#' @param label Adds the column `label` in this form: see [periods()].
#' @return A tibble: the group columns, `total` if asked for (logical; the group
#'   is NA in such lines), `period`, `period_end`, `label` if asked for, and
#'   `active`: integer, or double for weights and averages. Never NA.
#'
#'   With `show = "records"`: the group columns, `period`, `period_end`, the key and, with
#'   `of = "records"` or `"weight"`, the weight and `row`, that of the record in the source.
#' @section Errors:
#' A wrong argument is an error of class `ridge_error_argument`, a wrong column
#' of class `ridge_error_column`, a result too large to hold of class
#' `ridge_error_size`.
#' @examples
#' staff <- spans(demo_records("postings"), first_day, last_day, key = observer,
#'                weight = share, as_of = "2026-06-30")
#' active(staff, by = "quarter", from = "2025-01-01")
#' active(staff, by = "year", group = station, rule = "last_day",
#'        of = "weight")
#' active(staff, on = c("2026-01-01", "2026-06-30"))
#' active(staff, on = "2026-06-30", group = station, show = "records")
#' trips <- spans(demo_records("field_trips"), first_day, last_day, key = observer)
#' active(staff, by = "month", group = station, rule = "mean_day", less = trips,
#'        from = "2026-04-01")
#' @export
active <- function(x, by = "month", group = NULL, rule = "any_day", of = NULL, on = NULL,
                   from = NULL, to = NULL, whole = NULL, calendar = calendar_rules(),
                   total = FALSE, less = NULL, show = "counts", label = NULL) {
  check_spans_class(x, "active")
  of <- choose_of(x, of)
  check_less(x, less, of, "active")
  check_flag(total, "total")
  check_label(label)
  check_choice(show, c("counts", "records"), "show")
  check_rule(rule, choosing = show == "records")
  group <- pick_groups(x, rlang::enquo(group), active_columns, "active")
  if (show == "records") check_active_rows(x, total)
  if (is.null(on)) {
    by <- rlang::enquo(by)
    axis <- ask_axis(x, resolve_by(by, x), facts_of(x), from, to, whole, calendar,
                     until = "as_of")
    by <- rlang::eval_tidy(by)
  } else {
    refuse_together("on", list(by = if (!missing(by)) by, from = from, to = to, whole = whole),
                    "it names the dates themselves")
    axis <- dates_axis(x, on, calendar)
    check_dates_rule(axis, missing(rule))
  }
  question <- new_question("active", list(group = group), axis = axis)
  if (show == "records") active_rows(x, question, describe_active(x, question))
  else answer_active(x, question)
}

# A line over all groups has the same people once more.
check_active_rows <- function(x, total) {
  if (total) {
    ridge_abort(c("{arg_name('total')} plays no part in {arg_set('show', 'records')}.",
                  i = "Leave {arg_name('group')} out to see all."), "argument", arg = "total")
  }
  check_free_names(about(x)$names$key, c("row", "period", "period_end", "label"), "active")
}

active_columns <- c("period", "period_end", "label", "total", "active")

# Dates of the user's own, each a period of one day or, on instants, a moment.
dates_axis <- function(x, on, calendar) {
  check_calendar(calendar)
  timeline <- timeline_of(x)
  if (length(on) == 0) {
    ridge_abort("{arg_name('on')} must hold at least one date.", "argument", arg = "on")
  }
  if (!on_days(timeline) && inherits(on, "POSIXt")) {
    if (anyNA(on)) check_years(NA, "on")
    moments <- sort(unique(as.numeric(on)))
    return(list(grain = list(unit = "hour", size = 1L, name = "moment"), timeline = timeline,
                calendar = calendar, first = moments, stop = tick_after(moments, timeline)))
  }
  days <- sort(unique(as_days(on, "on", zone_of(timeline), "dates",
                              about(x)$as_of_day, "none")))
  new_axis(list(unit = "day", size = 1L, name = "day"), calendar, timeline, days, days + 1L)
}

# One day on days, and one moment on instants, leave no choice of rule.
check_dates_rule <- function(axis, without) {
  day_of_instants <- !on_days(axis$timeline) && !is_hourly(axis)
  if (!without && !day_of_instants) {
    ridge_abort(
      c("{arg_name('rule')} has no meaning with {arg_name('on')}: a single day leaves no choice.",
        i = "Leave {arg_name('rule')} out."), "argument", arg = "rule")
  }
}

answer_active <- function(x, question) {
  asked <- question$arguments
  axis <- question$axis
  groups <- groups_of(x, asked$group)
  total <- asked$total && length(asked$group) > 0
  check_lines_fit(groups, total, axis, 3, "This count")
  level <- levels_of_lines(x, axis, groups, asked, total)
  measures <- list(active = new_measure(level, over_periods = FALSE,
                                        over_groups = asked$of != "keys"))
  new_by_period(question, x, groups, measures, describe_active(x, question),
                title = measure_title(x, asked$of), total = total)
}

# By group, then over all of them where that is asked for. Where some are away a group may
# have nobody left: it is there with 0.
levels_of_lines <- function(x, axis, groups, asked, total) {
  if (is.null(axis)) {
    return(if (asked$of == "weight" || is_average(asked$rule)) double() else integer())
  }
  less <- spans_asked(asked, "less")
  present <- if (is.null(less)) x else minus_of(x, less)
  own <- if (is.null(less)) groups else groups_of(present, groups$names)
  level <- levels_of(present, axis, own, asked$rule, asked$of)
  if (own$size != groups$size) level <- levels_on_lines(level, axis, own$values, groups)
  if (!total) {
    return(level)
  }
  c(level, levels_of(present, axis, groups_of(present, character()), asked$rule, asked$of))
}

# Levels of some lines among those of all.
levels_on_lines <- function(level, axis, values, groups) {
  at <- vctrs::vec_match(tibble::as_tibble(values), tibble::as_tibble(groups$values))
  cells <- matrix(if (is.integer(level)) 0L else 0, axis_size(axis), groups$size)
  cells[, at] <- level
  as.vector(cells)
}

describe_active <- function(x, question) {
  asked <- question$arguments
  grain <- grain_name(question$axis)
  active <- if (grain == "moment") "active at that moment"
  else rule_words(asked$rule, grain, timeline_of(x))
  what <- if (asked$show == "records") "Rows behind the count: " else "Counted: "
  sentence_of(paste0(what, counted_words(x, asked$of), group_words(asked$group), ", ", active),
              less_words(spans_asked(asked, "less")),
              if (is.null(asked$on)) after_as_of_words(question$axis, x), usual_words(x))
}

#' @export
sentences.ridge_active <- function(object) {
  if (is_listed(object)) {
    return(paste0(count_of(nrow(object), "row"), " in ",
                  count_of(length(unique(object$period)), "period"), "."))
  }
  values <- summed_series(object, "active")
  c(if (!is.null(values)) series_sentences(values, period_labels(about(object)),
                                           "The number active"),
    group_sentence(object, "active"))
}

# In a database.
#' @export
cells_once_more.ridge_active <- function(result, x) {
  made <- about(result)
  asked <- made$question$arguments
  if (asked$show != "counts" || !adds_up(asked$rule)) {
    return(NULL)
  }
  list(exact = asked$of != "weight" && !is_average(asked$rule), of = function(groups) {
    plain_levels_in_database(x, made$axis, groups, asked$rule, asked$of)
  })
}

# Every cell that is left, counted once more.
#' @export
source_checks.ridge_active <- function(result, x) {
  made <- about(result)
  asked <- made$question$arguments
  if (asked$show == "records") {
    return(active_row_checks(result, x))
  }
  if (nrow(result) == 0) {
    return(list())
  }
  cells <- cell_matrix(result, "active")
  own <- !is_total_line(made)
  plain <- plain_records(x)
  counted <- function(line, lines) {
    left <- plain_less(plain, line, x, spans_asked(asked, "less"))
    plain_levels(left$plain, left$line, lines, made$axis, asked$rule, asked$of, made$timeline)
  }
  exact <- asked$of != "weight" && !is_average(asked$rule)
  c(if (any(!is.na(cells[, own]))) {
    cell_checks(if (length(made$groups)) "active, group lines" else "active",
                counted(plain_lines(x, made$groups), sum(own)), cells[, own], exact)
  }, if (any(!is.na(cells[, !own]))) {
    cell_checks("active, line over all groups", counted(rep(1, nrow(plain)), 1L), cells[, !own],
                exact)
  })
}
