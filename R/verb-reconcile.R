#' Does it tie to the source?
#'
#' Works out once more, from the records themselves and with plain sums, what a
#' result must agree with, and shows both numbers.
#'
#' What is checked depends on the result:
#' * every result: records read = used + set aside + left out (also by
#'   [subset()] after [spans()]); of [bind_spans()] also list by list;
#' * [active()]: the level in the first, the last and the highest period;
#' * [scaffold()]: a full one has keys times periods rows; the days are the lengths
#'   of the spans within the window;
#' * [allocate()]: allocated + outside the window = amounts that came in; each
#'   record's pieces = its amount where the window hides nothing;
#' * [time_in()], [elapsed()], [working_days()]: the sum of the lengths;
#' * [consecutive()], [gaps()], [overlaps()], [concurrency()]: days covered, days
#'   between, days in common, level times days;
#' * [roster()], [explain_count()]: who is active, counted plainly;
#' * [movement()]: opening and changes make the closing, which opens the next
#'   period; the last closing; group lines against the line over all;
#' * [cohorts()]: sizes add up to the keys that started; nobody is there twice;
#' * [widen()]: the cells add up to the long form. [versus()]: base + difference.
#'
#' @param result A result, or a [spans()] object.
#' @return A tibble: `check`, `expected` (from the source), `got` (from the result),
#'   `difference`, `ok`.
#' @section Errors:
#' A plain table, such as a result whose values were changed, is an error of class
#' `ridge_error_argument`: nothing is known of where it comes from.
#' @examples
#' staff <- spans(demo_records("postings"), first_day, last_day, key = observer,
#'                as_of = "2026-06-30")
#' reconcile(active(staff, by = "month", group = station, to = "2026-06-30"))
#' grants <- spans(demo_records("grants"), first_day, last_day, key = grant,
#'                 as_of = "2026-06-30")
#' reconcile(allocate(grants, amount, digits = 2, to = "2025-12-31"))
#' @export
reconcile <- function(result) {
  UseMethod("reconcile")
}

#' @export
reconcile.default <- function(result) {
  ridge_abort(c("{.arg result} must be a result, not {.val {describe(result)}}.",
                i = "A result whose rows or values were changed is a plain table. Ask the verb again."), "argument")
}

#' @export
reconcile.ridge_spans <- function(result) {
  check_spans_class(result, "reconcile")
  reconciled(list(), result)
}

#' @export
reconcile.ridge_result <- function(result) {
  source <- about(result)$source
  if (is.null(source)) {
    ridge_abort(c("{.fn {about(result)$verb}} has nothing to tie to: it is not about records with amounts or counts.",
                  i = "Reconcile the result of a verb that counts, lays out or allocates."), "argument")
  }
  reconciled(source_checks(result), source)
}

# The checks of a verb, before those that every result has.
source_checks <- function(result) {
  UseMethod("source_checks")
}

#' @export
source_checks.default <- function(result) {
  list()
}

reconciled <- function(checks, x) {
  checks <- c(record_checks(x), checks)
  field <- function(name, type) vapply(checks, `[[`, type, name)
  expected <- field("expected", 0)
  got <- field("got", 0)
  difference <- got - expected
  ok <- abs(difference) <= field("tolerance", 0)
  difference[ok & abs(difference) < 1e-6 * pmax(1, abs(expected))] <- 0
  not <- sum(!ok)
  words <- paste0(count_of(length(checks), "check"), ": ", if (not == 0) "all tie to the source" else
    paste(not, if (not == 1) "does" else "do", "not tie:", and_list(field("check", "")[!ok])), ".")
  new_result(list(check = field("check", ""), expected = expected, got = got, difference = difference, ok = ok), "reconciled", words)
}

# Sums of doubles may differ in their last digits, whole numbers may not.
tie <- function(check, expected, got, tolerance = NULL) {
  if (is.null(tolerance)) {
    whole <- expected == round(expected) && abs(expected) < 2^53 && got == round(got)
    tolerance <- if (whole) 0 else 1e-9 * max(1, abs(expected))
  }
  list(check = check, expected = as.double(expected), got = as.double(got), tolerance = tolerance)
}

record_checks <- function(x) {
  how <- about(x)
  if (is.null(how$given)) {
    return(list())
  }
  accounted <- nrow(x) + nrow(how$set_aside) + how$left_out + how$dropped
  checks <- list(tie("records read = used + set aside + left out", how$given, accounted))
  if (isTRUE(how$bound)) {
    rows <- plain_tibble(x)[["source_row"]]
    twice <- sum(duplicated(plain_tibble(x)[c("source", "source_row")]))
    checks <- c(checks, list(tie("records of all lists, each once", length(rows), nrow(x) - twice)))
  }
  checks
}

# The ticks of the periods of a result.
axis_ticks <- function(axis) {
  list(first = as.double(axis$first), stop = as.double(axis$stop))
}

group_rows <- function(x, names) {
  columns <- plain_tibble(x)[names]
  if (length(names) == 0) rep(1L, nrow(x)) else vctrs::vec_group_id(columns)
}

