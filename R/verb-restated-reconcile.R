# What restated() says, in words, and worked out once more in plain vectors.

#' @export
sentences.ridge_restated <- function(object) {
  made <- about(object)
  if (is_listed(object)) {
    counts <- table(factor(object$cause, intersect(restated_causes, object$cause)))
    parts <- paste(format_number(counts), cause_words(names(counts)))
    listed <- if (length(parts)) paste0(": ", and_list(parts))
    return(paste0(count_of(nrow(object), "change"), listed, "."))
  }
  changed <- which(object$difference != 0)
  tally <- made$tally
  causes <- tally$causes[tally$causes > 0]
  list <- paste(format_number(causes), cause_words(names(causes)))
  late <- if (tally$late > 0) paste0(", ", format_number(tally$late), " of the ends entered late")
  told <- changed[order(-abs(object$difference[changed]), -changed)]
  c(if (length(causes)) paste0(sentence_case(and_list(list)), late, ".")
    else "No record changed.",
    paste0(format_number(length(changed)), " of ", count_of(nrow(object), "number"), " ",
           if (length(changed) == 1) "is" else "are", " told otherwise."),
    vapply(utils::head(told, 3), told_sentence, "", object = object))
}

cause_words <- function(causes) {
  words <- c(added = "came late", removed = "removed", start = "with another start",
             end = "with another end", key = "with another key", group = "in another group",
             weight = "with another weight")
  unname(words[causes])
}

# Such as "April was told as 180 and is 178: ends entered late (-2)."
told_sentence <- function(i, object) {
  made <- about(object)
  cells <- cells_of(object)
  line <- if (length(made$groups)) paste0(line_labels(made)[cells$line[i]], ", ")
  values <- plain_tibble(object)
  number <- function(x) format_plain(x, if (x == round(x)) 0 else 2)
  played <- intersect(cause_columns(restated_causes), names(values))
  effect <- vapply(played, function(name) as.double(values[[name]][i]), 0)
  all_late <- made$tally$late == made$tally$causes[["end"]]
  words <- c(added = "records that came late", removed = "records removed",
             start_changed = "starts changed",
             end_changed = if (all_late) "ends entered late" else "ends changed",
             key_changed = "keys changed", group_changed = "groups changed",
             weight_changed = "weights changed")
  told <- effect != 0
  by <- paste0(words[played[told]], " (", ifelse(effect[told] > 0, "+", ""),
               vapply(effect[told], number, ""), ")")
  paste0(line, period_labels(made)[cells$place[i]], " was told as ", number(object$before[i]),
         " and is ", number(object$now[i]), ": ", paste(by, collapse = ", "), ".")
}

# Every number as the two lists give it, every cause as its step changes the list, and in
# each row all causes together.
#' @export
source_checks.ridge_restated <- function(result, x) {
  both <- list(now = x, was = spans_asked(about(result)$question$arguments, "earlier"))
  restated_checks(result, both, both)
}

# Of lists in a database the records that differ are chosen once more.
#' @export
checks_in_database.ridge_restated <- function(result, x) {
  asked <- about(result)$question$arguments
  both <- list(now = x, was = spans_asked(asked, "earlier"))
  at_hand <- differing_once_more(both, asked)
  c(restated_checks(result, both, at_hand), label_checks(result, at_hand$now))
}

restated_checks <- function(result, both, at_hand) {
  made <- about(result)
  asked <- made$question$arguments
  elsewhere <- in_database(both$now)
  lists <- plain_lists(at_hand, asked, if (elsewhere) lapply(both, groups_of, asked$group))
  if (is_listed(result)) {
    return(change_checks(result, at_hand, lists))
  }
  if (nrow(result) == 0) {
    return(list())
  }
  exact <- asked$of != "weight" && !is_average(asked$rule)
  level <- function(stage) {
    c(plain_levels(stage, stage$line, lists$lines, made$axis, asked$rule, asked$of,
                   made$timeline),
      if (made$total) plain_levels(stage, rep(1, nrow(stage)), 1L, made$axis, asked$rule,
                                   asked$of, made$timeline))
  }
  levels <- lapply(lists$stages, level)
  names <- cause_columns(restated_causes)
  expected <- Map(`-`, levels[-1], levels[-length(levels)])
  told <- if (elsewhere) lapply(both, told_once_more, made, lists$line_values)
  else list(now = levels[[length(levels)]], was = levels[[1]])
  expected <- c(list(told$was, told$now, told$now - told$was), expected)
  expected <- stats::setNames(expected, c("before", "now", "difference", names))
  played <- intersect(names(expected), names(result))
  checks <- lapply(played, function(name) {
    cell_checks(gsub("_", " ", name), expected[[name]][rows_left(result)], result[[name]], exact)
  })
  causes <- Reduce(`+`, lapply(intersect(names, names(result)), function(name) result[[name]]),
                   numeric(nrow(result)))
  same <- abs(causes - result$difference) <= if (exact) 0 else 1e-9
  c(unlist(checks, recursive = FALSE),
    list(tie("rows whose causes add up to the difference", nrow(result), sum(same))))
}

