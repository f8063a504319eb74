#' One row per record (or key) and period
#'
#' Lays each record out over the periods in which it is active. Each row says
#' which part of the span lies in the period, so a first month that begins on
#' the 17th says so.
#'
#' @inheritParams active
#' @param by A grain such as `"month"` (the default), a multiple, or a table of
#'   periods: see [periods()].
#' @param rule Which periods to keep: those in which the span is active on
#'   `"any_day"` (the default), the `"first_day"`, the `"last_day"` or
#'   `"every_day"`.
#' @param from,to The first and last day of the window, or `NULL`: from the first
#'   start to the last known start or end, or to the as-of date where a span is
#'   open. A window widens to whole periods, and hides; it never filters.
#' @param of `"records"` (the default): a row per record and period. `"keys"`: a
#'   row per key and period, however many records it has there.
#' @param every_period `FALSE` (the default): only periods in which a record or key is
#'   active. `TRUE`: every key in every period of the window (every record,
#'   where there is no key or `of = "records"`).
#' @param carry Further columns of the records to carry along, or `NULL`. With
#'   `of = "keys"` they must be the same in all records of a key.
#' @return A tibble, ordered by key, start and period.
#'
#'   `row` (the record's row in the source, integer; not with
#'   `of = "keys"`), the key and carried columns, `nth` (1, 2, 3, ... from the
#'   first period kept, also where the window hides that one), `period` and
#'   `period_end`, `start` and `end` of the slice (its last counted day; Date),
#'   and `days` (integer). The slice of a key runs from its first to its last
#'   covered day of the period; `days` counts the covered ones. On instants the
#'   slice is in instants and `hours` (double) replaces `days`. An open span runs
#'   to the end of the window.
#'
#'   With `every_period`: the key (or `row`), carried columns, `period`,
#'   `period_end` and `present` (logical: active there by the rule).
#'
#'   There are no NA but those carried along.
#'
#'   Of records in a database a lazy table of dbplyr with these columns, in no order, which stays
#'   there: `row` where [spans()] was told which column that is, dates as the table has them, and
#'   with `of = "keys"` without `carry`. It rests on temporary tables of its connection, and
#'   [reconcile()] counts it by period as long as nothing is done to it.
#' @section Errors:
#' A wrong argument is an error of class `ridge_error_argument`, a wrong column
#' of class `ridge_error_column`. A scaffold that would not fit in memory is
#' refused before it is built, with its size: `ridge_error_size`. Records in several tables that
#' are not all in one database are refused: `ridge_error_engine`.
#' @examples
#' staff <- spans(demo_records("postings"), first_day, last_day, key = observer,
#'                as_of = "2026-06-30")
#' scaffold(staff, by = "month", carry = station)
#' scaffold(staff, by = "quarter", rule = "last_day", of = "keys", from = "2026-01-01")
#' scaffold(staff, by = "month", every_period = TRUE, whole = "year")
#' @export
scaffold <- function(x, by = "month", rule = "any_day", of = NULL, every_period = FALSE,
                     carry = NULL, from = NULL, to = NULL, whole = NULL,
                     calendar = calendar_rules(), label = NULL) {
  check_spans_class(x, "scaffold")
  check_rule(rule, choosing = TRUE)
  check_flag(every_period, "every_period")
  check_label(label)
  of <- choose_scaffold_of(x, of, every_period)
  carry <- pick_carried(x, rlang::enquo(carry), scaffold_columns, "scaffold")
  if (of == "keys") check_constant(x, carry)
  by <- rlang::enquo(by)
  axis <- ask_axis(x, resolve_by(by, x), facts_of(x), from, to, whole, calendar,
                   reach = "from_start")
  by <- rlang::eval_tidy(by)
  question <- new_question("scaffold", list(carry = carry), axis = axis)
  if (!in_database(x)) answer_scaffold(x, question)
  else if (scaffolds$at_hand) scaffold_at_hand(x, question, answer_scaffold)
  else lazy_scaffold(x, question, describe_scaffold(x, question))
}

scaffold_columns <- c("row", "nth", "period", "period_end", "label", "start", "end", "days",
                      "hours",
                      "present")

choose_scaffold_of <- function(x, of, every_period) {
  if (is.null(of)) {
    return(if (every_period && has_key(x)) "keys" else "records")
  }
  choose_of(x, check_choice(of, c("records", "keys"), "of"))
}

# A value carried along with a key must not depend on which record is looked at.
check_constant <- function(x, carry) {
  if (length(carry) == 0) {
    return(invisible())
  }
  if (in_database(x)) refuse_in_database(paste(arg_name("carry"), "with a row per key"))
  keys <- codes_of(x, about(x)$names$key)
  first <- match(keys, keys)
  plain <- plain_tibble(x)
  for (name in carry) {
    of_first <- vctrs::vec_slice(plain[[name]], first)
    differs <- which(!vctrs::vec_equal(plain[[name]], of_first, na_equal = TRUE))
    if (length(differs) > 0) {
      at <- differs[1]
      refuse_carried(name, plain[at, about(x)$names$key], plain[[name]][c(first[at], at)])
    }
  }
}

