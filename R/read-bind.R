#' Two or more lists as one
#'
#' Exports often come as several lists, those still here and those who have left,
#' with column names of their own. Declare each with [spans()], then bind them:
#' the columns of starts, ends, keys and weights become one each, under the names
#' of the first list.
#'
#' A record that is in two lists (the same key, start and end) counts once: the
#' one of the later list is set aside with the reason. A key that is open in one
#' list and, over the same time, ended in another is reported, and is an error in
#' [check_spans()]; both records stay, as only the owner of the lists can tell
#' which is right.
#'
#' @param ... [spans()] objects, named: `here = ..., left = ...`. All on days or
#'   all on instants, with the same conventions and as many key columns.
#' @return A spans object with the columns `source` (the name of the list) and
#'   `source_row` (integer) first. Columns that a list lacks are `NA` there.
#' @section Errors:
#' Lists whose conventions differ are errors of class `ridge_error_argument`,
#' columns whose types or names do not go together of class
#' `ridge_error_column`.
#' @examples
#' here <- spans(demo_records("observers_here"), since, NA, key = observer,
#'               as_of = "2026-06-30")
#' left <- spans(demo_records("observers_left"), joined, last_day, key = person,
#'               as_of = "2026-06-30")
#' both <- bind_spans(here = here, left = left)
#' both
#' check_spans(both)
#' @export
bind_spans <- function(...) {
  lists <- rlang::dots_list(..., .named = TRUE)
  check_lists(lists)
  for (list in lists) refuse_elsewhere(list, "A list of several lists")
  names <- bound_names(lists)
  tables <- Map(bound_table, lists, names(lists), list(names))
  data <- bind_tables(unname(tables))
  how <- about(lists[[1]])
  x <- declare_named(data, names, if (on_days(how$timeline)) how$end_counts, shared_open(lists),
                     how)
  summed <- function(field) sum(vapply(lists, function(l) as.double(about(l)[[field]]), 0))
  x <- amend_spans(x, given = summed("given"), dropped = summed("dropped"),
                   left_out = summed("left_out"), lists = lapply(lists, `[`, 0L, ),
                   orders = unlist(lapply(unname(lists), function(l) about(l)$orders)))
  x <- without_repeats(x, lists)
  report_lists(x)
  x
}

check_lists <- function(lists) {
  if (length(lists) == 0) {
    ridge_abort("{.fn bind_spans} needs at least one list of records.", "argument")
  }
  for (x in lists) check_spans_class(x, "bind_spans")
  if (anyDuplicated(names(lists))) {
    twice <- names(lists)[anyDuplicated(names(lists))]
    ridge_abort("Two lists have the name {.val {twice}}: give each its own.", "argument")
  }
  said <- list(
    "days or instants" = function(how) how$timeline$on,
    "time zone" = function(how) zone_of(how$timeline),
    "reading of the last day" = function(how) how$end_counts,
    "as-of date" = function(how) format(as_date(how$as_of_day)),
    "number of key columns" = function(how) length(how$names$key),
    "weight column" = function(how) if (is.null(how$names$weight)) "none" else "one"
  )
  for (what in names(said)) {
    values <- vapply(lists, function(x) as.character(said[[what]](about(x))), "")
    if (length(unique(values)) > 1) refuse_lists(what, values)
  }
}

refuse_lists <- function(what, values) {
  other <- which(values != values[1])[1]
  names <- names(values)[c(1, other)]
  values <- unname(values)[c(1, other)]
  ridge_abort(
    c(paste("The lists differ in their {what}: {.val {values[1]}} in {.val {names[1]}},",
            "{.val {values[2]}} in {.val {names[2]}}."),
      i = "Declare both alike with {.fn spans}."), "argument", value = values)
}

# Core columns get the names of the first list, an end that of the first with one.
bound_names <- function(lists) {
  names <- about(lists[[1]])$names
  ends <- Filter(function(x) has_end_column(about(x)$names), lists)
  if (is.null(names$end) && length(ends) == 0) {
    return(names)
  }
  names$end <- if (length(ends) > 0) about(ends[[1]])$names$end else "end"
  names
}

