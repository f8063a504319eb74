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
#'   rounded. For totals of records in a database it must be said.
#' @param basis `"day"` (on instants the time that passes), `"working_day"` of the
#'   calendar, or `"period"`: equal parts in each period the span touches.
#' @param spread `"even"`, or `"repeat"`: the whole amount in each period.
#' @param rule With `spread = "repeat"`, which periods are due: `"any_day"` (the
#'   default), `"first_day"`, `"last_day"` or `"every_day"`; see [active()].
#' @param carry Columns of the records to carry along; `NULL` for none.
#' @param open_to_as_of `TRUE`: open spans end on the as-of date. Otherwise an even
#'   share of an open span is an error.
#' @param total `TRUE`: also the line over all groups; without groups only it.
#' @param show `"amounts"`; `"calculation"`: also the rate and what it is per, to check a
#'   piece by hand; or `"balance"`: what was billed and is not recognised yet, in all or by
#'   group, with `digits`.
#' @param from,to The first and last day of the window; `NULL`: amounts run over all
#'   their spans.
#' @param whole,calendar,label As in [active()].
#' @param date With `show = "balance"`: the column of the days on which amounts are billed; by
#'   default it is the first day of each span.
#' @return A tibble. Per record: `row`, the key, what is carried, `period`,
#'   `period_end`, `days` of the span in the period (or `hours`), `working_days`
#'   by that basis, `amount`; with `show = "calculation"` also `spread_over` (days,
#'   hours, working days or periods in all) and `rate` per one of these. With
#'   `spread = "repeat"` a `date`, the later of the period's and the span's start.
#'   Totals: the group columns, `total` where asked for, `period`, `period_end`,
#'   `amount`, 0 where nothing is.
#'   Balances: the group columns, `period`, `period_end`, `opening`, `billed` in the period,
#'   `recognised` (what is allocated to it) and `closing`: what was billed by its end and not
#'   recognised. It is below 0 where more was recognised than billed. opening + billed -
#'   recognised = closing, to the last digit, in every row.
#' @section Errors:
#' Spans without an even share (open, empty, or without a working day) are an
#' error of class `ridge_error_records` that names their rows; amounts that are no
#' numbers too. A wrong argument is of class `ridge_error_argument`.
#' @examples
#' grants <- spans(demo_records("grants"), first_day, last_day, key = grant,
#'                 as_of = "2026-06-30")
#' allocate(subset(grants, grant == "G-001"), amount, digits = 2)
#' allocate(grants, amount, by = "year", group = funder, digits = 2)
#' allocate(grants, amount, by = "year", digits = 2, show = "balance")
#' pledges <- spans(demo_records("pledges"), first_day, last_day, key = supporter,
#'                  as_of = "2026-06-30")
#' allocate(pledges, monthly, spread = "repeat", from = "2026-05-01", to = "2026-06-30")
#' @export
allocate <- function(x, amount, by = "month", group = NULL, digits = NULL, basis = "day",
                     spread = "even", rule = "any_day", carry = NULL, open_to_as_of = FALSE,
                     total = FALSE, show = "amounts", from = NULL, to = NULL, whole = NULL,
                     calendar = calendar_rules(), label = NULL, date = NULL) {
  check_spans_class(x, "allocate")
  check_allocation(digits, basis, spread, rule, missing(rule), open_to_as_of, total, show, label)
  amount <- pick_one(plain_tibble(x), rlang::enquo(amount), "amount")
  group <- pick_groups(x, rlang::enquo(group), c(allocated_columns, "total"), "allocate")
  carry <- pick_carried(x, rlang::enquo(carry), allocated_columns, "allocate")
  date <- pick_one(plain_tibble(x), rlang::enquo(date), "date", optional = TRUE)
  check_balance(show, digits, spread, carry, date)
  if (basis == "working_day") need_days(timeline_of(x), "Working days need", "basis")
  spans <- if (open_to_as_of) ended_as_of(x) else x
  by <- rlang::enquo(by)
  grain <- resolve_by(by, x)
  if (basis == "period") refuse_own_parts(grain)
  axis <- ask_axis(spans, grain, facts_of(spans), from, to, whole, calendar,
                   reach = if (spread == "even") "spans" else "from_start")
  by <- rlang::eval_tidy(by)
  columns <- list(amount = amount, group = group, carry = carry, date = date)
  question <- new_question("allocate", columns, axis = axis)
  if (show == "balance") allocate_balance(spans, question, source = x)
  else answer_allocate(spans, question, source = x)
}

