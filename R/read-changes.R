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
#' @param ending_states States that end the one before and start none, such as
#'   `"left"`.
#' @param repeats `"merge"` a change to the state that already was, or `"keep"`
#'   it as a span of its own.
#' @param same_day What two changes of a key on one day (or instant) mean:
#'   `"last"`, the later row of the log is right and the others are set aside, or
#'   `"stop"`.
#' @param as_of,tz,date_order,unusable As in [spans()].
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
#'                            ending_states = "left", as_of = "2026-06-30")
#' held
#' active(held, by = "year", group = grade, rule = "last_day")
#' @export
spans_from_changes <- function(data, at, key = NULL, state, ending_states = NULL,
                               repeats = "merge", same_day = "last", as_of = Sys.Date(),
                               tz = NULL, date_order = NULL, unusable = "stop") {
  check_choice(repeats, c("merge", "keep"), "repeats")
  check_choice(same_day, c("last", "stop"), "same_day")
  check_choice(unusable, c("stop", "set_aside"), "unusable")
  columns <- list(start = rlang::enquo(at), end = rlang::quo(NA), key = rlang::enquo(key),
                  weight = rlang::quo(NULL))
  told <- list(data = "records", as_of = as_of, tz = tz, date_order = date_order,
               unusable = unusable)
  log <- declare_records(data, columns, NULL, NULL, told)
  states <- pick_columns(plain_tibble(log), rlang::enquo(state), "state")
  check_states(log, states)
  log <- without_blank_states(log, states, unusable)
  spans <- lay_out_changes(log, states, ending_states, repeats, same_day)
  report_changes(spans, log)
  spans$x
}

check_states <- function(log, states) {
  if (length(states) == 0) {
    ridge_abort("{arg_name('state')} must name at least one column.", "argument", arg = "state")
  }
  for (name in states) check_plain_column(log[[name]], name, "state")
  own <- c("start", "end", "days", "hours", "open", "changes")
  taken <- intersect(own, setdiff(names(log), about(log)$names$start))
  if (length(taken) > 0) {
    ridge_abort(c("The log has a column {.val {taken[1]}}, a name that the result needs.",
                  i = "Rename it."), "column", value = taken[1])
  }
}

without_blank_states <- function(log, states, unusable) {
  blank <- which(Reduce(`|`, lapply(states, function(name) is_blank(log[[name]]))))
  found <- unusable_rows("missing state", blank, states[1], rep("blank", length(blank)),
                         "is blank: every change needs its state")
  if (length(blank) > 0 && unusable == "stop") {
    refuse_unusable(found, list(rows = about(log)$rows))
  }
  put_aside(log, found)
}

# The log in order, each change once, what the spans are and what became of it.
lay_out_changes <- function(log, states, ending_states, repeats, same_day) {
  log <- one_change_a_day(log, same_day)
  keys <- codes_of(log, about(log)$names$key)
  ticks <- record_ticks(log)$start
  at <- sort_rows(list(keys, ticks))
  key <- keys[at]
  state <- code_values(columns_of(log, states))$codes[at]
  ending <- is_ending(log, states, ending_states)[at]
  same_key <- c(FALSE, key[-1] == key[-length(key)])[seq_along(at)]
  same_state <- c(NA, state[-length(state)])[seq_along(at)] == state
  again <- same_key & same_state & (repeats == "merge" | ending)
  begins <- !again & !ending
  piece <- cumsum(!again)
  start <- ticks[at]
  stop <- next_starts(start[!again], key[!again], timeline_of(log))[piece]
  list(x = changes_as_spans(log, states, at[begins], start[begins], stop[begins],
                            tabulate(piece)[piece[begins]]),
       merged = sum(again & !ending), ending = sum(ending),
       same_day = sum(about(log)$unusable$finding == "another that day"))
}

is_ending <- function(log, states, ending_states) {
  if (is.null(ending_states)) {
    return(rep(FALSE, nrow(log)))
  }
  hits <- lapply(states, function(name) {
    as.character(log[[name]]) %in% as.character(ending_states)
  })
  if (nrow(log) > 0 && !any(unlist(hits))) {
    cli::cli_inform(c("!" = "{arg_name('ending_states')}: no change is to {.val {ending_states}}."))
  }
  Reduce(`|`, hits)
}

# The next start of the same key; never after the last one.
next_starts <- function(start, key, timeline) {
  n <- length(start)
  if (n == 0) {
    return(start)
  }
  last <- c(key[-1] != key[-n], TRUE)
  ifelse(last, never(timeline), c(start[-1], never(timeline)))
}

one_change_a_day <- function(log, same_day) {
  ticks <- record_ticks(log)$start
  core <- tibble::new_tibble(c(columns_of(log, about(log)$names$key), list(at = ticks)),
                             nrow = nrow(log))
  later <- rev(seq_len(nrow(log)))
  again <- sort(later[duplicated(core[later, ])])
  last <- rev(later)[length(later) + 1L - match_rows(core[again, ], core[later, ])]
  followed <- sprintf("is followed by another change of the same key, row %s",
                      format_rows(source_rows(log, last)))
  found <- unusable_rows("another that day", again, about(log)$names$start,
                         tick_text(ticks[again], timeline_of(log)), followed)
  if (length(again) > 0 && same_day == "stop") {
    refuse_unusable(found, list(rows = about(log)$rows))
  }
  put_aside(log, found)
}

match_rows <- function(rows, among) {
  if (nrow(rows) == 0) integer() else vctrs::vec_match(rows, among)
}

changes_as_spans <- function(log, states, rows, start, stop, changes) {
  how <- about(log)
  timeline <- how$timeline
  key <- how$names$key
  plain <- as.list(plain_tibble(log)[rows, ])
  open <- is_never(stop, timeline)
  # Lengths of open spans run through the as-of date.
  until <- ifelse(open, how$as_of_stop, stop)
  columns <- c(plain[c(key, states)],
               list(start = as_moments(start, timeline),
                    end = last_of(ifelse(open, NA, stop), timeline)),
               length_columns(pmax(until - start, 0), timeline),
               list(open = open, changes = changes),
               plain[setdiff(names(plain), c(key, states, how$names$start))])
  data <- with_source(tibble::new_tibble(columns, nrow = length(rows)),
                      list(rows = how$rows[rows], left_out = how$left_out))
  x <- declare_named(data, list(start = "start", end = "end", key = key), NULL, NULL, how)
  # Changes are not spans: how many of them there were says nothing here.
  amend_spans(x, aside = how$aside, unusable = how$unusable, orders = how$orders,
              given = NULL)
}

report_changes <- function(spans, log) {
  changes <- nrow(log) + nrow(about(log)$aside)
  cli::cli_inform(c(
    "{count_of(nrow(spans$x), 'span')} from {count_of(changes, 'change')}.",
    "*" = if (spans$merged > 0) "{spans$merged} change{?s} to the state that already was: merged.",
    "*" = if (spans$ending > 0) "{spans$ending} change{?s} ended a state without starting one.",
    "!" = if (spans$same_day > 0) paste("{spans$same_day} change{?s} followed by another of the",
                                        "same key at the same time: set aside, the last",
                                        "row is right.")
  ))
}
