#' Where nothing is
#'
#' `gaps()` gives the uncovered ranges between the records of a partition (a key, or
#' what `per` says). `missing_days()` lists each expected day without a record.
#'
#' With a `calendar` a range without a working day is no gap, and lengths are
#' compared in working days. No gap follows an open span. A window cuts gaps to
#' what it shows; with `edges` also the part of it before the first and after the
#' last record of each partition is one.
#'
#' @param x A [spans()] object; of a table in a database one that was told its `row`.
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
#' @param group `NULL`, or columns to total by: not the single ranges, but for each group how
#'   many its keys (or what `per` says) have within it, and how long they are.
#' @param carry Columns of the records on both sides to carry along, as `_before` and `_after`.
#' @return `gaps()`: a tibble of the columns of `per`, `start`, `end` (the last
#'   uncovered day), `days` (or `hours`), `working_days` with a calendar,
#'   `row_before` and `row_after`, the rows of the neighbours in the source, `NA`
#'   at an edge. `missing_days()`: the columns of `per`, `day`, `row_before` and
#'   `row_after`. With `group`: the group columns and `gaps`, `days` (`hours`,
#'   `working_days`) in all and `longest`; of `missing_days()` `missing` and `expected`.
#' @section Errors:
#' A wrong argument is an error of class `ridge_error_argument`, a wrong column of
#' class `ridge_error_column`, more missing days than fit of class
#' `ridge_error_size`.
#' @examples
#' readings <- spans(demo_records("stake_readings"), read_on, NULL, key = stake)
#' gaps(readings, min_days = 5)
#' staff <- spans(demo_records("postings"), first_day, last_day, key = observer)
#' gaps(staff, group = role)
#' missing_days(readings, calendar = calendar_rules(), from = "2026-04-01")
#' @export
gaps <- function(x, per, from = NULL, to = NULL, edges = FALSE, min_days = NULL,
                 calendar = NULL, carry = NULL, group = NULL) {
  check_spans_class(x, "gaps")
  check_flag(edges, "edges")
  if (!is.null(min_days)) check_amount(min_days, "min_days")
  told_per <- !missing(per)
  group <- pick_groups(x, rlang::enquo(group), c("gaps", "longest", gap_columns), "gaps")
  own <- pick_per(x, rlang::enquo(per))
  per <- union(group, own)
  check_free_names(per, gap_columns, "gaps")
  carry <- pick_columns(plain_tibble(x), rlang::enquo(carry), "carry")
  check_free_names(paste0(rep(carry, each = 2), c("_before", "_after"))[seq_len(2 * length(carry))],
                   c(per, gap_columns), "gaps", "carry")
  check_range_totals(group, carry = if (length(carry)) carry)
  window <- ask_window(x, from, to, needed = edges)
  columns <- list(per = if (told_per) own, carry = carry, group = group)
  answer_gaps(x, new_question("gaps", columns, per = per, window = window))
}

gap_columns <- c("start", "end", "days", "hours", "working_days", "row_before", "row_after")

answer_gaps <- function(x, question) {
  asked <- question$arguments
  window <- question$window
  least <- asked$min_days %||% 0
  table <- working_table(x, asked$calendar, unlist(window[c("from", "to")]))
  # Cut by a window a gap may be shorter than it is.
  uncut <- is.null(asked$from) && is.null(asked$to)
  known <- if (uncut) least else 0
  here <- records_beside_gaps(x, question, if (is.null(table)) known else 0, asked$carry)
  found <- gap_ranges(here, question, known, table)
  columns <- with_working_days(range_columns(found$start, found$stop, x)[1:3], table)
  length <- columns$working_days %||% ((found$stop - found$start) / ticks_in_day(timeline_of(x)))
  columns <- c(line_values(found), columns, list(row_before = source_rows(here, found$before),
                                                 row_after = source_rows(here, found$after)),
               carried_beside(here, here, asked$carry, found$before, found$after,
                              c("_before", "_after")))
  kept <- which(length >= max(least, if (on_days(timeline_of(x))) 1 else 0))
  if (length(kept) < length(length)) columns <- slice_all(columns, kept)
  words <- describe_gaps(x, question)
  if (length(asked$group)) range_totals(question, x, columns, words, "gaps")
  else new_ranges(question, x, columns, words, names = question$per)
}

# The records that a gap, or an edge, is between.
records_beside_gaps <- function(x, question, least, carry = NULL,
                                edges = question$arguments$edges) {
  if (in_database(x) && length(question$arguments$group)) {
    refuse_in_database("What gaps come to by group")
  }
  which <- list(kind = "beside_gaps", per = question$per, window = question$window, least = least,
                edges = edges)
  records_behind(x, which, c(question$per, carry))
}