allocated_columns <- c("row", "period", "period_end", "label", "days", "hours", "working_days",
                       "amount", "spread_over", "rate", "date")

check_allocation <- function(digits, basis, spread, rule, rule_left_out, open_to_as_of, total,
                             show, label) {
  check_choice(basis, c("day", "working_day", "period"), "basis")
  check_choice(spread, c("even", "repeat"), "spread")
  check_choice(show, c("amounts", "calculation", "balance"), "show")
  check_rule(rule, choosing = TRUE)
  check_flag(open_to_as_of, "open_to_as_of")
  check_flag(total, "total")
  check_label(label)
  if (!is.null(digits)) check_amount(digits, "digits", whole = TRUE, most = 6)
  repeated <- arg_set("spread", "repeat")
  if (spread == "even" && !rule_left_out) {
    ridge_abort(c("{arg_name('rule')} chooses the periods of repeated amounts.",
                  i = "Say {repeated}, or leave it out."), "argument", arg = "rule")
  }
  if (spread == "repeat" && (basis != "day" || show == "calculation")) {
    ridge_abort(
      paste("{arg_name('basis')} and {arg_name('show')} have no meaning with {repeated}: the",
            "whole amount is due in each period."),
      "argument", arg = if (basis != "day") "basis" else "show")
  }
}

check_balance <- function(show, digits, spread, carry, date) {
  if (show != "balance") {
    if (!is.null(date)) {
      ridge_abort(c("{arg_name('date')} says when an amount is billed: only a balance asks.",
                    i = "Say {arg_set('show', 'balance')}, or leave it out."), "argument",
                  arg = "date")
    }
    return(invisible())
  }
  if (is.null(digits)) {
    ridge_abort(c("A balance is kept to the last digit: {arg_name('digits')} must say which.",
                  i = "Say {arg_set('digits', 2)}."), "argument", arg = "digits")
  }
  refuse_together("show", list(spread = if (spread == "repeat") spread,
                               carry = if (length(carry)) carry),
                  "a balance is of amounts that are spread evenly, in all or by group")
}

refuse_own_parts <- function(grain) {
  if (grain$unit == "own") {
    ridge_abort(
      c(paste("{arg_set('basis', 'period')} needs to know all periods of a span, and a table of",
              "your own holds only some."),
        i = "Use {arg_set('basis', 'day')}, or a grain."), "argument", arg = "basis")
  }
}

answer_allocate <- function(x, question, source) {
  asked <- question$arguments
  to_totals <- length(asked$group) > 0 || asked$total
  if (!to_totals && in_database(x)) {
    return(list_at_hand(source, question, function(here, question) {
      answer_allocate(if (asked$open_to_as_of) ended_as_of(here) else here, question, here)
    }))
  }
  amounts <- read_amounts(x, asked$amount, asked$digits)
  groups <- groups_of(x, asked$group)
  made <- if (to_totals) amount_totals(x, question, amounts, groups)
  else list(columns = amount_rows(x, question, amounts))
  shown <- if (to_totals) made$own else made$columns$amount
  words <- describe_allocation(x, question, amounts, shown, to_totals)
  if (!to_totals) {
    return(new_records(question, source, made$columns, words, values = "amount",
                       class = "ridge_amounts", title = asked$amount,
                       ids = c("row", about(x)$names$key, asked$carry)))
  }
  measures <- list(amount = new_measure(made$values, TRUE, TRUE))
  new_by_period(question, source, groups, measures, words, title = "amount",
                total = asked$total, class = "ridge_amounts")
}

