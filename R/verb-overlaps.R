#' Which records overlap, and for how long
#'
#' Pairs of records that have at least one day (or moment) in common: of one key
#' (double bookings), of different keys (`across`), or of two tables (`y`). One
#' that ends on the day before the other begins does not overlap it. Each pair is
#' there once: `row_a` began first, or comes first where both began together.
#'
#' @param x A [spans()] object.
#' @param y `NULL`, or a second [spans()] object, on days or instants like the
#'   first. Then `row_a` is of x and `row_b` of y.
#' @param per The columns within whose values pairs are looked for. By default the
#'   key, with `across` all records together, and with `y` the keys where both
#'   have one. With `y` both tables must have these columns.
#' @param across Columns in which the two of a pair must differ, such as the key:
#'   people of one station who are away at the same time.
#' @param min_days Only overlaps at least so many days long (on instants days of
#'   24 hours).
#' @param total `TRUE`: not the pairs, but for each line, or each pair of values
#'   of `across` (of keys, with `y`), how many overlaps there are and on how many
#'   days: a day counts once.
#' @return A tibble of the columns of `per`, those of `across` twice (`_a`, `_b`),
#'   `row_a`, `row_b`, `start`, `end` (the last day in common), `days` (or
#'   `hours`), `open` (no end known; `end` is then the as-of date). With `total`:
#'   `overlaps` (integer) and `days` or `hours`.
#' @section Errors:
#' A wrong argument is an error of class `ridge_error_argument`, a wrong column of
#' class `ridge_error_column`. Pairs that do not fit into memory are refused, with
#' their number, before any is built: class `ridge_error_size`.
#' @examples
#' loans <- spans(demo_records("instrument_loans"), lent_on, returned_on,
#'                key = instrument, end_counts = FALSE, as_of = "2026-06-30")
#' overlaps(loans)
#' trips <- spans(demo_records("field_trips"), first_day, last_day, key = observer)
#' overlaps(trips, across = observer, per = station, min_days = 7)
#' closures <- spans(demo_records("closures"), start, end)
#' overlaps(trips, closures)
#' @export
overlaps <- function(x, y = NULL, per, across = NULL, min_days = NULL, total = FALSE) {
  UseMethod("overlaps")
}

#' @export
overlaps.default <- function(x, ...) {
  check_spans_class(x, "overlaps")
}

#' @export
overlaps.ridge_spans <- function(x, y = NULL, per, across = NULL, min_days = NULL, total = FALSE) {
  check_spans_class(x, "overlaps")
  check_flag(total, "total")
  across <- pick_columns(plain_tibble(x), rlang::enquo(across), "across")
  per <- rlang::enquo(per)
  both <- if (is.null(y)) one_table(x, per, across) else two_tables(x, y, per, across)
  check_free_names(c(both$per, if (length(both$shown)) paste0(both$shown, rep(c("_a", "_b"), each = length(both$shown)))),
                   c("row_a", "row_b", "start", "end", "days", "hours", "open", "overlaps"), "overlaps")
  least <- if (is.null(min_days)) 0 else check_amount(min_days, "min_days")
  if (!is.null(about(x)$tz)) least <- 86400 * least
  pairs <- find_pairs(both, least)
  words <- describe_overlaps(x, y, both, least, total)
  if (total) {
    return(new_result(total_columns(x, both, pairs), "overlap_totals", words, source = x))
  }
  columns <- c(line_values(both$lines, pairs$line), across_columns(both, pairs),
               list(row_a = both$rows[pairs$a], row_b = both$rows[pairs$b]),
               range_columns(pairs$start, pairs$stop, about(x)))
  new_result(columns, "overlaps", words, line = both$per, shown = both$shown,
             spans_a = pair_spans(both, pairs$a, about(x)), spans_b = pair_spans(both, pairs$b, about(x)), tz = about(x)$tz,
             source = x, second = y, plain = is.null(y) && length(across) == 0 && least == 0)
}

# What is compared: ticks by line and start, the side each is on, and where the
# values shown of both sides come from.
one_table <- function(x, per, across) {
  per <- if (rlang::quo_is_missing(per) && length(across) > 0) character() else pick_per(x, per)
  lines <- line_index(x, per)
  side <- if (length(across) > 0) code_values(as.list(plain_tibble(x))[across])
  list(lines = lines, per = per, shown = across, side = side$codes[lines$order], sides = first_of(side$size, 1L),
       rows = about(x)$rows[lines$order], values = lapply(as.list(plain_tibble(x))[across], vctrs::vec_slice, lines$order))
}

