# What records in memory answer by period.

#' @export
levels_of.ridge_memory <- function(x, axis, groups, rule, of, values = NULL, how = NULL,
                                   scale = NULL, ...) {
  index <- memory_index(x)
  how <- how %||% at_once(length(index$start))
  weights <- if (!is.null(values)) scaled(in_index_order(values, index), scale)
  else if (of == "weight") memory_weights(x)
  key <- if (of == "keys") index$key
  if (is.null(axis)) {
    return(kernel_steps(index$start, index$stop, groups$codes, key, weights$values,
                        weights$scale %||% 1, how))
  }
  if (groups$size == 0L) {
    return(if (of == "weight" || is_average(rule)) double() else integer())
  }
  kernel_levels(index$start, index$stop, axis$first, axis$stop, groups$codes, groups$size, key,
                weights$values, weights$scale %||% 1, rule, how)
}

#' @export
flows_of.ridge_memory <- function(x, axis, groups, of, total, returns, how = NULL, ...) {
  index <- memory_index(x)
  how <- how %||% at_once(length(index$start))
  weights <- if (of == "weight") memory_weights(x)
  cells <- kernel_flows(index$start, index$stop, axis$first, axis$stop, groups$codes, groups$size,
                        if (of == "keys") index$key, weights$values, weights$scale %||% 1, total,
                        returns, how)
  if (how$keep) cells else array(cells, c(axis_size(axis), 8L, groups$size + total))
}

#' @export
flow_rows_of.ridge_memory <- function(x, axis, groups, of, returns) {
  if (of != "keys") {
    return(record_flow_rows(x, axis, groups))
  }
  index <- memory_index(x)
  rows <- kernel_movement_rows(index$start, index$stop, axis$first, axis$stop, groups$codes,
                               groups$size, index$key, returns)
  list(line = rows$line + 1L, other = replace(rows$other, rows$other < 0L, NA) + 1L,
       flow = flow_names[rows$flow + 1L], place = rows$place + 1L,
       record = (index$order %||% seq_along(index$start))[rows$record + 1L], at = rows$at)
}

flow_names <- c("opening", "started", "returned", "moved_in", "ended", "moved_out")

# Records only start and end.
record_flow_rows <- function(x, axis, groups) {
  ticks <- lapply(record_ticks(x), as.double)
  line <- codes_of(x, groups$names) + 1L
  size <- axis_size(axis)
  place <- function(at) ifelse(at < axis$first[1], 0, findInterval(at, axis$stop) + 1)
  last <- tick_before(ticks$stop, timeline_of(x))
  begun <- place(ticks$start)
  over <- ifelse(is_never(record_ticks(x)$stop, timeline_of(x)), size + 1, place(last))
  there <- ticks$stop > ticks$start
  rows <- function(flow, chosen, place, at) {
    chosen <- which(chosen & there)
    list(line = line[chosen], flow = rep(flow, length(chosen)),
         place = as.integer(rep_len(place, length(line))[chosen]), record = chosen,
         at = at[chosen])
  }
  found <- Map(c, rows("opening", begun == 0 & over >= 1, 1, ticks$start),
               rows("started", begun >= 1 & begun <= size, begun, ticks$start),
               rows("ended", over >= 1 & over <= size, over, last))
  c(found, list(other = rep(NA_integer_, length(found$line))))
}

#' @export
cohorts_of.ridge_memory <- function(x, axis, groups, rule, returns, how = NULL, ...) {
  index <- memory_index(x)
  # Without a key each record is one.
  key <- index$key %||% (seq_along(index$start) - 1L)
  kernel_cohorts(index$start, index$stop, axis$first, axis$stop, key, groups$codes, groups$size,
                 rule, returns, about(x)$as_of_stop, how %||% at_once(length(index$start)))
}

#' @export
spread_of.ridge_memory <- function(x, axis, values, over, per, groups = NULL, how = NULL,
                                   known = NULL, ...) {
  index <- if (per == "records") ordered_index(x) else memory_index(x)
  spans <- if (over$clock) clock_spans(x, index) else index
  periods <- spread_periods(axis, over)
  values <- if (!is.null(values)) in_index_order(values, index)
  switch(per,
    groups = spread_totals(spans, periods, values, over, groups, axis_size(axis), known,
                           how %||% at_once(length(spans$start))),
    wholes = list(record = index$order %||% seq_along(spans$start),
                  whole = kernel_spread_wholes(spans$start, spans$stop, periods$first,
                                               periods$stop, over$measure, over$equal_parts)),
    records = spread_pieces(spans, periods, values, over, index$order)
  )
}

spread_periods <- function(axis, over) {
  ticking(if (over$clock) clock_periods(axis) else all_periods(axis))
}

