# What allocated amounts and lengths of time must tie to.

#' @export
source_checks.ridge_allocate <- function(result) {
  made <- about(result)
  how <- made$how
  x <- made$source
  amounts <- x[[how$amounts$name]]
  if (!is.null(how$digits)) amounts <- sign(amounts) * floor(abs(amounts) * how$unit * (1 + 2.3e-16) + 0.5) / how$unit
  if (is.null(made$axis) || how$spread == "repeat") {
    return(repeat_checks(result, made, x, amounts))
  }
  parts <- window_parts(x, made, how)
  known <- !is.na(amounts)
  all <- sum(amounts[known])
  cut <- parts$before > 0 | parts$through < parts$whole
  outside <- outside_amounts(amounts, parts, how)
  got <- sum(own_lines(as.list(result), "amount"), na.rm = TRUE)
  checks <- list(tie("allocated + outside the window = amounts in", all, got + outside$sum, outside$tolerance))
  if (!made$to_totals && !any(cut) && nrow(result) > 0) {
    sums <- rowsum(result$amount, result$row)[, 1]
    ties <- abs(sums - amounts[match(as.integer(names(sums)), about(x)$rows)]) <= 1e-9 * pmax(1, abs(sums))
    checks <- c(checks, list(tie("records whose pieces make their amount", sum(known), sum(ties, na.rm = TRUE))))
  }
  checks
}

# What the window hides of the amounts: shares before and behind it, rounded as
# running shares are, where plain numbers can hold their products.
outside_amounts <- function(amounts, parts, how) {
  known <- !is.na(amounts)
  share <- function(part) (amounts * part / parts$whole)[known]
  amount <- amounts[known]
  if (is.null(how$digits)) {
    return(list(sum = sum(share(parts$before) + amount - share(parts$through)), tolerance = 1e-9 * max(1, sum(abs(amount)))))
  }
  units <- round(amount * how$unit)
  rounded <- function(part) sign(units) * floor((2 * abs(units) * part[known] + parts$whole[known]) / (2 * parts$whole[known]))
  exact <- all(2 * abs(units) * parts$whole[known] < 2^53)
  hidden <- sum(rounded(parts$before) + units - rounded(parts$through)) / how$unit
  list(sum = hidden, tolerance = 1e-9 * max(1, sum(abs(amount))) + if (exact) 0 else 2 * sum(known) / how$unit)
}

# How much of each record, in what its amount is spread over, comes before the
# window, through its end, and in all.
window_parts <- function(x, made, how) {
  plain <- plain_records(x)
  ticks <- axis_ticks(made$axis)
  within <- function(edge) pmin(pmax(edge, plain$start), plain$stop)
  edges <- list(before = within(ticks$first[1]), through = within(max(ticks$stop)), whole = plain$stop)
  if (how$basis == "day" || nrow(plain) == 0) {
    return(lapply(edges, `-`, plain$start))
  }
  if (how$basis == "working_day") {
    days <- seq(min(plain$start), max(plain$stop))
    worked <- days[is_working_day(as.integer(days), made$calendar)]
    upto <- function(day) findInterval(day - 0.5, worked)
    return(lapply(edges, function(edge) upto(edge) - upto(plain$start)))
  }
  first <- period_number(x, made, plain$start, FALSE)
  lapply(edges, function(edge) ifelse(edge > plain$start, period_number(x, made, edge, TRUE) - first + 1, 0))
}

# Periods counted from the first record's, over all that the records touch.
period_number <- function(x, made, tick, before) {
  facts <- plain_records(x)
  axis <- made$axis
  day <- function(at) if (is.null(axis$tz)) at else as.integer(as.Date(as_instant(at, axis$tz), tz = axis$tz))
  whole <- make_axis(axis$grain, as.integer(day(min(facts$start))), as.integer(day(max(facts$stop))), axis$calendar, axis$tz)
  if (before) findInterval(tick, whole$first, left.open = TRUE) else findInterval(tick, whole$first)
}

repeat_checks <- function(result, made, x, amounts) {
  if (is.null(made$axis)) {
    return(list())
  }
  plain <- plain_records(x)
  ticks <- axis_ticks(made$axis)
  plain$weight <- ifelse(is.na(amounts), 0, amounts)
  due <- vapply(seq_along(ticks$first), function(p) plain_level(plain, ticks$first[p], ticks$stop[p], made$how$keep, "weight"), 0)
  list(tie("amounts due in all periods", sum(due), sum(own_lines(as.list(result), "amount"), na.rm = TRUE)))
}

#' @export
source_checks.ridge_time_in <- function(result) {
  made <- about(result)
  if (is.null(made$axis) || axis_size(made$axis) == 0) {
    return(list())
  }
  scale <- if (is.null(made$axis$tz)) 86400 else 1
  ticks <- lapply(axis_ticks(made$axis), `*`, scale)
  plain <- plain_lengths(made$source)
  unit <- unit_seconds(made$unit, made$day_hours)
  all <- sum(plain_seconds(scale * plain$start, scale * plain$stop, made))
  inside <- sum(plain_seconds(pmin(pmax(scale * plain$start, ticks$first[1]), max(ticks$stop)),
                              pmax(pmin(scale * plain$stop, max(ticks$stop)), ticks$first[1]), made))
  got <- sum(own_lines(as.list(result), made$value[1]))
  list(tie(paste(made$unit, "in the periods + outside the window = lengths of the spans"), all / unit, got + (all - inside) / unit,
           1e-9 * max(1, all / unit)))
}

# Seconds between moments, of a calendar's time by looking up its stretches.
plain_seconds <- function(from, to, made) {
  to <- pmax(from, to)
  if (is.null(made$calendar) || (made$verb == "time_in" && is.null(made$calendar$hours)) || length(from) == 0) {
    return(to - from)
  }
  time <- working_stretches(made$calendar, min(from), max(to), zone_of(about(made$source)$tz))
  lengths <- cumsum(c(0, time$close - time$open))
  upto <- function(at) {
    i <- findInterval(at, time$open)
    lengths[i + 1] - ifelse(i > 0, pmax(time$close[pmax(i, 1)] - at, 0), 0)
  }
  upto(to) - upto(from)
}

#' @export
source_checks.ridge_elapsed <- function(result) {
  made <- about(result)
  scale <- if (is.null(about(made$source)$tz)) 86400 else 1
  plain <- plain_lengths(made$source)
  expected <- sum(plain_seconds(scale * plain$start, scale * plain$stop, made)) / unit_seconds(made$unit, made$day_hours)
  list(tie("sum of the lengths of the spans", expected, sum(result[[made$value]]), 1e-9 * max(1, abs(expected))))
}

#' @export
source_checks.ridge_working_days <- function(result) {
  made <- about(result)
  plain <- plain_lengths(made$source)
  if (nrow(plain) == 0) {
    return(list())
  }
  days <- seq(min(plain$start), max(plain$stop))
  worked <- days[is_working_day(as.integer(days), made$calendar)]
  expected <- sum(findInterval(plain$stop - 0.5, worked) - findInterval(plain$start - 0.5, worked))
  list(tie("working days in all", expected, sum(result$working_days)))
}
