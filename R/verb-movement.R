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
#' `closing` is what is carried over: it is less than `active(rule = "last_day")` by
#' those whose last day it was.
#'
#' @param x A [spans()] object.
#' @param by A grain such as `"month"` (the default) or a table of periods: see
#'   [periods()].
#' @param group The columns that keys move between, or `NULL`.
#' @param of `"keys"` (the default where there is a key), `"records"` or `"weight"`.
#' @param returns `TRUE`: keys that start again after a break are counted in a
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
#' movement(staff, by = "quarter", from = "2025-07-01")
#' movement(staff, by = "year", group = station, total = TRUE, from = "2025-01-01",
#'          to = "2025-12-31", rates = TRUE)
#' @export
movement <- function(x, by = "month", group = NULL, of = NULL, returns = FALSE, rates = FALSE,
                     total = FALSE, from = NULL, to = NULL, whole = NULL,
                     calendar = calendar_rules(), label = NULL) {
  check_spans_class(x, "movement")
  of <- choose_of(x, of)
  check_flag(returns, "returns")
  check_flag(rates, "rates")
  check_flag(total, "total")
  check_label(label)
  if (returns && of != "keys") {
    ridge_abort(c("{arg_name('returns')} is about keys: {of} only start and end.",
                  i = "Leave it out, or say {arg_set('of', 'keys')}."), "argument", arg = "returns")
  }
  group <- pick_groups(x, rlang::enquo(group),
                       c("period", "period_end", "label", "total", flow_columns, rate_columns),
                       "movement")
  by <- rlang::enquo(by)
  axis <- ask_axis(x, resolve_by(by, x), facts_of(x), from, to, whole, calendar, until = "as_of")
  by <- rlang::eval_tidy(by)
  answer_movement(x, new_question("movement", list(group = group), axis = axis))
}

flow_columns <- c("opening", "started", "returned", "moved_in", "ended", "moved_out", "net",
                  "closing")
rate_columns <- c("mean_active", "turnover", "growth")

answer_movement <- function(x, question) {
  asked <- question$arguments
  groups <- groups_of(x, asked$group)
  total <- asked$total && length(asked$group) > 0
  check_lines_fit(groups, total, question$axis, 11, "This table")
  flows <- flow_table(x, question$axis, groups, asked, total)
  rates <- if (asked$rates) flow_rates(x, question$axis, groups, asked$of, total, flows)
  # Over periods flows add up and levels do not; over groups moves do not.
  measures <- Map(function(values, name) {
    flow <- !(name %in% c("opening", "closing", rate_columns))
    new_measure(values, over_periods = flow, over_groups = asked$of != "keys" &&
                !(name %in% rate_columns))
  }, c(flows, rates), names(c(flows, rates)))
  new_by_period(question, x, groups, measures, describe_movement(x, question),
                title = measure_title(x, asked$of), total = total, main = "closing")
}

flow_table <- function(x, axis, groups, asked, total) {
  cells <- if (!is.null(axis)) flows_of(x, axis, groups, asked$of, total, asked$returns)
  flow <- function(i) as.vector(cells[, i, ])
  if (is.null(cells)) flow <- function(i) double()
  table <- list(opening = flow(1), started = flow(2), returned = if (asked$returns) flow(3),
                moved_in = flow(4), ended = flow(5), moved_out = flow(6), net = flow(7),
                closing = flow(8))
  table <- table[!vapply(table, is.null, NA)]
  if (asked$of == "weight") table else lapply(table, as.integer)
}

flow_rates <- function(x, axis, groups, of, total, flows) {
  mean <- levels_of_lines(x, axis, groups, "mean_day", of, total)
  share <- function(part, whole) ifelse(whole == 0, NA_real_, part / whole)
  list(mean_active = mean, turnover = share(flows$ended, mean),
       growth = share(flows$net, flows$opening))
}

describe_movement <- function(x, question) {
  asked <- question$arguments
  between <- if (length(asked$group)) paste(", between groups of", and_list(asked$group)) else ""
  sentence_of(
    paste0("Movement: ", counted_words(x, asked$of), ", by ", grain_name(question$axis), between),
    "closing is what is carried over",
    if (asked$rates) c("turnover is ended by the average over the days",
                       "growth is net by opening"),
    after_as_of_words(question$axis, x), usual_words(x))
}

