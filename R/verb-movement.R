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
#' @param show `"counts"`; `"records"`: a row for each time that a key (or record) is in a
#'   number, to see who is behind it; `"routes"`: how many moved from which group to which.
#' @param from,to,whole,calendar,label As in [active()]. What was before the window
#'   opens it.
#' @return A tibble: the group columns, `total` where asked for, `period`,
#'   `period_end`, `opening`, `started`, `returned` where asked for, `moved_in`,
#'   `ended`, `moved_out`, `net` (closing less opening), `closing`: integer, or
#'   double for weights. Never NA but for rates.
#'
#'   With `show = "records"`: the group columns, `period`, `period_end`, `flow`
#'   (`"opening"` in the first period, then `"started"` and so on), the key, `date` (of who
#'   ended the last counted day, of who opened the first one; Date or POSIXct), the groups
#'   moved from and to as columns named `from_` and `to_` with the group's name, the weight,
#'   and `row`, that of the record in the source. Of several groups left and come into at
#'   once the first goes with the first; what has no other side is `NA`.
#'
#'   With `show = "routes"`: `from_` and `to_` columns, `period`, `period_end`, `moved`.
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
#' movement(staff, group = station, show = "records", from = "2026-06-01")
#' movement(staff, by = "year", group = station, show = "routes", from = "2025-01-01")
#' @export
movement <- function(x, by = "month", group = NULL, of = NULL, returns = FALSE, rates = FALSE,
                     total = FALSE, show = "counts", from = NULL, to = NULL, whole = NULL,
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
  check_choice(show, c("counts", "records", "routes"), "show")
  group <- pick_groups(x, rlang::enquo(group), movement_columns(show), "movement")
  check_movement_shown(x, show, of, group, returns, rates, total)
  by <- rlang::enquo(by)
  axis <- ask_axis(x, resolve_by(by, x), facts_of(x), from, to, whole, calendar, until = "as_of")
  by <- rlang::eval_tidy(by)
  question <- new_question("movement", list(group = group), axis = axis)
  switch(show, counts = answer_movement(x, question),
         records = list_at_hand(x, question, function(x, question) {
           movement_rows(x, question, describe_movement(x, question))
         }), routes = movement_routes(x, question))
}

movement_columns <- function(show) {
  periods <- c("period", "period_end", "label", "total")
  switch(show, counts = c(periods, flow_columns, rate_columns),
         records = c(periods, "flow", "date", "row"), routes = c(periods, "moved"))
}

# What has no part in what is shown is refused.
check_movement_shown <- function(x, show, of, group, returns, rates, total) {
  if (show == "counts") {
    return(invisible())
  }
  unused <- c(rates = rates, total = total, returns = returns && show == "routes")
  if (any(unused)) {
    name <- names(unused)[unused][1]
    ridge_abort(c("{arg_name(name)} plays no part in {arg_set('show', show)}.",
                  i = if (name == "total") "Leave {arg_name('group')} out to see keys alone."
                  else "Leave it out."), "argument", arg = name)
  }
  if (show == "routes" && (of != "keys" || length(group) == 0)) {
    ridge_abort(c("Routes are those of keys between groups.",
                  i = paste("Name {arg_name('group')} and a key{in_r(' in `spans()`')}; {of} only",
                            "start and end.")), "argument", arg = "show")
  }
  sides <- if (length(group)) paste0(rep(c("from_", "to_"), each = length(group)), group)
  check_free_names(c(group, if (show == "records") about(x)$names$key),
                   c(movement_columns(show), sides), "movement")
}

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
  mean <- levels_of_lines(x, axis, groups, list(rule = "mean_day", of = of), total)
  share <- function(part, whole) ifelse(whole == 0, NA_real_, part / whole)
  list(mean_active = mean, turnover = share(flows$ended, mean),
       growth = share(flows$net, flows$opening))
}

describe_movement <- function(x, question) {
  asked <- question$arguments
  between <- if (length(asked$group)) paste(", between groups of", and_list(asked$group)) else ""
  sentence_of(
    paste0(if (asked$show == "records") "Rows behind movement: " else "Movement: ",
           counted_words(x, asked$of), ", by ", grain_name(question$axis), between),
    if (asked$show == "counts") "closing is what is carried over",
    if (asked$rates) c("turnover is ended by the average over the days",
                       "growth is net by opening"),
    after_as_of_words(question$axis, x), usual_words(x))
}

#' @export
sentences.ridge_movement <- function(object) {
  made <- about(object)
  if (made$question$arguments$show != "counts") {
    return(movement_row_sentences(object))
  }
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

# Every cell that is left, worked out once more.
#' @export
source_checks.ridge_movement <- function(result, x) {
  made <- about(result)
  shown <- made$question$arguments$show
  if (shown != "counts") {
    return(if (shown == "records") flow_row_checks(result, x) else route_checks(result, x))
  }
  if (nrow(result) == 0) {
    return(list())
  }
  plain <- plain_records(x)
  own <- !is_total_line(made)
  closings <- cell_matrix(result, "closing")
  flows <- function(line, lines) {
    plain_flows(plain, line, lines, made$axis, made$question$arguments)
  }
  by_group <- flows(plain_lines(x, made$groups), sum(own))
  checks <- flow_checks(result, by_group, which(own),
                        if (length(made$groups)) "group lines" else "all lines")
  if (!any(!is.na(closings[, !own]))) {
    return(checks)
  }
  over_all <- flows(rep(1, nrow(plain)), 1L)
  c(checks, flow_checks(result, over_all, which(!own), "line over all groups"),
    two_groups_check(made, by_group, over_all, closings, own))
}

flow_checks <- function(result, expected, columns, what) {
  names <- intersect(names(expected), names(result))
  found <- lapply(names, function(name) cell_matrix(result, name)[, columns, drop = FALSE])
  cell_checks(what, unlist(expected[names]), unlist(found),
              about(result)$question$arguments$of != "weight")
}

# How much more group lines have than the line over all of them.
two_groups_check <- function(made, by_group, over_all, closings, own) {
  place <- max(which(rowSums(!is.na(closings)) > 0))
  found <- closings[place, ]
  if (anyNA(found)) {
    return(NULL)
  }
  label <- axis_labels(axis_part(made$axis, place), "code")
  expected <- sum(by_group$closing[place, ]) - over_all$closing[place, ]
  list(tie(paste0("in two groups at once at the closing of ", label), expected,
           sum(found[own]) - found[!own],
           if (made$question$arguments$of == "weight") 1e-9 * max(1, abs(expected))))
}
