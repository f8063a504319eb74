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
