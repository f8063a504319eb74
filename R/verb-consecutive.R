#' Stretches without a break
#'
#' Which days in a row was there something? Joins the records of a line (a key,
#' or what `per` says) that overlap or follow each other without an uncovered day
#' between, and gives each stretch its start, end and length.
#'
#' With a `calendar` only working days between break a stretch: Friday and Monday
#' are consecutive, and so are the days around a holiday. A `tolerance` allows that
#' many missing (working) days; on instants it is in hours.
#'
#' @param x A [spans()] object; single dates are spans with `end = NULL`.
#' @param per The columns whose values each have stretches of their own: by
#'   default the key, or all records together where there is none. `NULL`: all
#'   together.
#' @param same Further columns whose values must stay equal within a stretch, or
#'   `NULL`.
#' @param tolerance How many uncovered days (working days with a calendar, hours
#'   on instants) do not break a stretch: a number of 0 or more.
#' @param calendar `NULL`, or [calendar_rules()] where only working days count.
#' @param longest `TRUE`: only the longest stretch of each line, the first of
#'   equal ones.
#' @param show `"stretches"`, or `"records"`: the records, each with the number of
#'   its stretch.
#' @return A tibble: the columns of `per` and `same`, `start`, `end` (the last
#'   day), `days` from start to end (or `hours`), `working_days` with a calendar,
#'   `records` (integer), `open` (logical: still going on; `end` is then the as-of
#'   date, `NA` with length 0 where it has not begun by then). For records:
#'   `stretch`, the row of the stretch in the table of all stretches (`NA` for an
#'   empty span), `row`, and the records' columns.
#' @section Errors:
#' A wrong argument is an error of class `ridge_error_argument`, a wrong column of
#' class `ridge_error_column`.
#' @examples
#' readings <- spans(demo_records("stake_readings"), read_on, NULL, key = stake)
#' consecutive(readings, longest = TRUE)
#' staff <- spans(demo_records("postings"), first_day, last_day, key = observer,
#'                as_of = "2026-06-30")
#' consecutive(staff, same = station)
#' @export
consecutive <- function(x, per, same = NULL, tolerance = 0, calendar = NULL, longest = FALSE,
                        show = "stretches") {
  UseMethod("consecutive")
}

#' @export
consecutive.default <- function(x, ...) {
  check_spans_class(x, "consecutive")
}

stretch_columns <- c("start", "end", "days", "hours", "working_days", "records", "open", "stretch", "row")

#' @export
consecutive.ridge_spans <- function(x, per, same = NULL, tolerance = 0, calendar = NULL, longest = FALSE,
                                    show = "stretches") {
  check_spans_class(x, "consecutive")
  check_flag(longest, "longest")
  check_choice(show, c("stretches", "records"), "show")
  tolerance <- check_amount(tolerance, "tolerance", whole = is.null(about(x)$tz))
  per <- pick_per(x, rlang::enquo(per))
  same <- setdiff(pick_columns(plain_tibble(x), rlang::enquo(same), "same"), per)
  if (show == "stretches") check_free_names(c(per, same), stretch_columns, "consecutive")
  table <- working_table(x, calendar)
  lines <- line_index(x, c(per, same))
  found <- stretches_of(lines$start, lines$stop, lines$line, if (is.null(about(x)$tz)) tolerance else 3600 * tolerance,
                        table$before, first_of(table$origin, 0L), show == "records", FALSE)
  words <- describe_stretches(x, lines, same, tolerance, calendar, longest)
  order <- stretch_order(lines, found, length(same))
  if (show == "records") {
    return(new_result(tagged_records(x, lines, found, order), "stretch_records", words, source = x))
  }
  columns <- with_working_days(range_columns(found$start, found$stop, about(x)), table)
  columns <- append(columns, list(records = found$records), after = length(columns) - 1L)
  columns <- c(line_values(lines, found$line), columns)
  kept <- if (longest) longest_rows(columns, lines, found, length(per)) else order
  if (!is.null(kept)) columns <- lapply(columns, vctrs::vec_slice, kept)
  new_result(columns, "consecutive", words, line = c(per, same), window = figure_window(x), tz = about(x)$tz,
             source = x, plain = tolerance == 0 && is.null(calendar) && !longest)
}

# By line and start; what had to stay the same does not count. NULL: as found.
stretch_order <- function(lines, found, same) {
  if (same == 0) {
    return(NULL)
  }
  own <- line_of_per(lines, found$line, length(lines$names) - same)
  order(own, found$start, found$line)
}

line_of_per <- function(lines, line, size) {
  if (size == 0) {
    return(integer(length(line)))
  }
  code_values(lines$values[seq_len(size)])$codes[line + 1L]
}

longest_rows <- function(columns, lines, found, per) {
  length <- columns[[intersect(c("working_days", "days", "hours"), names(columns))[1]]]
  own <- line_of_per(lines, found$line, per)
  best <- order(own, -length, found$start, found$line)
  best[!duplicated(own[best])]
}

tagged_records <- function(x, lines, found, order) {
  number <- if (is.null(order)) found$tag else order(order)[ifelse(found$tag == 0L, NA, found$tag)]
  number[found$tag == 0L] <- NA
  columns <- as.list(plain_tibble(x)[lines$order, ])
  check_free_names(names(columns), c("stretch", "row"), "consecutive")
  columns <- c(list(stretch = number, row = about(x)$rows[lines$order]), columns)
  if (is.null(order)) columns else lapply(columns, vctrs::vec_slice, order(number, lines$start))
}

describe_stretches <- function(x, lines, same, tolerance, calendar, longest) {
  on_days <- is.null(about(x)$tz)
  unit <- if (!is.null(calendar)) "working day" else if (on_days) "day" else "hour"
  allowed <- if (!on_days && tolerance == 0) "no time uncovered between"
  else if (tolerance == 0) paste("no uncovered", unit, "between")
  else paste("at most", count_of(tolerance, paste("uncovered", unit)), "between")
  what <- paste(if (longest) "Longest stretch" else "Stretches", per_words(lines))
  paste0(paste(c(what, if (length(same)) paste("same", and_list(same)), allowed, calendar_words(calendar),
                 open_length_words(x), usual_lengths(x)), collapse = "; "), ".")
}

open_length_words <- function(x) {
  open <- span_facts(x)$open
  if (open > 0) count_open(open, "running through the as-of date") else "no open spans"
}

usual_lengths <- function(x) {
  paste(c(last_day_words(x), empty_words(span_facts(x)$empty), as_of_words(x), aside_words(x)), collapse = "; ")
}

# The first and last day that a figure of ranges shows.
figure_window <- function(x) {
  facts <- span_facts(x)
  if (is.null(facts$first)) NULL else list(from = facts$first, to = facts$last)
}
