#' Which records overlap, and for how long
#'
#' Pairs of records that have at least one day (or moment) in common: of one key
#' (double bookings), of different keys (`differing`), or of two tables (`y`). One
#' that ends on the day before the other begins does not overlap it. Each pair is
#' there once: `row_a` began first, or comes first where both began together.
#'
#' @param x A [spans()] object; of a table in a database one that was told its `row`.
#' @param y `NULL`, or a second [spans()] object, on days or instants like the
#'   first. Then `row_a` is of x and `row_b` of y.
#' @param per The columns within whose values pairs are looked for. By default the
#'   key, with `differing` all records together, and with `y` the keys where both
#'   have one. With `y` both tables must have these columns.
#' @param differing Columns in which the two of a pair must differ, such as the key:
#'   people of one station who are away at the same time.
#' @param min_days Only overlaps at least so many days long (on instants days of
#'   24 hours).
#' @param total `TRUE`: not the pairs, but for each partition, or each pair of values
#'   of `differing` (of keys, with `y`), how many overlaps there are and on how many
#'   days: a day counts once.
#' @param group `NULL`, or columns to total by: not the pairs, but for each group how many there
#'   are between its records, and on how many days of its keys (or what `per` says).
#' @param carry Columns of the records, of either table, to carry along as `_a` and `_b`.
#' @return A tibble of the columns of `per`, those of `differing` twice (`_a`, `_b`),
#'   `row_a`, `row_b`, `start`, `end` (the last day in common), `days` (or
#'   `hours`), `open` (no end known; `end` is then the as-of date). With `total`:
#'   `overlaps` (integer) and `days` or `hours`; with `group` these and `longest`.
#' @section Errors:
#' A wrong argument is an error of class `ridge_error_argument`, a wrong column of
#' class `ridge_error_column`. Pairs that do not fit into memory are refused, with
#' their number, before any is built: class `ridge_error_size`.
#' @examples
#' loans <- spans(demo_records("instrument_loans"), lent_on, returned_on,
#'                key = instrument, end_counts = FALSE, as_of = "2026-06-30")
#' overlaps(loans)
#' trips <- spans(demo_records("field_trips"), first_day, last_day, key = observer)
#' overlaps(trips, differing = observer, per = station, min_days = 7)
#' closures <- spans(demo_records("closures"), start, end)
#' overlaps(trips, closures)
#' @export
overlaps <- function(x, y = NULL, per, differing = NULL, min_days = NULL, total = FALSE,
                     carry = NULL, group = NULL) {
  check_spans_class(x, "overlaps")
  check_flag(total, "total")
  if (!is.null(min_days)) check_amount(min_days, "min_days")
  differing <- pick_plain_columns(x, rlang::enquo(differing), "differing")
  told_per <- !missing(per)
  group <- pick_groups(x, rlang::enquo(group), c("longest", pair_columns), "overlaps")
  if (length(group)) {
    refuse_together("group", list(y = y), "the records of two tables are not in one group")
  }
  own <- if (is.null(y)) list(pair_partitions(x, rlang::enquo(per), differing))
  else shared_partitions(x, y, rlang::enquo(per), differing)
  per <- c(list(union(group, own[[1]])), own[-1])
  shown <- if (is.null(y)) differing else shared_keys(x, y, per)
  check_free_names(c(per[[1]], if (length(shown)) paste0(rep(shown, each = 2), c("_a", "_b"))),
                   pair_columns, "overlaps")
  carry <- pick_pair_columns(x, y, rlang::enquo(carry), total || length(group) > 0)
  columns <- list(per = if (told_per) own[[1]], differing = differing,
                  carry = setdiff(carry, shown), group = group)
  question <- new_question("overlaps", columns, per = per, shown = shown)
  answer_overlaps(x, question)
}

# Columns of either table.
pick_pair_columns <- function(x, y, quo, total) {
  both <- plain_tibble(x)[0, ]
  if (!is.null(y)) both <- vctrs::vec_cbind(both, plain_tibble(y)[0, setdiff(names(y), names(x))])
  carry <- pick_columns(both, quo, "carry")
  if (total && length(carry)) {
    refuse_together("total", list(carry = carry), "a total has no record's columns")
  }
  carry
}

pair_columns <- c("row_a", "row_b", "start", "end", "days", "hours", "open", "overlaps")

pair_partitions <- function(x, per, differing) {
  if (rlang::quo_is_missing(per) && length(differing) > 0) character() else pick_per(x, per)
}

