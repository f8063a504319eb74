#' Write records or results to a file
#'
#' Writes any table, in the format of the file's ending. Dates are written as
#' dates, instants with their offset, what is missing as blank, numbers with all
#' their digits. Reading the file with [read_records()] gives the same records again;
#' what a format cannot hold is said.
#'
#' The file appears when it is whole: it is written beside its place and moved there, and
#' until then a file that was there is untouched.
#'
#' A workbook has the table on its first sheet, with number formats and the
#' header frozen; cohorts have a second one, shaded, with ages across the top; a
#' result's line of conventions is on the last. An iCalendar
#' file has an event for each record of a [spans()] object, or of a table with
#' the columns `start` and `end`: days as all-day events (their `DTEND` is the day
#' after the last, as the standard says), instants in UTC. What the standard has
#' no place for, an open end and the other columns, is written in properties of
#' its own kind (`X-`), which calendar programs leave alone. Markdown and HTML are for
#' people: they have the line of conventions under the table, and are not read again.
#'
#' @param x A data frame: records, a [spans()] object or a result.
#' @param path The file to write: its ending says the format, `.csv`, `.tsv`
#'   (also `.csv.gz`), `.xlsx`, `.parquet`, `.json`, `.ndjson`, `.ics`, `.md` or `.html`.
#' @param format The format, where the ending does not say it.
#' @param formulas Cells of text that a spreadsheet would take for a formula, as they begin
#'   with `=`, `+`, `-`, `@`, a tab or a return: `"as_is"` leaves them in CSV and notes it,
#'   `"as_text"` puts an apostrophe before them there. In a workbook they always are text.
#' @return The path, invisibly.
#' @section Errors:
#' An unknown ending or folder, a column of lists, and a table without starts and
#' ends as iCalendar are errors of class `ridge_error_argument`; a file that cannot be
#' written and a format whose package is not installed of class `ridge_error_file`.
#' @examples
#' staff <- spans(demo_records("postings"), first_day, last_day, key = observer,
#'                as_of = "2026-06-30")
#' file <- tempfile(fileext = ".ndjson")
#' write_records(staff, file)
#' read_records(file)
#' @export
write_records <- function(x, path, format = NULL, formulas = "as_is") {
  if (!is.data.frame(x)) {
    ridge_abort("{arg_name('x')} must be a data frame, not {.val {describe(x)}}.", "argument")
  }
  check_choice(formulas, formula_ways, "formulas")
  if (inherits(x, "ridge_spans")) refuse_elsewhere(x, "A file of the records")
  if (!rlang::is_string(path)) {
    ridge_abort("{arg_name('path')} must be the name of one file, not {.val {describe(path)}}.",
                "argument")
  }
  if (is.null(format)) format <- check_ending(path, table_endings, "path")
  else check_choice(format, table_formats, "format")
  show_progress(paste("writing", path))
  write_table(x, path, format, formulas)
}

write_table <- function(x, path, format, formulas = "as_is") {
  format <- sub("[.]gz$", "", format)
  for (name in names(x)) check_plain_column(x[[name]], name, "x")
  report_losses(x, format, formulas)
  x <- with_safe_cells(written_table(x, format), format, formulas)
  packed <- endsWith(tolower(path), ".gz")
  write <- switch(format, xlsx = write_workbook, parquet = write_parquet_table,
                  csv = function(x, aside) write_csv_file(x, aside, packed = packed),
                  tsv = function(x, aside) write_csv_file(x, aside, "\t", packed),
                  write_text(format))
  write_whole(path, format, function(aside) write(x, aside))
}

# The line over all groups by its name: in columns of text, or of any kind where all are text.
written_table <- function(x, format) {
  if (!inherits(x, "ridge_result")) {
    return(x)
  }
  named <- with_all_named(plain_tibble(x),
                          if (!(format %in% c("md", "html"))) c("character", "factor"))
  attr(named, "ridge") <- about(x)
  class(named) <- class(x)
  named
}

# A table that is one text.
table_text <- function(x, format) {
  switch(format, json = json_text(x), ndjson = json_text(x, lines = TRUE), md = markdown_text(x),
         html = html_text(x), ics = icalendar_text(x))
}

write_text <- function(format) {
  function(x, aside) {
    reason <- write_bytes(aside, enc2utf8(table_text(x, format)))
    if (nzchar(reason)) stop(reason)
  }
}

# A table to standard output.
print_table <- function(x, format = "csv", formulas = "as_is") {
  for (name in names(x)) check_plain_column(x[[name]], name, "x")
  report_losses(x, format, formulas)
  x <- with_safe_cells(written_table(x, format), format, formulas)
  print_out(function(file) {
    if (format == "csv") write_csv_table(x, file)
    else if (format == "tsv") write_csv_table(x, file, sep = "\t")
    else cat_bytes(enc2utf8(table_text(x, format)), file)
  })
}

# To standard output: what the program prints is checked to the last byte, within a session
# R prints it.
print_out <- function(write) {
  if (!nzchar(Sys.getenv("RIDGE_PROGRAM"))) {
    return(invisible(write("")))
  }
  file <- tempfile("out-")
  on.exit(unlink(file))
  write(file)
  reason <- send_to_output(file)
  if (nzchar(reason)) {
    ridge_abort(c("Standard output could not take the table: {reason}.",
                  i = "Name a file with {.code --out}, on a disk that has room."), "file")
  }
}

cat_bytes <- function(text, file) {
  if (nzchar(file)) write_bytes(file, text) else writeLines(text, sep = "", useBytes = TRUE)
}

write_parquet_table <- function(x, path) {
  need_package("nanoparquet", "Writing Parquet")
  columns <- lapply(as.list(plain_tibble(x)), function(column) {
    if (inherits(column, "Date")) as_date(whole_days(column)) else column
  })
  nanoparquet::write_parquet(as.data.frame(columns, optional = TRUE), path)
}
