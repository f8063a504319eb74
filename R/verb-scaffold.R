scaffold_rules <- count_rules[1:4]

#' One row per record (or key) and period
#'
#' Lays each record out over the periods in which it is active. Each row says
#' which part of the span lies in the period, so a first month that begins on
#' the 17th says so.
#'
#' @inheritParams active
#' @param by A grain such as `"month"` (the default), a multiple, or a table of
#'   periods: see [periods()].
#' @param keep Which periods to keep: those in which the span is active on
#'   `"any_day"` (the default), the `"first_day"`, the `"last_day"` or
#'   `"every_day"`.
#' @param of `"records"` (the default): a row per record and period. `"keys"`: a
#'   row per key and period, however many records it has there.
#' @param shape `"rows"` (the default): only periods in which a record or key is
#'   active. `"full"`: every key in every period of the window (every record,
#'   where there is no key or `of = "records"`).
#' @param carry Further columns of the records to carry along, or `NULL`. With
#'   `of = "keys"` or `shape = "full"` they must be the same in all records of a
#'   key.
#' @return A tibble, ordered by key, start and period.
#'
#'   `shape = "rows"`: `row` (the record's row in the source, integer; not with
#'   `of = "keys"`), the key and carried columns, `step` (1, 2, 3, ... from the
#'   first period kept, also where the window hides that one), `period` and
#'   `period_end`, `start` and `end` of the slice (its last counted day; Date),
#'   and `days` (integer). The slice of a key runs from its first to its last
#'   covered day of the period; `days` counts the covered ones. On instants the
#'   slice is in instants and `hours` (double) replaces `days`. An open span runs
#'   to the end of the window.
#'
#'   `shape = "full"`: the key (or `row`), carried columns, `period`,
#'   `period_end` and `present` (logical: active there by the rule).
#'
#'   There are no NA but those carried along.
#' @section Errors:
#' A wrong argument is an error of class `ridge_error_argument`, a wrong column
#' of class `ridge_error_column`. A scaffold that would not fit in memory is
#' refused before it is built, with its size: `ridge_error_size`.
#' @examples
#' staff <- spans(demo_records("postings"), first_day, last_day, key = observer,
#'                as_of = "2026-06-30")
#' scaffold(staff, by = "month", carry = station)
#' scaffold(staff, by = "quarter", keep = "last_day", of = "keys", from = "2026-01-01")
#' scaffold(staff, by = "month", shape = "full", whole = "year")
#' @export
scaffold <- function(x, by = NULL, keep = "any_day", of = NULL, shape = "rows", carry = NULL,
                     from = NULL, to = NULL, whole = NULL, calendar = calendar_rules(),
                     label = NULL) {
  UseMethod("scaffold")
}

#' @export
scaffold.default <- function(x, ...) {
  check_spans_class(x, "scaffold")
}

#' @export
scaffold.ridge_spans <- function(x, by = NULL, keep = "any_day", of = NULL, shape = "rows",
                                 carry = NULL, from = NULL, to = NULL, whole = NULL,
                                 calendar = calendar_rules(), label = NULL) {
  check_spans_class(x, "scaffold")
  check_choice(keep, scaffold_rules, "keep")
  check_choice(shape, c("rows", "full"), "shape")
  check_label(label)
  of <- choose_scaffold_of(x, of, shape)
  carry <- pick_carried(x, rlang::enquo(carry), of)
  grain <- resolve_by(rlang::enquo(by), x, "month")
  axis <- resolve_axis(x, grain, from, to, whole, calendar)
  layout <- scaffold_layout(x, axis)
  columns <- if (shape == "full") full_rows(x, layout, keep, of, carry, label)
  else if (of == "keys") rows_of_keys(x, layout, keep, carry, label)
  else record_rows(x, layout, keep, carry, label)
  new_result(columns, "scaffold", describe_scaffold(x, axis, keep, of, shape), axis = axis, of = of,
             keep = keep, shape = shape, key = about(x)$names$key, label = label, source = x,
             value = if (shape == "full") "present" else if (is.null(about(x)$tz)) "days" else "hours", ids = c("row", about(x)$names$key, carry))
}

choose_scaffold_of <- function(x, of, shape) {
  has_key <- length(about(x)$names$key) > 0
  if (is.null(of)) {
    return(if (shape == "full" && has_key) "keys" else "records")
  }
  check_choice(of, c("records", "keys"), "of")
  choose_of(x, of)
}

