#' Who is active, and how a count comes about
#'
#' `roster()` lists the records behind a count: those active on a day (or at an
#' instant), or in a period by one of the first four rules. `explain_count()` goes
#' the way to the number step by step, from all records to what [active()] gives.
#'
#' @param x A [spans()] object.
#' @param on One date (Date or ISO text; on instants also POSIXct, a moment), or
#'   two, the first and last day of a period. By default the as-of date.
#' @param group Columns to sort and show first, or `NULL`.
#' @param count For a period: `"any_day"` (the default), `"first_day"`,
#'   `"last_day"` or `"every_day"`.
#' @param of What is counted: `"keys"` (the default where there is a key),
#'   `"records"` or `"weight"`.
#' @param show `"steps"`, or `"records"`: each record that is not counted, with the
#'   reason.
#' @return `roster()`: a tibble of the group columns, `row` in the source, the
#'   records' columns, `days_so_far` (from the start through that day, or the
#'   period's last) and `days_left` (after it; `NA` for an open span). On instants
#'   `hours_so_far` and `hours_left`.
#'
#'   `explain_count()`: `step` (in words), `records` (what is left after this step;
#'   the last step is the number that [active()] gives), and `alone`, how many of
#'   all records meet this step's condition by itself, to be checked against a
#'   filter of the source. For records: `row`, the key, `start`, `end`, `reason`.
#' @section Errors:
#' A wrong argument is an error of class `ridge_error_argument`, a wrong column of
#' class `ridge_error_column`.
#' @examples
#' staff <- spans(demo_records("postings"), first_day, last_day, key = observer,
#'                as_of = "2026-06-30")
#' roster(subset(staff, station == "Whinfell"), on = "2026-03-01")
#' explain_count(staff, on = "2026-03-01")
#' explain_count(staff, on = c("2026-01-01", "2026-03-31"), show = "records")
#' @export
roster <- function(x, on = NULL, group = NULL, count = NULL) {
  UseMethod("roster")
}

#' @export
roster.default <- function(x, ...) {
  check_spans_class(x, "roster")
}

#' @export
roster.ridge_spans <- function(x, on = NULL, group = NULL, count = NULL) {
  check_spans_class(x, "roster")
  when <- roster_time(x, on, count)
  own <- c("row", "days_so_far", "days_left", "hours_so_far", "hours_left")
  check_free_names(names(x), own, "roster")
  group <- pick_groups(x, rlang::enquo(group), own)
  ticks <- own_ticks(x)
  active <- which(record_conditions(ticks, when, about(x)$tz)$active)
  plain <- as.list(plain_tibble(x))
  order <- sort_rows(c(lapply(plain[group], vctrs::vec_slice, active),
                       list(about(x)$rows[active])))
  active <- active[order]
  columns <- c(plain[group], list(row = about(x)$rows), plain[setdiff(names(plain), group)],
               lengths_by(ticks, when, about(x)$tz))
  columns <- lapply(columns, vctrs::vec_slice, active)
  words <- paste0("Active ", when$words, ": ", count_of(length(active), "record"), "; ", usual_words(x), ".")
  new_result(columns, "roster", words, source = x, when = when)
}

own_ticks <- function(x) {
  index <- span_index(x)
  list(start = in_own_order(index$start, x), stop = in_own_order(index$stop, x))
}

