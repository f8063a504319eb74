# What stretches, gaps, pairs and levels must tie to.

span_unit <- function(x) {
  if (is.null(about(x)$tz)) list(name = "days", size = 1) else list(name = "hours", size = 3600)
}

#' @export
source_checks.ridge_consecutive <- function(result) {
  made <- about(result)
  if (!made$plain) {
    return(list())
  }
  plain <- plain_records(made$source)
  union <- plain_union(plain, group_rows(made$source, made$line))
  # A stretch that is open runs through the as-of date, whatever else is in it.
  union <- until_as_of(union, made$source)
  unit <- span_unit(made$source)
  list(tie(paste(unit$name, "covered by the stretches"), sum(union$stop - union$start) / unit$size, sum(result[[unit$name]])),
       tie("records in stretches = records that are not empty", sum(plain$stop > plain$start), sum(result$records)))
}

#' @export
source_checks.ridge_gaps <- function(result) {
  made <- about(result)
  if (!made$plain) {
    return(list())
  }
  plain <- plain_records(made$source)
  union <- plain_union(plain, group_rows(made$source, made$line))
  unit <- span_unit(made$source)
  # Between the first start and the last end of a line: what is not covered.
  between <- union$start[-1] - union$stop[-nrow(union)]
  same <- union$id[-1] == union$id[-nrow(union)]
  list(tie(paste(unit$name, "between the stretches"), sum(between[same]) / unit$size, sum(result[[unit$name]])))
}

#' @export
source_checks.ridge_overlaps <- function(result) {
  made <- about(result)
  if (!made$plain) {
    return(list())
  }
  plain <- plain_records(made$source)
  id <- group_rows(made$source, made$line)
  # A pair of two open records is in common through the as-of date, others to the
  # end of one of them.
  open <- is.infinite(plain$stop)
  until <- until_as_of(data.frame(start = -Inf, stop = Inf), made$source)$stop
  plain$stop[open] <- max(until, plain$stop[!open], plain$start) + 1
  after <- plain[open, ]
  after$start <- pmax(after$start, until)
  common <- pair_ticks(plain, id) - pair_ticks(after, id[open])
  unit <- span_unit(made$source)
  list(tie(paste(unit$name, "in common, over all pairs"), common / unit$size, sum(result[[unit$name]])))
}

# Where n are at once there are n (n - 1) / 2 pairs.
pair_ticks <- function(plain, id) {
  kept <- plain$stop > plain$start
  at <- c(plain$start[kept], plain$stop[kept])
  line <- c(id[kept], id[kept])
  change <- rep(c(1, -1), each = sum(kept))
  order <- order(line, at)
  level <- cumsum(change[order])
  width <- c(diff(at[order]), 0)[seq_along(at)] * (c(diff(line[order]), 1)[seq_along(at)] == 0)
  sum(level * (level - 1) / 2 * width)
}

#' @export
source_checks.ridge_concurrency <- function(result) {
  made <- about(result)
  plain <- plain_records(made$source)
  if (nrow(result) == 0 || nrow(plain) == 0) {
    return(list())
  }
  best <- which.max(result$level)
  rows <- rep(TRUE, nrow(plain))
  for (name in made$groups) {
    value <- plain_tibble(made$source)[[name]]
    rows <- rows & (value == result[[name]][best] | is.na(value) & is.na(result[[name]][best]))
  }
  from <- as.numeric(result$start[best])
  until <- if (is.null(made$tz)) from + 1 else from + 1e-6
  list(tie(paste("level from", format(result$start[best])), plain_level(plain[which(rows), ], from, until, "first_day", made$of), result$level[best]))
}

#' @export
source_checks.ridge_peaks <- source_checks.ridge_concurrency