# Of two tables the keys, where both have as many, or columns that both have.
shared_partitions <- function(x, y, per, differing) {
  check_spans_class(y, "overlaps")
  check_alike(timeline_of(x), timeline_of(y))
  if (length(differing) > 0) {
    ridge_abort(paste("{arg_name('differing')} compares records of one table: leave it out with",
                      "{arg_name('y')}."),
                "argument", arg = "differing")
  }
  if (!rlang::quo_is_missing(per)) {
    return(list(pick_per(x, per), pick_per(y, per)))
  }
  keys <- list(about(x)$names$key, about(y)$names$key)
  keyed <- length(keys[[1]]) > 0 && length(keys[[1]]) == length(keys[[2]])
  if (keyed) keys else list(character(), character())
}

# The keys that tell the two of a pair apart, where both tables call them the same.
shared_keys <- function(x, y, per) {
  same <- identical(about(x)$names$key, about(y)$names$key)
  if (same) setdiff(about(x)$names$key, per[[1]]) else character()
}

answer_overlaps <- function(x, question) {
  asked <- question$arguments
  least <- (asked$min_days %||% 0) * ticks_in_day(timeline_of(x))
  way_out <- paste0("Choose longer ones with ", arg_name("min_days"), ", or narrow ",
                    arg_name("per"), ".")
  y <- spans_asked(asked, "y")
  here <- records_of_pairs(x, y, question$per, question)
  beside <- if (!is.null(y)) records_of_pairs(y, x, rev(question$per), question)
  pairs <- pairs_of(here, beside, question$per, asked$differing, least, way_out)
  pairs <- long_enough(pairs, least, x)
  words <- describe_overlaps(x, question)
  if (length(asked$group)) {
    return(group_overlaps(x, question, pairs, words))
  }
  if (asked$total) {
    return(new_result(total_columns(x, question, pairs), question, x, words, values = "overlaps"))
  }
  second <- beside %||% here
  columns <- c(line_values(pairs), side_columns(here, second, question, pairs),
               list(row_a = source_rows(here, pairs$a), row_b = source_rows(second, pairs$b)),
               range_columns(pairs$start, pairs$stop, x),
               carried_beside(here, second, asked$carry, pairs$a, pairs$b, c("_a", "_b")))
  new_ranges(question, x, columns, words, names = question$per[[1]], shown = question$shown,
             values = c("row_a", "row_b"), longest = longest_pairs(here, second, pairs))
}

# Those of a table that are in a pair, with those of another one or among themselves.
records_of_pairs <- function(x, other, per, question) {
  asked <- question$arguments
  if (in_database(x) && (asked$total || length(asked$group))) {
    refuse_in_database("How many pairs there are")
  }
  which <- list(kind = "overlapping", least = asked$min_days %||% 0, per = per[[1]], with = other,
                its = if (!is.null(other)) per[[2]], differing = asked$differing)
  columns <- c(per[[1]], asked$differing, question$shown, asked$carry)
  records_behind(x, which, intersect(columns, names(x)))
}

# What two open spans have in common ends with the as-of date.
long_enough <- function(pairs, least, x) {
  short <- least > 0 & is_never(pairs$stop, timeline_of(x)) &
    about(x)$as_of_stop - pairs$start < least
  if (!any(short)) {
    return(pairs)
  }
  of_pairs <- c("a", "b", "start", "stop", "line")
  pairs[of_pairs] <- lapply(pairs[of_pairs], `[`, !short)
  if (!is.null(pairs$side)) pairs$side <- lapply(pairs$side, `[`, !short)
  pairs
}

most_pairs <- 16L

# The spans of the longest pairs, for the figure.
longest_pairs <- function(x, second, pairs) {
  length <- range_columns(pairs$start, pairs$stop, x)[[3]]
  at <- sort(utils::head(order(-length), most_pairs))
  list(at = at, a = record_spans(x, pairs$a[at]), b = record_spans(second, pairs$b[at]))
}

record_spans <- function(x, places) {
  ticks <- ticks_at(x, places)
  vctrs::new_data_frame(range_columns(ticks$start, ticks$stop, x)[c("start", "end")])
}

# What tells the two of a pair apart.
side_columns <- function(x, second, question, pairs) {
  if (length(question$shown) == 0) {
    return(NULL)
  }
  side <- function(from, places, suffix) {
    columns <- slice_all(columns_of(from, question$shown), places)
    stats::setNames(columns, paste0(question$shown, suffix))
  }
  c(side(x, pairs$a, "_a"), side(second, pairs$b, "_b"))
}

