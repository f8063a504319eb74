#' Declare records that have a start and an end
#'
#' Says once what the records are and by which conventions they are read. All
#' verbs take the object that comes back. It is a tibble of the records, so
#' `filter()`, `subset()`, `arrange()`, `rename()` and `[` narrow, reorder and
#' rename it as usual, other columns may be added or changed, and the conventions
#' stay, also through `saveRDS()` and back. Changing the values of the start, end,
#' key or weight makes it a plain tibble again.
#'
#' @section Records in a database:
#' `data` may be a table in a database: [record_table()], or any lazy table of dbplyr. Its starts
#' and ends are dates, or texts like `2026-01-31`. The records stay where they are: [active()],
#' [concurrency()], [peaks()], [movement()], [cohorts()] and [consecutive()], and [allocate()] and
#' [time_within()] as totals, also [as_seen_on()] a day, are answered by SQL that is generated for
#' the database, and only the answer is fetched. `how_asked(as = "sql")` shows the statements;
#' [reconcile()] counts once more by a second, plainer one. A question that needs a small table
#' of days makes one, as a temporary one where that is allowed, and drops it again. What is not
#' answered so yet is an error of class `ridge_error_engine`; `tz`, `date_order`, `days` and
#' `unusable = "set_aside"` are refused, and `matches()` in `where`.
#'
#' @param data A data frame of records, one row each, [record_files()], or a table in a database.
#'   Or a list of such tables with the same columns, in one database or in several, where all
#'   records of a key are in one of them (some keys of each are looked for in the others): each
#'   table is asked where it lies, and the answers are added. Scaffolds, findings and what is set
#'   aside are told where all tables are in one database; what was restated, and what is about
#'   other partitions than keys, is not answered over several tables.
#' @param start,end The columns of starts and ends, by name. Date, POSIXct, or
#'   text that [read_dates()] reads, such as ISO 8601 (`2026-03-17`,
#'   `2026-03-17T08:15`, with `Z` or an offset), or one column of intervals for both.
#'   All days or all instants. A missing end is a span that is still open. `end = NULL`:
#'   each record is one day. `end = NA`: all are still open.
#' @param key The column or columns that say whom or what a record belongs to,
#'   or `NULL`. A blank or missing key makes its record unusable.
#' @param weight A numeric column to sum (a share of full time, seats), or
#'   `NULL`. Each weight is 0 or more; a missing one makes its record unusable.
#' @param end_counts Does the last day count? `TRUE`, the default on days: from
#'   the 9th to the 23rd are 15 days. `FALSE`: 14, as for nights and loans. The
#'   end of an instant never counts.
#' @param means_open What stands for "no end yet", besides a missing end: dates
#'   such as `"9999-12-31"`, or texts such as `"present"` in a column of text.
#' @param as_of The day the analysis speaks for: one date, by default today. It may be said in
#'   words: see [date_words].
#' @param tz The time zone whose days count for instants. By default that of the
#'   start column, or the session's.
#' @param date_order The order of day and month in columns of text that do not
#'   prove it, or what numbers mean: see [read_dates()].
#' @param days Are date-times dates? `NULL`: where all of them are at midnight, and the line
#'   says so. `TRUE`: always, the clocks do not matter. `FALSE`: never.
#' @param where A condition that records have to meet, such as `share >= 0.8`: see
#'   [conditions_on_records].
#' @param unusable What to do with records that cannot be used: `"stop"`, or
#'   `"set_aside"` to keep them apart; see [set_aside()].
#' @param row Of a table in a database: the column of whole numbers that tells its records apart,
#'   such as its identity column. Answers that show records name them by it, as `row`; others
#'   need none.
#' @return A spans object.
#' @section Errors:
#' A column that is not there is an error of class `ridge_error_column`, a wrong
#' argument of class `ridge_error_argument`, a column that holds no dates of
#' class `ridge_error_records`. Records without a start or key, with an
#' unreadable date, an end before the start or a year outside 1600 to 9999 are
#' errors of class `ridge_error_records`, unless set aside. So is an end more than
#' 100 years past `as_of` that `means_open` does not name; it is never set aside. A `row` that does
#' not tell the records of a table apart is one of class `ridge_error_records`, an answer that shows
#' records of a table without it of class `ridge_error_engine`. Of a list of tables, a key that is
#' in two of them is an error of class `ridge_error_records`, one whose columns differ of class
#' `ridge_error_column`; an error about one table names it.
#' @examples
#' postings <- demo_records("postings")
#' staff <- spans(postings, first_day, last_day, key = observer, as_of = "2026-06-30")
#' staff
#' subset(staff, station == "Kestrel Gap")
#' @export
spans <- function(data, start, end, key = NULL, weight = NULL, end_counts = NULL,
                  means_open = NULL, as_of = Sys.Date(), tz = NULL, date_order = NULL,
                  unusable = "stop", days = NULL, where = NULL, row = NULL) {
  check_choice(unusable, c("stop", "set_aside"), "unusable")
  columns <- list(start = rlang::enquo(start), end = rlang::enquo(end), key = rlang::enquo(key),
                  weight = rlang::enquo(weight), row = rlang::enquo(row))
  told <- list(data = rlang::as_label(rlang::enexpr(data)), as_of = as_of, tz = tz,
               date_order = date_order, unusable = unusable, days = days,
               where = where_text(rlang::enquo(where), column_names(data)))
  if (!rlang::quo_is_null(columns$row) && !is_elsewhere_table(data)) refuse_row_named()
  if (inherits(data, "ridge_files")) declare_files(data, columns, end_counts, means_open, told)
  else if (is_database_table(data)) declare_table(data, columns, end_counts, means_open, told)
  else if (is_list_of_tables(data)) declare_tables(data, columns, end_counts, means_open, told)
  else declare_records(data, columns, end_counts, means_open, told)
}

