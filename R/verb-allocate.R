#' How much falls in each period
#'
#' Spreads the amount of each record over its span: evenly by day (on instants by
#' moment), by working day, or in equal parts per period; or repeats it whole in
#' each period. The pieces of a record add up to its amount: with `digits` to the
#' last digit, and none is more than one unit off its exact share.
#'
#' A window only hides: shares are worked out over the whole span, and the line of
#' conventions says how much lies outside. With `digits`, amounts are rounded to
#' them first; a piece is the difference of two rounded running shares, so that it
#' depends on its own record alone, never on the order of rows. Group totals are
#' the sums of the rounded pieces.
#'
#' @param x A [spans()] object.
#' @param amount The column of amounts: numbers of any sign; a missing one gives
#'   missing pieces and counts nowhere.
#' @param by A grain such as `"month"` (the default) or a table of periods: see
#'   [periods()].
#' @param group The columns to total by, or `NULL`: a row per record and period.
#' @param digits How many decimal digits the pieces have (0 to 6), or `NULL`: not
#'   rounded.
#' @param basis `"day"` (on instants the time that passes), `"working_day"` of the
#'   calendar, or `"period"`: equal parts in each period the span touches.
#' @param spread `"even"`, or `"repeat"`: the whole amount in each period.
#' @param keep With `spread = "repeat"`, which periods are due: `"any_day"` (the
#'   default), `"first_day"`, `"last_day"` or `"every_day"`; see [active()].
#' @param carry Columns of the records to carry along; `NULL` for none.
#' @param until_as_of `TRUE`: open spans end on the as-of date. Otherwise an even
#'   share of an open span is an error.
#' @param total `TRUE`: also the line over all groups; without groups only it.
#' @param show `"amounts"`, or `"calculation"`: also the rate and what it is per,
#'   to check a piece by hand.
#' @param from,to,whole,calendar,label As in [active()].
#' @return A tibble. Per record: `row`, the key, what is carried, `period`,
#'   `period_end`, `days` of the span in the period (or `hours`), `working_days`
#'   by that basis, `amount`; with `show = "calculation"` also `spread_over` (days,
#'   hours, working days or periods in all) and `rate` per one of these. With
#'   `spread = "repeat"` a `date`, the later of the period's and the span's start.
#'   Totals: the group columns, `total` where asked for, `period`, `period_end`,
#'   `amount`, 0 where nothing is.
#' @section Errors:
#' Spans without an even share (open, empty, or without a working day) are an
#' error of class `ridge_error_records` that names their rows; amounts that are no
#' numbers too. A wrong argument is of class `ridge_error_argument`.
#' @examples
#' grants <- spans(demo_records("grants"), first_day, last_day, key = grant,
#'                 as_of = "2026-06-30")
#' allocate(subset(grants, grant == "G-001"), amount, digits = 2)
#' allocate(grants, amount, by = "year", group = funder, digits = 2)
#' pledges <- spans(demo_records("pledges"), first_day, last_day, key = supporter,
#'                  as_of = "2026-06-30")
#' allocate(pledges, monthly, spread = "repeat", from = "2026-05-01", to = "2026-06-30")
#' @export
allocate <- function(x, amount, by = NULL, group = NULL, digits = NULL, basis = "day", spread = "even",
                     keep = NULL, carry = NULL, until_as_of = FALSE, total = FALSE, show = "amounts",
                     from = NULL, to = NULL, whole = NULL, calendar = calendar_rules(), label = NULL) {
  UseMethod("allocate")
}

#' @export
allocate.default <- function(x, ...) {
  check_spans_class(x, "allocate")
}

#' @export
allocate.ridge_spans <- function(x, amount, by = NULL, group = NULL, digits = NULL, basis = "day", spread = "even",
                                 keep = NULL, carry = NULL, until_as_of = FALSE, total = FALSE, show = "amounts",
                                 from = NULL, to = NULL, whole = NULL, calendar = calendar_rules(), label = NULL) {
  check_spans_class(x, "allocate")
  how <- check_allocation(digits, basis, spread, keep, until_as_of, total, show, label)
  if (until_as_of) x <- ended_as_of(x)
  how$amounts <- read_amounts(x, pick_one(plain_tibble(x), rlang::enquo(amount), "amount"), digits)
  groups <- group_codes(x, pick_groups(x, rlang::enquo(group), c(allocated_columns, "total")))
  carry <- pick_carried(x, rlang::enquo(carry), "records")
  check_free_names(c(carry, about(x)$names$key), allocated_columns, "allocate")
  axis <- resolve_axis(x, resolve_by(rlang::enquo(by), x, "month"), from, to, whole, calendar)
  if (basis == "working_day") working_table(x, calendar)
  to_totals <- length(groups$names) > 0 || total
  columns <- if (spread == "repeat") repeated_amounts(x, axis, how, groups, carry, to_totals)
  else even_amounts(x, axis, how, groups, carry, to_totals, calendar)
  new_result(columns, "allocate", describe_allocation(x, axis, how, groups, columns, to_totals, calendar), axis = axis,
             groups = groups$names, to_totals = to_totals, digits = digits, label = label, value = "amount", source = x, how = how,
             ids = c(if (to_totals) groups$names else c("row", about(x)$names$key, carry)), calendar = calendar)
}