# Open spans end on the as-of date, which counts.
ended_as_of <- function(x) {
  if (facts_of(x)$open == 0) {
    return(x)
  }
  if (in_database(x)) {
    refuse_late_open(x)
    return(ended_in_database(x))
  }
  refuse_late(late_open_rows(x))
  if (in_parts(x)) {
    return(changed_parts(x, ended_as_of))
  }
  how <- conventions_of(x)
  index <- memory_index(x)
  open <- open_in_index(index)
  # Keys and starts stay as they are, and with them the order.
  index$stop[open] <- how$as_of_stop
  index <- with_extent(index)
  plain <- plain_tibble(x)
  if (!has_end_column(how$names)) {
    how$names$end <- fresh_name("end", plain)
    plain[[how$names$end]] <- blank_moments(nrow(plain), how$timeline)
  }
  rows <- if (is.null(index$order)) open else index$order[open]
  plain[[how$names$end]][rows] <- ends_of(how$as_of_stop, how$timeline, how$end_counts)
  # What was open has ended, so nothing stands for an open end any more.
  how["means_open"] <- list(NULL)
  ended <- new_spans(plain, how, about(x)$rows)
  cached(ended, "index", index)
  keep_groups(ended, x)
  ended
}

open_in_index <- function(index) open_places(index$stop, threads_for(length(index$stop)))

# Rows of open spans that begin after the as-of date.
late_open_rows <- function(x) {
  if (in_parts(x)) {
    return(over_parts(x, NULL, NULL, function(part, i) late_open_rows(part), c))
  }
  index <- memory_index(x)
  open <- open_in_index(index)
  late <- open[index$start[open] >= about(x)$as_of_stop]
  source_rows(x, if (is.null(index$order)) late else sort(index$order[late]))
}

refuse_late <- function(late) {
  n <- length(late)
  if (n > 0) {
    rows <- utils::head(late, 5)
    ridge_abort(
      c(paste("{n} open span{?s} begin{?s/} after the as-of date, so {?it has/they have} no even",
              "share: row{?s} {rows}."),
        i = "Leave {cli::qty(n)}{?it/them} out."), "records", arg = "open_to_as_of", row = rows)
  }
}

refuse_late_open <- function(x) {
  n <- late_open_in_database(x)
  if (n > 0) {
    ridge_abort(
      c(paste("{n} open span{?s} begin{?s/} after the as-of date, so {?it has/they have} no even",
              "share."),
        i = "Leave {cli::qty(n)}{?it/them} out with {.fn dplyr::filter} before {.fn spans}."),
      "records", arg = "open_to_as_of")
  }
}

amount_totals <- function(x, question, amounts, groups) {
  total <- question$arguments$total && length(groups$names) > 0
  check_lines_fit(groups, total, question$axis, 3, "This table")
  if (is.null(question$axis)) {
    if (question$arguments$spread == "even") refuse_unshared(x, question, NULL)
    return(list(values = double(), own = double()))
  }
  own <- period_totals(x, question, amounts, groups) / amounts$unit
  all <- if (total) period_totals(x, question, amounts, groups_of(x, character())) / amounts$unit
  # Adding 0 turns a zero with a sign into a plain one.
  list(values = c(own, all) + 0, own = own)
}

period_totals <- function(x, question, amounts, groups) {
  asked <- question$arguments
  if (asked$spread == "repeat") {
    return(as.double(levels_of(x, question$axis, groups, asked$rule, "weight",
                               none_as_zero(amounts$values))))
  }
  over <- spread_basis(x, question)
  refuse_unshared(x, question, over)
  spread_of(x, question$axis, amounts$values, over, "groups", groups)
}

amount_rows <- function(x, question, amounts) {
  if (question$arguments$spread == "repeat") repeated_rows(x, question, amounts)
  else piece_rows(x, question, amounts)
}

