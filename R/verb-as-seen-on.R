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
  check_spans_class(x, "as_seen_on")
  how <- about(x)
  # On the command line it is the day of an option of its own.
  arg <- in_r("date", "seen_on")
  day <- as_single_day(date, arg, zone_of(how$timeline), how$as_of_day)
  until <- as_of_stop(date, how$timeline, arg, how$as_of_day)
  if (day > how$as_of_day) {
    days <- format(as_date(c(day, how$as_of_day)))
    ridge_abort(
      c(paste("{arg_name(arg)} ({days[1]}) is after the as-of date ({days[2]}): nobody has",
              "seen that day yet."),
        i = "Name a day up to the as-of date."), "argument", arg = arg, value = days[1])
  }
  if (in_parts(x)) {
    return(changed_parts(x, function(part) as_seen_on(part, date)))
  }
  if (in_shards(x)) {
    seen <- lapply(engine_of(x)$shards, as_seen_on, date)
    return(spans_in_shards(seen))
  }
  if (in_database(x)) {
    return(seen_in_database(x, day, until, date))
  }
  ticks <- record_ticks(x)
  known <- x[ticks$start < until, ]
  stop <- ticks$stop[ticks$start < until]
  later <- stop > until & !is_never(stop, how$timeline)
  plain <- plain_tibble(known)
  if (any(later) && has_end_column(how$names)) plain[[how$names$end]][later] <- NA
  how <- about(known)
  how$as_of_day <- day
  how$as_of_stop <- until
  how$told$seen_on <- c(how$told$seen_on, list(date))
  unseen <- (how$unseen %||% 0) + nrow(x) - nrow(known)
  amend_spans(declared_again(known, plain, how), unseen = unseen)
}