# The largest of these amounts by what it is spread over.
largest_rate <- function(x, axis, values, over) {
  index <- memory_index(x)
  periods <- spread_periods(axis, over)
  kernel_largest_rate(index$start, index$stop, in_index_order(values, index), periods$first,
                      periods$stop, over$measure, over$equal_parts, threads_for(nrow(x)))
}

# By group and period, 0 in those that hold no tick.
spread_totals <- function(spans, periods, values, over, groups, size, known, how) {
  totals <- kernel_spread_totals(spans$start, spans$stop, values, groups$codes, groups$size,
                                 periods$first, periods$stop, periods$from, periods$to,
                                 over$measure, over$equal_parts, over$rounded, known, how)
  if (is.null(periods$left) || how$keep) {
    return(totals)
  }
  all <- matrix(0, size, groups$size)
  all[periods$left, ] <- totals
  as.vector(all)
}

# Places of records and of the periods shown, in place of the kernel's.
spread_pieces <- function(spans, periods, values, over, order) {
  rows <- kernel_spread_size(spans$start, spans$stop, periods$first, periods$stop, periods$from,
                             periods$to)
  check_fits(rows, 8 * 10, "This list",
             paste0("Total it with ", arg_name("group"), ", or choose a coarser ",
                    arg_name("by"), " or a narrower window."))
  found <- kernel_spread_rows(spans$start, spans$stop, values, periods$first, periods$stop,
                              periods$from, periods$to, over$measure, over$equal_parts,
                              over$rounded, rows)
  found$record <- order[found$record]
  found$period <- found$period - periods$from
  if (!is.null(periods$left)) found$period <- periods$left[found$period]
  found
}

# Spans and periods in seconds, open spans through the as-of date.
clock_spans <- function(x, index) {
  ticks <- through_as_of(index[c("start", "stop")], x)
  lapply(ticks, in_seconds, timeline_of(x))
}

clock_periods <- function(axis) {
  list(first = in_seconds(axis$first, axis$timeline), stop = in_seconds(axis$stop, axis$timeline),
       from = 0L, to = axis_size(axis))
}

#' @export
slices_of.ridge_memory <- function(x, axis, rule, of, columns) {
  if (of == "records") record_slices(x, axis, rule, columns)
  else key_slices(memory_index(x), memory_index(x)$key, axis, rule, columns)
}

# list(order, counts, nth, start, end, length, period, period_end): each record, in
# order, as often as counted. By day a slice is its period, and only that is filled.
record_slices <- function(x, axis, rule, columns) {
  index <- ordered_index(x)
  all <- ticking(all_periods(axis))
  daily <- on_days(axis$timeline) && axis$grain$unit == "day" && axis$grain$size == 1L
  counts <- kernel_slice_counts(index$start, index$stop, all$first, all$stop, all$from, all$to,
                                rule, threads_for(length(index$start)))
  rows <- sum(as.double(counts))
  check_fits(rows, 4 * 3 + 8 * (if (daily) 1 else 4) + 8 * columns, "This scaffold",
             coarser_by(", or a count"))
  filled <- kernel_slices(index$start, index$stop, all$first, all$stop, all$from, all$to, rule,
                          end_less(axis$timeline), rows, daily, threads_for(rows))
  c(list(order = index$order, counts = counts, daily = daily), filled)
}

# list(key, nth, place, start, end, length, ...) of lines, each a key or a record.
key_slices <- function(index, line, axis, rule, columns) {
  all <- ticking(all_periods(axis))
  rows <- kernel_key_slice_count(index$start, index$stop, all$first, all$stop, line, all$from,
                                 all$to, rule)
  check_fits(rows, 4 * 4 + 8 * 4 + 8 * columns, "This scaffold", coarser_by(", or a count"))
  found <- kernel_key_slices(index$start, index$stop, all$first, all$stop, line, all$from, all$to,
                             rule, end_less(axis$timeline), rows)
  if (!is.null(all$left)) found$place <- all$left[found$place]
  found
}

#' @export
conditions_met.ridge_memory <- function(x, when, of, together) {
  met <- record_conditions(record_ticks(x), when, timeline_of(x))
  counted <- function(chosen) {
    switch(of, keys = length(unique(codes_of(x, about(x)$names$key)[chosen])),
           weight = exact_sum(record_weights(x)[chosen], record_weights(x)))
  }
  c(met, list(records = rep(1L, nrow(x)), counted = counted(met$active),
              all = counted(rep(TRUE, nrow(x))),
              together = if (together) length(covering_keys(x, when))))
}

# In the fixed point of all weights, so that no residue of floating point shows.
exact_sum <- function(values, weights) {
  scale <- fixed_scale(weights)
  sum(round(values * scale)) / scale
}

# Codes of the keys whose records cover the whole period together.
covering_keys <- function(x, when) {
  whole <- stretches_of(x, about(x)$names$key, 0)
  unique(whole$line[whole$start <= when$first & whole$stop >= when$stop])
}