piece_rows <- function(x, question, amounts) {
  asked <- question$arguments
  axis <- question$axis
  timeline <- timeline_of(x)
  names <- c(about(x)$names$key, asked$carry)
  if (is.null(axis)) {
    refuse_unshared(x, question, NULL)
    return(no_pieces(x, asked, names))
  }
  over <- spread_basis(x, question)
  refuse_unshared(x, question, over)
  found <- spread_of(x, axis, amounts$values, over, "records")
  columns <- c(list(row = source_rows(x, found$record)),
               slice_all(columns_of(x, names), found$record),
               slice_all(axis_columns(axis, asked$label), found$period))
  covered <- covered_lengths(found$covered, timeline)
  columns[[length_unit(timeline)$name]] <- if (on_days(timeline)) as.integer(covered) else covered
  if (asked$basis == "working_day") columns$working_days <- as.integer(found$counted)
  columns$amount <- found$piece / amounts$unit
  if (asked$show != "calculation") {
    return(columns)
  }
  c(columns, calculation_columns(x, question, amounts, over, found$record))
}

calculation_columns <- function(x, question, amounts, over, record) {
  found <- spread_of(x, question$axis, NULL, over, "wholes")
  whole <- found$whole
  if (question$arguments$basis == "day") whole <- covered_lengths(whole, timeline_of(x))
  whole[found$record] <- whole
  list(spread_over = whole[record], rate = (amounts$values / amounts$unit / whole)[record])
}

# The whole amount in each period that is due.
repeated_rows <- function(x, question, amounts) {
  asked <- question$arguments
  names <- c(about(x)$names$key, asked$carry)
  if (is.null(question$axis)) {
    return(no_pieces(x, asked, names, repeated = TRUE))
  }
  found <- slices_of(x, question$axis, asked$rule, "records", length(names) + 1)
  repeated <- function(values) repeat_each(vctrs::vec_slice(values, found$order), found$counts)
  slices <- slice_columns(found, question$axis, asked$label)
  date <- slices$start
  slices[c("start", "end")] <- NULL
  c(list(row = repeated(about(x)$rows)), lapply(columns_of(x, names), repeated), slices,
    list(date = date, amount = repeated(amounts$values / amounts$unit)))
}

no_pieces <- function(x, asked, names, repeated = FALSE) {
  timeline <- timeline_of(x)
  c(list(row = integer()), slice_all(columns_of(x, names), integer()),
    axis_columns(NULL, asked$label), length_columns(double(), timeline),
    if (repeated) list(date = blank_moments(0, timeline)), list(amount = double()))
}

describe_allocation <- function(x, question, amounts, shown, to_totals) {
  asked <- question$arguments
  grain <- grain_name(question$axis)
  evenly <- switch(asked$basis,
    day = if (on_days(timeline_of(x))) "evenly by day" else "evenly by the time that passes",
    working_day = paste("evenly by", calendar_words(asked$calendar)),
    period = paste("in equal parts by", grain))
  due <- rule_words(asked$rule, grain, timeline_of(x))
  way <- if (asked$spread == "even") evenly
  else paste("the whole amount in each", grain, "due:", due)
  finer <- paste(count_of(amounts$finer, "amount"), "finer than that, rounded first")
  missing <- paste(count_of(amounts$missing, "missing amount"),
                   if (amounts$missing == 1) "counts nowhere" else "count nowhere")
  sentence_of(
    paste0("Allocated: ", asked$amount, " ", way, ", ", level_words(asked$group, grain, to_totals)),
    if (!is.null(asked$digits)) paste("rounded to", count_of(asked$digits, "digit")),
    if (amounts$finer > 0) finer, if (amounts$missing > 0) missing,
    if (asked$spread == "even") outside_words(amounts, asked$digits, shown), usual_words(x))
}

# What came in, and how much of it the window hides.
outside_words <- function(amounts, digits, shown) {
  places <- digits %||% 2
  money <- function(value) {
    format(round(value + 0, places), nsmall = places, big.mark = ",", scientific = FALSE,
           trim = TRUE)
  }
  all <- amounts$sum / amounts$unit
  outside <- round(all - sum(shown, na.rm = TRUE), places)
  if (outside == 0) paste(money(all), "in all")
  else paste0(money(all), " in all, ", money(outside), " outside the window")
}

#' @export
sentences.ridge_allocate <- function(object) {
  if (inherits(object, "ridge_balance")) {
    return(balance_sentences(object))
  }
  amount_sentences(object, "amount",
                   paste("The allocated", about(object)$question$arguments$amount))
}