# The columns beside the slices: the key, then what is carried along.
pick_carried <- function(x, quo, of) {
  plain <- plain_tibble(x)
  carry <- setdiff(pick_columns(plain, quo, "carry"), about(x)$names$key)
  taken <- intersect(c(carry, about(x)$names$key),
                     c("row", "step", "period", "period_end", "label", "start", "end", "days",
                       "hours", "present"))
  if (length(taken) > 0) {
    ridge_abort(c("The scaffold has a column {.val {taken[1]}} of its own.",
                  i = "Rename the column of the records before {.fn spans}."), "column")
  }
  if (of == "keys") check_constant(x, plain, carry)
  carry
}

# A value carried along with a key must not depend on which record is looked at.
check_constant <- function(x, plain, carry) {
  index <- span_index(x)
  for (name in carry) {
    values <- in_index_order(plain[[name]], index)
    of_first <- vctrs::vec_slice(plain[[name]], index$key_rows[index$key + 1L])
    differs <- which(!vctrs::vec_equal(values, of_first, na_equal = TRUE))
    if (length(differs) > 0) {
      refuse_carried(name, plain[index$order[differs[1]], about(x)$names$key],
                     c(of_first[differs[1]], values[differs[1]]))
    }
  }
}

refuse_carried <- function(name, key, values) {
  key <- paste(vapply(as.list(key), format, character(1)), collapse = ", ")
  ridge_abort(c("{.arg carry}: {.val {name}} differs between records of one key: {key} has {.val {format(values)}}.",
                i = "Carry it with {.code of = \"records\"}."), "column")
}

# Steps need the periods from the first start on, also those before the window.
# `axis` covers both; `window` is the part shown, as places from 0.
scaffold_layout <- function(x, axis) {
  if (is.null(axis)) {
    return(NULL)
  }
  facts <- span_facts(x)
  shown <- axis$first[1]
  start_day <- facts$first
  if (!is.null(start_day) && axis_size(axis) > 0 && facts$first_tick < shown) {
    last <- if (is_hourly(axis)) civil_day(axis$stop[axis_size(axis)] - 1, axis$tz)
    else axis$last_day[axis_size(axis)]
    axis_all <- make_axis(axis$grain, start_day, last, axis$calendar, axis$tz)
    axis_all <- axis_part(axis_all, axis_all$stop <= axis$stop[axis_size(axis)])
  } else {
    axis_all <- axis
  }
  before <- sum(axis_all$first < shown)
  list(axis = axis_all, shown = axis, from = before, to = before + axis_size(axis))
}

empty_slices <- function(x, label) {
  columns <- list(step = integer())
  columns <- c(columns, no_periods(label))
  if (is.null(about(x)$tz)) {
    c(columns, list(start = as_date(double()), end = as_date(double()), days = integer()))
  } else {
    instant <- as_instant(double(), about(x)$tz)
    c(columns, list(start = instant, end = instant, hours = double()))
  }
}

record_rows <- function(x, layout, keep, carry, label) {
  names <- c(about(x)$names$key, carry)
  values <- as.list(plain_tibble(x))[names]
  if (is.null(layout)) {
    return(c(list(row = integer()), lapply(values, vctrs::vec_slice, integer()), empty_slices(x, label)))
  }
  index <- ordered_index(x)
  axis <- layout$axis
  daily <- is.null(axis$tz) && axis$grain$unit == "day" && axis$grain$size == 1L
  counts <- count_scaffold_rows(index$start, index$stop, axis$first, axis$stop, layout$from,
                                layout$to, keep)
  rows <- sum(as.double(counts))
  check_fits(rows, 4 * 3 + 8 * (if (daily) 1 else 4) + 8 * length(names), "This scaffold",
             scaffold_way_out)
  filled <- fill_scaffold(index$start, index$stop, axis$first, axis$stop, layout$from, layout$to, keep,
                          rows, daily)
  repeated <- function(values) repeat_each(vctrs::vec_slice(values, index$order), counts)
  c(list(row = repeated(about(x)$rows)), lapply(values, repeated),
    list(step = filled$step), slice_columns(filled, layout, label, daily))
}

# Plain numbers need no list of places in between.
repeat_each <- function(values, times) {
  plain <- is.numeric(values) && is.null(attributes(values))
  if (plain) repeat_numbers(values, times) else vctrs::vec_rep_each(values, times)
}

scaffold_way_out <- "Choose a coarser `by` or a narrower window, or count with `active()`."

# The index with records by start also where there is no key.
ordered_index <- function(x) {
  index <- span_index(x)
  if (!is.null(index$order)) {
    return(index)
  }
  order <- sort_rows(list(index$start))
  list(start = index$start[order], stop = index$stop[order], order = order)
}

