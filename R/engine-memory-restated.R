# Two lists of the same records, taken at two times, with those that something changed of in
# memory: which record is which, and what each kind of change does to a number, one after the
# other.

#' @export
restated_of.ridge_memory <- function(x, earlier, axis, asked) {
  both <- list(now = x, was = earlier)
  restated_between(both, both, axis, asked)
}

# `at_hand` holds the records of both lists that something changed of, and all others that numbers
# are worked out with then.
restated_between <- function(both, at_hand, axis, asked) {
  lists <- shared_codes(at_hand, lines_of_both(both, asked$group), asked)
  columns <- c("start", "stop", "id", if (is.null(asked$match)) "none" else "key",
               if (length(asked$group)) "line" else "none", "weight")
  pairs <- kernel_restated(unname(lists$now[columns]), unname(lists$was[columns]),
                           is.null(asked$match))
  some <- function(places) replace(places, places == 0L, NA)
  changes <- list(cause = restated_causes[pairs$cause + 1L], now = some(pairs$now),
                  was = some(pairs$was))
  found <- list(records = at_hand, changes = in_record_places(changes, lists),
                alike = pairs$alike, late = ends_told_late(changes, lists, both$was),
                lines = lists$lines)
  if (is.null(axis)) {
    return(found)
  }
  pieces <- pieces_to_restate(lists, pairs, changes, asked)
  c(found, told_levels(both, axis, asked, lists$lines),
    list(effects = effects_of_causes(pieces, axis, asked, lists)))
}

# The groups of both lists, and which of them each group of the one and of the other is.
lines_of_both <- function(both, names) {
  groups <- lapply(both, groups_of, names)
  c(list(names = names), shared_values(groups$now$values, groups$was$values))
}

# Both lists in the order of what they are matched by, with codes that the two share.
shared_codes <- function(both, lines, asked) {
  keys <- if (has_key(both$now)) shared_keys_of(both)
  sides <- lapply(c(now = "now", was = "was"), function(side) {
    index <- memory_index(both[[side]])
    n <- length(index$start)
    list(start = index$start, stop = index$stop,
         key = if (is.null(keys)) integer(n) else keys[[side]],
         line = if (length(asked$group)) line_codes(both[[side]], lines),
         weight = if (asked$of == "weight") memory_weights(both[[side]])$values,
         place = index$order %||% seq_len(n), none = NULL)
  })
  of_now <- memory_index(both$now)$keys
  sides <- if (is.null(asked$match)) matched_by_key(sides, of_now, keys$size > of_now)
  else matched_by_columns(both, sides, asked$match)
  c(sides, list(keys = keys$size %||% 1L, lines = lines))
}

# The line of each record.
line_codes <- function(x, lines) {
  own <- groups_of(x, lines$names)
  (group_places(own$values, lines$values) - 1L)[own$codes + 1L]
}

# Codes of the keys of both lists: those of the first one, and further ones for the keys that
# only the second one has.
shared_keys_of <- function(both) {
  index <- lapply(both, memory_index)
  values <- lapply(both, function(x) {
    keys <- memory_index(x)$key_values
    tibble::new_tibble(stats::setNames(keys, seq_along(keys)))
  })
  at <- vctrs::vec_match(values$was, values$now) - 1L
  only <- which(is.na(at))
  at[only] <- index$now$keys + seq_along(only) - 1L
  same <- identical(at, seq_len(index$now$keys) - 1L)
  list(now = index$now$key, was = if (same) index$was$key else at[index$was$key + 1L],
       size = index$now$keys + length(only))
}

# The codes of two sets of values among all of them, in sorted order.
shared_values <- function(now, was) {
  if (length(now) == 0) {
    return(list(size = 1L, values = list(), now = 0L, was = 0L))
  }
  values <- Map(vctrs::vec_c, now, was)
  coded <- code_values(values)
  own <- seq_along(coded$codes) <= vctrs::vec_size(now[[1]])
  list(size = coded$size, values = slice_all(values, coded$rows), now = coded$codes[own],
       was = coded$codes[!own])
}

matched_by_key <- function(sides, keys, only) {
  sides$now$id <- sides$now$key
  sides$was$id <- if (only) replace(sides$was$key, sides$was$key >= keys, -1L)
  else sides$was$key
  sides
}

matched_by_columns <- function(both, sides, match) {
  columns <- lapply(both, columns_of, match)
  joined <- tibble::new_tibble(Map(vctrs::vec_c, columns$now, columns$was))
  id <- as.integer(vctrs::vec_group_id(joined))
  own <- seq_len(nrow(both$now))
  ids <- list(now = id[own], was = id[length(own) + seq_len(nrow(both$was))])
  Map(function(side, id) {
    id <- id[side$place]
    order <- order(id)
    c(lapply(side, `[`, order), list(id = id[order]))
  }, sides, ids)
}

# How many ends were open before and lie on days that had been told.
ends_told_late <- function(changes, lists, earlier) {
  end <- which(changes$cause == "end")
  was <- lists$was$stop[changes$was[end]]
  now <- lists$now$stop[changes$now[end]]
  sum(is_never(was, timeline_of(earlier)) & now <= about(earlier)$as_of_stop)
}

