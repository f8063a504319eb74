# Two lists of the same records in tables of one database: the records that something changed of
# are chosen there and brought into memory, where they are told apart.

#' @export
restated_of.ridge_database <- function(x, earlier, axis, asked) {
  if (!is.null(axis) && !adds_up(asked$rule)) refuse_in_database(arg_set("rule", asked$rule))
  both <- list(now = x, was = earlier)
  found <- with_both_lists(both, asked, function(lists, matched, same) {
    list(at_hand = bring_differing(both, lists, asked, matched, same, more_often_in_sql),
         alike = alike_in_sql(x, lists, matched))
  })
  restated <- restated_between(both, found$at_hand, axis, asked)
  restated$alike <- found$alike
  restated
}

# Those that differ by another, plainer choice.
differing_once_more <- function(both, asked) {
  with_both_lists(both, asked, function(lists, matched, same) {
    bring_differing(both, lists, asked, matched, same, left_over_in_sql)
  })
}

# f(lists, matched, same) of both lists as lazy tables whose columns are called alike, what of them
# says which records are the same, and how columns are compared.
with_both_lists <- function(both, asked, f) {
  sources <- lapply(both, function(x) engine_of(x)$source)
  con <- sources$now$con
  if (!identical(con, sources$was$con)) refuse_in_database("A question about tables in two places")
  for (source in sources) check_row_named(source$names)
  listed <- function(side, g) {
    x <- both[[side]]
    with_days(sources[[side]], listed_columns(x, asked), function(spans, days) {
      refuse_changed(x, spans)
      g(matched_by_number(x, spans, asked$match))
    })
  }
  matched <- if (is.null(asked$match)) c(names_like("key", about(both$now)$names$key), "start")
  else names_like("match", asked$match)
  listed("now", function(now) {
    listed("was", function(was) {
      lists <- list(now = now, was = was)
      sure <- is.null(asked$match) || !any_missing(both$now, lists, matched)
      f(lists, matched, function(columns) {
        same_partition(con, columns, sure | !startsWith(columns, "match_"))
      })
    })
  })
}

names_like <- function(what, names) names(numbered_names(what, names))

listed_columns <- function(x, asked) {
  names <- about(x)$names
  c(row = names$row, numbered_names("declared", core_columns(names[c("start", "end")])),
    numbered_names("key", names$key), numbered_names("match", asked$match),
    numbered_names("group", asked$group),
    weight = if (asked$of == "weight") names$weight)
}

# Starts and ends are the same where their days are, however they are held.
matched_by_number <- function(x, spans, match) {
  names <- about(x)$names
  for (side in c("start", "end")) {
    at <- names_like("match", match)[match %in% names[[side]]]
    number <- if (side == "start") "start" else "stop"
    for (column in at) spans <- dplyr::mutate(spans, !!column := .data[[number]])
  }
  spans
}

any_missing <- function(x, lists, columns) {
  missing <- lapply(rlang::syms(columns), function(column) rlang::expr(is.na(!!column)))
  some <- Reduce(function(a, b) rlang::expr(!!a | !!b), missing)
  all <- dplyr::union_all(dplyr::select(lists$now, dplyr::all_of(columns)),
                          dplyr::select(lists$was, dplyr::all_of(columns)))
  found <- utils::head(dplyr::filter(all, !!some), 1L)
  length(fetched(x, found, "Is what they are matched by ever missing?")[[1]]) > 0
}

# The records of each list of which there are more in one of them. Numbers of keys are worked out
# from all records of a key, and in `match` which of two is the same may hang on their keys.
bring_differing <- function(both, lists, asked, matched, same, choose) {
  keys <- names_like("key", about(both$now)$names$key)
  compared <- lapply(lists, dplyr::select,
                     dplyr::matches("^(key|match|group)_|^(start|stop|weight)$"))
  differing <- dplyr::distinct(dplyr::select(choose(compared), dplyr::all_of(matched)))
  if (length(keys) > 0 && !is.null(asked$match)) {
    all <- dplyr::union_all(compared$now, compared$was)
    differing <- dplyr::semi_join(all, differing, sql_on = same(matched))
  }
  counted <- asked$of == "keys" && asked$show == "counts"
  if (length(keys) > 0 && (!is.null(asked$match) || counted)) {
    differing <- dplyr::distinct(dplyr::select(differing, dplyr::all_of(keys)))
  }
  on <- same(colnames(differing))
  differing <- as_step(differing, "differing", engine_of(both$now)$source)
  Map(function(x, list) bring_listed(x, dplyr::semi_join(list, differing, sql_on = on), asked),
      both, lists)
}

bring_listed <- function(x, list, asked) {
  own <- listed_columns(x, asked)
  found <- fetched(x, dplyr::select(list, dplyr::all_of(names(own))),
                   "The records that differ between the lists")
  # One that is matched by is there a second time, as a number where it is a start or an end.
  own <- own[!duplicated(own)]
  names <- intersect(names(x), own)
  brought_spans(x, stats::setNames(found[names(own)], own), names)
}

# Of which one list has more than the other.
more_often_in_sql <- function(compared) {
  all <- dplyr::union_all(dplyr::mutate(compared$now, more = 1L),
                          dplyr::mutate(compared$was, more = -1L))
  all <- dplyr::group_by(all, dplyr::across(-"more"))
  all <- dplyr::summarise(all, more = sum(.data$more, na.rm = TRUE), .groups = "drop")
  dplyr::filter(all, .data$more != 0L)
}

# What is left of one list without what is as often in the other, and the other way around.
left_over_in_sql <- function(compared) {
  counted <- lapply(compared, function(list) {
    list <- dplyr::group_by(list, dplyr::across(dplyr::everything()))
    dplyr::summarise(list, records = dplyr::n(), .groups = "drop")
  })
  # A condition keeps each apart, as not all databases know brackets between such steps.
  without <- function(list, other) dplyr::filter(dplyr::setdiff(list, other), .data$records > 0L)
  dplyr::union_all(without(counted$now, counted$was), without(counted$was, counted$now))
}

# How many records now share what they are matched by with another one, in either list.
alike_in_sql <- function(x, lists, matched) {
  all <- dplyr::union_all(
    dplyr::mutate(dplyr::select(lists$now, dplyr::all_of(matched)), now = 1L, was = 0L),
    dplyr::mutate(dplyr::select(lists$was, dplyr::all_of(matched)), now = 0L, was = 1L))
  all <- dplyr::group_by(all, dplyr::across(dplyr::all_of(matched)))
  all <- dplyr::summarise(all, now = sum(.data$now, na.rm = TRUE),
                          was = sum(.data$was, na.rm = TRUE), .groups = "drop")
  shared <- dplyr::filter(all, .data$now > 0L, .data$was > 0L, .data$now + .data$was > 2L)
  found <- fetched_totals(x, shared, "How many records share what they are matched by",
                          records = sum(.data$now, na.rm = TRUE))
  if (is.na(found$records)) 0L else as.integer(found$records)
}