allocated_columns <- c("row", "period", "period_end", "label", "days", "hours", "working_days", "amount", "spread_over", "rate", "date")

check_allocation <- function(digits, basis, spread, keep, until_as_of, total, show, label) {
  check_choice(basis, c("day", "working_day", "period"), "basis")
  check_choice(spread, c("even", "repeat"), "spread")
  check_choice(show, c("amounts", "calculation"), "show")
  check_flag(until_as_of, "until_as_of")
  check_flag(total, "total")
  check_label(label)
  if (!is.null(digits) && (check_amount(digits, "digits", whole = TRUE) > 6)) {
    ridge_abort("{.arg digits} must be a whole number from 0 to 6, not {.val {digits}}.", "argument")
  }
  if (spread == "even" && !is.null(keep)) {
    ridge_abort(c("{.arg keep} chooses the periods of repeated amounts.", i = "Say {.code spread = \"repeat\"}, or leave it out."), "argument")
  }
  if (spread == "repeat" && (basis != "day" || show == "calculation")) {
    ridge_abort("{.arg basis} and {.arg show} have no meaning with {.code spread = \"repeat\"}: the whole amount is due in each period.", "argument")
  }
  list(digits = digits, basis = basis, spread = spread, keep = check_choice(first_of(keep, "any_day"), count_rules[1:4], "keep"),
       total = total, show = show, label = label, unit = 10^first_of(digits, 0))
}

# The amounts, in units of the last digit where they are rounded.
read_amounts <- function(x, name, digits) {
  given <- x[[name]]
  if (!is.numeric(given)) {
    ridge_abort(c("Column {.val {name}}, the {.arg amount}, must hold numbers. It holds {.cls {class(given)[1]}}, such as {.val {describe(given[1])}}.",
                  i = "Turn it into numbers first."), "records")
  }
  amounts <- as.double(given)
  units <- if (is.null(digits)) amounts else amount_units(amounts, 10^digits)
  wrong <- which(is.infinite(amounts) | (!is.null(digits) & abs(units) > 2^53))
  if (length(wrong) > 0) {
    ridge_abort("{.val {name}}: {.val {amounts[wrong[1]]}} in row {about(x)$rows[wrong[1]]} is too large to be kept exactly.", "records")
  }
  finer <- if (is.null(digits)) 0L else sum(abs(units / 10^digits - amounts) > 1e-9 * pmax(1, abs(amounts)), na.rm = TRUE)
  list(name = name, values = units, missing = sum(is.na(amounts)), finer = finer)
}

# Open spans end on the as-of date, which counts.
ended_as_of <- function(x) {
  how <- about(x)
  end <- how$names$end
  open <- is_open_stop(own_ticks(x)$stop, how$tz)
  if (!any(open)) {
    return(x)
  }
  late <- which(open & own_ticks(x)$start >= as_of_stop(how))
  if (length(late) > 0) {
    ridge_abort(c("{count_of(length(late), 'open span')} {cli::qty(length(late))}begin{?s/} after the as-of date, so {?it has/they have} no even share: row{?s} {utils::head(how$rows[late], 5)}.",
                  i = "Leave {cli::qty(length(late))}{?it/them} out."), "records")
  }
  last <- if (is.null(how$tz)) as_date(how$as_of_day + !how$end_counts) else as_instant(how$as_of, how$tz)
  plain <- plain_tibble(x)
  if (!has_end_column(how$names)) {
    end <- fresh_name("end", plain)
    plain[[end]] <- plain[[how$names$start]][rep(NA_integer_, nrow(plain))]
  }
  plain[[end]][open] <- last
  how$names$end <- end
  # What was open has ended, so no date stands for an open end any more.
  how$open <- NULL
  declared_again(x, plain, how)
}