# What is asked about as [first, stop) and a rule; a moment is the tick after it.
roster_time <- function(x, on, count) {
  tz <- about(x)$tz
  if (is.null(on)) on <- as_date(about(x)$as_of_day)
  if (!(length(on) %in% 1:2)) {
    ridge_abort("{.arg on} must be one date, or the first and last day of a period, not {length(on)} values.", "argument")
  }
  rule <- check_choice(first_of(count, "any_day"), count_rules[1:4], "count")
  if (!is.null(tz) && inherits(on, "POSIXt") && length(on) == 1) {
    if (is.na(on)) check_years(NA, "on")
    shown <- format(on, "%Y-%m-%d %H:%M", tz = tz)
    return(list(first = as.numeric(on), stop = as.numeric(on) + 1e-6, rule = "any_day", words = paste("at", shown), at = as.numeric(on), single = TRUE))
  }
  days <- as_days(on, "on", zone_of(tz))
  if (length(days) == 1 && !is.null(count) && is.null(tz)) {
    ridge_abort(c("{.arg count} has no meaning for a single day.", i = "Leave it out, or give the first and last day of a period."), "argument")
  }
  last <- days[length(days)]
  if (last < days[1]) {
    ridge_abort("{.arg on}: {format(as_date(days[1]))} is after {format(as_date(last))}.", "argument")
  }
  ticks <- if (is.null(tz)) c(days[1], last + 1L) else day_starts(c(days[1], last + 1L), tz)
  named <- if (last == days[1]) paste("on", format(as_date(last))) else
    paste(period_rule_words(rule, !is.null(tz)), format(as_date(days[1])), "to", format(as_date(last)))
  list(first = ticks[1], stop = ticks[2], rule = rule, words = named, at = ticks[2] - (if (is.null(tz)) 1L else 0), single = length(days) == 1 && is.null(tz),
       days = c(days[1], last))
}

period_rule_words <- function(rule, on_instants) {
  if (on_instants) {
    switch(rule, any_day = "at any moment of", first_day = "at the first moment of", last_day = "at the last moment of", every_day = "throughout")
  } else {
    switch(rule, any_day = "on any day of", first_day = "on the first day of", last_day = "on the last day of", every_day = "on every day of")
  }
}

# A record counts where it began by `begun_by` and stops after `not_over_at`.
record_conditions <- function(ticks, when, tz) {
  one <- if (is.null(tz)) 1L else 1e-6
  last <- when$stop - one
  begun_by <- switch(when$rule, any_day = last, first_day = when$first, last_day = last, every_day = when$first)
  over_by <- switch(when$rule, any_day = when$first, first_day = when$first, last_day = last, every_day = last)
  started <- ticks$start <= begun_by
  ended <- ticks$stop <= over_by
  open <- is_open_stop(ticks$stop, tz)
  list(started = started, ended = ended, open = open, empty = ticks$stop <= ticks$start, begun_by = begun_by, over_by = over_by,
       active = started & !ended & ticks$stop > ticks$start)
}

lengths_by <- function(ticks, when, tz) {
  through <- if (is.null(tz)) when$at + 1L else when$at
  so_far <- pmax(pmin(ticks$stop, through) - ticks$start, 0)
  left <- ifelse(is_open_stop(ticks$stop, tz), NA, pmax(ticks$stop - pmax(through, ticks$start), 0))
  if (is.null(tz)) list(days_so_far = as.integer(so_far), days_left = as.integer(left))
  else list(hours_so_far = so_far / 3600, hours_left = left / 3600)
}

#' @rdname roster
#' @export
explain_count <- function(x, on = NULL, count = NULL, of = NULL, show = "steps") {
  UseMethod("explain_count")
}

#' @export
explain_count.default <- function(x, ...) {
  check_spans_class(x, "explain_count")
}

#' @export
explain_count.ridge_spans <- function(x, on = NULL, count = NULL, of = NULL, show = "steps") {
  check_spans_class(x, "explain_count")
  check_choice(show, c("steps", "records"), "show")
  of <- choose_of(x, of)
  when <- roster_time(x, on, count)
  ticks <- own_ticks(x)
  met <- record_conditions(ticks, when, about(x)$tz)
  words <- paste0("Counted: ", counted_words(x, of), ", active ", when$words, "; ", usual_words(x), ".")
  # Records of one key may make up a whole period together.
  by_union <- of == "keys" && when$rule == "every_day" && !when$single
  if (show == "records") {
    return(new_result(not_counted(x, ticks, met, when, of, by_union), "not_counted", words, source = x))
  }
  new_result(count_steps(x, ticks, met, when, of, by_union), "explained", words, source = x, when = when, of = of)
}