# From the numbers that the kernel filled in to columns of dates or instants.
slice_columns <- function(filled, layout, label, daily = FALSE) {
  axis <- layout$axis
  if (daily) {
    day <- structure(filled$period, class = "Date")
    columns <- list(period = day, period_end = day, start = day, end = day,
                    days = repeat_numbers(1L, length(day)))
  } else {
    typed <- function(ticks) if (is.null(axis$tz)) as_date(ticks) else as_instant(ticks, axis$tz)
    columns <- list(period = typed(filled$period), period_end = typed(filled$period_end),
                    start = typed(filled$start), end = typed(filled$end))
    columns[[if (is.null(axis$tz)) "days" else "hours"]] <- if (is.null(axis$tz)) filled$days else filled$hours
  }
  with_period_days(columns, layout, label)
}

# On instants periods of a day and longer are dates, and labels are looked up.
with_period_days <- function(columns, layout, label) {
  shown <- layout$shown
  civil <- !is.null(shown$tz) && !is_hourly(shown)
  if (!civil && is.null(label)) {
    return(columns)
  }
  place <- match(as.double(columns$period), as.double(shown$first))
  known <- axis_columns(shown, label)
  columns$period <- known$period[place]
  columns$period_end <- known$period_end[place]
  if (is.null(label)) {
    return(columns)
  }
  append(columns, list(label = known$label[place]), after = 2L)
}

rows_of_keys <- function(x, layout, keep, carry, label) {
  index <- span_index(x)
  values <- lapply(as.list(plain_tibble(x))[c(about(x)$names$key, carry)], vctrs::vec_slice,
                   index$key_rows)
  if (is.null(layout)) {
    return(c(lapply(values, vctrs::vec_slice, integer()), empty_slices(x, label)))
  }
  filled <- fill_lines(index, index$key, layout, keep, length(values))
  c(lapply(values, vctrs::vec_slice, filled$key), list(step = filled$step),
    slice_columns(filled, layout, label))
}

# Slices of lines, each line a key or a record of its own.
fill_lines <- function(index, line, layout, keep, columns) {
  axis <- layout$axis
  rows <- count_key_scaffold_rows(index$start, index$stop, axis$first, axis$stop, line,
                                  layout$from, layout$to, keep)
  check_fits(rows, 4 * 4 + 8 * 4 + 8 * columns, "This scaffold", scaffold_way_out)
  fill_key_scaffold(index$start, index$stop, axis$first, axis$stop, line, layout$from, layout$to,
                    keep, rows)
}

full_rows <- function(x, layout, keep, of, carry, label) {
  lines <- full_lines(x, of, carry)
  size <- if (is.null(layout)) 0L else axis_size(layout$shown)
  check_fits(as.double(lines$count) * size, 8 * (length(lines$values) + 2) + 4, "This scaffold",
             "Choose a coarser `by`, a narrower window or fewer keys.")
  periods <- if (is.null(layout)) no_periods(label) else axis_columns(layout$shown, label)
  present <- rep(FALSE, lines$count * size)
  if (size > 0) {
    filled <- fill_lines(lines$index, lines$of_record, layout, keep, 0)
    present[(filled$key - 1) * size + filled$place] <- TRUE
  }
  c(lapply(lines$values, vctrs::vec_rep_each, size), lapply(periods, vctrs::vec_rep, lines$count),
    list(present = present))
}

# The lines of a full scaffold, which one each record is in, and their columns.
full_lines <- function(x, of, carry) {
  columns <- as.list(plain_tibble(x))[c(about(x)$names$key, carry)]
  if (of == "keys") {
    index <- span_index(x)
    return(list(index = index, count = index$keys, of_record = index$key,
                values = lapply(columns, vctrs::vec_slice, index$key_rows)))
  }
  index <- ordered_index(x)
  list(index = index, count = nrow(x), of_record = seq_len(nrow(x)) - 1L,
       values = lapply(c(list(row = about(x)$rows), columns), vctrs::vec_slice, index$order))
}

describe_scaffold <- function(x, axis, keep, of, shape) {
  grain <- if (is.null(axis)) "period" else axis$grain$name
  one <- if (of == "keys") paste0("key (", and_list(about(x)$names$key), ")") else "record"
  rows <- if (shape == "full") paste("every", one, "in every", grain)
  else paste("one row per", one, "and", grain)
  paste0("Laid out: ", rows, ", ", rule_words(keep, grain, !is.null(about(x)$tz)), "; ",
         usual_words(x), ".")
}
