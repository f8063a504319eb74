#' Does it tie to the source?
#'
#' Works out once more, from the records themselves and with plain sums, what a
#' result must agree with, and shows both numbers.
#'
#' What is checked depends on the result:
#' * every result: records read = used + set aside + left out (also by
#'   [subset()] after [spans()]), and each of them used once; the period, the group and
#'   what is carried along in each row;
#' * [active()], [cohorts()], [movement()]: every cell; of movement also group lines
#'   against the line over all;
#' * [scaffold()], [consecutive()], [gaps()], [missing_days()], [overlaps()],
#'   [concurrency()], [peaks()], [roster()]: how many rows, and every row;
#' * [allocate()]: allocated + outside the window = amounts that came in; every total or
#'   piece; each record's pieces = its amount where the window hides nothing;
#' * [time_within()], [elapsed()], [working_days()]: every length, and their sum;
#' * [restated()]: both numbers, what each cause changed, and that the causes add up to the
#'   difference in every row; every change of a record;
#' * [explain_count()]: every step, or every record that is not counted;
#' * [length_of_stay()]: every share with its interval, as the estimator's textbook has it;
#' * [widen()]: each value of the long form, and every sum. [versus()]: every value, what
#'   it is compared with and the difference.
#'
#' Of records in a database the cells of [active()] and [allocate()] are counted there, and a lazy
#' [scaffold()] by period; of other results the records are brought here, by the dates themselves
#' and with the columns that the question names, and worked out once more: of gaps, pairs, rosters
#' and what was restated only those that matter. Of more than 20 million that is not done, nor of
#' pairs of two tables, nor of partitions with too many records to compare.
#'
#' What cannot be proven, such as pieces of amounts too large for plain numbers or rows
#' that have lost their key, is a check that says so.
#'
#' Of a result whose rows were chosen, those that are left are checked.
#'
#' @param result A result, or a [spans()] object.
#' @param source The spans object that the result was made of: needed where the
#'   result was saved and read back, as it does not carry its records along. `NULL`:
#'   the one that it was made of in this session.
#' @return A tibble: `check`, `expected` (from the source), `found` (in the result),
#'   `difference`, `ok`.
#' @section Errors:
#' A plain table, such as a result whose values were changed, and a result whose
#' records are not there any more are errors of class `ridge_error_argument`.
#' @examples
#' staff <- spans(demo_records("postings"), first_day, last_day, key = observer,
#'                as_of = "2026-06-30")
#' reconcile(active(staff, by = "month", group = station))
#' grants <- spans(demo_records("grants"), first_day, last_day, key = grant,
#'                 as_of = "2026-06-30")
#' reconcile(allocate(grants, amount, digits = 2, to = "2025-12-31"))
#' @export
reconcile <- function(result, source = NULL) {
  UseMethod("reconcile")
}

#' @export
reconcile.default <- function(result, source = NULL) {
  ridge_abort(c("{arg_name('result')} must be a result, not {.val {describe(result)}}.",
                i = "A result whose values were changed is a plain table. Ask the verb again."),
              "argument", arg = "result", value = result)
}

#' @export
reconcile.ridge_spans <- function(result, source = NULL) {
  check_spans_class(result, "reconcile")
  reconciled(list(), result)
}

#' @export
reconcile.ridge_result <- function(result, source = NULL) {
  made <- about(result)
  if (is.null(made$records)) {
    ridge_abort(
      c("The result of {.fn {made$question$verb}} has nothing to tie to: it is not about records.",
        i = "Reconcile the result of a verb that counts, lays out or allocates."), "argument",
      arg = "result")
  }
  x <- if (is.null(source)) records_of_handle(made$records)
  else check_spans_class(source, "reconcile")
  if (is.null(x)) {
    ridge_abort(
      c("The records that this result was made of are not in this session.",
        i = "Give them with {arg_name('source')}: the {.fn spans} object, declared as it was."),
      "argument", arg = "source")
  }
  make_ready(about(x)$engine, environment())
  show_progress("reconciling")
  # What an earlier list had is told of, and what is wrong, also where nothing is left.
  nothing <- facts_of(x)$records == 0 && is.null(made$question$arguments$earlier) &&
    !inherits(result, "ridge_findings")
  checks <- if (nothing) list(nothing_check(result))
  else if (in_parts(x)) checks_in_parts(result, x)
  else if (in_database(x)) checks_in_database(result, x)
  else c(source_checks(result, x), label_checks(result, x))
  reconciled(checks, x)
}

# Without records there is nothing, and 0 in each period that is asked for.
nothing_check <- function(result) {
  values <- as.list(result)[about(result)$values]
  tie("no records, so nothing is there", 0,
      sum(vapply(values, function(column) sum(abs(as.double(column)), na.rm = TRUE), 0)))
}

reconciled <- function(checks, x) {
  checks <- c(record_checks(x), checks)
  field <- function(name, type) vapply(checks, `[[`, type, name)
  expected <- field("expected", 0)
  found <- field("found", 0)
  difference <- found - expected
  ok <- (abs(difference) <= field("tolerance", 0)) %in% TRUE
  difference[ok & abs(difference) < 1e-6 * pmax(1, abs(expected))] <- 0
  not <- sum(!ok)
  open <- sum(is_not_proven(field("check", "")))
  words <- if (not == 0 && open > 0) paste("all but", open, "tie to the source:",
                                           if (open == 1) "it is" else "they are", "not proven")
  else if (not == 0) "all tie to the source"
  else paste(not, if (not == 1) "does" else "do", "not tie:", and_list(field("check", "")[!ok]))
  table <- list(check = field("check", ""), expected = expected, found = found,
                difference = difference, ok = ok)
  question <- structure(list(verb = "reconciled"), class = "ridge_question")
  new_result(table, question, NULL, sentence_of(paste0(count_of(length(checks), "check"), ": ",
                                                       words)), values = names(table))
}

# Each check in words.
check_lines <- function(checks) {
  shown <- function(x) format(x, big.mark = ",", digits = 15, scientific = FALSE, trim = TRUE)
  vapply(seq_len(nrow(checks)), function(i) {
    check <- checks$check[i]
    if (is_not_proven(check)) check
    else if (checks$ok[i]) paste0("ties: ", check, ": both ", shown(checks$expected[i]))
    else paste0("DOES NOT TIE: ", check, ": ", shown(checks$expected[i]), " expected, ",
                shown(checks$found[i]), " found")
  }, "")
}

record_checks <- function(x) {
  how <- about(x)
  read <- if (in_database(x)) records_in_tables(x) else how$given
  if (is.null(read)) {
    return(list())
  }
  accounted <- facts_of(x)$records + aside_count(x) + how$left_out + how$dropped
  checks <- list(tie("records read = used + set aside + left out", read, accounted))
  if (in_parts(x) || in_database(x)) {
    return(checks)
  }
  once <- if (!is.null(how$lists)) unique(plain_tibble(x)[c("source", "source_row")])
  else data.frame(row = unique(how$rows))
  what <- if (!is.null(how$lists)) "records of all lists, each once" else "records used, each once"
  c(checks, list(tie(what, nrow(once), nrow(x))))
}
