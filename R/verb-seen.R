#' The records as they would have looked on a day
#'
#' What was known at the end of a day: records that start later are gone, ends that
#' come later are open again, and the as-of date is that day. Any table made from it
#' is the one that could have been made then, whatever happened later.
#'
#' @param x A [spans()] object.
#' @param date The day: a Date or ISO 8601 text; on instants also a POSIXct moment.
#' @return A [spans()] object. Its line of conventions says how many records had not
#'   begun by then.
#' @section Errors:
#' A date that is none, or lies after the as-of date, is an error of class
#' `ridge_error_argument`.
#' @examples
#' staff <- spans(demo_records("postings"), first_day, last_day, key = observer,
#'                as_of = "2026-06-30")
#' active(as_seen_on(staff, "2025-12-31"), by = "quarter", from = "2025-01-01")
#' @export
as_seen_on <- function(x, date) {
  UseMethod("as_seen_on")
}

#' @export
as_seen_on.default <- function(x, ...) {
  check_spans_class(x, "as_seen_on")
}

#' @export
as_seen_on.ridge_spans <- function(x, date) {
  check_spans_class(x, "as_seen_on")
  how <- about(x)
  day <- as_single_day(date, "date", zone_of(how$tz))
  until <- if (is.null(how$tz)) day + 1L else as_of_moment(date, how$tz)
  if (day > how$as_of_day) {
    ridge_abort(c("{.arg date} ({format(as_date(day))}) is after the as-of date ({format(as_date(how$as_of_day))}): nobody has seen that day yet.",
                  i = "Name a day up to the as-of date."), "argument")
  }
  ticks <- own_ticks(x)
  known <- x[ticks$start < until, ]
  how <- about(known)
  how$as_of_day <- day
  how$as_of <- if (!is.null(how$tz)) until
  stop <- ticks$stop[ticks$start < until]
  later <- stop > until & !is_open_stop(stop, how$tz)
  plain <- plain_tibble(known)
  if (any(later) && has_end_column(how$names)) plain[[how$names$end]][later] <- NA
  seen <- declared_again(known, plain, how)
  amend_spans(seen, unseen = nrow(x) - nrow(known))
}

# Records whose ends were changed, with the conventions that they had.
declared_again <- function(x, plain, how) {
  open <- if (length(how$open)) as_date(how$open)
  again <- declare_named(with_source(plain, list(rows = how$rows, left_out = how$left_out)), how$names,
                         if (is.null(how$tz)) how$end_counts, open, how)
  amend_spans(again, set_aside = how$set_aside, problems = how$problems, orders = how$orders, given = how$given, dropped = how$dropped,
              bound = how$bound)
}
