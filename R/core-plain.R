# The source looked at once more, in plain vectors and sums: what results must
# tie to. Nothing here uses the kernels, or what they use.

# One row per record: half-open ticks (days or seconds), the key and the weight.
plain_records <- function(x) {
  how <- about(x)
  columns <- plain_tibble(x)
  ticks <- function(column) if (is.null(how$tz)) floor(as.numeric(column)) else as.numeric(column)
  start <- ticks(columns[[how$names$start]])
  stop <- if (is.null(how$names$end)) start + 1
  else if (is.na(how$names$end)) rep(Inf, nrow(x))
  else {
    end <- columns[[how$names$end]]
    day <- as.integer(if (is.null(how$tz)) end else as.Date(end, tz = how$tz))
    ifelse(is.na(end) | day %in% how$open, Inf, ticks(end) + (is.null(how$tz) && how$end_counts))
  }
  key <- how$names$key
  data.frame(start = start, stop = stop, key = if (length(key)) as.integer(vctrs::vec_group_id(columns[key])) else seq_len(nrow(x)),
             weight = if (is.null(how$names$weight)) rep(1, nrow(x)) else as.double(columns[[how$names$weight]]))
}

# The same with open records ending when the as-of date does.
plain_lengths <- function(x) {
  until_as_of(plain_records(x), x)
}

until_as_of <- function(plain, x) {
  how <- about(x)
  until <- if (is.null(how$tz)) how$as_of_day + 1 else how$as_of
  plain$stop[is.infinite(plain$stop)] <- until
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
plain_level <- function(plain, from, to, rule, of) {
  used <- if (of == "keys") plain_union(plain, plain$key) else plain[plain$stop > plain$start, ]
  if (from >= to) {
    return(0)
  }
  start <- pmax(used$start, from)
  stop <- pmin(used$stop, to)
  weight <- if (of == "weight") used$weight else rep(1, nrow(used))
  if (rule == "mean_day") {
    return(sum(weight * pmax(stop - start, 0)) / (to - from))
  }
  if (rule == "peak_day") {
    return(plain_peak(start, stop, weight))
  }
  met <- switch(rule, any_day = stop > start, first_day = used$start <= from & used$stop > from,
                last_day = used$start < to & used$stop >= to, every_day = used$start <= from & used$stop >= to)
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