# By partition, or by pair of values whichever began first; each day once.
total_columns <- function(x, question, pairs) {
  asked <- question$arguments
  second <- spans_asked(asked, "y") %||% x
  timeline <- timeline_of(x)
  sides <- if (is.null(asked$y)) sorted_pairs(pairs) else pairs
  labels <- c(line_values(pairs), side_columns(x, second, question, sides))
  lines <- if (length(labels) > 0) code_values(labels)
  else list(codes = integer(length(pairs$a)), size = 1L, rows = integer())
  length <- covered_ticks(pairs$start, known_stops(pairs, x), lines$codes, lines$size)
  count <- tabulate(lines$codes + 1L, lines$size)
  seen <- if (length(pairs$a) > 0) seq_len(lines$size) else integer()
  c(slice_all(labels, lines$rows), list(overlaps = count[seen]),
    lapply(length_columns(length, timeline), `[`, seen))
}

# By group: the pairs within it, the days of each of its partitions once, and the longest pair.
group_overlaps <- function(x, question, pairs, words) {
  group <- question$arguments$group
  lines <- groups_of(x, group)
  timeline <- timeline_of(x)
  stop <- known_stops(pairs, x)
  # The partitions that have pairs, and the group of each.
  parts <- sort(unique(pairs$line))
  values <- slice_all(pairs$lines$values[group], parts + 1L)
  part <- factor(group_places(values, lines$values), seq_len(lines$size))
  code <- match(pairs$line, parts) - 1L
  of_pair <- part[code + 1L]
  covered <- length_columns(covered_ticks(pairs$start, stop, code, length(parts)), timeline)
  of_each <- length_columns(stop - pairs$start, timeline)[[1]]
  columns <- c(list(overlaps = tabulate(of_pair, lines$size)),
               stats::setNames(list(over_groups(covered[[1]], part, sum)), names(covered)),
               list(longest = over_groups(of_each, of_pair, max)))
  new_group_totals(question, x, lines, columns, words, "ridge_range_totals")
}

sorted_pairs <- function(pairs) {
  if (is.null(pairs$side)) {
    return(pairs)
  }
  turned <- pairs$side$a > pairs$side$b
  list(a = replace(pairs$a, turned, pairs$b[turned]),
       b = replace(pairs$b, turned, pairs$a[turned]))
}

describe_overlaps <- function(x, question) {
  asked <- question$arguments
  y <- spans_asked(asked, "y")
  what <- if (!is.null(y)) "Overlaps between two tables"
  else if (length(asked$differing)) paste("Overlaps of different", and_list(asked$differing))
  else "Overlaps"
  sentence_of(
    paste(what, per_words(question$per[[1]])),
    if ((asked$min_days %||% 0) > 1) paste("at least", format(asked$min_days), "days"),
    if (asked$total || length(asked$group)) "each day counted once", open_length_words(x),
    usual_lengths(x),
    if (!is.null(y)) paste0("second table: ", usual_lengths(y)))
}

#' @export
records_once_more.ridge_overlaps <- function(result, x) {
  question <- about(result)$question
  asked <- question$arguments
  if (is.null(asked$y) && can_be_paired(x, question$per[[1]])) {
    columns <- c(question$per[[1]], asked$differing, asked$carry)
    records_behind(x, list(kind = "meeting", per = question$per[[1]]), columns)
  }
}

# Every pair; of `total` every line and the days on which it has one.
#' @export
source_checks.ridge_overlaps <- function(result, x) {
  question <- about(result)$question
  asked <- question$arguments
  both <- plain_sides(x, question)
  most <- 1e7 + 20 * nrow(result)
  pairs <- plain_pairs(both$a, both$b, most)
  if (is.null(pairs)) {
    return(not_proven("pairs", paste("more than", format_number(most), "would have to be listed")))
  }
  if (length(asked$differing)) {
    values <- plain_lines(x, asked$differing)
    pairs <- vctrs::vec_slice(pairs, values[pairs$a] != values[pairs$b])
  }
  shown <- plain_rows(pairs, x)
  kept <- shown$length >= (asked$min_days %||% 0) * ticks_in_day(timeline_of(x)) /
    length_unit(timeline_of(x))$ticks
  if (length(asked$group)) {
    return(group_pair_checks(result, x, pairs[kept, ], shown$length[kept], both$partition))
  }
  if (asked$total) {
    return(total_pair_checks(result, x, pairs[kept, ], shown[kept, ], both$partition))
  }
  expected <- cbind(shown, pair_of_records(pairs$a, pairs$b, is.null(asked$y)))[kept, ]
  second <- about(spans_asked(asked, "y") %||% x)$rows
  more <- pair_of_records(match(result$row_a, about(x)$rows), match(result$row_b, second),
                          is.null(asked$y))
  c(range_checks("pairs", result, both$partition$values, question$per[[1]], expected, more),
    beside_checks(result, x, spans_asked(asked, "y") %||% x, asked$carry, c("row_a", "row_b"),
                  c("_a", "_b")))
}

