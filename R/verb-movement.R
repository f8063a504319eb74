#' Who came, who went, who moved
#'
#' For each period: how many were there at its opening, how many started, moved in,
#' ended and moved out, and how many are carried over at its closing. It ties:
#' opening + started + moved_in - ended - moved_out = closing, and each closing
#' opens the next period, in every line.
#'
#' Keys are looked at day by day (on instants, moment by moment), with the groups
#' they are in. From none into some, they start in each. From some into none, they
#' end in each, in the period of the last counted day. From some into others, the
#' new groups are moved into and the lost ones moved out of, both on the first day
#' of the new state. Two records that meet are one stay. The line over all groups
#' sees the key alone and knows no moves; group lines add up to it but for keys in
#' two groups at once, whose number [reconcile()] gives. Records and weights only
#' start and end.
#'
#' `closing` is what is carried over: it is less than `active(count = "last_day")` by
#' those whose last day it was.
#'
#' @param x A [spans()] object.
#' @param by A grain such as `"month"` (the default) or a table of periods: see
#'   [periods()].
#' @param group The columns that keys move between, or `NULL`.
#' @param of `"keys"` (the default where there is a key), `"records"` or `"weight"`.
#' @param returned `TRUE`: keys that start again after a break are counted in a
#'   column of their own, `returned`, not in `started`.
#' @param rates `TRUE`: adds `mean_active`, the average over the period's days;
#'   `turnover`, ended by that average; and `growth`, net by opening. NA where that
#'   is 0.
#' @param total With groups: also the line over all groups.
#' @param from,to,whole,calendar,label As in [active()]. What was before the window
#'   opens it.
#' @return A tibble: the group columns, `total` where asked for, `period`,
#'   `period_end`, `opening`, `started`, `returned` where asked for, `moved_in`,
#'   `ended`, `moved_out`, `net` (closing less opening), `closing`: integer, or
#'   double for weights. Never NA but for rates.
#' @section Errors:
#' A wrong argument is an error of class `ridge_error_argument`, a wrong column of
#' class `ridge_error_column`, a result too large to hold of class
#' `ridge_error_size`.
#' @examples
#' staff <- spans(demo_records("postings"), first_day, last_day, key = observer,
#'                as_of = "2026-06-30")
#' movement(staff, by = "quarter", from = "2025-07-01", to = "2026-06-30")
#' movement(staff, by = "year", group = station, total = TRUE, from = "2025-01-01",
#'          to = "2025-12-31", rates = TRUE)
#' @export
movement <- function(x, by = NULL, group = NULL, of = NULL, returned = FALSE, rates = FALSE, total = FALSE,
                     from = NULL, to = NULL, whole = NULL, calendar = calendar_rules(), label = NULL) {
  UseMethod("movement")
}

#' @export
movement.default <- function(x, ...) {
  check_spans_class(x, "movement")
}

flow_columns <- c("opening", "started", "returned", "moved_in", "ended", "moved_out", "net", "closing")
rate_columns <- c("mean_active", "turnover", "growth")

#' @export
movement.ridge_spans <- function(x, by = NULL, group = NULL, of = NULL, returned = FALSE, rates = FALSE, total = FALSE,
                                 from = NULL, to = NULL, whole = NULL, calendar = calendar_rules(), label = NULL) {
  check_spans_class(x, "movement")
  of <- choose_of(x, of)
  check_flag(returned, "returned")
  check_flag(rates, "rates")
  check_flag(total, "total")
  check_label(label)
  if (returned && of != "keys") {
    ridge_abort(c("{.arg returned} is about keys: {of} only start and end.", i = "Leave it out, or say {.code of = \"keys\"}."), "argument")
  }
  groups <- group_codes(x, pick_groups(x, rlang::enquo(group), c("period", "period_end", "label", "total", flow_columns, rate_columns)))
  axis <- resolve_axis(x, resolve_by(rlang::enquo(by), x, "month"), from, to, whole, calendar)
  total <- total && length(groups$names) > 0
  lines <- groups$size + total
  size <- if (is.null(axis)) 0L else axis_size(axis)
  check_fits(as.double(lines) * size, 8 * (11 + length(groups$names)), "This table", "Choose a coarser `by`, a narrower window or fewer groups.")
  flows <- flow_table(x, axis, groups, of, total, returned)
  columns <- group_columns(groups, lines, size)
  if (total) columns$total <- rep(seq_len(lines) > groups$size, each = size)
  periods <- if (is.null(axis)) no_periods(label) else axis_columns(axis, label)
  columns <- c(columns, lapply(periods, vctrs::vec_rep, lines), flows, if (rates) flow_rates(x, axis, groups, of, lines, flows))
  new_result(columns, "movement", describe_movement(x, axis, groups, of, rates), axis = axis, groups = groups$names, of = of,
             label = label, unit = axis_title(x, of), source = x, ids = groups$names, returned = returned,
             value = intersect(c("closing", flow_columns, rate_columns), names(columns)), adds = flows_add(of, groups))
}

# Over periods flows add up and levels do not; over groups moves do not.
flows_add <- function(of, groups) {
  function(values) c(periods = values %in% c("started", "returned", "moved_in", "ended", "moved_out", "net"), groups = of != "keys")
}

flow_table <- function(x, axis, groups, of, total, returned) {
  index <- span_index(x)
  weight <- if (of == "weight") in_index_order(as.double(x[[about(x)$names$weight]]), index)
  counted <- if (is.null(axis)) double() else count_flows(index$start, index$stop, axis$first, axis$stop, groups$codes, groups$size,
                                                         if (of == "keys") index$key, weight, total, returned)
  size <- if (is.null(axis)) 0L else axis_size(axis)
  cells <- array(counted, c(size, 6L, groups$size + total))
  flow <- function(i) as.vector(cells[, i, ])
  # Sums of weights leave nothing behind where nothing is.
  net <- flow(2) + flow(3) + flow(4) - flow(5) - flow(6)
  table <- list(opening = flow(1), started = flow(2), returned = if (returned) flow(3), moved_in = flow(4), ended = flow(5),
                moved_out = flow(6), net = net, closing = flow(1) + net)
  table <- table[!vapply(table, is.null, NA)]
  if (of == "weight") lapply(table, function(column) round(column, 9)) else lapply(table, as.integer)
}

flow_rates <- function(x, axis, groups, of, lines, flows) {
  mean <- count_groups(x, axis, groups$codes, groups$size, "mean_day", of)
  if (lines > groups$size) mean <- c(mean, count_groups(x, axis, NULL, 1L, "mean_day", of))
  share <- function(part, whole) ifelse(whole == 0, NA_real_, part / whole)
  list(mean_active = mean, turnover = share(flows$ended, mean), growth = share(flows$net, flows$opening))
}

describe_movement <- function(x, axis, groups, of, rates) {
  grain <- if (is.null(axis)) "period" else axis$grain$name
  per <- if (length(groups$names)) paste(", between groups of", and_list(groups$names)) else ""
  words <- c(paste0("Movement: ", counted_words(x, of), ", by ", grain, per), "closing is what is carried over",
             if (rates) c("turnover is ended by the average over the days", "growth is net by opening"), usual_words(x))
  paste0(paste(words, collapse = "; "), ".")
}