two_tables <- function(x, y, per, across) {
  check_spans_class(y, "overlaps")
  check_alike(x, y)
  if (length(across) > 0) {
    ridge_abort("{.arg across} compares records of one table: leave it out with {.arg y}.", "argument")
  }
  keys <- list(about(x)$names$key, about(y)$names$key)
  if (rlang::quo_is_missing(per)) {
    keyed <- length(keys[[1]]) > 0 && length(keys[[1]]) == length(keys[[2]])
    names <- if (keyed) keys else list(character(), character())
  } else {
    names <- list(pick_per(x, per), pick_per(y, per))
  }
  shown <- setdiff(keys[[1]], names[[1]])
  stack_tables(x, y, names, if (identical(keys[[1]], keys[[2]])) shown else character())
}

check_alike <- function(x, y) {
  kinds <- c(is.null(about(x)$tz), is.null(about(y)$tz))
  if (kinds[1] != kinds[2]) {
    on <- ifelse(kinds, "days", "instants")
    ridge_abort(c("{.arg x} is on {on[1]}, {.arg y} on {on[2]}.", i = "Declare both alike with {.fn spans}."), "argument")
  }
}

# The second table behind the first, as one in line order.
stack_tables <- function(x, y, names, shown) {
  parts <- list(x, y)
  ticks <- function(field) unlist(lapply(parts, function(p) in_own_order(span_index(p)[[field]], p)))
  columns <- Map(function(a, b) join_values(x, y, a, b), names[[1]], names[[2]])
  start <- ticks("start")
  coded <- if (length(columns) > 0) code_values(columns) else list(codes = integer(length(start)), size = 1L, rows = integer())
  order <- order_records(start, coded$codes, coded$size)
  table <- rep(0:1, c(nrow(x), nrow(y)))
  lines <- list(start = start[order], stop = ticks("stop")[order], line = if (length(columns)) coded$codes[order], names = names[[1]],
                values = stats::setNames(lapply(columns, vctrs::vec_slice, coded$rows), names[[1]]))
  values <- lapply(stats::setNames(shown, shown), function(name) join_values(x, y, name, name)[order])
  list(lines = lines, per = names[[1]], shown = shown, side = table[order], sides = 2L, tables = TRUE,
       rows = c(about(x)$rows, about(y)$rows)[order], values = values)
}

join_values <- function(x, y, a, b) {
  tryCatch(vctrs::vec_c(x[[a]], y[[b]]), vctrs_error_incompatible_type = function(cnd) {
    ridge_abort(c("Columns {.val {a}} of {.arg x} and {.val {b}} of {.arg y} differ in type.", i = "Make them alike before {.fn spans}."), "column")
  })
}

find_pairs <- function(both, least) {
  lines <- both$lines
  count <- overlap_count(lines$start, lines$stop, lines$line, both$side, least)
  check_fits(count, 8 * (8 + length(both$per) + 2 * length(both$shown)), "This list of pairs",
             "Choose longer ones with `min_days`, or narrow `per`.")
  pairs <- overlap_pairs(lines$start, lines$stop, lines$line, both$side, both$sides, least, count)
  start <- lines$start[pairs$b]
  stop <- pmin(lines$stop[pairs$a], lines$stop[pairs$b])
  line <- if (is.null(lines$line)) integer(length(start)) else lines$line[pairs$b]
  # Of two tables the first one's record comes first.
  if (isTRUE(both$tables)) {
    turned <- both$side[pairs$a] == 1L
    pairs[c("a", "b")] <- list(chosen_side(turned, pairs$b, pairs$a), chosen_side(turned, pairs$a, pairs$b))
    order <- order(line, start, pairs$a, pairs$b)
    return(lapply(c(pairs, list(start = start, stop = stop, line = line)), `[`, order))
  }
  c(pairs, list(start = start, stop = stop, line = line))
}

across_columns <- function(both, pairs) {
  if (length(both$shown) == 0) {
    return(NULL)
  }
  side <- function(places, suffix) stats::setNames(lapply(both$values, vctrs::vec_slice, places), paste0(both$shown, suffix))
  c(side(pairs$a, "_a"), side(pairs$b, "_b"))
}

pair_spans <- function(both, places, how) {
  as.data.frame(range_columns(both$lines$start[places], both$lines$stop[places], how)[c("start", "end", "open")])
}

