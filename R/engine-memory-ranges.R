# What records in memory answer about partitions: the records of one key, or of other
# columns, or all together, in each by start.

# Ticks and partition codes in order, which record of x each is (`order`), and the
# values of each partition.
memory_lines <- function(x, names) {
  key <- about(x)$names$key
  if (length(key) > 0 && identical(names, key)) {
    index <- memory_index(x)
    return(list(start = index$start, stop = index$stop, line = index$key, order = index$order,
                names = names, values = index$key_values))
  }
  by_columns(x, "lines", names, build_lines)
}

build_lines <- function(x, columns) {
  ticks <- record_ticks(x)
  lines <- order_lines(ticks$start, ticks$stop, columns)
  c(lines, list(names = names(columns), held = columns))
}

order_lines <- function(start, stop, columns) {
  coded <- if (length(columns) > 0) code_values(columns)
  else list(codes = integer(length(start)), size = 1L, rows = integer())
  order <- order_records(start, coded$codes, coded$size, threads_for(length(start)))
  list(start = values_at(start, order), stop = values_at(stop, order),
       line = if (length(columns) > 0) values_at(coded$codes, order), order = order,
       values = slice_all(columns, coded$rows))
}

#' @export
stretches_of.ridge_memory <- function(x, names, far, table = NULL, between = FALSE, tags = FALSE,
                                      places = FALSE) {
  lines <- memory_lines(x, names)
  own <- function(at) lines$order[at]
  threads <- threads_for(length(lines$start))
  if (between) {
    found <- kernel_gaps(lines$start, lines$stop, lines$line, far, table$before,
                         table$origin %||% 0L, threads)
    found[c("before", "after")] <- lapply(found[c("before", "after")], own)
  } else {
    found <- kernel_stretches(lines$start, lines$stop, lines$line, far, table$before,
                              table$origin %||% 0L, tags, places, threads)
    found[c("first", "furthest")] <- lapply(found[c("first", "furthest")], own)
  }
  c(found, list(lines = lines[c("names", "values")], order = lines$order,
                covered = seq_len(line_count(lines)) - 1L))
}

# Each line has a record at least.
line_count <- function(lines) {
  if (length(lines$values) > 0) vctrs::vec_size(lines$values[[1]])
  else as.integer(length(lines$start) > 0)
}

#' @export
reach_of.ridge_memory <- function(x) {
  index <- memory_index(x)
  before <- kernel_reach(index$start, index$stop, index$key)
  at <- which(before > 0 & index$stop > index$start)
  list(at = index$order[at], before = index$order[before[at]])
}

#' @export
pairs_of.ridge_memory <- function(x, y, per, differing, least, way_out) {
  both <- if (is.null(y)) one_table(x, per[[1]], differing) else two_tables(x, y, per, differing)
  lines <- both$lines
  count <- kernel_pair_count(lines$start, lines$stop, lines$line, both$side, least,
                             threads_for(length(lines$start)))
  check_fits(sum(count), 8 * (8 + length(lines$names) + 2 * length(differing)),
             "This list of pairs", way_out)
  pairs <- kernel_pairs(lines$start, lines$stop, lines$line, both$side, both$sides, least, count)
  pairs$start <- lines$start[pairs$b]
  pairs$stop <- pmin(lines$stop[pairs$a], lines$stop[pairs$b])
  pairs$line <- if (is.null(lines$line)) integer(length(pairs$start)) else lines$line[pairs$b]
  if (!is.null(y)) pairs <- first_table_first(pairs, both$side)
  side <- if (!is.null(both$side)) list(a = both$side[pairs$a], b = both$side[pairs$b])
  pairs[c("a", "b")] <- list(both$record[pairs$a], both$record[pairs$b])
  c(pairs, list(lines = lines[c("names", "values")], side = side))
}

# What is compared: ticks by partition and start, the side that each is on, and which
# record it is.
one_table <- function(x, per, differing) {
  lines <- memory_lines(x, per)
  side <- if (length(differing) > 0) code_values(columns_of(x, differing))
  list(lines = lines, side = side$codes[lines$order], sides = side$size %||% 1L,
       record = lines$order)
}

# The second table behind the first; places of each are its own.
two_tables <- function(x, y, per, differing) {
  parts <- list(record_ticks(x), record_ticks(y))
  columns <- Map(function(a, b) join_columns(x[[a]], y[[b]], c(a, b)), per[[1]], per[[2]])
  ticks <- function(field) unlist(lapply(parts, `[[`, field))
  lines <- order_lines(ticks("start"), ticks("stop"), columns)
  lines$names <- per[[1]]
  names(lines$values) <- per[[1]]
  list(lines = lines, side = rep(0:1, c(nrow(x), nrow(y)))[lines$order], sides = 2L,
       record = c(seq_len(nrow(x)), seq_len(nrow(y)))[lines$order])
}

# Of two tables the first one's record comes first.
first_table_first <- function(pairs, side) {
  turned <- side[pairs$a] == 1L
  a <- ifelse(turned, pairs$b, pairs$a)
  b <- ifelse(turned, pairs$a, pairs$b)
  pairs[c("a", "b")] <- list(a, b)
  order <- order(pairs$line, pairs$start, pairs$a, pairs$b)
  lapply(pairs, `[`, order)
}

# How many ticks the ranges of each code cover, each tick once.
covered_ticks <- function(start, stop, codes, size) {
  order <- order_records(start, codes, size, threads_for(length(start)))
  found <- kernel_stretches(start[order], stop[order], codes[order], 0, NULL, 0L, FALSE, FALSE, 1L)
  lengths <- tapply(found$stop - found$start, factor(found$line, seq_len(size) - 1L), sum,
                    default = 0)
  as.vector(lengths)
}

#' @export
minus_of.ridge_memory <- function(x, less) {
  index <- memory_index(x)
  keys <- shared_keys_of(list(now = x, was = less))
  away <- stretches_of(less, about(less)$names$key, 0)
  # Codes of keys that only the other table has are of no record here.
  code <- unique_codes(memory_index(less)$key, keys$was)[away$line + 1L]
  met <- code < index$keys
  left <- kernel_minus(index$start, index$stop, index$key, away$start[met], away$stop[met],
                       code[met])
  pieces_of(x, index$order[left$record], left$start, left$stop)
}

# What the codes of one vector are called in another.
unique_codes <- function(own, shared) {
  first <- which(!duplicated(own))
  shared[first][order(own[first])]
}

# Spans of these ticks with the columns of the records that they are of.
pieces_of <- function(x, record, start, stop) {
  how <- conventions_of(x)
  timeline <- timeline_of(x)
  columns <- slice_all(as.list(plain_tibble(x)), record)
  if (!has_end_column(how$names)) how$names$end <- utils::tail(make.unique(c(names(x), "stop")), 1)
  stop[is_never(stop, timeline)] <- NA
  columns[[how$names$start]] <- as_moments(start, timeline)
  columns[[how$names$end]] <- ends_of(stop, timeline, how$end_counts)
  how["means_open"] <- list(NULL)
  new_spans(tibble::new_tibble(columns, nrow = length(record)), how, about(x)$rows[record])
}