# The uncovered ranges within the window, with those at its edges where they are asked
# for.
gap_ranges <- function(x, question, least, table, edges = question$arguments$edges) {
  found <- stretches_of(x, question$per, least * ticks_in_day(timeline_of(x)), table,
                        between = TRUE)
  ranges <- found[c("start", "stop", "line", "before", "after")]
  # Of a stretch in a database not all records are here: what is between those is no gap.
  behind <- about(x)$after_gap
  if (!is.null(behind)) ranges <- lapply(ranges, `[`, behind[ranges$after])
  if (edges && !is.null(question$window)) {
    ranges <- with_edges(ranges, x, question, found$covered)
  }
  c(cut_to_window(ranges, question$window), list(lines = found$lines))
}

# What lies before the first and after the last record of each partition, and the
# whole window where one covers nothing.
with_edges <- function(found, x, question, covered) {
  window <- question$window
  whole <- stretches_of(x, question$per, 1e11, places = TRUE)
  nothing <- setdiff(covered, whole$line)
  n <- length(whole$line)
  none <- rep(NA_integer_, n)
  no_record <- rep(NA_integer_, length(nothing))
  edges <- list(
    start = c(found$start, rep(window$first, n), whole$stop, rep(window$first, length(nothing))),
    stop = c(found$stop, whole$start, rep(window$stop, n), rep(window$stop, length(nothing))),
    line = c(found$line, whole$line, whole$line, nothing),
    before = c(found$before, none, whole$furthest, no_record),
    after = c(found$after, whole$first, none, no_record)
  )
  order <- order(edges$line, edges$start)
  lapply(edges, `[`, order)
}

describe_gaps <- function(x, question) {
  asked <- question$arguments
  unit <- if (is.null(asked$calendar)) "days" else "working days"
  shown <- shown_words(question$window)
  sentence_of(
    paste("Gaps", per_words(question$per)),
    if (!is.null(shown)) paste0(shown, if (asked$edges) ", edges too"),
    if ((asked$min_days %||% 0) > 1) paste("at least", format(asked$min_days), unit),
    calendar_words(asked$calendar), no_gap_words(x), usual_lengths(x))
}

no_gap_words <- function(x) {
  open <- facts_of(x)$open
  if (open == 0) "no open spans"
  else count_open(open, if (open == 1) "has no gap after it" else "have no gap after them")
}

#' @export
records_once_more.ridge_gaps <- function(result, x) {
  asked <- about(result)$question$arguments
  records_at_edges(result, x, asked$edges, asked$carry)
}

# Of each stretch the records that begin it, taken as long as all of it, and those that end it.
records_at_edges <- function(result, x, edges, carry = NULL) {
  per <- about(result)$question$per
  if (!can_be_paired(x, per)) return(NULL)
  here <- records_behind(x, list(kind = "at_edges", per = per, edges = edges), c(per, carry))
  ticks <- record_ticks(here)
  line <- plain_lines(here, per)
  begins <- which(about(here)$after_gap)
  ends <- which(about(here)$before_gap)
  # The first begin belongs to the first end.
  place <- function(at, of) {
    match(paste(line[at], of[at]), unique(paste(line[at], of[at])[order(line[at], of[at])]))
  }
  stop <- ticks$stop
  of_end <- ends[order(place(ends, ticks$stop))]
  of_end <- of_end[!duplicated(place(of_end, ticks$stop))]
  stop[begins] <- ticks$stop[of_end][place(begins, ticks$start)]
  whole <- pieces_of(here, seq_len(nrow(here)), ticks$start, stop)
  cached(whole, "facts", facts_of(here))
  whole
}

# Every gap, and where its neighbours stop and start.
#' @export
source_checks.ridge_gaps <- function(result, x) {
  made <- about(result)
  question <- made$question
  asked <- question$arguments
  plain <- plain_records(x)
  partition <- plain_partition(plain_tibble(x)[question$per])
  window <- question$window
  worked <- worked_days(x, asked$calendar, unlist(window[c("first", "stop")]))
  between <- plain_between(plain, partition$of, partition$size, window,
                           asked$edges && !is.null(window))
  expected <- cbind(plain_rows(between, x, worked, open = FALSE), between[c("before", "after")])
  length <- expected$working_days %||%
    ((between$stop - between$start) / ticks_in_day(timeline_of(x)))
  least <- max(asked$min_days %||% 0, if (on_days(timeline_of(x))) 1 else 0)
  kept <- length >= least
  if (length(asked$group)) {
    of <- plain_lines(partition$values, asked$group)[expected$line[kept]]
    return(range_total_checks("gaps", result, x, of,
                              (expected$working_days %||% expected$length)[kept]))
  }
  expected <- vctrs::vec_slice(expected, kept)
  c(range_checks("gaps", result, partition$values, question$per, expected,
                 neighbours(result, plain, about(x)$rows)),
    beside_checks(result, x, x, asked$carry, c("row_before", "row_after"),
                  c("_before", "_after")))
}

# Where the record before stops and the one behind starts.
neighbours <- function(result, plain, rows) {
  if (all(c("row_before", "row_after") %in% names(result))) {
    data.frame(before = plain$stop[match(result$row_before, rows)],
               after = plain$start[match(result$row_after, rows)])
  }
}