#' @export
sentences.ridge_movement <- function(object) {
  made <- about(object)
  flow <- function(name) {
    series <- summed_series(object, name)
    series[!is.na(series)]
  }
  if (is.null(summed_series(object, "closing"))) {
    return(c(group_sentence(object, "closing"),
             paste("Keys may be in two groups at once: ask for the line over all groups to have",
                   "them in all.")))
  }
  labels <- period_labels(made)[!is.na(summed_series(object, "closing"))]
  closing <- flow("closing")
  started <- flow("started")
  returned <- if (made$question$arguments$returns) flow("returned")
  ended <- flow("ended")
  last <- length(closing)
  shown <- function(x) format_plain(sum(x), 2)
  grew <- sum(flow("net") > 0)
  c(paste0("From ", shown(flow("opening")[1]), " at the opening of ", labels[1], " to ",
           shown(closing[last]), " at the closing of ", labels[last], ": ", shown(started),
           " started, ", if (!is.null(returned)) paste0(shown(returned), " returned, "),
           shown(ended), " ended."),
    paste0("Most started in ", labels[which.max(started)], " (", shown(max(started)),
           "), most ended in ", labels[which.max(ended)], " (", shown(max(ended)), "); ", grew,
           " of ", count_of(last, "period"), " grew."))
}

#' @export
source_checks.ridge_movement <- function(result, x) {
  if (nrow(result) == 0) {
    return(list())
  }
  closes <- with(result, opening + started + moved_in - ended - moved_out) - result$closing +
    (plain_tibble(result)[["returned"]] %||% 0)
  closing <- cell_matrix(result, "closing")
  carried <- cell_matrix(result, "opening")[-1, , drop = FALSE] -
    closing[-nrow(closing), , drop = FALSE]
  c(list(tie("lines in which opening and changes make the closing", nrow(result),
             sum(abs(closes) < 1e-6)),
         tie("closings that open the next period", sum(!is.na(carried)),
             sum(abs(carried) < 1e-6, na.rm = TRUE))),
    closing_checks(about(result), x, closing))
}

# The closing of the last period that is left.
closing_checks <- function(made, x, closing) {
  place <- max(which(rowSums(!is.na(closing)) > 0))
  found <- closing[place, ]
  own <- !is_total_line(made) & !is.na(found)
  plain <- plain_records(x)
  stay <- plain_stay(plain, plain_lines(x, made$groups), made$axis$stop[place],
                     made$question$arguments$of, made$timeline)
  label <- axis_labels(axis_part(made$axis, place), "code")
  closes <- paste0("closing of ", label)
  lines <- sum(stay$lines[own], na.rm = TRUE)
  checks <- if (any(own)) {
    list(tie(paste0(closes, if (length(made$groups)) ", all group lines"), lines, sum(found[own])))
  }
  total <- found[is_total_line(made)]
  if (length(total) == 0 || is.na(total)) {
    return(checks)
  }
  checks <- c(checks, list(tie(paste0(closes, ", line over all groups"), stay$all, total)))
  if (sum(own) < made$line_count - 1) {
    return(checks)
  }
  c(checks, list(tie(paste("in two groups at once at the", closes), lines - stay$all,
                     sum(found[own]) - total)))
}

# Who is carried over an edge between periods: there in the last tick before it,
# and of keys also, in whatever group, in the next.
plain_stay <- function(plain, line, edge, of, timeline) {
  before <- tick_before(edge, timeline)
  here <- plain$start <= before & plain$stop > before
  by_line <- function(values, lines) {
    as.vector(tapply(values, factor(lines, seq_len(max(line, 1L))), sum, default = 0))
  }
  if (of != "keys") {
    stays <- here & plain$stop > edge
    counted <- if (of == "weight") plain$weight[stays] else rep(1, sum(stays))
    return(list(lines = by_line(counted, line[stays]), all = sum(counted)))
  }
  next_key <- unique(plain$key[plain$start <= edge & plain$stop > edge])
  stays <- here & plain$key %in% next_key
  pairs <- unique(data.frame(key = plain$key, line = line)[stays, ])
  list(lines = by_line(rep(1, nrow(pairs)), pairs$line), all = length(unique(pairs$key)))
}
