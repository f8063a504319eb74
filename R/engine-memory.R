# Records in memory, through the kernels of src/core. The index is worked out once for a
# spans object: half-open ticks and, where there is a key, its codes. Records then come
# by key and start; `order` says which one of the spans object each is.

memory_engine <- function() {
  structure(list(), class = "ridge_memory")
}

memory_index <- function(x) {
  cached(x, "index", find_index(x, columns_of(x, about(x)$names$key)))
}

find_index <- function(x, keys) {
  store <- cache_store(about(x)$cache)
  from <- store$chosen
  if (is.null(from)) {
    return(build_index(ticks_and_extent(x), keys))
  }
  store$chosen <- NULL
  all <- from$index
  kept <- chosen_index(all$start, all$stop, all$key, all$order, from$rows,
                       threads_for(length(all$start)))
  sorted_index(kept, keys, with_extent(kept)$extent)
}

build_index <- function(ticks, keys) {
  if (length(keys) == 0) {
    return(ticks)
  }
  threads <- threads_for(length(ticks$start))
  sorted <- by_whole_key(ticks, keys, threads)
  if (is.null(sorted)) {
    coded <- code_values(keys)
    sorted <- c(keyed_records(ticks$start, ticks$stop, coded$codes, coded$size, threads),
                list(rows = coded$rows))
  }
  sorted_index(sorted, keys, ticks$extent)
}

sorted_index <- function(sorted, keys, extent) {
  c(sorted[c("start", "stop", "key", "order")],
    list(keys = length(sorted$rows), key_values = lapply(keys, values_at, sorted$rows),
         extent = extent))
}

# Whole numbers that lie close together are sorted as they are; they need no codes before.
by_whole_key <- function(ticks, keys, threads) {
  if (length(keys) == 1 && is.integer(keys[[1]]) && is_codable(keys[[1]])) {
    numbered_records(ticks$start, ticks$stop, keys[[1]], threads)
  }
}

# The index with records by start also where there is no key.
ordered_index <- function(x) {
  index <- memory_index(x)
  if (!is.null(index$order)) {
    return(index)
  }
  order <- order_records(index$start, NULL, 1L, threads_for(length(index$start)))
  list(start = values_at(index$start, order), stop = values_at(index$stop, order), order = order)
}

# A value for each record, in the order of the index, and back.
in_index_order <- function(values, index) {
  if (is.null(index$order)) values else values_at(values, index$order)
}

in_record_order <- function(values, index) {
  if (is.null(index$order)) {
    return(values)
  }
  own <- values
  own[index$order] <- values
  own
}

# The weights as a scale that all sums share, which does not depend on how they are cut
# into parts.
memory_weights <- function(x) {
  cached(x, "weights", scaled(in_index_order(record_weights(x), memory_index(x))))
}

scaled <- function(values, scale = NULL) {
  list(values = values, scale = scale %||% fixed_scale(values))
}

#' @export
facts_of.ridge_memory <- function(x) {
  cached(x, "facts", find_facts(memory_index(x), x))
}

find_facts <- function(index, x) {
  facts_of_extent(index$extent, index$keys, x, length(index$start))
}

facts_of_extent <- function(extent, keys, x, records) {
  timeline <- timeline_of(x)
  facts <- list(records = records, open = extent$open, empty = extent$empty, keys = keys)
  if (is.infinite(extent$first)) {
    return(facts)
  }
  day_before <- function(stop) day_of_tick(tick_before(stop, timeline), timeline)
  known <- c(if (is.finite(extent$last_stop)) day_before(extent$last_stop),
             day_of_tick(extent$last_start, timeline))
  as_of_stop <- if (extent$open > 0) about(x)$as_of_stop
  c(facts, list(
    first = as.integer(day_of_tick(extent$first, timeline)),
    last = as.integer(max(known, if (!is.null(as_of_stop)) day_before(as_of_stop))),
    last_known = as.integer(max(known)), first_tick = extent$first,
    stop_tick = max(tick_after(extent$last_start, timeline), extent$last_stop, as_of_stop)
  ))
}

#' @export
groups_of.ridge_memory <- function(x, names) {
  if (length(names) == 0) {
    return(list(names = names, codes = NULL, size = 1L, values = list()))
  }
  key <- about(x)$names$key
  if (identical(names, key)) {
    index <- memory_index(x)
    return(list(names = names, codes = index$key, size = index$keys,
                values = index$key_values))
  }
  by_columns(x, "group", names, build_groups)
}

# Worked out once for these columns, as long as they are the same.
by_columns <- function(x, what, names, build) {
  store <- cache_store(about(x)$cache)
  entry <- paste(c(what, names), collapse = "\r")
  if (is.null(store[[entry]]) || !same_columns(x, names, store[[entry]]$held)) {
    store[[entry]] <- build(x, columns_of(x, names))
  }
  store[[entry]]
}

# The groups of records are those of the same records in the same order.
keep_groups <- function(x, same) {
  from <- cache_store(about(same)$cache)
  for (entry in grep("^group\r", names(from), value = TRUE)) cached(x, entry, from[[entry]])
}

same_columns <- function(x, names, held) {
  all(vapply(names, function(name) rlang::is_reference(x[[name]], held[[name]]), NA))
}

build_groups <- function(x, columns) {
  coded <- code_values(columns)
  list(names = names(columns), codes = in_index_order(coded$codes, memory_index(x)),
       size = coded$size, values = slice_all(columns, coded$rows), held = columns)
}

#' @export
records_behind.ridge_memory <- function(x, which, columns = character()) x

#' @export
codes_of.ridge_memory <- function(x, names) {
  if (length(names) == 0) {
    return(integer(nrow(x)))
  }
  in_record_order(groups_of(x, names)$codes, memory_index(x))
}