in_record_places <- function(changes, lists) {
  list(cause = changes$cause, now = lists$now$place[changes$now],
       was = lists$was$place[changes$was])
}

# The records that numbers differ by, now beside was: those that changed and, where keys are
# counted, all others of their keys; all of them for a rule that does not add up.
pieces_to_restate <- function(lists, pairs, changes, asked) {
  at <- pairs$at
  kept <- if (!adds_up(asked$rule)) seq_along(at)
  else if (asked$of == "keys" && is.null(asked$match)) pairs$touched
  else if (asked$of == "keys") records_of_keys(lists, at, changes)
  else unique(changes$now[!is.na(changes$now)])
  kept <- kept[at[kept] > 0L]
  added <- changes$now[changes$cause == "added"]
  gone <- changes$was[changes$cause == "removed"]
  now <- c(kept, added, rep(NA, length(gone)))
  was <- c(at[kept], rep(NA, length(added)), gone)
  fields <- c("start", "stop", "key", "line", if (asked$of == "weight") "weight")
  after <- lapply(lists$now[fields], `[`, now)
  before <- lapply(lists$was[fields], `[`, was)
  list(now = side_by_side(after, before, is.na(now)),
       was = side_by_side(before, after, is.na(was)), added = is.na(was), removed = is.na(now),
       causes = unique(changes$cause))
}

# The records now that are, or were, of a key with a change.
records_of_keys <- function(lists, at, changes) {
  keys <- c(lists$now$key[changes$now], lists$was$key[changes$was])
  affected <- logical(lists$keys)
  affected[keys[!is.na(keys)] + 1L] <- TRUE
  was <- rep(FALSE, length(at))
  was[at > 0L] <- affected[lists$was$key[at] + 1L]
  which(affected[lists$now$key + 1L] | was)
}

# Where one side has no record it looks like the other.
side_by_side <- function(side, other, gaps) {
  Map(function(own, others) replace(own, gaps, others[gaps]), side, other)
}

# The numbers of both lists, by all periods of the first line, then of the next.
told_levels <- function(both, axis, asked, lines) {
  level_of <- function(side) {
    records <- both[[side]]
    level <- function(groups) levels_of(records, axis, groups, asked$rule, asked$of)
    own <- matrix(level(groups_of(records, asked$group)), axis_size(axis))
    levels <- matrix(if (is.integer(own)) 0L else 0, axis_size(axis), lines$size)
    levels[, lines[[side]] + 1L] <- own
    c(levels, if (asked$total && length(asked$group)) level(groups_of(records, character())))
  }
  list(before = level_of("was"), now = level_of("now"))
}

# What each cause adds to the numbers, in this order: records come, records go, and then
# start, end, key, group and weight of those that stay become what they are.
effects_of_causes <- function(pieces, axis, asked, lists) {
  size <- axis_size(axis) * (lists$lines$size + (asked$total && length(asked$group) > 0))
  scale <- if (asked$of == "weight") fixed_scale(c(pieces$now$weight, pieces$was$weight))
  level_of <- function(stage, there) {
    rows <- which(there & stage$start < stage$stop)
    piece_levels(lapply(stage, `[`, rows), axis, asked, lists, scale)
  }
  stage <- pieces$was
  there <- !pieces$added
  level <- level_of(stage, there)
  effects <- list()
  for (cause in restated_causes) {
    effects[[cause]] <- numeric(size)
    if (!(cause %in% pieces$causes)) next
    if (cause == "added") there <- rep(TRUE, length(there))
    if (cause == "removed") there <- !pieces$removed
    field <- c(start = "start", end = "stop", key = "key", group = "line", weight = "weight")[cause]
    if (!is.na(field)) stage[[field]] <- pieces$now[[field]]
    before <- level
    level <- level_of(stage, there)
    effects[[cause]] <- exact_difference(level, before, if (!is_average(asked$rule)) scale)
  }
  effects
}

# The levels of these records, by line and over all of them where that is asked for.
piece_levels <- function(stage, axis, asked, lists, scale) {
  order <- order_records(stage$start, stage$key, lists$keys, threads_for(length(stage$start)))
  stage <- lapply(stage, `[`, order)
  level <- function(codes, size) {
    kernel_levels(stage$start, stage$stop, axis$first, axis$stop, codes, size,
                  if (asked$of == "keys") stage$key, stage$weight, scale %||% 1, asked$rule,
                  at_once(length(stage$start)))
  }
  grouped <- length(asked$group) > 0
  c(if (lists$lines$size > 0) level(if (grouped) stage$line, lists$lines$size),
    if (grouped && asked$total) level(NULL, 1L))
}

# Sums in fixed point differ by what their digits say, and what floating point leaves is 0.
exact_difference <- function(now, before, scale = NULL) {
  difference <- as.double(now) - before
  digits <- if (!is.null(scale)) log10(scale) else NA
  if (!is.na(digits) && digits == round(digits)) return(round(difference, digits))
  replace(difference, abs(difference) < 1e-9, 0)
}