# By line, or by pair of values whichever began first; each day once.
total_columns <- function(x, both, pairs) {
  labels <- c(line_values(both$lines, pairs$line), across_columns(both, sorted_pairs(both, pairs)))
  lines <- if (length(labels) > 0) code_values(labels) else list(codes = integer(length(pairs$a)), size = 1L, rows = integer())
  order <- order_records(pairs$start, lines$codes, lines$size)
  how <- about(x)
  stop <- pairs$stop
  open <- is_open_stop(stop, how$tz)
  stop[open] <- pmax(as_of_stop(how), pairs$start[open])
  found <- stretches_of(pairs$start[order], stop[order], lines$codes[order], 0, NULL, 0L, FALSE, FALSE)
  length <- tapply(found$stop - found$start, factor(found$line, seq_len(lines$size) - 1L), sum, default = 0)
  count <- tabulate(lines$codes + 1L, lines$size)
  total <- if (is.null(how$tz)) list(days = as.integer(length)) else list(hours = as.double(length) / 3600)
  seen <- if (length(pairs$a) > 0) seq_len(lines$size) else integer()
  c(lapply(labels, vctrs::vec_slice, lines$rows), list(overlaps = count[seen]), lapply(total, `[`, seen))
}

sorted_pairs <- function(both, pairs) {
  if (length(both$shown) == 0 || isTRUE(both$tables)) {
    return(pairs)
  }
  turned <- both$side[pairs$a] > both$side[pairs$b]
  list(a = chosen_side(turned, pairs$b, pairs$a), b = chosen_side(turned, pairs$a, pairs$b))
}

chosen_side <- function(first, a, b) {
  b[first] <- a[first]
  b
}

describe_overlaps <- function(x, y, both, least, total) {
  what <- if (!is.null(y)) "Overlaps between two tables" else if (length(both$shown)) paste("Overlaps across", and_list(both$shown)) else "Overlaps"
  unit <- if (is.null(about(x)$tz)) 1 else 86400
  second <- if (!is.null(y)) paste0("second table: ", usual_lengths(y))
  paste0(paste(c(paste(what, per_words(both$lines)), if (least > unit) paste("at least", format(least / unit), "days"),
                 if (total) "each day counted once", open_length_words(x), usual_lengths(x), second), collapse = "; "), ".")
}

#' How long two spans overlap
#'
#' For plain vectors of starts and ends, element by element.
#'
#' @param start_a,end_a,start_b,end_b Starts and ends of the two spans: all Date,
#'   or all POSIXct; of one length, or length 1.
#' @param end_counts Does the last day count (days only)?
#' @return Days (integer), or hours for POSIXct (double); 0 where the spans do not
#'   overlap, `NA` where a start or an end is missing.
#' @section Errors:
#' Mixed types, lengths that do not fit and an end before its start are errors of
#' class `ridge_error_argument`.
#' @examples
#' overlap_length(as.Date("2026-06-03"), as.Date("2026-06-14"),
#'                as.Date("2026-06-11"), as.Date("2026-06-30"))
#' @export
overlap_length <- function(start_a, end_a, start_b, end_b, end_counts = TRUE) {
  check_flag(end_counts, "end_counts")
  parts <- list(start_a = start_a, end_a = end_a, start_b = start_b, end_b = end_b)
  on_days <- vapply(parts, inherits, logical(1), "Date")
  on_instants <- vapply(parts, inherits, logical(1), "POSIXct")
  if (!all(on_days) && !all(on_instants)) {
    wrong <- names(parts)[!(if (any(on_days)) on_days else on_instants)][1]
    ridge_abort("Starts and ends must all be Date or all POSIXct; {.arg {wrong}} is {.val {describe(parts[[wrong]])}}.", "argument")
  }
  sizes <- lengths(parts)
  if (!all(sizes %in% c(1L, max(sizes)))) {
    ridge_abort("Starts and ends must be as many, or one for all, not {and_list(sizes)}.", "argument")
  }
  ticks <- lapply(parts, as.double)
  for (pair in list(c("start_a", "end_a"), c("start_b", "end_b"))) {
    before <- which(ticks[[pair[2]]] < ticks[[pair[1]]])
    if (length(before) > 0) {
      ridge_abort("{.arg {pair[2]}} is before {.arg {pair[1]}} at place{?s} {utils::head(before, 5)}.", "argument")
    }
  }
  length <- pmin(ticks$end_a, ticks$end_b) - pmax(ticks$start_a, ticks$start_b)
  if (all(on_days)) as.integer(pmax(length + end_counts, 0)) else pmax(length, 0) / 3600
}
