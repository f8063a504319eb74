# A scaffold of records in a database is a lazy table, with its line and its proof for as long as
# nothing is done to it.

lazy_scaffold <- function(x, question, words) {
  # Without a record any period will do to have the columns.
  axis <- question$axis %||% ask_axis(x, as_grain("day"), facts_of(x), as_date(about(x)$as_of_day),
                                      as_date(about(x)$as_of_day), NULL, calendar_rules())
  rows <- slices_in_database(x, axis, question$arguments)
  structure(rows, class = c("ridge_lazy", class(rows)), as_asked = rows$lazy_query,
            conventions = words, question = question,
            records = records_handle(x))
}

#' @export
print.ridge_lazy <- function(x, ...) {
  if (is_as_asked(x)) cat(conventions(x), "\n", sep = "")
  NextMethod()
}

#' @export
conventions.ridge_lazy <- function(x) {
  if (is_as_asked(x)) attr(x, "conventions") else conventions.default(x)
}

is_as_asked <- function(x) {
  identical(x$lazy_query, attr(x, "as_asked"))
}

# Commands and almanacs have no table that stays where it is: for them the records that are laid
# out are fetched, and laid out here.
scaffolds <- list2env(list(at_hand = FALSE), parent = emptyenv())

with_scaffolds_at_hand <- function(code) {
  scaffolds$at_hand <- TRUE
  on.exit(scaffolds$at_hand <- FALSE)
  code
}

scaffold_at_hand <- function(x, question, answer) {
  asked <- question$arguments
  axis <- question$axis
  # Records that lie outside the window have no row but where all have one.
  shown <- if (asked$every_period || is.null(axis)) list(kind = "all")
  else list(kind = "active", when = list(rule = "any_day", first = axis$first[1],
                                         stop = axis$stop[axis_size(axis)]))
  here <- if (asked$of == "keys") plain_records_counted(x, about(x)$names$key)
  else records_behind(x, shown, asked$carry)
  made_about(answer(here, question), x)
}

# Its rows are counted by period where they are, and beside them who is active there.
#' @export
reconcile.ridge_lazy <- function(result, source = NULL) {
  x <- if (is.null(source)) records_of_handle(attr(result, "records"))
  else check_spans_class(source, "reconcile")
  if (!is_as_asked(result) || is.null(x)) {
    ridge_abort(c(paste("{arg_name('result')} is not the scaffold any more that was asked for, or",
                        "its records are not in this session."),
                  i = "Reconcile it as {.fn scaffold} gives it."), "argument", arg = "result")
  }
  make_ready(about(x)$engine, environment())
  question <- attr(result, "question")
  reconciled(if (is.null(question$axis)) list() else lazy_scaffold_checks(result, x, question), x)
}

lazy_scaffold_checks <- function(result, x, question) {
  axis <- question$axis
  asked <- question$arguments
  found <- rows_by_period(result, x, if (asked$every_period) "present" else "days")
  at <- match(axis$first_day, as.integer(found$period))
  cells <- function(values) matrix(ifelse(is.na(at), 0, values[at]))
  counted_once_more <- function(rule) {
    plain_levels_in_database(x, axis, groups_of(x, character()), rule, asked$of)
  }
  rows <- counted_once_more(asked$rule)
  if (asked$every_period) {
    lines <- if (asked$of == "keys") facts_of(x)$keys else facts_of(x)$records
    return(c(list(tie(paste("rows =", asked$of, "x periods"), lines * axis_size(axis),
                      sum(found$rows))),
             cell_checks("presence by period", rows, cells(found$value), TRUE)))
  }
  c(cell_checks("rows by period", rows, cells(found$rows), TRUE),
    if (asked$rule == "any_day") {
      days <- counted_once_more("mean_day") * (axis$stop - axis$first)
      cell_checks("days by period", round(days), cells(found$value), TRUE)
    })
}