bound_table <- function(x, source, names) {
  own <- about(x)$names
  table <- plain_tibble(x)
  if (!is.null(names$end) && !has_end_column(own)) {
    own$end <- fresh_name("end", table)
    table[[own$end]] <- if (is.null(about(x)$names$end)) table[[own$start]]
    else blank_moments(nrow(x), timeline_of(x))
  }
  from <- c(own$start, own$end, own$key, own$weight)
  to <- c(names$start, names$end, names$key, names$weight)
  taken <- intersect(setdiff(names(table), from), c(to, bound_columns))
  if (length(taken) > 0) {
    ridge_abort(
      c(paste("The list {.val {source}} has a column {.val {taken[1]}} that means something else",
              "than in the result."),
        i = "Rename it before {.fn spans}."), "column", value = taken[1])
  }
  names(table)[match(from, names(table))] <- to
  rest <- table[setdiff(names(table), to)]
  tibble::new_tibble(c(list(source = rep(source, nrow(x)), source_row = about(x)$rows),
                       as.list(table[to]), as.list(rest)), nrow = nrow(x))
}

shared_open <- function(lists) {
  open <- unique(unlist(lapply(lists, function(x) about(x)$means_open)))
  if (length(open) > 0) as_date(open)
}

# The record of a later list that an earlier one has too is set aside.
without_repeats <- function(x, lists) {
  core <- c(columns_of(x, c(about(x)$names$key, about(x)$names$start)),
            list(stop = record_ticks(x)$stop))
  core <- tibble::new_tibble(core, nrow = nrow(x))
  first <- if (nrow(x) > 0) vctrs::vec_duplicate_id(core) else integer()
  again <- which(x$source != x$source[first])
  reason <- sprintf("is in \"%s\" too, row %s", x$source[first[again]],
                    format_rows(x$source_row[first[again]]))
  repeated <- tibble::new_tibble(c(list(row = x$source_row[again], reason = reason),
                                   as.list(x[again, setdiff(names(x), "source_row")])),
                                 nrow = length(again))
  twice <- unusable_rows("in two lists", x$source_row[again], NA_character_,
                         rep("blank", length(again)), reason)
  kept <- setdiff(seq_len(nrow(x)), again)
  amend_spans(x[kept, ], dropped = about(x)$dropped,
              aside = stacked_aside(c(lists_aside(lists), list(repeated))),
              unusable = do.call(rbind, c(lists_unusable(lists), list(twice))))
}

# What each list has set aside, told with its name.
lists_aside <- function(lists) {
  lapply(names(lists), function(name) {
    table <- about(lists[[name]])$aside
    tibble::add_column(table, source = rep(name, nrow(table)), .after = "reason",
                       .name_repair = "minimal")
  })
}

lists_unusable <- function(lists) {
  lapply(names(lists), function(name) {
    found <- about(lists[[name]])$unusable
    found$reason <- sprintf("%s [%s]", found$reason, rep(name, nrow(found)))
    found
  })
}

# Columns as they came differ in type from list to list: then all are text.
stacked_aside <- function(tables) {
  filled <- Filter(nrow, tables)
  if (length(filled) < 2) {
    return(if (length(filled) == 1) filled[[1]] else tables[[length(tables)]])
  }
  vctrs::vec_rbind(!!!lapply(filled, function(table) {
    table[-1] <- lapply(table[-1], as.character)
    table
  }))
}

report_lists <- function(x) {
  repeated <- sum(about(x)$unusable$finding == "in two lists")
  unclear <- nrow(open_and_ended(x))
  lists <- length(unique(x$source))
  cli::cli_inform(c(
    "{count_of(nrow(x), 'record')} of {lists} list{?s}.",
    "!" = if (repeated > 0) paste("{repeated} record{?s} {?is/are} in two lists: counted once,",
                                  "see {in_r('`set_aside()`', '`--set-aside FILE`')}."),
    "!" = if (unclear > 0) paste("{unclear} key{?s} {?is/are} open in one list and ended in",
                                 "another: see {in_r('`check_spans()`', '`ridge check`')}.")
  ))
}