# The records of one table, or of two, in their partitions.
plain_sides <- function(x, question) {
  y <- spans_asked(question$arguments, "y")
  columns <- plain_tibble(x)[question$per[[1]]]
  if (!is.null(y)) {
    columns <- stats::setNames(Map(function(a, b) join_columns(x[[a]], y[[b]], c(a, b)),
                                   question$per[[1]], question$per[[2]]), names(columns))
    columns <- tibble::new_tibble(columns, nrow = nrow(x) + nrow(y))
  }
  partition <- plain_partition(columns)
  of_y <- if (!is.null(y)) partition$of[nrow(x) + seq_len(nrow(y))]
  list(partition = partition,
       a = plain_by_start(plain_records(x), partition$of[seq_len(nrow(x))]),
       b = if (!is.null(y)) plain_by_start(plain_records(y), of_y))
}

# Which of two records of one table comes first is no part of a pair.
pair_of_records <- function(a, b, one_table) {
  if (one_table) data.frame(a = pmin(a, b), b = pmax(a, b)) else data.frame(a = a, b = b)
}

total_pair_checks <- function(result, x, pairs, shown, partition) {
  question <- about(result)$question
  second <- spans_asked(question$arguments, "y") %||% x
  names <- question$per[[1]]
  sides <- question$shown
  of_side <- function(table) plain_partition(plain_tibble(table)[sides])
  a <- of_side(x)
  b <- of_side(second)
  pair <- pair_of_records(a$of[pairs$a], b$of[pairs$b], is.null(question$arguments$y))
  labels <- data.frame(line = pairs$line, pair)
  id <- as.integer(vctrs::vec_group_id(labels))
  until <- about(x)$as_of_stop
  open <- is.infinite(pairs$stop)
  ended <- replace(pairs$stop, open, pmax(until, pairs$start[open]))
  covered <- plain_union(data.frame(start = pairs$start, stop = ended), id)
  unit <- length_unit(timeline_of(x))
  ticks <- tapply(covered$stop - covered$start, factor(covered$id, unique(id)), sum, default = 0)
  expected <- data.frame(labels[!duplicated(id), ], overlaps = tabulate(id)[unique(id)],
                         length = as.vector(ticks) / unit$ticks)
  side <- function(values, suffix) {
    line_of_row(result, values$values, if (length(sides)) paste0(sides, suffix))
  }
  found <- data.frame(line = line_of_row(result, partition$values, names), a = side(a, "_a"),
                      b = side(b, "_b"), overlaps = result$overlaps, length = result[[unit$name]])
  row_checks("pairs by line", expected, found, is_whole(result), near = "length")
}

# The days of a partition are counted once, those of the longest pair by themselves.
group_pair_checks <- function(result, x, pairs, length, partition) {
  group <- about(result)$groups
  plain <- plain_partition(plain_tibble(x)[group])
  part <- line_of_row(partition$values, plain$values, group)
  open <- is.infinite(pairs$stop)
  pairs$stop[open] <- pmax(about(x)$as_of_stop, pairs$start[open])
  covered <- plain_union(pairs[c("start", "stop")], pairs$line)
  unit <- length_unit(timeline_of(x))
  by <- function(of) factor(part[of], seq_len(plain$size))
  total <- tapply(covered$stop - covered$start, by(covered$id), sum, default = 0) / unit$ticks
  at <- line_of_row(result, plain$values, group)
  expected <- data.frame(overlaps = tabulate(by(pairs$line), plain$size), total = as.vector(total),
                         longest = as.vector(tapply(length, by(pairs$line), max, default = 0)))
  found <- as.data.frame(lapply(plain_tibble(result)[about(result)$values], as.double))
  c(cell_checks("overlaps", expected$overlaps[at], found[[1]], TRUE),
    cell_checks("their length", expected$total[at], found[[2]], FALSE),
    cell_checks("the longest", expected$longest[at], found[[3]], FALSE))
}
