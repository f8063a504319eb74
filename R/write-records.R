#' Write records or results to a file
#'
#' Writes any table, in the format of the file's ending. Dates are written as
#' dates, instants with their offset, what is missing as blank. Reading the file
#' with [read_records()] gives the same records again.
#'
#' A workbook has the table on its first sheet, with number formats and the
#' header frozen; cohorts have a second one, shaded, with ages across the top; a
#' result's line of conventions is on the last. An iCalendar
#' file has an event for each record of a [spans()] object, or of a table with
#' the columns `start` and `end`: days as all-day events (their `DTEND` is the day
#' after the last, as the standard says), instants in UTC. What the standard has
#' no place for, an open end and the other columns, is written in properties of
#' its own kind (`X-`), which calendar programs leave alone.
#'
#' @param x A data frame: records, a [spans()] object or a result.
#' @param path The file to write: its ending says the format, `.csv`, `.tsv`
#'   (also `.csv.gz`), `.xlsx`, `.parquet`, `.json`, `.ndjson` or `.ics`.
#' @param format The format, where the ending does not say it.
#' @return The path, invisibly.
#' @section Errors:
#' An unknown ending or folder, a column of lists, and a table without starts and
#' ends as iCalendar are errors of class `ridge_error_argument`; a format whose
#' package is not installed of class `ridge_error_file`.
#' @examples
#' staff <- spans(demo_records("postings"), first_day, last_day, key = observer,
#'                as_of = "2026-06-30")
#' file <- tempfile(fileext = ".ndjson")
#' write_records(staff, file)
#' read_records(file)
#' @export
write_records <- function(x, path, format = NULL) {
  if (!is.data.frame(x)) {
    ridge_abort("{arg_name('x')} must be a data frame, not {.val {describe(x)}}.", "argument")
  }
  if (!rlang::is_string(path)) {
    ridge_abort("{arg_name('path')} must be the name of one file, not {.val {describe(path)}}.",
                "argument")
  }
  if (is.null(format)) format <- check_ending(path, table_endings, "path")
  else check_choice(format, record_formats, "format")
  write_table(x, path, sub("[.]gz$", "", format))
  invisible(path)
}

write_table <- function(x, path, format) {
  for (name in names(x)) check_plain_column(x[[name]], name, "x")
  write <- switch(format, csv = write_csv_table, tsv = write_tsv_table, xlsx = write_workbook,
                  parquet = write_parquet_table, json = write_json, ndjson = write_ndjson,
                  ics = write_icalendar)
  written <- tryCatch(write(x, path), error = function(cnd) {
    if (inherits(cnd, "ridge_error")) rlang::cnd_signal(cnd)
    ridge_abort(c("{.file {path}} cannot be written: {conditionMessage(cnd)}",
                  i = "Check the disk and your rights there."), "file")
  })
  invisible(written)
}

write_tsv_table <- function(x, path) {
  write_csv_table(x, path, sep = "\t")
}

write_json <- function(x, path) {
  need_package("jsonlite", "Writing JSON")
  writeLines(json_objects(x), path, useBytes = TRUE)
}

write_ndjson <- function(x, path) {
  need_package("jsonlite", "Writing JSON")
  con <- file(path, "wb")
  on.exit(close(con))
  jsonlite::stream_out(as.data.frame(text_columns(x), optional = TRUE), con, verbose = FALSE,
                       na = "null",
                       digits = NA, pagesize = 10000)
}

json_objects <- function(x) {
  table <- as.data.frame(text_columns(x), optional = TRUE)
  enc2utf8(as.character(jsonlite::toJSON(table, dataframe = "rows", na = "null", digits = NA,
                                         pretty = TRUE)))
}

write_parquet_table <- function(x, path) {
  need_package("nanoparquet", "Writing Parquet")
  columns <- lapply(as.list(plain_tibble(x)), function(column) {
    if (is.factor(column)) as.character(column) else column
  })
  nanoparquet::write_parquet(as.data.frame(columns, optional = TRUE), path)
}