refuse_carried <- function(name, key, values) {
  key <- paste(vapply(as.list(key), format, character(1)), collapse = ", ")
  ridge_abort(
    c(paste("{arg_name('carry')}: {.val {name}} differs between records of one key: {key} has",
            "{.val {format(values)}}."),
      i = "Carry it with {arg_set('of', 'records')}."), "column", arg = "carry", value = name)
}

answer_scaffold <- function(x, question) {
  asked <- question$arguments
  words <- describe_scaffold(x, question)
  if (asked$every_period) {
    return(every_period_rows(x, question, words))
  }
  columns <- if (is.null(question$axis)) no_slices(x, asked)
  else if (asked$of == "keys") rows_of_keys(x, question) else rows_of_records(x, question)
  unit <- length_unit(timeline_of(x))$name
  new_records(question, x, columns, words, values = unit, class = "ridge_slices",
              ids = c("row", about(x)$names$key, asked$carry))
}

rows_of_records <- function(x, question) {
  asked <- question$arguments
  names <- c(about(x)$names$key, asked$carry)
  found <- slices_of(x, question$axis, asked$rule, "records", length(names))
  repeated <- function(values) repeat_each(vctrs::vec_slice(values, found$order), found$counts)
  c(list(row = repeated(about(x)$rows)), lapply(columns_of(x, names), repeated),
    list(nth = found$nth), slice_columns(found, question$axis, asked$label))
}

rows_of_keys <- function(x, question) {
  asked <- question$arguments
  names <- c(about(x)$names$key, asked$carry)
  found <- slices_of(x, question$axis, asked$rule, "keys", length(names))
  c(slice_all(values_of_keys(x, names), found$key), list(nth = found$nth),
    slice_columns(found, question$axis, asked$label))
}

# The values of each key, in the order of the keys.
values_of_keys <- function(x, names) {
  codes <- codes_of(x, about(x)$names$key)
  slice_all(columns_of(x, names), match(seq_len(groups_of(x, about(x)$names$key)$size) - 1L, codes))
}

# Plain numbers need no list of places in between.
repeat_each <- function(values, times) {
  plain <- is.numeric(values) && is.null(attributes(values))
  if (plain) repeat_numbers(values, times, threads_for(length(values)))
  else vctrs::vec_rep_each(values, times)
}

no_slices <- function(x, asked) {
  timeline <- timeline_of(x)
  none <- blank_moments(0, timeline)
  c(if (asked$of == "records") list(row = integer()),
    slice_all(columns_of(x, c(about(x)$names$key, asked$carry)), integer()), list(nth = integer()),
    axis_columns(NULL, asked$label), list(start = none, end = none),
    length_columns(double(), timeline))
}

# From the numbers that were filled in to columns of dates or instants. By day a slice
# is its period.
slice_columns <- function(found, axis, label) {
  timeline <- axis$timeline
  if (isTRUE(found$daily)) {
    day <- structure(found$period, class = "Date")
    columns <- list(period = day, period_end = day, start = day, end = day,
                    days = repeat_numbers(1L, length(day), 1L))
  } else {
    columns <- c(lapply(found[c("period", "period_end", "start", "end")], as_moments, timeline),
                 found[length_unit(timeline)$name])
  }
  with_period_days(columns, axis, label)
}

# On instants periods of a day and longer are dates, and labels are looked up.
with_period_days <- function(columns, axis, label) {
  civil <- !on_days(axis$timeline) && !is_hourly(axis)
  if (!civil && is.null(label)) {
    return(columns)
  }
  place <- place_of_first(columns$period, axis)
  known <- slice_all(axis_columns(axis, label), place)
  columns[c("period", "period_end")] <- known[c("period", "period_end")]
  if (is.null(label)) columns else append(columns, known["label"], after = 2L)
}

# Each key, or record, in each period: is it there?
every_period_rows <- function(x, question, words) {
  asked <- question$arguments
  axis <- question$axis
  lines <- scaffold_lines(x, asked)
  size <- if (is.null(axis)) 0L else axis_size(axis)
  check_fits(as.double(lines$size) * size, 8 * (length(lines$values) + 2) + 4, "This scaffold",
             coarser_by(" or fewer keys"))
  present <- rep(FALSE, lines$size * size)
  if (size > 0) {
    found <- slices_of(x, axis, asked$rule, asked$of, 0)
    present[present_cells(found, axis, size)] <- TRUE
  }
  new_by_period(question, x, lines, list(present = new_measure(present, FALSE, TRUE)), words,
                title = paste("present", asked$of), class = "ridge_presence",
                open = lines$open)
}

