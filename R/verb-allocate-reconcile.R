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
  if (asked$show == "balance") {
    return(balance_checks(result, x, amounts))
  }
  if (asked$spread == "repeat") {
    return(repeat_checks(result, x, amounts))
  }
  upto <- parts_upto(x, made)
  parts <- window_parts(upto, made$axis)
  checks <- if (is_whole(result)) list(allocated_check(result, amounts, parts))
  if (inherits(result, "ridge_by_period")) {
    checks <- c(checks, total_checks(result, x, amounts, upto, parts$whole))
  }
  if (!inherits(result, "ridge_records")) {
    return(checks)
  }
  if (is_whole(result) && nrow(result) > 0 && !is_cut(parts)) {
    checks <- c(checks, list(pieces_check(result, x, amounts)))
  }
  c(checks, piece_checks(result, x, amounts, upto, parts$whole))
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
  rounded <- function(part) rounded_share(units, part, parts$whole)
  exact <- all(2 * abs(units) * parts$whole < 2^53)
  hidden <- sum(rounded(parts$before) + units - rounded(parts$through)) / 10^digits
  list(sum = hidden, tolerance = tolerance + if (exact) 0 else 2 * sum(known) / 10^digits)
}

# Shares of whole units up to a part, rounded half away from zero.
rounded_share <- function(units, part, whole) {
  sign(units) * floor((2 * abs(units) * part + whole) / (2 * whole))
}

# How much of each record, in what its amount is spread over, comes before an edge.
parts_upto <- function(x, made) {
  asked <- made$question$arguments
  plain <- plain_records(x)
  all <- seq_len(nrow(plain))
  within <- function(edge, of) pmin(pmax(edge, plain$start[of]), plain$stop[of])
  if (asked$basis == "day" || nrow(plain) == 0) {
    return(function(edge, of = all) within(edge, of) - plain$start[of])
  }
  if (asked$basis == "working_day") {
    worked <- plain_working_days(plain, asked$calendar)
    return(function(edge, of = all) plain_worked(plain$start[of], within(edge, of), worked))
  }
  first <- period_number(plain, made$axis, plain$start, FALSE)
  function(edge, of = all) {
    edge <- within(edge, of)
    ifelse(edge > plain$start[of], period_number(plain, made$axis, edge, TRUE) - first[of] + 1, 0)
  }
}

# Before the window, through its end, and in all.
window_parts <- function(upto, axis) {
  list(before = upto(axis$first[1]), through = upto(axis$stop[axis_size(axis)]),
       whole = upto(Inf))
}

# Every piece of every record: its share up to the end of the period, less what came before.
piece_checks <- function(result, x, amounts, upto, whole) {
  made <- about(result)
  digits <- made$question$arguments$digits
  if (!all(c("row", "period") %in% names(result))) {
    return(not_proven("pieces", "the columns that name its rows are gone"))
  }
  units <- if (!is.null(digits)) round(amounts * 10^digits)
  if (too_large(units, whole)) {
    return(not_proven("pieces", "the amounts are too large for it"))
  }
  plain <- plain_records(x)
  slices <- plain_slices(plain$start, plain$stop, made$axis)
  of <- slices$unit
  share <- function(edge) {
    part <- upto(edge, of)
    if (is.null(digits)) amounts[of] * part / whole[of]
    else rounded_share(units[of], part, whole[of]) / 10^digits
  }
  piece <- share(made$axis$stop[slices$place]) - share(made$axis$first[slices$place])
  unit <- length_unit(made$timeline)
  expected <- data.frame(row = of, place = slices$place, amount = piece,
                         length = (slices$stop - slices$start) / unit$ticks)
  found <- data.frame(row = match(result$row, about(x)$rows), amount = result$amount,
                      place = period_places(result$period, made$axis))
  found$length <- result[[unit$name]]
  if ("working_days" %in% names(result)) {
    expected$worked <- upto(made$axis$stop[slices$place], of) -
      upto(made$axis$first[slices$place], of)
    found$worked <- result$working_days
  }
  kept <- intersect(names(expected), names(found))
  row_checks("pieces", expected[kept], found[kept], is_whole(result), c("amount", "length"))
}

# Plain numbers hold what is divided only up to a size.
too_large <- function(units, whole) {
  length(units) > 0 && any(2 * abs(units) * whole >= 2^53, na.rm = TRUE)
}

# Every total that is left, added up once more from the pieces of its records, where plain
# numbers can hold what is divided; where they cannot that is said.
total_checks <- function(result, x, amounts, upto, whole) {
  made <- about(result)
  digits <- made$question$arguments$digits
  cells <- cell_matrix(result, "amount")
  known <- which(!is.na(amounts) & whole > 0)
  units <- if (!is.null(digits)) round(amounts * 10^digits)
  if (too_large(units[known], whole[known])) {
    return(not_proven("totals", "the amounts are too large for it"))
  }
  share <- function(edge, of) {
    part <- upto(edge, of)
    if (is.null(digits)) amounts[of] * part / whole[of]
    else rounded_share(units[of], part, whole[of])
  }
  own <- !is_total_line(made)
  spans <- plain_records(x)[known, ]
  expected <- plain_parts(spans, plain_lines(x, made$groups)[known], sum(own), made$axis,
                          function(rows, place) {
    of <- known[rows]
    share(made$axis$stop[place], of) - share(made$axis$first[place], of)
  }) / (if (is.null(digits)) 1 else 10^digits)
  if (any(!own)) expected <- cbind(expected, rowSums(expected))
  cell_checks("totals", matrix(expected, nrow(cells)), cells, FALSE)
}

