# What allocated amounts must tie to.

#' @export
source_checks.ridge_allocate <- function(result, x) {
  made <- about(result)
  asked <- made$question$arguments
  if (asked$open_to_as_of) x <- ended_as_of(x)
  if (is.null(made$axis) || nrow(result) == 0 && !is_whole(result)) {
    return(list())
  }
  amounts <- exact_amounts(x[[asked$amount]], asked$digits)
  if (asked$spread == "repeat") {
    return(repeat_checks(result, x, amounts))
  }
  parts <- window_parts(x, made)
  checks <- if (is_whole(result)) list(allocated_check(result, amounts, parts))
  if (inherits(result, "ridge_records") && is_whole(result) && nrow(result) > 0 && !is_cut(parts)) {
    checks <- c(checks, list(pieces_check(result, x, amounts)))
  }
  checks
}

exact_amounts <- function(amounts, digits) {
  if (is.null(digits)) {
    return(amounts)
  }
  unit <- 10^digits
  size <- abs(amounts)
  whole <- floor(size * unit)
  # What is no whole number of units, and was written as half of one, goes up.
  up <- whole / unit != size & (whole + 0.5) / unit == size
  sign(amounts) * ifelse(up, whole + 1, round(size * unit)) / unit
}

is_cut <- function(parts) {
  any(parts$before > 0 | parts$through < parts$whole)
}

allocated_check <- function(result, amounts, parts) {
  outside <- outside_amounts(amounts, parts, about(result)$question$arguments$digits)
  found <- sum(result$amount[own_rows(result)], na.rm = TRUE)
  tie("allocated + outside the window = amounts in", sum(amounts, na.rm = TRUE),
      found + outside$sum, outside$tolerance)
}

pieces_check <- function(result, x, amounts) {
  sums <- rowsum(result$amount, result$row)[, 1]
  own <- amounts[match(as.integer(names(sums)), about(x)$rows)]
  ties <- abs(sums - own) <= 1e-9 * pmax(1, abs(sums))
  tie("records whose pieces make their amount", sum(!is.na(amounts)), sum(ties, na.rm = TRUE))
}

# What the window hides of the amounts: shares before and behind it, rounded as
# running shares are, where plain numbers can hold their products.
outside_amounts <- function(amounts, parts, digits) {
  known <- !is.na(amounts)
  amount <- amounts[known]
  parts <- lapply(parts, `[`, known)
  tolerance <- 1e-9 * max(1, sum(abs(amount)))
  if (is.null(digits)) {
    hidden <- amount * parts$before / parts$whole + amount - amount * parts$through / parts$whole
    return(list(sum = sum(hidden), tolerance = tolerance))
  }
  units <- round(amount * 10^digits)
  rounded <- function(part) {
    sign(units) * floor((2 * abs(units) * part + parts$whole) / (2 * parts$whole))
  }
  exact <- all(2 * abs(units) * parts$whole < 2^53)
  hidden <- sum(rounded(parts$before) + units - rounded(parts$through)) / 10^digits
  list(sum = hidden, tolerance = tolerance + if (exact) 0 else 2 * sum(known) / 10^digits)
}

# How much of each record, in what its amount is spread over, comes before the
# window, through its end, and in all.
window_parts <- function(x, made) {
  asked <- made$question$arguments
  plain <- plain_records(x)
  within <- function(edge) pmin(pmax(edge, plain$start), plain$stop)
  size <- axis_size(made$axis)
  edges <- list(before = within(made$axis$first[1]), through = within(made$axis$stop[size]),
                whole = plain$stop)
  if (asked$basis == "day" || nrow(plain) == 0) {
    return(lapply(edges, `-`, plain$start))
  }
  if (asked$basis == "working_day") {
    worked <- plain_working_days(plain, asked$calendar)
    upto <- function(day) findInterval(day - 0.5, worked)
    return(lapply(edges, function(edge) upto(edge) - upto(plain$start)))
  }
  first <- period_number(plain, made$axis, plain$start, FALSE)
  lapply(edges, function(edge) {
    ifelse(edge > plain$start, period_number(plain, made$axis, edge, TRUE) - first + 1, 0)
  })
}

# Periods counted from the first record's, over all that the records touch.
period_number <- function(plain, axis, tick, before) {
  ends <- day_of_tick(c(min(plain$start), max(plain$stop)), axis$timeline)
  whole <- make_axis(axis$grain, ends[1], ends[2], axis$calendar, axis$timeline)
  findInterval(tick, whole$first, left.open = before)
}

# Amounts due in all periods, or in the rows that are left.
repeat_checks <- function(result, x, amounts) {
  made <- about(result)
  if (!is_whole(result)) {
    return(list())
  }
  plain <- plain_records(x)
  plain$weight <- ifelse(is.na(amounts), 0, amounts)
  due <- vapply(seq_len(axis_size(made$axis)), function(place) {
    plain_level(plain, made$axis$first[place], made$axis$stop[place],
                made$question$arguments$rule, "weight", made$timeline)
  }, 0)
  list(tie("amounts due in all periods", sum(due),
           sum(result$amount[own_rows(result)], na.rm = TRUE)))
}