present_cells <- function(found, axis, size) {
  if (!is.null(found$key)) {
    return((found$key - 1) * size + found$place)
  }
  line <- rep(seq_along(found$counts), found$counts)
  place <- place_of_first(found$period, axis)
  (line - 1) * size + place
}

# A line is a key, or a record by key and start, and is open where its end is not known.
scaffold_lines <- function(x, asked) {
  names <- c(about(x)$names$key, asked$carry)
  open <- is_never(record_ticks(x)$stop, timeline_of(x))
  if (asked$of == "keys") {
    groups <- groups_of(x, about(x)$names$key)
    open_keys <- unique(codes_of(x, about(x)$names$key)[open]) + 1L
    return(list(names = names, size = groups$size, values = values_of_keys(x, names),
                open = seq_len(groups$size) %in% open_keys))
  }
  order <- by_key_and_start(x)
  list(names = c("row", names), size = nrow(x), open = open[order],
       values = slice_all(c(list(row = about(x)$rows), columns_of(x, names)), order))
}

by_key_and_start <- function(x) {
  codes <- codes_of(x, about(x)$names$key)
  sort_rows(list(codes, record_ticks(x)$start))
}

describe_scaffold <- function(x, question) {
  asked <- question$arguments
  grain <- grain_name(question$axis)
  one <- if (asked$of == "keys") paste0("key (", and_list(about(x)$names$key), ")") else "record"
  rows <- if (asked$every_period) paste("every", one, "in every", grain)
  else paste("one row per", one, "and", grain)
  sentence_of(paste0("Laid out: ", rows, ", ", rule_words(asked$rule, grain, timeline_of(x))),
              usual_words(x))
}

# Every cell: whether it is there.
#' @export
source_checks.ridge_presence <- function(result, x) {
  made <- about(result)
  asked <- made$question$arguments
  if (is.null(made$axis)) {
    return(list())
  }
  plain <- plain_records(x)
  line <- scaffold_line(plain, x, asked$of)
  lines <- if (asked$of == "keys") length(unique(line)) else nrow(plain)
  if (asked$of == "records") line <- match(line, by_key_and_start(x))
  slices <- plain_scaffold(plain, line, made$axis, asked$rule)
  expected <- matrix(FALSE, axis_size(made$axis), lines)
  expected[cbind(slices$place, slices$line)] <- TRUE
  cells <- cell_matrix(result, "present")
  c(if (is_whole(result)) {
    list(tie(paste("rows =", asked$of, "x periods"), length(expected), nrow(result)))
  }, cell_checks("presence", expected + 0, cells, TRUE))
}

scaffold_line <- function(plain, x, of) {
  if (of == "keys") plain_lines(x, about(x)$names$key) else seq_len(nrow(plain))
}

# Every slice.
#' @export
source_checks.ridge_slices <- function(result, x) {
  made <- about(result)
  asked <- made$question$arguments
  if (is.null(made$axis)) {
    return(list())
  }
  axis <- made$axis
  line <- scaffold_found_line(result, x, asked$of)
  if (is.null(line) || !all(c("period", "start", "end") %in% names(result))) {
    return(not_proven("slices", "the columns that name its rows are gone"))
  }
  unit <- length_unit(timeline_of(x))
  plain <- plain_records(x)
  of_line <- scaffold_line(plain, x, asked$of)
  slices <- plain_scaffold(plain, of_line, axis, asked$rule)
  expected <- data.frame(slices[c("line", "place", "start", "stop")],
                         length = slices$covered / unit$ticks)
  found <- data.frame(line = line, place = period_places(result$period, axis),
                      start = as.double(result$start),
                      stop = as.double(result$end) + on_days(timeline_of(x)),
                      length = result[[unit$name]])
  c(row_checks("slices", expected, found, is_whole(result), near = "length"),
    nth_check(result, line, first_starts(plain, of_line), axis))
}

scaffold_found_line <- function(result, x, of) {
  if (of == "records") {
    return(if ("row" %in% names(result)) match(result$row, about(x)$rows))
  }
  key <- about(x)$names$key
  if (all(key %in% names(result))) {
    line_of_row(result, plain_partition(plain_tibble(x)[key])$values, key)
  }
}

first_starts <- function(plain, line) {
  order <- order(line, plain$start)
  plain$start[order][!duplicated(line[order])]
}

# Periods are numbered one by one, from 1 where nothing lies before the window.
nth_check <- function(result, line, begins, axis) {
  if (!("nth" %in% names(result)) || !is_whole(result)) {
    return(list())
  }
  from <- which(c(TRUE, line[-1] != line[-length(line)])[seq_along(line)])
  rows <- diff(c(from, length(line) + 1))
  first <- rep(result$nth[from], rows)
  right <- result$nth == first + sequence(rows) - 1 & (first == 1 | begins[line] < axis$first[1])
  list(tie("slices numbered one by one", nrow(result), sum(right)))
}