#' @export
source_checks.ridge_active <- function(result) {
  made <- about(result)
  if (is.null(made$axis) || axis_size(made$axis) == 0) {
    return(list())
  }
  plain <- plain_records(made$source)
  own <- if (is.null(result[["total"]])) rep(TRUE, nrow(result)) else !result$total
  size <- axis_size(made$axis)
  levels <- matrix(result$active, nrow = size)
  lines <- own[seq(1, nrow(result), by = size)]
  sums <- if (any(lines)) rowSums(levels[, lines, drop = FALSE]) else rep(0, size)
  chosen <- unique(c("first" = 1L, "last" = size, "highest" = which.max(sums)))
  checks <- lapply(chosen, function(p) level_checks(made, plain, p, sums[p], if (any(!lines)) levels[p, !lines]))
  do.call(c, checks)
}

level_checks <- function(made, plain, p, sum, total) {
  ticks <- axis_ticks(made$axis)
  level <- function(rows) plain_level(rows, ticks$first[p], ticks$stop[p], made$rule, made$of)
  label <- axis_labels(axis_part(made$axis, p), "code")
  groups <- split(seq_len(nrow(plain)), group_rows(made$source, made$groups))
  by_group <- vapply(groups, function(rows) level(plain[rows, ]), 0)
  checks <- list(tie(paste0("active in ", label, if (length(made$groups)) ", all group lines"), sum(by_group), sum))
  if (is.null(total)) checks else c(checks, list(tie(paste0("active in ", label, ", line over all groups"), level(plain), total)))
}

#' @export
source_checks.ridge_scaffold <- function(result) {
  made <- about(result)
  x <- made$source
  if (is.null(made$axis) || axis_size(made$axis) == 0) {
    return(list())
  }
  plain <- plain_records(x)
  id <- if (made$of == "keys") plain$key else seq_len(nrow(plain))
  checks <- list()
  if (made$shape == "full") {
    checks <- list(tie(if (made$of == "keys") "rows = keys x periods" else "rows = records x periods",
                       length(unique(id)) * axis_size(made$axis), nrow(result)))
  }
  if (made$keep != "any_day" || made$shape == "full") {
    return(checks)
  }
  ticks <- axis_ticks(made$axis)
  union <- plain_union(plain, id)
  inside <- sum(pmax(pmin(union$stop, max(ticks$stop)) - pmax(union$start, ticks$first[1]), 0))
  got <- if (is.null(made$axis$tz)) sum(result$days, na.rm = TRUE) else 3600 * sum(result$hours, na.rm = TRUE)
  unit <- if (is.null(made$axis$tz)) 1 else 3600
  c(checks, list(tie(paste(if (unit == 1) "days" else "hours", "= lengths of the spans within the window"), inside / unit, got / unit)))
}

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
  due <- vapply(seq_along(ticks$first), function(p) {
    met <- switch(made$how$keep, any_day = plain$start < ticks$stop[p] & plain$stop > ticks$first[p],
                  first_day = plain$start <= ticks$first[p] & plain$stop > ticks$first[p],
                  last_day = plain$start < ticks$stop[p] & plain$stop >= ticks$stop[p],
                  every_day = plain$start <= ticks$first[p] & plain$stop >= ticks$stop[p])
    sum(amounts[met & plain$stop > plain$start], na.rm = TRUE)
  }, 0)
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

line_ids <- function(x, names, plain) {
  if (length(names) == 0) rep(1L, nrow(plain)) else vctrs::vec_group_id(plain_tibble(x)[names])
}

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
  union <- plain_union(plain, line_ids(made$source, made$line, plain))
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
  union <- plain_union(plain, line_ids(made$source, made$line, plain))
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
  id <- line_ids(made$source, made$line, plain)
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
  scale <- is.null(made$tz)
  rows <- rep(TRUE, nrow(plain))
  for (name in made$groups) {
    value <- plain_tibble(made$source)[[name]]
    rows <- rows & (value == result[[name]][best] | is.na(value) & is.na(result[[name]][best]))
  }
  from <- as.numeric(result$start[best])
  until <- if (scale) from + 1 else from + 1e-6
  list(tie(paste("level from", format(result$start[best])), plain_level(plain[which(rows), ], from, until, "first_day", made$of), result$level[best]))
}

#' @export
source_checks.ridge_peaks <- source_checks.ridge_concurrency

#' @export
source_checks.ridge_roster <- function(result) {
  made <- about(result)
  expected <- plain_level(plain_records(made$source), made$when$first, made$when$stop, made$when$rule, "records")
  list(tie(paste("records active", made$when$words), expected, nrow(result)))
}

#' @export
source_checks.ridge_explained <- function(result) {
  made <- about(result)
  expected <- plain_level(plain_records(made$source), made$when$first, made$when$stop, made$when$rule, made$of)
  list(tie(paste("active", made$when$words), expected, result$records[nrow(result)]))
}

