#' A log of changes as spans
#'
#' A log says from when on something is so: a grade, a rate, a status. Each state
#' lasts until the next change of the same key: on days through the day before
#' it, on instants up to it. The last one is open.
#'
#' @param data A data frame, one row per change, in any order.
#' @param at The column of the days or instants of the changes.
#' @param key The column or columns that say whose change it is, or `NULL`.
#' @param state The column or columns that say what is so from then on.
#' @param closing_states States that end the one before and start none, such as
#'   `"left"`.
#' @param repeats `"merge"` a change to the state that already was, or `"keep"`
#'   it as a span of its own.
#' @param same_day What two changes of a key on one day (or instant) mean:
#'   `"last"`, the later row of the log is right and the others are set aside, or
#'   `"stop"`.
#' @param as_of,tz,problems As in [spans()].
#' @return A [spans()] object: the key, the state, `start`, `end` (the last day,
#'   `NA` while it lasts), `days` (or `hours`) so far, `open`, `changes` (how
#'   many rows of the log it stands for), then the other columns of the row that
#'   began it. `row` in any result is that row. What was merged, closed or set
#'   aside is reported.
#' @section Errors:
#' As in [spans()]; a missing state is a problem of its row.
#' @examples
#' grades <- demo_records("grade_changes")
#' held <- spans_from_changes(grades, reached_on, key = observer, state = grade,
#'                            closing_states = "left", as_of = "2026-06-30")
#' held
#' active(held, by = "year", group = grade, count = "last_day")
#' @export
spans_from_changes <- function(data, at, key = NULL, state, closing_states = NULL, repeats = "merge",
                               same_day = "last", as_of = Sys.Date(), tz = NULL, problems = "stop") {
  check_choice(repeats, c("merge", "keep"), "repeats")
  check_choice(same_day, c("last", "stop"), "same_day")
  check_choice(problems, c("stop", "set_aside"), "problems")
  columns <- list(start = rlang::enquo(at), end = rlang::quo(NA), key = rlang::enquo(key), weight = rlang::quo(NULL))
  log <- declare_records(data, columns, NULL, NULL, as_of, tz, problems)
  states <- pick_columns(plain_tibble(log), rlang::enquo(state), "state")
  check_states(log, states)
  log <- without_blank_states(log, states, problems)
  spans <- lay_out_changes(log, states, closing_states, repeats, same_day)
  report_changes(spans, log)
  spans$x
}

check_states <- function(log, states) {
  if (length(states) == 0) {
    ridge_abort("{.arg state} must name at least one column.", "argument")
  }
  for (name in states) check_plain_column(log[[name]], name, "state")
  own <- c("start", "end", "days", "hours", "open", "changes")
  taken <- intersect(own, setdiff(names(log), about(log)$names$start))
  if (length(taken) > 0) {
    ridge_abort(c("The log has a column {.val {taken[1]}}, a name that the result needs.", i = "Rename it."), "column")
  }
}

without_blank_states <- function(log, states, problems) {
  blank <- which(Reduce(`|`, lapply(states, function(name) is_blank(log[[name]]))))
  found <- problem_rows("missing state", blank, states[1], rep("blank", length(blank)), "is blank: every change needs its state")
  if (length(blank) > 0 && problems == "stop") {
    refuse_problems(found, list(rows = about(log)$rows))
  }
  put_aside(log, found)
}

# Records of a spans object moved to those set aside, with the reasons.
put_aside <- function(x, found) {
  if (nrow(found) == 0) {
    return(x)
  }
  source <- list(rows = about(x)$rows)
  aside <- reasons_with_rows(plain_tibble(x), found, source)
  before <- about(x)$set_aside
  amend_spans(x[-unique(found$row), ], dropped = about(x)$dropped, set_aside = if (nrow(before) > 0) vctrs::vec_rbind(before, aside) else aside,
              problems = rbind(about(x)$problems, problems_in_source(found, source)))
}