even_amounts <- function(x, axis, how, groups, carry, to_totals, calendar) {
  if (is.null(axis)) {
    refuse_unshared(x, span_index(x), rep(0, nrow(x)), how$basis)
    return(no_amounts(x, how, groups, carry, to_totals))
  }
  layout <- spread_layout(x, axis, how$basis)
  table <- if (how$basis == "working_day") working_table(x, calendar, unlist(layout$axis[c("first", "stop")]))
  index <- if (to_totals) span_index(x) else ordered_index(x)
  values <- in_index_order(how$amounts$values, index)
  # First what is open or empty: working days are only known where records are.
  facts <- span_facts(x)
  if (facts$open + facts$empty > 0) refuse_unshared(x, index, 1, how$basis)
  wholes <- if (how$basis == "working_day" || !to_totals) {
    spread_wholes(index$start, index$stop, layout$axis$first, layout$axis$stop, table, how$basis == "period")
  }
  if (how$basis == "working_day") refuse_unshared(x, index, wholes, how$basis)
  if (to_totals) {
    totals <- function(codes, size) spread_totals(
      index$start, index$stop, values, codes, size, layout$axis$first, layout$axis$stop, layout$from, layout$to,
      table, how$basis == "period", !is.null(how$digits)) / how$unit
    return(total_lines(axis, groups, how, totals))
  }
  piece_rows(x, axis, layout, index, values, wholes, table, how, carry)
}

# The axis over all records, and which part of it is shown, from 0.
spread_layout <- function(x, axis, basis) {
  facts <- span_facts(x)
  all <- axis
  if (axis$grain$unit != "own" && !is.null(facts$first) && axis_size(axis) > 0) {
    shown <- if (is.null(axis$first_day)) civil_day(c(axis$first[1], axis$stop[axis_size(axis)] - 1), axis$tz) else c(axis$first_day[1], axis$last_day[axis_size(axis)])
    all <- make_axis(axis$grain, min(facts$first, shown[1]), max(facts$last, facts$last_known, shown[2]), axis$calendar, axis$tz)
  } else if (basis == "period" && axis$grain$unit == "own") {
    ridge_abort(c("{.code basis = \"period\"} needs to know all periods of a span, and a table of your own holds only some.",
                  i = "Use {.code basis = \"day\"}, or a grain."), "argument")
  }
  from <- sum(all$first < axis$first[1])
  list(axis = all, from = from, to = from + axis_size(axis))
}

refuse_unshared <- function(x, index, wholes, basis) {
  open <- is_open_stop(index$stop, about(x)$tz)
  empty <- index$stop <= index$start
  wrong <- which(open | empty | wholes <= 0)
  if (length(wrong) == 0) {
    return(invisible())
  }
  order <- if (is.null(index$order)) seq_len(nrow(x)) else index$order
  reason <- ifelse(open, "open: it has no end", ifelse(empty, "empty: it covers nothing", paste("without a", sub("_", " ", basis))))
  rows <- about(x)$rows[order[wrong]]
  first <- utils::head(order(rows), 5)
  lines <- sprintf("Row %s is %s.", format_rows(rows[first]), reason[wrong[first]])
  ridge_abort(c("{count_of(length(wrong), 'span')} {cli::qty(length(wrong))}{?has/have} no even share.", stats::setNames(lines, rep("x", length(lines))),
                i = if (any(open)) "Say {.code until_as_of = TRUE} to end open ones on the as-of date, or leave them out." else "Leave {cli::qty(length(wrong))}{?it/them} out, or choose another {.arg basis}."), "records")
}

piece_rows <- function(x, axis, layout, index, values, wholes, table, how, carry) {
  rows <- spread_size(index$start, index$stop, layout$axis$first, layout$axis$stop, layout$from, layout$to)
  check_fits(rows, 8 * (8 + length(carry)), "This list", "Total it with `group`, choose a coarser `by` or a narrower window.")
  found <- spread_rows(index$start, index$stop, values, layout$axis$first, layout$axis$stop, layout$from, layout$to,
                       table, how$basis == "period", !is.null(how$digits), rows)
  record <- index$order[found$record]
  period <- found$period - layout$from
  on_days <- is.null(axis$tz)
  plain <- as.list(plain_tibble(x))[c(about(x)$names$key, carry)]
  columns <- c(list(row = about(x)$rows[record]), lapply(plain, vctrs::vec_slice, record),
               lapply(axis_columns(axis, how$label), vctrs::vec_slice, period),
               if (on_days) list(days = as.integer(found$covered)) else list(hours = found$covered / 3.6e9))
  if (!is.null(table)) columns$working_days <- as.integer(found$counted)
  columns$amount <- found$piece / how$unit
  if (how$show == "calculation") columns <- c(columns, calculation_columns(values, wholes, found$record, how, on_days))
  columns
}