#' @export
source_checks.ridge_widen <- function(result) {
  made <- about(result)
  long <- made$long
  ids <- result[["total"]]
  rows <- if (is.null(ids)) rep(TRUE, nrow(result)) else !(ids & !is.null(long[["total"]])) & !ids
  if (!is.null(long[["total"]])) rows <- rep(TRUE, nrow(result))
  cells <- as.list(result)[setdiff(made$numbers, "sum")]
  c(source_checks(long), list(tie("cells of the wide form = values of the long form", sum(long[[made$values]], na.rm = TRUE),
                                  sum(vapply(cells, function(column) sum(column[rows], na.rm = TRUE), 0)))))
}

#' @export
source_checks.ridge_movement <- function(result) {
  made <- about(result)
  size <- if (is.null(made$axis)) 0L else axis_size(made$axis)
  if (size == 0L) {
    return(list())
  }
  returned <- first_of(plain_tibble(result)[["returned"]], 0)
  closes <- with(result, opening + started + returned + moved_in - ended - moved_out) - result$closing
  lines <- nrow(result) / size
  closing <- matrix(result$closing, nrow = size)
  carried <- matrix(result$opening, nrow = size)[-1, , drop = FALSE] - closing[-size, , drop = FALSE]
  checks <- list(tie("lines in which opening and changes make the closing", nrow(result), sum(abs(closes) < 1e-6)),
                 tie("closings that open the next period", lines * (size - 1), sum(abs(carried) < 1e-6)))
  whole <- if (is.null(result[["total"]])) rep(FALSE, lines) else result$total[seq(1, nrow(result), by = size)]
  plain <- plain_records(made$source)
  group <- group_rows(made$source, made$groups)
  stay <- plain_stay(plain, group, axis_ticks(made$axis)$stop[size], made$of, is.null(made$axis$tz))
  label <- axis_labels(axis_part(made$axis, size), "code")
  if (any(!whole)) checks <- c(checks, list(tie(paste0("closing of ", label, ", all group lines"), stay[["lines"]], sum(closing[size, !whole]))))
  if (!any(whole)) {
    return(checks)
  }
  both <- sum(closing[size, !whole]) - closing[size, whole]
  c(checks, list(tie(paste0("closing of ", label, ", line over all groups"), stay[["all"]], closing[size, whole]),
                 tie(paste0("in two groups at once at the closing of ", label), stay[["lines"]] - stay[["all"]], both)))
}

# Who is carried over an edge between periods: there in the last tick before it,
# and of keys also, in whatever group, in the next.
plain_stay <- function(plain, group, edge, of, on_days) {
  before <- if (on_days) edge - 1 else edge - 1e-6
  here <- plain$start <= before & plain$stop > before
  if (of != "keys") {
    stays <- here & plain$stop > edge
    counted <- if (of == "weight") sum(plain$weight[stays]) else sum(stays)
    return(c(lines = counted, all = counted))
  }
  next_key <- unique(plain$key[plain$start <= edge & plain$stop > edge])
  stays <- here & plain$key %in% next_key
  c(lines = nrow(unique(data.frame(plain$key, group)[stays, ])), all = length(unique(plain$key[stays])))
}

#' @export
source_checks.ridge_cohorts <- function(result) {
  made <- about(result)
  if (nrow(result) == 0) {
    return(list())
  }
  plain <- plain_records(made$source)
  plain <- plain[plain$stop > plain$start, ]
  first <- tapply(plain$start, plain$key, min)
  until <- as_of_stop(about(made$source))
  ticks <- axis_ticks(axis_part(made$axis, made$shown))
  started <- sum(first < until & first >= ticks$first[1] & first < max(ticks$stop))
  new <- result$age == 0
  known <- !is.na(result$active)
  list(tie("sizes of the cohorts = keys that first started then", started, sum(result$size[new])),
       tie("cells with more active than the cohort has", 0, sum(result$active[known] > result$size[known])),
       tie("active in all cohorts in the last period", cohort_level(made, plain, first, until), sum(result$active[known & result$period == max(result$period[known])])))
}

# Keys of the cohorts shown that are active in the period of the as-of date.
cohort_level <- function(made, plain, first, until) {
  size <- axis_size(made$axis)
  ticks <- axis_ticks(made$axis)
  cohort <- findInterval(first, ticks$first)
  in_cohort <- names(first)[first < until & cohort %in% made$shown]
  union <- plain_union(plain, plain$key)
  if (!made$returns) union <- union[!duplicated(union$id), ]
  used <- union[as.character(union$id) %in% in_cohort, ]
  plain_level(data.frame(start = used$start, stop = used$stop, key = used$id, weight = rep(1, nrow(used))), ticks$first[size], ticks$stop[size], made$rule, "keys")
}

#' @export
source_checks.ridge_versus <- function(result) {
  made <- about(result)
  known <- !is.na(result$base)
  value <- result[[made$values]]
  c(source_checks(made$long), list(tie("base + difference = value", sum(value[known]), sum(result$base[known] + result$difference[known]))))
}

#' @export
source_checks.ridge_lasting <- function(result) {
  made <- about(result)
  plain <- plain_records(made$source)
  plain <- plain[plain$stop > plain$start, ]
  started <- sum(tapply(plain$start, plain$key, min) < as_of_stop(about(made$source)))
  list(tie("keys at risk at age 0 = keys that started", started, sum(result$at_risk[result$age == 0])))
}