# The numbers of a list in a database, each span joined to the periods that it meets.
told_once_more <- function(x, made, values) {
  asked <- made$question$arguments
  level <- function(groups) plain_levels_in_database(x, made$axis, groups, asked$rule, asked$of)
  groups <- list(names = asked$group, values = values,
                 size = if (length(values)) length(values[[1]]) else 1L)
  c(level(groups), if (made$total) level(groups_of(x, character())))
}

# Records of both lists side by side, and the list after each cause has been applied. Lines may
# have further `groups` than these records do.
plain_lists <- function(at_hand, asked, groups = NULL) {
  x <- at_hand$now
  both <- lapply(at_hand, plain_records)
  tables <- lapply(at_hand, plain_tibble)
  shared <- function(names, more = NULL) {
    tables <- lapply(unname(tables), `[`, names)
    plain_partition(vctrs::vec_rbind(!!!tables, !!!unname(more)))
  }
  rows <- list(now = seq_len(nrow(x)), was = nrow(x) + seq_len(nrow(tables$was)))
  lines <- shared(asked$group, lapply(groups, function(lines) {
    tibble::new_tibble(lines$values, nrow = lines$size)
  }))
  keys <- shared(about(x)$names$key)
  id <- if (!is.null(asked$match)) shared(asked$match)$of
  else as.integer(vctrs::vec_group_id(data.frame(keys$of, c(both$now$start, both$was$start))))
  for (side in names(both)) {
    both[[side]]$line <- lines$of[rows[[side]]]
    both[[side]]$key <- if (has_key(x)) keys$of[rows[[side]]] else 0
    both[[side]]$id <- id[rows[[side]]]
    if (asked$of != "weight") both[[side]]$weight <- rep(1, nrow(both[[side]]))
  }
  at <- plain_same_records(both)
  list(both = both, at = at, lines = lines$size, line_values = as.list(lines$values),
       stages = plain_stages(both, at))
}

# For each record now the earlier one that it is.
plain_same_records <- function(both) {
  at <- rep(NA_integer_, nrow(both$now))
  for (columns in list(c("id", "start", "stop", "key", "line", "weight"), "id")) {
    numbered <- function(table, rows) {
      rows <- rows[do.call(order, c(unname(as.list(table[rows, c("id", "start", "stop", "line",
                                                                  "weight", "key")])), list(rows)))]
      part <- as.data.frame(table[rows, columns])
      nth <- stats::ave(seq_along(rows), vctrs::vec_group_id(part), FUN = seq_along)
      list(rows = rows, id = cbind(part, nth = nth))
    }
    now <- numbered(both$now, which(is.na(at)))
    was <- numbered(both$was, setdiff(seq_len(nrow(both$was)), at))
    at[now$rows] <- was$rows[vctrs::vec_match(now$id, was$id)]
  }
  at
}

# The earlier list, and what it is after each cause in turn.
plain_stages <- function(both, at) {
  fields <- c(start = "start", end = "stop", key = "key", group = "line", weight = "weight")
  kept <- which(!is.na(at))
  stage <- rbind(both$was[at[kept], ], both$was[setdiff(seq_len(nrow(both$was)), at), ])
  gone <- seq_len(nrow(stage)) > length(kept)
  added <- rbind(stage, both$now[is.na(at), ])
  removed <- added[!c(gone, logical(sum(is.na(at)))), ]
  stages <- list(stage, added = added, removed = removed)
  for (cause in names(fields)) {
    next_stage <- stages[[length(stages)]]
    next_stage[[fields[[cause]]]][seq_along(kept)] <- both$now[[fields[[cause]]]][kept]
    stages[[cause]] <- next_stage
  }
  stages
}

# Every change, by the rows in both lists and the columns that it is of.
change_checks <- function(result, at_hand, lists) {
  both <- lists$both
  kept <- which(!is.na(lists$at))
  was <- lists$at[kept]
  differs <- function(field) kept[both$now[[field]][kept] != both$was[[field]][was]]
  found <- list(added = which(is.na(lists$at)), start = differs("start"), end = differs("stop"),
                key = differs("key"), group = differs("line"), weight = differs("weight"))
  if (!has_key(at_hand$now)) found$key <- integer()
  gone <- setdiff(seq_len(nrow(both$was)), lists$at)
  row <- unlist(found, use.names = FALSE)
  cause <- rep(match(names(found), restated_causes), lengths(found))
  expected <- data.frame(cause = c(cause, rep(2L, length(gone))),
                         now = c(row, rep(0L, length(gone))),
                         was = c(lists$at[row], gone))
  expected$was[is.na(expected$was)] <- 0L
  at <- function(rows, of) { place <- match(rows, about(of)$rows); replace(place, is.na(rows), 0L) }
  got <- data.frame(cause = match(result$cause, restated_causes), now = at(result$row, at_hand$now),
                    was = at(result$row_before, at_hand$was))
  # A group of two columns may have changed in both.
  row_checks("changes", expected, unique(got), is_whole(result))
}