count_steps <- function(x, ticks, met, when, of, by_union) {
  begun <- shown_moment(met$begun_by, about(x)$tz)
  over <- shown_moment(met$over_by, about(x)$tz)
  before <- is.null(about(x)$tz) && about(x)$end_counts
  empty <- met$empty & !met$ended
  later <- !met$ended & !met$open & !met$empty
  words <- c("all records", paste("started by", begun), paste("of those, already ended", if (before) "before" else "by", over),
             "of those started, empty: they cover nothing", "of those started, still open",
             paste("of those started, ending", if (before) paste("on", over, "or later") else paste("after", over)),
             "active: still open or ending later")
  alone <- list(rep(TRUE, nrow(x)), met$started, met$ended, empty, met$open, later, met$active)
  so_far <- c(alone[1:2], lapply(alone[3:7], function(condition) met$started & condition))
  shown <- c(TRUE, TRUE, TRUE, any(met$started & empty), TRUE, TRUE, TRUE)
  last <- last_step(x, ticks, met, when, of, by_union)
  count <- function(conditions) vapply(conditions[shown], function(condition) as.double(sum(condition)), 0)
  table <- list(step = c(words[shown], last$step), records = c(count(so_far), last$records),
                alone = c(count(alone), last$alone))
  if (of != "weight") table[2:3] <- lapply(table[2:3], as.integer)
  table
}

shown_moment <- function(tick, tz) {
  if (is.null(tz)) format(as_date(tick)) else format(as_instant(round(tick), tz), "%Y-%m-%d %H:%M")
}

# From active records to what is counted; the same over all records beside it.
last_step <- function(x, ticks, met, when, of, by_union) {
  if (of == "records") {
    return(NULL)
  }
  if (of == "weight") {
    weight <- as.double(x[[about(x)$names$weight]])
    return(list(step = paste("sum of their", about(x)$names$weight), records = exact_sum(weight[met$active]), alone = exact_sum(weight)))
  }
  keys <- in_own_order(span_index(x)$key, x)
  distinct <- list(step = "of those, distinct keys", records = length(unique(keys[met$active])), alone = length(unique(keys)))
  if (!by_union) {
    return(distinct)
  }
  covering <- covering_keys(x, ticks, when)
  list(step = c(distinct$step, "keys whose records together cover every day"), records = c(distinct$records, length(covering)),
       alone = c(distinct$alone, length(covering)))
}

# To nine places, so that no residue of floating point shows.
exact_sum <- function(values) {
  round(sum(values), 9)
}

covering_keys <- function(x, ticks, when) {
  index <- span_index(x)
  whole <- stretches_of(index$start, index$stop, index$key, 0, NULL, 0L, FALSE, FALSE)
  unique(whole$line[whole$start <= when$first & whole$stop >= when$stop])
}

not_counted <- function(x, ticks, met, when, of, by_union) {
  begun <- shown_moment(met$begun_by, about(x)$tz)
  over <- shown_moment(met$over_by, about(x)$tz)
  reason <- rep(NA_character_, nrow(x))
  reason[!met$active] <- paste(if (is.null(about(x)$tz) && about(x)$end_counts) "ended before" else "ended by", over)
  reason[!met$started] <- paste("not started by", begun)
  reason[met$empty] <- "empty: it covers nothing"
  if (of == "keys") {
    keys <- in_own_order(span_index(x)$key, x)
    if (by_union) {
      covered <- keys %in% covering_keys(x, ticks, when)
      touching <- ticks$start < when$stop & ticks$stop > when$first & !met$empty
      reason[covered & touching] <- NA
    }
    rows <- which(is.na(reason))
    again <- rows[duplicated(keys[rows])]
    first <- rows[match(keys[again], keys[rows])]
    reason[again] <- sprintf("its key is counted with row %s", format_rows(about(x)$rows[first]))
  }
  at <- which(!is.na(reason))
  at <- at[order(about(x)$rows[at])]
  how <- about(x)$names
  key <- as.list(plain_tibble(x))[how$key]
  check_free_names(how$key, c("row", "start", "end", "reason"), "explain_count")
  ends <- range_columns(ticks$start, ticks$stop, about(x))[1:2]
  ends$end[is_open_stop(ticks$stop, about(x)$tz)] <- NA
  lapply(c(list(row = about(x)$rows), key, ends, list(reason = reason)), vctrs::vec_slice, at)
}