# The log in order, each change once, what the spans are and what became of it.
lay_out_changes <- function(log, states, closing_states, repeats, same_day) {
  log <- one_change_a_day(log, same_day)
  index <- span_index(log)
  at <- first_of(index$order, order(index$start))
  key <- first_of(index$key, rep(0L, length(at)))
  start <- index$start[if (is.null(index$order)) at else seq_along(at)]
  state <- code_values(as.list(plain_tibble(log))[states])$codes[at]
  closing <- is_closing(log, states, closing_states)[at]
  same_key <- c(FALSE, key[-1] == key[-length(key)])[seq_along(at)]
  again <- same_key & c(NA, state[-length(state)])[seq_along(at)] == state & (repeats == "merge" | closing)
  begins <- !again & !closing
  piece <- cumsum(!again)
  stop <- next_starts(start[!again], key[!again], is.null(about(log)$tz))[piece]
  list(x = changes_as_spans(log, states, at[begins], start[begins], stop[begins], tabulate(piece)[piece[begins]]),
       merged = sum(again & !closing), closing = sum(closing), same_day = sum(about(log)$problems$finding == "another that day"))
}

is_closing <- function(log, states, closing_states) {
  if (is.null(closing_states)) {
    return(rep(FALSE, nrow(log)))
  }
  hits <- lapply(states, function(name) as.character(log[[name]]) %in% as.character(closing_states))
  if (nrow(log) > 0 && !any(unlist(hits))) {
    cli::cli_inform(c("!" = "{.arg closing_states}: no change is to {.val {closing_states}}."))
  }
  Reduce(`|`, hits)
}

# The next start of the same key; never after the last one.
next_starts <- function(start, key, on_days) {
  never <- if (on_days) .Machine$integer.max else Inf
  n <- length(start)
  if (n == 0) return(start)
  last <- c(key[-1] != key[-n], TRUE)
  ifelse(last, never, c(start[-1], never))
}

one_change_a_day <- function(log, same_day) {
  core <- tibble::new_tibble(c(as.list(log)[about(log)$names$key],
                               list(at = in_own_order(span_index(log)$start, log))), nrow = nrow(log))
  later <- rev(seq_len(nrow(log)))
  again <- sort(later[duplicated(core[later, ])])
  last <- rev(later)[length(later) + 1L - match_rows(core[again, ], core[later, ])]
  found <- problem_rows("another that day", again, about(log)$names$start,
                        tick_text(in_own_order(span_index(log)$start, log)[again], about(log)$tz),
                        sprintf("is followed by another change of the same key, row %s", format_rows(about(log)$rows[last])))
  if (length(again) > 0 && same_day == "stop") {
    refuse_problems(found, list(rows = about(log)$rows))
  }
  put_aside(log, found)
}

match_rows <- function(rows, among) {
  if (nrow(rows) == 0) integer() else vctrs::vec_match(rows, among)
}

changes_as_spans <- function(log, states, rows, start, stop, changes) {
  how <- about(log)
  plain <- plain_tibble(log)[rows, ]
  as_moments <- if (is.null(how$tz)) as_date else function(x) as_instant(x, how$tz)
  open <- is_open_stop(stop, how$tz)
  last <- as_moments(ifelse(open, NA, stop - is.null(how$tz)))
  columns <- c(as.list(plain)[c(how$names$key, states)], list(start = as_moments(start), end = last),
               lengths_so_far(start, stop, how), list(open = open, changes = changes),
               as.list(plain)[setdiff(names(plain), c(how$names$key, states, how$names$start))])
  data <- with_source(tibble::new_tibble(columns, nrow = length(rows)),
                      list(rows = how$rows[rows], left_out = how$left_out))
  x <- declare_named(data, list(start = "start", end = "end", key = how$names$key), NULL, NULL, how)
  # Changes are not spans: how many of them there were says nothing here.
  amend_spans(x, set_aside = how$set_aside, problems = how$problems, orders = how$orders, given = NULL)
}

# Lengths; those of open spans run through the as-of date.
lengths_so_far <- function(start, stop, how) {
  as_of_stop <- if (is.null(how$tz)) how$as_of_day + 1L else how$as_of
  length <- pmax(ifelse(is_open_stop(stop, how$tz), as_of_stop, stop) - start, 0)
  if (is.null(how$tz)) list(days = as.integer(length)) else list(hours = length / 3600)
}

report_changes <- function(spans, log) {
  cli::cli_inform(c(
    "{count_of(nrow(spans$x), 'span')} from {count_of(nrow(log) + nrow(about(log)$set_aside), 'change')}.",
    "*" = if (spans$merged > 0) "{count_of(spans$merged, 'change')} to the state that already was: merged.",
    "*" = if (spans$closing > 0) "{count_of(spans$closing, 'change')} ended a state without starting one.",
    "!" = if (spans$same_day > 0) "{count_of(spans$same_day, 'change')} followed by another of the same key at the same time: set aside, the last row is right."
  ))
}