# Periods counted from the first record's, over all that the records touch.
period_number <- function(plain, axis, tick, before) {
  ends <- day_of_tick(c(min(plain$start), max(plain$stop)), axis$timeline)
  whole <- make_axis(axis$grain, ends[1], ends[2], axis$calendar, axis$timeline)
  findInterval(tick, whole$first[whole$first < whole$stop], left.open = before)
}

# The whole amount in each period that is due: every row, or every total.
repeat_checks <- function(result, x, amounts) {
  made <- about(result)
  asked <- made$question$arguments
  plain <- plain_records(x)
  if (inherits(result, "ridge_by_period")) {
    plain$weight <- ifelse(is.na(amounts), 0, amounts)
    expected <- repeated_totals(plain, x, made)
    return(cell_checks("amounts due", expected, cell_matrix(result, "amount"), FALSE))
  }
  if (!all(c("row", "period") %in% names(result))) {
    return(not_proven("amounts due", "the columns that name its rows are gone"))
  }
  slices <- plain_scaffold(plain, seq_len(nrow(plain)), made$axis, asked$rule)
  unit <- length_unit(made$timeline)
  expected <- data.frame(row = slices$line, place = slices$place, amount = amounts[slices$line],
                         length = slices$covered / unit$ticks, date = slices$start)
  found <- data.frame(row = match(result$row, about(x)$rows),
                      place = period_places(result$period, made$axis), amount = result$amount)
  found$length <- result[[unit$name]]
  found$date <- if ("date" %in% names(result)) as.double(result$date)
  kept <- intersect(names(expected), names(found))
  row_checks("amounts due", expected[kept], found[kept], is_whole(result), c("amount", "length"))
}

repeated_totals <- function(plain, x, made) {
  level <- function(line, lines) {
    plain_levels(plain, line, lines, made$axis, made$question$arguments$rule, "weight",
                 made$timeline)
  }
  own <- sum(!is_total_line(made))
  cells <- level(plain_lines(x, made$groups), own)
  if (any(is_total_line(made))) cbind(cells, level(rep(1, nrow(plain)), 1L)) else cells
}

# Every cell, from running shares and sums of what was billed before each edge.
balance_checks <- function(result, x, amounts) {
  made <- about(result)
  asked <- made$question$arguments
  unit <- 10^asked$digits
  upto <- parts_upto(x, made)
  whole <- upto(Inf)
  known <- which(!is.na(amounts) & whole > 0)
  units <- round(amounts * unit)
  if (too_large(units[known], whole[known])) {
    return(not_proven("balances", "the amounts are too large for it"))
  }
  billed_at <- billing_ticks(x, asked$date)[known]
  line <- plain_lines(x, made$groups)[known]
  own <- sum(!is_total_line(made))
  by_line <- function(values) plain_sums(values, line, own)
  edge_sums <- function(edge) {
    list(billed = by_line(ifelse(billed_at < edge, units[known], 0)),
         recognised = by_line(rounded_share(units, upto(edge), whole)[known]))
  }
  cells <- lapply(seq_len(axis_size(made$axis)), function(place) {
    before <- edge_sums(made$axis$first[place])
    after <- edge_sums(made$axis$stop[place])
    data.frame(opening = before$billed - before$recognised, billed = after$billed - before$billed,
               recognised = after$recognised - before$recognised,
               closing = after$billed - after$recognised)
  })
  unlist(lapply(intersect(balance_columns, names(result)), function(name) {
    expected <- do.call(rbind, lapply(cells, `[[`, name)) / unit
    if (own < made$line_count) expected <- cbind(expected, rowSums(expected))
    found <- cell_matrix(result, name)
    cell_checks(name, round(matrix(expected, nrow(found)), asked$digits), found, TRUE)
  }), recursive = FALSE)
}

# In a database.
#' @export
cells_once_more.ridge_allocate <- function(result, x) {
  made <- about(result)
  asked <- made$question$arguments
  by_period <- inherits(result, "ridge_by_period")
  if (!by_period || asked$show != "amounts" || asked$spread != "even") {
    return(NULL)
  }
  if (asked$open_to_as_of) x <- ended_as_of(x)
  amounts <- read_amounts(x, asked$amount, asked$digits)
  over <- spread_basis(x, made$question)
  list(exact = FALSE, of = function(groups) {
    plain_shares_in_database(x, made$axis, amounts$values, over, groups) / amounts$unit
  })
}
