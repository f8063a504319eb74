# The source looked at once more, in plain vectors and sums: what results must
# tie to. Nothing here uses the kernels, or what they use.

# One row per record: half-open ticks (days or seconds), the key and the weight.
plain_records <- function(x) {
  how <- about(x)
  columns <- plain_tibble(x)
  ticks <- lapply(record_ticks(x), as.double)
  ticks$stop[is_never(record_ticks(x)$stop, how$timeline)] <- Inf
  key <- how$names$key
  data.frame(
    start = ticks$start, stop = ticks$stop,
    key = if (length(key)) as.integer(vctrs::vec_group_id(columns[key])) else seq_len(nrow(x)),
    weight = if (is.null(how$names$weight)) rep(1, nrow(x)) else record_weights(x)
  )
}

# Which line of a result each record is in, from 1: lines are in the sorted order of
# their values, the missing ones last.
plain_lines <- function(x, names) {
  if (length(names) == 0) {
    return(rep(1L, nrow(x)))
  }
  columns <- plain_tibble(x)[names]
  distinct <- unique(columns)
  sorted <- distinct[sort_rows(as.list(distinct)), ]
  vctrs::vec_match(columns, sorted)
}

# The same with open records ending when the as-of date does.
plain_lengths <- function(x) {
  ended_by_as_of(plain_records(x), x)
}

ended_by_as_of <- function(plain, x) {
  plain$stop[is.infinite(plain$stop)] <- about(x)$as_of_stop
  plain$stop <- pmax(plain$stop, plain$start)
  plain
}

# Records of one id that touch or overlap as one.
plain_union <- function(plain, id) {
  kept <- plain$stop > plain$start
  start <- plain$start[kept]
  stop <- plain$stop[kept]
  id <- id[kept]
  order <- order(id, start)
  start <- start[order]
  stop <- stop[order]
  id <- id[order]
  reached <- stats::ave(stop, id, FUN = cummax)
  new <- c(TRUE, id[-1] != id[-length(id)] | start[-1] > reached[-length(reached)])[seq_along(id)]
  last <- c(which(new)[-1] - 1L, length(id))[seq_len(sum(new))]
  data.frame(id = id[new], start = start[new], stop = reached[last])
}

# The level between two ticks by a rule.
plain_level <- function(plain, from, to, rule, of, timeline) {
  used <- if (of == "keys") plain_union(plain, plain$key) else plain[plain$stop > plain$start, ]
  if (from >= to) {
    return(0)
  }
  weight <- if (of == "weight") used$weight else rep(1, nrow(used))
  start <- pmax(used$start, from)
  stop <- pmin(used$stop, to)
  if (is_average(rule)) {
    return(sum(weight * pmax(stop - start, 0)) / (to - from))
  }
  if (!active_rules[[rule]]$chooses) {
    return(plain_peak(start, stop, weight))
  }
  at <- deciding_ticks(rule, from, to, timeline)
  met <- used$start <= at$begun_by & used$stop > at$over_by
  if (of == "keys") length(unique(used$id[met])) else sum(weight[met])
}

plain_peak <- function(start, stop, weight) {
  kept <- stop > start
  at <- c(start[kept], stop[kept])
  change <- c(weight[kept], -weight[kept])
  if (length(at) == 0) {
    return(0)
  }
  order <- order(at, change)
  max(0, cumsum(change[order]))
}

# Every working day from the first to the last that the records know.
plain_working_days <- function(plain, calendar) {
  days <- seq(min(plain$start), max(plain$stop))
  days[is_working_day(as.integer(days), calendar)]
}

# Seconds between moments, of a calendar's time by looking up its stretches.
plain_seconds <- function(from, to, calendar, tz) {
  to <- pmax(from, to)
  if (is.null(calendar) || length(from) == 0) {
    return(to - from)
  }
  time <- working_stretches(calendar, min(from), max(to), tz)
  lengths <- cumsum(c(0, time$close - time$open))
  upto <- function(at) {
    i <- findInterval(at, time$open)
    lengths[i + 1] - ifelse(i > 0, pmax(time$close[pmax(i, 1)] - at, 0), 0)
  }
  upto(to) - upto(from)
}