calculation_columns <- function(values, wholes, record, how, on_days) {
  over <- wholes / (if (!on_days && how$basis == "day") 3.6e9 else 1)
  list(spread_over = over[record], rate = (values / how$unit / over)[record])
}

# The whole amount in each period that is due.
repeated_amounts <- function(x, axis, how, groups, carry, to_totals) {
  if (is.null(axis)) {
    return(no_amounts(x, how, groups, carry, to_totals))
  }
  if (to_totals) {
    index <- span_index(x)
    values <- in_index_order(how$amounts$values, index)
    values[is.na(values)] <- 0
    totals <- function(codes, size) as.double(count_active(index$start, index$stop, axis$first, axis$stop, codes, size, NULL, values, how$keep)) / how$unit
    return(total_lines(axis, groups, how, totals))
  }
  columns <- record_rows(x, scaffold_layout(x, axis), how$keep, carry, how$label)
  amount <- (how$amounts$values / how$unit)[match(columns$row, about(x)$rows)]
  date <- columns$start
  columns[c("step", "start", "end")] <- NULL
  c(columns, list(date = date, amount = amount))
}

total_lines <- function(axis, groups, how, totals) {
  size <- axis_size(axis)
  grouped <- length(groups$names) > 0
  amounts <- if (grouped) totals(groups$codes, groups$size) else totals(NULL, 1L)
  lines <- groups$size
  if (grouped && how$total) {
    amounts <- c(amounts, totals(NULL, 1L))
    lines <- lines + 1L
  }
  columns <- group_columns(groups, lines, size)
  if (grouped && how$total) columns$total <- rep(seq_len(lines) > groups$size, each = size)
  # Adding 0 turns a zero with a sign into a plain one.
  c(columns, lapply(axis_columns(axis, how$label), vctrs::vec_rep, lines), list(amount = amounts + 0))
}

no_amounts <- function(x, how, groups, carry, to_totals) {
  if (to_totals) {
    return(c(lapply(groups$values, vctrs::vec_slice, integer()), no_periods(how$label), list(amount = double())))
  }
  plain <- as.list(plain_tibble(x))[c(about(x)$names$key, carry)]
  length <- if (is.null(about(x)$tz)) list(days = integer()) else list(hours = double())
  c(list(row = integer()), lapply(plain, vctrs::vec_slice, integer()), no_periods(how$label), length,
    if (how$spread == "repeat") list(date = as_date(double())), list(amount = double()))
}

describe_allocation <- function(x, axis, how, groups, columns, to_totals, calendar) {
  grain <- if (is.null(axis)) "period" else axis$grain$name
  evenly <- switch(how$basis, day = if (is.null(about(x)$tz)) "evenly by day" else "evenly by the time that passes",
                   working_day = paste("evenly by", calendar_words(calendar)), period = paste("in equal parts per", grain))
  way <- if (how$spread == "even") evenly else paste("the whole amount in each", grain, "due:", rule_words(how$keep, grain, !is.null(about(x)$tz)))
  level <- if (!to_totals) paste("per record and", grain) else if (length(groups$names)) paste("per", and_list(groups$names), "and", grain) else paste("in all per", grain)
  rounded <- if (!is.null(how$digits)) paste("rounded to", count_of(how$digits, "digit"))
  finer <- if (how$amounts$finer > 0) paste(count_of(how$amounts$finer, "amount"), "finer than that, rounded first")
  missing <- if (how$amounts$missing > 0) paste(count_of(how$amounts$missing, "missing amount"), if (how$amounts$missing == 1) "counts nowhere" else "count nowhere")
  paste0(paste(c(paste0("Allocated: ", how$amounts$name, " ", way, ", ", level), rounded, finer, missing,
                 if (how$spread == "even") outside_words(how, columns), usual_words(x)), collapse = "; "), ".")
}

# The values without the line over all groups.
own_lines <- function(columns, name) {
  if (is.null(columns[["total"]])) columns[[name]] else columns[[name]][!columns[["total"]]]
}

# What came in, and how much of it the window hides.
outside_words <- function(how, columns) {
  all <- sum(how$amounts$values, na.rm = TRUE) / how$unit
  shown <- sum(own_lines(columns, "amount"), na.rm = TRUE)
  places <- first_of(how$digits, 2)
  money <- function(value) format(round(value + 0, places), nsmall = places, big.mark = ",", scientific = FALSE, trim = TRUE)
  outside <- round(all - shown, places)
  if (outside == 0) paste(money(all), "in all") else paste0(money(all), " in all, ", money(outside), " outside the window")
}
