#' Who is active, and how a count comes about
#'
#' `roster()` lists the records behind a count: those active on a day (or at an
#' instant), or in a period by one of the first four rules. `explain_count()` goes
#' the way to the number step by step, from all records to what [active()] gives.
#'
#' @param x A [spans()] object; of a table in a database one that was told its `row`.
#' @param on One date (Date or ISO text; on instants also POSIXct, a moment), or
#'   two, the first and last day of a period. By default the as-of date.
#' @param group Columns to sort and show first, or `NULL`.
#' @param rule For a period: `"any_day"` (the default), `"first_day"`,
#'   `"last_day"` or `"every_day"`.
#' @param of `roster()`: a row for each of the `"records"` (the default), or of the `"keys"`,
#'   with its records folded. `explain_count()`: what is counted: `"keys"` (the default where
#'   there is a key), `"records"` or `"weight"`.
#' @param less Those who are away, a [spans()] object with a key: see [active()].
#' @param show `"steps"`, or `"records"`: each record that is not counted, with the
#'   reason.
#' @return `roster()`: a tibble of the group columns, `row` in the source, the
#'   records' columns, `days_so_far` (from the start through that day, or the
#'   period's last) and `days_left` (after it; `NA` for an open span). On instants
#'   `hours_so_far` and `hours_left`.
#'
#'   With `of = "keys"`: the group columns and the key, `records` (how many of its records
#'   touch the day or period), `rows` (which), and of those records the first start, the
#'   last end (missing: one is open) and, on a single day, the sum of the weights. Of other
#'   columns the value, or, where any key has several, text that names each once. Lengths
#'   count each day once.
#'
#'   `explain_count()`: `step` (in words), `number` (what is left after this step;
#'   the last step is the number that [active()] gives), and `by_itself`, how many of
#'   all records meet this step's condition by itself, to be checked against a
#'   filter of the source. For records: `row`, the key, `start`, `end`, `reason`.
#' @section Errors:
#' A wrong argument is an error of class `ridge_error_argument`, a wrong column of
#' class `ridge_error_column`.
#' @examples
#' staff <- spans(demo_records("postings"), first_day, last_day, key = observer,
#'                as_of = "2026-06-30")
#' roster(subset(staff, station == "Whinfell"), on = "2026-03-01")
#' roster(staff, on = "2026-03-01", of = "keys")
#' explain_count(staff, on = "2026-03-01")
#' explain_count(staff, on = c("2026-01-01", "2026-03-31"), show = "records")
#' @export
roster <- function(x, on = NULL, group = NULL, rule = "any_day", of = "records", less = NULL) {
  check_spans_class(x, "roster")
  check_choice(of, c("records", "keys"), "of")
  choose_of(x, of)
  check_less(x, less, NULL, "roster")
  when <- roster_time(x, on, rule, missing(rule))
  own <- c(roster_columns, if (of == "keys") c("records", "rows") else "row")
  check_free_names(names(x), own, "roster")
  group <- pick_groups(x, rlang::enquo(group), own, "roster")
  question <- new_question("roster", list(group = group), when = when)
  if (of == "keys") roster_keys(x, question) else answer_roster(x, question)
}

roster_columns <- c("days_so_far", "days_left", "hours_so_far", "hours_left")

# What is asked about as [first, stop) and a rule, in words, and the tick through which
# lengths so far run.
roster_time <- function(x, on, rule, rule_left_out) {
  timeline <- timeline_of(x)
  on <- on %||% as_date(about(x)$as_of_day)
  if (!(length(on) %in% 1:2)) {
    ridge_abort(
      paste("{arg_name('on')} must be one date, or the first and last day of a period, not",
            "{length(on)} values."),
      "argument", arg = "on", value = on)
  }
  check_rule(rule, choosing = TRUE)
  if (!on_days(timeline) && inherits(on, "POSIXt") && length(on) == 1) {
    return(moment_time(on, timeline))
  }
  days <- as_days(on, "on", zone_of(timeline), base = about(x)$as_of_day,
                  edge = "none")
  single <- length(days) == 1 && on_days(timeline)
  if (single && !rule_left_out) {
    ridge_abort(c("{arg_name('rule')} has no meaning for a single day.",
                  i = "Leave it out, or give the first and last day of a period."), "argument",
                arg = "rule")
  }
  last <- days[length(days)]
  shown <- format(as_date(c(days[1], last)))
  if (last < days[1]) {
    ridge_abort("{arg_name('on')}: {shown[1]} is after {shown[2]}.", "argument", arg = "on",
                value = shown)
  }
  ticks <- first_ticks(c(days[1], last + 1L), timeline)
  words <- if (last == days[1]) paste("on", shown[2])
  else paste(period_rule_words(rule, timeline), shown[1], "to", shown[2])
  list(first = ticks[1], stop = ticks[2], rule = rule, words = words, through = ticks[2],
       single = single)
}

