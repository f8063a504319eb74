#' Where nothing is
#'
#' `gaps()` gives the uncovered ranges between the records of a line (a key, or
#' what `per` says). `missing_days()` lists each expected day without a record.
#'
#' With a `calendar` a range without a working day is no gap, and lengths are
#' compared in working days. No gap follows an open span. A window cuts gaps to
#' what it shows; with `edges` also the part of it before the first and after the
#' last record of each line is one.
#'
#' @param x A [spans()] object.
#' @param per The columns whose values each have gaps of their own: by default
#'   the key, or all records together where there is none. `NULL`: all together.
#' @param from,to The first and last day of the window, or `NULL`: for `edges`
#'   and `missing_days()` from the first start to the last known end (the as-of
#'   date where a span is open and that is later).
#' @param edges `TRUE`: also what lies before the first and after the last.
#' @param min_days `NULL`, or only gaps at least so many days (working days with a
#'   calendar) long; on instants days of 24 hours.
#' @param calendar `NULL`, or [calendar_rules()] where only working days count.
#' @param expected The days on which a record is expected: Dates or ISO text. By
#'   default every day, or every working day of the calendar.
#' @return `gaps()`: a tibble of the columns of `per`, `start`, `end` (the last
#'   uncovered day), `days` (or `hours`), `working_days` with a calendar,
#'   `row_before` and `row_after`, the rows of the neighbours in the source, `NA`
#'   at an edge. `missing_days()`: the columns of `per`, `day`, `row_before` and
#'   `row_after`.
#' @section Errors:
#' A wrong argument is an error of class `ridge_error_argument`, a wrong column of
#' class `ridge_error_column`, more missing days than fit of class
#' `ridge_error_size`.
#' @examples
#' readings <- spans(demo_records("stake_readings"), read_on, NULL, key = stake)
#' gaps(readings, min_days = 5)
#' missing_days(readings, calendar = calendar_rules(), from = "2026-04-01")
#' @export
gaps <- function(x, per, from = NULL, to = NULL, edges = FALSE, min_days = NULL, calendar = NULL) {
  UseMethod("gaps")
}

#' @export
gaps.default <- function(x, ...) {
  check_spans_class(x, "gaps")
}

#' @export
gaps.ridge_spans <- function(x, per, from = NULL, to = NULL, edges = FALSE, min_days = NULL, calendar = NULL) {
  check_spans_class(x, "gaps")
  check_flag(edges, "edges")
  min_days <- if (is.null(min_days)) 0 else check_amount(min_days, "min_days")
  per <- pick_per(x, rlang::enquo(per))
  check_free_names(per, c("start", "end", "days", "hours", "working_days", "row_before", "row_after"), "gaps")
  window <- gap_window(x, from, to, edges)
  table <- working_table(x, calendar, unlist(window[c("from", "to")]))
  lines <- line_index(x, per)
  found <- find_gap_ranges(x, lines, window, edges, if (is.null(from) && is.null(to)) min_days else 0, table)
  columns <- with_working_days(gap_columns(found, about(x)), table)
  least <- first_of(columns$working_days, first_of(columns$days, columns$hours / 24))
  columns <- c(line_values(lines, found$line), columns, list(
    row_before = neighbour_rows(x, lines, found$before), row_after = neighbour_rows(x, lines, found$after)
  ))
  kept <- which(least >= max(min_days, if (is.null(about(x)$tz)) 1 else 0))
  if (length(kept) < length(least)) columns <- lapply(columns, vctrs::vec_slice, kept)
  new_result(columns, "gaps", describe_gaps(x, lines, window, edges, min_days, calendar), line = per,
             window = first_of(window, figure_window(x)), tz = about(x)$tz,
             source = x, plain = is.null(window) && min_days == 0 && is.null(calendar))
}

# As ticks and days; NULL where nothing limits what is shown.
gap_window <- function(x, from, to, edges) {
  if (is.null(from) && is.null(to) && !edges) {
    return(NULL)
  }
  how <- about(x)
  window <- resolve_window(from, to, NULL, calendar_rules(), span_facts(x), how$tz)
  if (is.null(window)) {
    return(NULL)
  }
  ticks <- c(window$from, window$to + 1L)
  if (!is.null(how$tz)) ticks <- day_starts(ticks, how$tz)
  c(window, list(first = ticks[1], stop = ticks[2]))
}

find_gap_ranges <- function(x, lines, window, edges, min_days, table) {
  least <- if (is.null(about(x)$tz)) min_days else 86400 * min_days
  found <- gaps_of(lines$start, lines$stop, lines$line, least, table$before, first_of(table$origin, 0L))
  if (is.null(window)) {
    return(found)
  }
  if (edges) found <- with_edges(found, x, lines, window)
  found$start <- pmax(found$start, window$first)
  found$stop <- pmin(found$stop, window$stop)
  kept <- which(found$start < found$stop)
  lapply(found, `[`, kept)
}

