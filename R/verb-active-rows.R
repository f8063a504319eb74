# Who is behind the numbers of active(): a row for each key, or record, in each period.

active_rows <- function(x, question, words) {
  asked <- question$arguments
  axis <- question$axis
  key <- setdiff(about(x)$names$key, asked$group)
  less <- spans_asked(asked, "less")
  present <- if (is.null(less)) x else minus_of(x, less)
  found <- if (asked$of == "keys") stretches_of(present, c(asked$group, key), 0) else own_ranges(x)
  met <- periods_met(found, axis, asked$rule, timeline_of(x))
  check_fits(sum(met$count), 8 * (4 + length(asked$group) + length(key)), "This list",
             coarser_by())
  range <- rep(seq_along(met$count), met$count)
  place <- met$places[sequence(met$count, met$from)]
  line <- found$line[range] + 1L
  named <- if (asked$of == "keys") {
    function(names) slice_all(found$lines$values[names], line)
  } else function(names) slice_all(columns_of(x, names), line)
  weight <- if (asked$of == "weight") {
    stats::setNames(list(record_weights(x)[line]), about(x)$names$weight)
  }
  columns <- c(named(asked$group), slice_all(axis_columns(axis, asked$label), place), named(key),
               weight, if (asked$of != "keys") list(row = source_rows(x, line)))
  own <- if (length(asked$group)) code_values(columns[asked$group])$codes else integer(length(line))
  order <- order(own, place, if (asked$of == "keys") line else codes_of(x, key)[line], line)
  new_records(question, x, slice_all(columns, order), words, values = "period")
}

# Each record as a range of its own, by start.
own_ranges <- function(x) {
  ticks <- record_ticks(x)
  kept <- which(ticks$stop > ticks$start)
  list(start = ticks$start[kept], stop = ticks$stop[kept], line = kept - 1L)
}

# In which periods each range counts by a rule: the first one among `places`, those that
# hold a tick, and how many. A key that comes again within a period is in it once.
periods_met <- function(found, axis, rule, timeline) {
  n <- length(found$start)
  if (is.null(axis) || n == 0) {
    return(list(from = integer(), count = integer(), places = integer()))
  }
  real <- which(axis$first < axis$stop)
  at <- deciding_ticks(rule, axis$first[real], axis$stop[real], timeline)
  from <- findInterval(found$start, at$begun_by, left.open = TRUE) + 1L
  to <- findInterval(found$stop, at$over_by, left.open = TRUE)
  again <- which(found$line[-1] == found$line[-n]) + 1L
  from[again] <- pmax(from[again], to[again - 1L] + 1L)
  list(from = from, count = pmax(to - from + 1L, 0L), places = real)
}

# Every row, and no other.
active_row_checks <- function(result, x) {
  made <- about(result)
  asked <- made$question$arguments
  key <- about(x)$names$key
  if (is.null(made$axis) || !all(c(asked$group, key) %in% names(result))) {
    return(not_proven("rows", "the columns that name them are gone"))
  }
  plain <- plain_records(x)
  names <- unique(c(asked$group, key))
  partition <- plain_partition(plain_tibble(x)[names])
  own <- asked$of != "keys"
  line <- if (own) seq_len(nrow(plain)) else partition$of
  left <- plain_less(plain, line, x, spans_asked(asked, "less"))
  slices <- plain_scaffold(left$plain, left$line, made$axis, asked$rule)
  found <- data.frame(line = if (own) match(result$row, about(x)$rows)
                      else line_of_row(result, partition$values, names),
                      place = period_places(result$period, made$axis))
  row_checks("rows", slices[c("line", "place")], found, is_whole(result))
}