# A moment is the tick that follows it; lengths so far run up to it.
moment_time <- function(on, timeline) {
  if (is.na(on)) check_years(NA, "on")
  at <- as.numeric(on)
  list(first = at, stop = tick_after(at, timeline), rule = "any_day", through = at,
       words = paste("at", tick_text(at, timeline)), single = TRUE)
}

answer_roster <- function(x, question) {
  when <- question$when
  group <- question$arguments$group
  less <- spans_asked(question$arguments, "less")
  here <- records_behind(x, list(kind = "active", when = when, less = less), names(x))
  ticks <- record_ticks(here)
  active <- if (is.null(less)) which(record_conditions(ticks, when, timeline_of(x))$active)
  else records_left(here, less, when)
  plain <- as.list(plain_tibble(here))
  order <- sort_rows(c(slice_all(plain[group], active), list(source_rows(here, active))))
  columns <- c(plain[group], list(row = about(here)$rows), plain[setdiff(names(plain), group)],
               lengths_by(ticks, when, timeline_of(x)))
  words <- sentence_of(paste0("Active ", when$words, ": ", count_of(length(active), "record")),
                       less_words(less), usual_words(x))
  new_records(question, x, slice_all(columns, active[order]), words, values = "row")
}

# Records of which a piece counts where those who are away are taken away.
records_left <- function(x, less, when) {
  left <- minus_of(x, less)
  met <- record_conditions(record_ticks(left), when, timeline_of(x))$active
  sort(unique(match(about(left)$rows[met], about(x)$rows)))
}

lengths_by <- function(ticks, when, timeline) {
  so_far <- pmax(pmin(ticks$stop, when$through) - ticks$start, 0)
  known <- replace(ticks$stop, is_never(ticks$stop, timeline), NA)
  left <- pmax(known - pmax(when$through, ticks$start), 0)
  lengths_named(so_far, left, timeline)
}

# In a database by the dates themselves.
#' @export
records_once_more.ridge_roster <- function(result, x) {
  when <- about(result)$question$when
  plain_records_between(x, names(x), when$first, when$stop - 1L)
}

# Every record that is active, and for how long.
#' @export
source_checks.ridge_roster <- function(result, x) {
  when <- about(result)$question$when
  if (about(result)$question$arguments$of == "keys") {
    return(roster_key_checks(result, x))
  }
  plain <- plain_records(x)
  timeline <- timeline_of(x)
  unit <- length_unit(timeline)
  period <- list(first = when$first, stop = when$stop)
  left <- plain_less(plain, seq_len(nrow(plain)), x,
                     spans_asked(about(result)$question$arguments, "less"))
  active <- plain_scaffold(left$plain, left$line, period, when$rule)$line
  so_far <- pmax(pmin(plain$stop, when$through) - plain$start, 0)
  left <- pmax(plain$stop - pmax(when$through, plain$start), 0)
  expected <- data.frame(row = active, so_far = so_far[active] / unit$ticks,
                         left = ifelse(is.finite(left), left / unit$ticks, NA)[active])
  found <- data.frame(row = match(result$row, about(x)$rows))
  lengths <- paste0(unit$name, c("_so_far", "_left"))
  there <- lengths %in% names(result)
  found[c("so_far", "left")[there]] <- plain_tibble(result)[lengths[there]]
  row_checks(paste("records active", when$words), expected[names(found)], found, is_whole(result),
             near = c("so_far", "left")[there])
}
