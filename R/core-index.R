# The records as the kernels need them, worked out once for a spans object:
# half-open ticks and, where there is a key, its codes. Records then come by key
# and start; `order` says which one of the spans object each is.

span_index <- function(x) {
  store <- about(x)$store
  if (is.null(store$index)) {
    store$index <- build_index(x)
  }
  store$index
}

build_index <- function(x) {
  how <- about(x)
  start <- moment_ticks(x[[how$names$start]], how$tz)
  stop <- index_stops(x, how, start)
  if (length(how$names$key) == 0) {
    return(list(start = start, stop = stop))
  }
  coded <- code_values(as.list(plain_tibble(x))[how$names$key])
  order <- order_records(start, coded$codes, coded$size)
  list(start = start[order], stop = stop[order], key = coded$codes[order], keys = coded$size,
       key_rows = coded$rows, order = order)
}

# A value for each record, in the order of the index.
in_index_order <- function(values, index) {
  if (is.null(index$order)) values else vctrs::vec_slice(values, index$order)
}

# And back: a value by place in the index, in the order of the records.
in_own_order <- function(values, x) {
  index <- span_index(x)
  if (is.null(index$order)) values else values[order(index$order)]
}

index_stops <- function(x, how, start) {
  never <- if (is.null(how$tz)) .Machine$integer.max else Inf
  if (is.null(how$names$end)) {
    return(start + 1L)
  }
  if (is.na(how$names$end)) {
    return(rep(never, nrow(x)))
  }
  values <- x[[how$names$end]]
  stop <- moment_ticks(values, how$tz) + if (is.null(how$tz)) as.integer(how$end_counts) else 0
  stop[is.na(stop)] <- never
  if (length(how$open) > 0) {
    stop[moment_days(values, how$tz) %in% how$open] <- never
  }
  stop
}

is_open_stop <- function(stop, tz) {
  if (is.null(tz)) stop == .Machine$integer.max else is.infinite(stop)
}

# Codes from 0 in the sorted order of the values, how many there are, and the
# first row that has each.
code_values <- function(columns) {
  values <- if (length(columns) == 1) columns[[1]]
  else tibble::new_tibble(columns, nrow = length(columns[[1]]))
  met <- vctrs::vec_group_id(values)
  rows <- first_met(met)
  sorted <- sort_rows(lapply(columns, vctrs::vec_slice, rows))
  rank <- integer(length(rows))
  rank[sorted] <- seq_along(rows) - 1L
  list(codes = rank[met], size = length(rows), rows = rows[sorted])
}

# The place of each row in sorted order: by columns from the left, missing last,
# text by code point so that the order is the same everywhere.
sort_rows <- function(columns) {
  if (length(columns[[1]]) == 0) {
    return(integer())
  }
  do.call(order, c(unname(columns), list(method = "radix", na.last = TRUE)))
}

# What a window needs to know: first day, last day, how many open and empty.
span_facts <- function(x) {
  store <- about(x)$store
  if (is.null(store$facts)) {
    store$facts <- find_facts(span_index(x), about(x))
  }
  store$facts
}

find_facts <- function(index, how) {
  extent <- span_extent(index$start, index$stop)
  facts <- extent[c("open", "empty")]
  if (is.infinite(extent$first)) {
    return(facts)
  }
  as_of_stop <- if (extent$open == 0) -Inf else if (is.null(how$tz)) how$as_of_day + 1L else how$as_of
  c(facts, fact_days(extent$first, extent$last_start, extent$last_stop, as_of_stop, how$tz))
}

fact_days <- function(first, last_start, last_stop, as_of_stop, tz) {
  day_before <- function(stop) if (is.null(tz)) stop - 1 else civil_day(stop - 1e-6, tz)
  day_of <- function(start) if (is.null(tz)) start else civil_day(start, tz)
  days_before <- c(if (is.finite(last_stop)) day_before(last_stop), day_of(last_start))
  shown <- c(days_before, if (is.finite(as_of_stop)) day_before(as_of_stop))
  after_start <- if (is.null(tz)) last_start + 1 else last_start + 1e-6
  list(first = as.integer(day_of(first)), last = as.integer(max(shown)),
       last_known = as.integer(max(days_before)), first_tick = first,
       stop_tick = max(after_start, last_stop, as_of_stop))
}