# What lies before the first and after the last record of each line, and the
# whole window where a line covers nothing.
with_edges <- function(found, x, lines, window) {
  whole <- stretches_of(lines$start, lines$stop, lines$line, 1e11, NULL, 0L, FALSE, TRUE)
  covered <- unique(first_of(lines$line, integer(length(lines$start))))
  nothing <- setdiff(covered, whole$line)
  n <- length(whole$line)
  none <- rep(NA_integer_, n)
  edges <- list(
    start = c(found$start, rep(window$first, n), whole$stop, rep(window$first, length(nothing))),
    stop = c(found$stop, whole$start, rep(window$stop, n), rep(window$stop, length(nothing))),
    line = c(found$line, whole$line, whole$line, nothing),
    before = c(found$before, none, whole$furthest, rep(NA_integer_, length(nothing))),
    after = c(found$after, whole$first, none, rep(NA_integer_, length(nothing)))
  )
  order <- order(edges$line, edges$start)
  lapply(edges, `[`, order)
}

gap_columns <- function(found, how) {
  range_columns(found$start, found$stop, how)[1:3]
}

neighbour_rows <- function(x, lines, places) {
  about(x)$rows[lines$order[places]]
}

describe_gaps <- function(x, lines, window, edges, min_days, calendar) {
  shown <- if (!is.null(window)) {
    paste0("from ", format(as_date(window$from)), " to ", format(as_date(window$to)), if (edges) ", edges too")
  }
  least <- if (min_days > 1) paste("at least", format(min_days), if (is.null(calendar)) "days" else "working days")
  paste0(paste(c(paste("Gaps", per_words(lines)), shown, least, calendar_words(calendar), no_gap_words(x), usual_lengths(x)),
               collapse = "; "), ".")
}

no_gap_words <- function(x) {
  open <- span_facts(x)$open
  if (open > 0) count_open(open, if (open == 1) "has no gap after it" else "have no gap after them") else "no open spans"
}

#' @rdname gaps
#' @export
missing_days <- function(x, per, calendar = NULL, expected = NULL, from = NULL, to = NULL) {
  UseMethod("missing_days")
}

#' @export
missing_days.default <- function(x, ...) {
  check_spans_class(x, "missing_days")
}

#' @export
missing_days.ridge_spans <- function(x, per, calendar = NULL, expected = NULL, from = NULL, to = NULL) {
  check_spans_class(x, "missing_days")
  per <- pick_per(x, rlang::enquo(per))
  check_free_names(per, c("day", "row_before", "row_after"), "missing_days")
  check_expected(x, calendar, expected)
  window <- gap_window(x, from, to, edges = TRUE)
  lines <- line_index(x, per)
  days <- expected_days(window, calendar, expected)
  found <- if (is.null(window)) gaps_of(lines$start, lines$stop, lines$line, 1, NULL, 0L)
  else find_gap_ranges(x, lines, window, TRUE, 0, NULL)
  first <- findInterval(found$start - 1L, days)
  count <- findInterval(found$stop - 1L, days) - first
  check_fits(sum(as.double(count)), 8 * (length(per) + 3), "This list", "Choose a narrower window, or {.fn gaps}.")
  gap <- rep(seq_along(count), count)
  columns <- c(line_values(lines, found$line[gap]), list(
    day = as_date(days[sequence(count, first + 1L)]),
    row_before = neighbour_rows(x, lines, found$before[gap]), row_after = neighbour_rows(x, lines, found$after[gap])
  ))
  new_result(columns, "missing_days", describe_missing(x, lines, window, calendar, expected), line = per, source = x)
}

check_expected <- function(x, calendar, expected) {
  if (!is.null(about(x)$tz)) {
    ridge_abort(c("{.fn missing_days} needs spans on days; these are on instants.",
                  i = "Turn the columns into dates with {.fn as.Date}, or ask for {.fn gaps}."), "argument")
  }
  if (!is.null(calendar)) check_calendar(calendar)
  if (!is.null(calendar) && !is.null(expected)) {
    ridge_abort(c("{.arg calendar} and {.arg expected} cannot go together: both say which days are expected.",
                  i = "Leave one of them out."), "argument")
  }
}

expected_days <- function(window, calendar, expected) {
  if (is.null(window)) {
    return(integer())
  }
  days <- if (is.null(expected)) window$from:window$to else sort(unique(as_days(expected, "expected", call_for = "dates")))
  if (is.null(calendar)) days else days[is_working_day(days, calendar)]
}

describe_missing <- function(x, lines, window, calendar, expected) {
  which <- if (!is.null(expected)) "your expected days" else if (is.null(calendar)) "every day" else calendar_words(calendar)
  shown <- if (!is.null(window)) paste("from", format(as_date(window$from)), "to", format(as_date(window$to)))
  paste0(paste(c(paste("Days without a record", per_words(lines)), paste("expected:", which), shown, no_gap_words(x), usual_lengths(x)), collapse = "; "), ".")
}
