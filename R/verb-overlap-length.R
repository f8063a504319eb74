#' How long two spans overlap
#'
#' For plain vectors of starts and ends, element by element.
#'
#' @param start_a,end_a,start_b,end_b Starts and ends of the two spans: all Date,
#'   or all POSIXct; of one length, or length 1.
#' @param end_counts Does the last day count (days only)?
#' @return Days (integer), or hours for POSIXct (double); 0 where the spans do not
#'   overlap, `NA` where a start or an end is missing.
#' @section Errors:
#' Mixed types, lengths that do not fit and an end before its start are errors of
#' class `ridge_error_argument`.
#' @examples
#' overlap_length(as.Date("2026-06-03"), as.Date("2026-06-14"),
#'                as.Date("2026-06-11"), as.Date("2026-06-30"))
#' @export
overlap_length <- function(start_a, end_a, start_b, end_b, end_counts = TRUE) {
  check_flag(end_counts, "end_counts")
  parts <- list(start_a = start_a, end_a = end_a, start_b = start_b, end_b = end_b)
  timeline <- shared_timeline(parts)
  sizes <- lengths(parts)
  if (!all(sizes %in% c(1L, max(sizes)))) {
    ridge_abort("Starts and ends must be as many, or one for all, not {and_list(sizes)}.",
                "argument")
  }
  if (on_days(timeline)) parts <- Map(function(days, arg) as_date(plain_days(days, arg)), parts,
                                      names(parts))
  ticks <- lapply(parts, ticks_of, timeline)
  for (pair in list(c("start_a", "end_a"), c("start_b", "end_b"))) {
    before <- utils::head(which(ticks[[pair[2]]] < ticks[[pair[1]]]), 5)
    if (length(before) > 0) {
      ridge_abort("{arg_name(pair[2])} is before {arg_name(pair[1])} at place{?s} {before}.",
                  "argument", arg = pair[2], row = before)
    }
  }
  stop <- stops_of(pmin(ticks$end_a, ticks$end_b), timeline, end_counts)
  length <- pmax(stop - pmax(ticks$start_a, ticks$start_b), 0)
  length_columns(length, timeline)[[1]]
}

shared_timeline <- function(parts) {
  days <- vapply(parts, inherits, NA, "Date")
  instants <- vapply(parts, inherits, NA, "POSIXct")
  if (!all(days) && !all(instants)) {
    wrong <- names(parts)[!(if (any(days)) days else instants)][1]
    seen <- describe(parts[[wrong]])
    ridge_abort(paste("Starts and ends must all be Date or all POSIXct; {arg_name(wrong)} is",
                      "{.val {seen}}."),
                "argument", arg = wrong, value = parts[[wrong]])
  }
  if (all(days)) day_timeline() else instant_timeline("UTC")
}