# Records that are read have rows.
refuse_row_named <- function() {
  ridge_abort(c("{arg_name('row')} plays no part for records that are not in a database.",
                i = "They are numbered as they come: leave it out."), "argument", arg = "row")
}

is_elsewhere_table <- function(data) is_database_table(data) || is_list_of_tables(data)

column_names <- function(data) {
  if (is_list_of_tables(data)) data <- Find(is_database_table, data)
  if (is_database_table(data)) colnames(data)
  else names(if (inherits(data, "ridge_files")) data$columns else data)
}

#' The records that could not be used
#'
#' @param x A spans object made with `unusable = "set_aside"`.
#' @return A tibble: `row`, the record's row in its source (integer); `reason`,
#'   in words (character); then the source's own columns as they came. No rows
#'   where nothing was set aside. Of records in a database a lazy table of these, with `row`
#'   where [spans()] was told which column that is.
#' @section Errors:
#' Anything but a spans object is an error of class `ridge_error_argument`; records in several
#' tables that are not all in one database are one of class `ridge_error_engine`.
#' @examples
#' messy <- data.frame(who = c("Ada", NA), from = c("2026-02-30", "2026-03-01"), to = "2026-03-05")
#' set_aside(spans(messy, from, to, key = who, unusable = "set_aside"))
#' @export
set_aside <- function(x) {
  check_spans_class(x, "set_aside")
  if (in_shards(x)) aside_in_shards(x) else about(x)$aside
}

# Records of a spans object moved to those set aside, with the reasons.
put_aside <- function(x, found) {
  if (nrow(found) == 0) {
    return(x)
  }
  how <- about(x)
  source <- list(rows = how$rows)
  aside <- reasons_with_rows(plain_tibble(x), found, source)
  amend_spans(x[-unique(found$row), ], dropped = how$dropped,
              aside = if (nrow(how$aside) > 0) vctrs::vec_rbind(how$aside, aside) else aside,
              unusable = rbind(how$unusable, unusable_in_source(found, source)))
}

# Records whose ends were changed, with the conventions that they had.
declared_again <- function(x, plain, how) {
  means_open <- if (length(how$means_open)) as_date(how$means_open)
  source <- list(rows = how$rows, left_out = how$left_out)
  again <- declare_named(with_source(plain, source), how$names,
                         if (on_days(how$timeline)) how$end_counts, means_open, how)
  amend_spans(again, aside = how$aside, unusable = how$unusable, orders = how$orders,
              given = how$given, dropped = how$dropped, lists = how$lists, told = how$told)
}

#' @export
conventions.ridge_spans <- function(x) {
  facts <- facts_of(x)
  what <- paste0(count_of(facts$records, "record"), keys_words(x, facts$keys))
  if (!is.null(facts$first)) {
    what <- paste0(what, ", ", format(as_date(facts$first)), " to ",
                   format(as_date(facts$last_known)))
  }
  sentence_of(what, if (facts$open > 0) paste(format_number(facts$open), "still open"),
              last_day_words(x), order_used_words(x), midnight_words(x),
              empty_words(facts$empty), as_of_words(x), aside_words(x))
}

# How many keys there are in files is not counted where they are very many.
keys_words <- function(x, keys) {
  if (!has_key(x)) {
    return("")
  }
  names <- and_list(about(x)$names$key)
  if (is.null(keys)) paste(" by", names)
  else paste0(" of ", format_number(keys), " key", if (keys != 1) "s", " (", names, ")")
}

#' @export
print.ridge_spans <- function(x, ...) {
  if (!is_elsewhere(x)) {
    return(NextMethod())
  }
  cat(conventions(x), "\n", sep = "")
  if (in_parts(x)) print(engine_of(x)$source)
  else cat("In ", where_stored(x), ", with the columns ", and_list(names(x)), ".\n", sep = "")
  invisible(x)
}

where_stored <- function(x) {
  if (!in_shards(x)) return("a database")
  paste(length(engine_of(x)$shards), "tables of databases")
}

#' @exportS3Method pillar::tbl_format_header
tbl_format_header.ridge_spans <- function(x, setup, ...) {
  what <- if (length(changed_columns(x)) == 0) conventions(x)
  else "Changed after spans(): declare the records again."
  c(header_lines(what, setup$width), NextMethod())
}
