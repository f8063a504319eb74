#' Read records from a file
#'
#' Reads a table of records, with dates made sound: a text column becomes dates
#' only where all of it proves to be dates, and how each was read is reported.
#'
#' `"csv"` and `"tsv"` (also compressed, `.csv.gz`) have column names in the
#' first line. `"xlsx"` is a sheet of a workbook (`.xls` too), its cells read one
#' by one, so that a column of dates and texts loses neither. `"parquet"`,
#' `"json"` (an array of objects) and `"ndjson"` (an object a line) bring types
#' of their own. Codes such as 007 stay text, blank is missing.
#'
#' `"ics"` is iCalendar: an event is a record with `start`, `end`, `summary` and
#' its other properties. All-day events are on days and end on their last day;
#' others are instants in their own zones. Repeated events are written out, up to
#' `repeat_until` where they have no end themselves.
#'
#' A column of ISO 8601 intervals, `2026-01-01/2026-03-31`, becomes two columns,
#' with `_start` and `_end` after its name; see [read_intervals()].
#'
#' @param path The file, or `"-"` for text on standard input.
#' @param format `"csv"`, `"tsv"`, `"xlsx"`, `"parquet"`, `"json"`, `"ndjson"` or
#'   `"ics"`, where the ending does not say it.
#' @param sheet The sheet of a workbook, by name or number; by default the first.
#' @param date_order The order of day and month in columns that do not prove it:
#'   `"dmy"`, `"mdy"` or `"ymd"`; see [read_dates()].
#' @param tz The time zone of clocks without an offset; by default the session's.
#' @param keep,leave_out Lists of values by column, such as
#'   `list(station = "Whinfell")`: only these records, all but these. Several
#'   values of a column are alternatives, several columns must all agree, and
#'   `""` stands for blank. Results count what was left out.
#' @param match How these values match: `"folded"`, whatever the case, spaces and
#'   hyphens (see [fold_labels()]), `"exact"`, or `"containing"`, the folded
#'   value anywhere in the text.
#' @param encoding `"UTF-8"`, or `"Latin-1"` for older exports as CSV.
#' @param repeat_until The last day for events that repeat without an end (Date or ISO
#'   text); by default the last of next year.
#' @return A tibble. Columns of dates are Date or POSIXct, others as read; a
#'   column in which some texts are no dates stays text and is reported.
#' @section Errors:
#' A file that is not there, is not of its format, or whose format needs a
#' package that is not installed, is an error of class `ridge_error_file`; a
#' column of dates that proves no order, or contradicts itself, of class
#' `ridge_error_records`.
#' @examples
#' path <- system.file("extdata", "postings.csv", package = "almanacridge")
#' read_records(path, keep = list(station = c("Whinfell", "Tarn Head")))
#'
#' closures <- system.file("extdata", "closures.ics", package = "almanacridge")
#' read_records(closures)
#' @export
read_records <- function(path, format = NULL, sheet = NULL, date_order = NULL, tz = NULL,
                         keep = list(), leave_out = list(), match = "folded", encoding = "UTF-8",
                         repeat_until = NULL) {
  check_choice(encoding, c("UTF-8", "Latin-1"), "encoding")
  check_choice(match, match_ways, "match")
  if (!is.null(date_order)) check_choice(date_order, date_orders, "date_order")
  check_zone_given(tz)
  check_values(keep, "keep")
  check_values(leave_out, "leave_out")
  records <- read_table(path, format, sheet = sheet, encoding = encoding, tz = tz,
                        repeat_until = repeat_until)
  records <- choose_records(records, keep, leave_out, match)
  source <- source_of(records)
  proven <- prove_columns(records, date_order, tz)
  report_reading(path, proven, source$left_out)
  reading <- as.list(environment())[names(formals())]
  with_source(proven$records, c(source[c("rows", "left_out")], list(reading = reading)))
}

# The table of a file as it is, before any date in it is proven.
read_table <- function(path, format = NULL, needed = NULL, sheet = NULL, encoding = "UTF-8",
                       tz = NULL, repeat_until = NULL) {
  format <- format_of(path, format)
  check_file(path)
  if (!is.null(sheet) && !identical(format, "xlsx")) {
    ridge_abort("{arg_name('sheet')} names a sheet of a workbook, and {.file {path}} is none.",
                "argument", arg = "sheet", value = sheet)
  }
  if (is.null(format) || format %in% c("csv", "tsv")) {
    return(read_csv_records(path, needed, format, encoding, tz))
  }
  table <- switch(format, xlsx = read_workbook(path, sheet), parquet = read_parquet_table(path, tz),
                  json = read_json(path), ndjson = read_ndjson(path),
                  ics = read_icalendar(path, tz, repeat_until))
  table <- repair_names(tibble::as_tibble(table, .name_repair = "minimal"))
  if (all(needed %in% names(table))) table[if (is.null(needed)) names(table) else needed] else table
}

record_formats <- c("csv", "tsv", "xlsx", "parquet", "json", "ndjson", "ics")

other_endings <- c(xls = "xlsx", xlsm = "xlsx", jsonl = "ndjson", tab = "tsv", ical = "ics")

# By name or by ending; NULL where neither says it, and the text must.
format_of <- function(path, format) {
  if (!is.null(format)) {
    return(check_choice(format, record_formats, "format"))
  }
  ending <- tolower(tools::file_ext(sub("[.]gz$", "", if (rlang::is_string(path)) path else "",
                                        ignore.case = TRUE)))
  if (ending %in% names(other_endings)) {
    return(other_endings[[ending]])
  }
  if (ending %in% record_formats) ending
}

check_values <- function(values, arg) {
  named <- is.list(values) && (length(values) == 0 || rlang::is_named(values))
  if (!named) {
    ridge_abort(
      c("{arg_name(arg)} must be a list of values by column, not {.val {describe(values)}}.",
        i = "Say {.code {arg} = list(station = \"Whinfell\")}, for one."), "argument", arg = arg,
      value = values)
  }
}

# Text columns as dates, where all their texts are dates: the records, what each
# column was read as, and the columns where only some texts are dates.
prove_columns <- function(records, date_order, tz) {
  read_as <- doubtful <- character()
  for (name in names(records)) {
    column <- records[[name]]
    if (inherits(column, "IDate")) records[[name]] <- as_date(unclass(column))
    if (!is.character(column) || all(is.na(column))) next
    if (all_intervals(column)) {
      records <- split_intervals(records, name, tz)
      read_as[[name]] <- "intervals"
      next
    }
    looks <- share_of_dates(column)
    if (looks == 0) next
    if (looks < 1) {
      if (looks >= 0.5) doubtful <- c(doubtful, name)
      next
    }
    read <- read_text_moments(column, name, tz, date_order)
    if (length(read$bad) > 0) {
      doubtful <- c(doubtful, name)
      next
    }
    records[[name]] <- read$values
    read_as[[name]] <- paste(read$on,
                             if (length(read$order)) paste0("(", order_words[[read$order]], ")"))
  }
  list(records = records, read_as = read_as, doubtful = doubtful)
}

# Which share of the distinct texts, blanks aside, has the form of a date. A look
# at a few decides for the many columns that hold none.
share_of_dates <- function(column) {
  form <- function(texts) read_date_text(tolower(texts), month_words())$form %in% 1:2
  if (!any(form(a_few(column)))) {
    return(0)
  }
  texts <- unique(column)
  mean(form(texts[!is_blank_text(texts)]))
}

report_reading <- function(path, proven, left_out) {
  read_as <- sprintf("\"%s\" as %s", escape_braces(names(proven$read_as)), proven$read_as)
  cli::cli_inform(c(
    paste("{count_of(nrow(proven$records), 'record')} from",
          "{.file {path}}{if (left_out > 0) paste0('; ', format_number(left_out), ' left out')}."),
    stats::setNames(read_as, rep("*", length(read_as))),
    "!" = if (length(proven$doubtful)) paste("Only some texts of {.val {proven$doubtful}} are",
                                             "dates: left as text. {.fn read_dates} names",
                                             "those that are not.")
  ))
}

#' The demo tables
#'
#' The records of the Almanac Ridge Observatory, a made-up trust that keeps seven
#' weather stations along a mountain ridge, as of 2026-06-30.
#'
#' - `postings`: observers posted to stations, with `role`, `share` of full time,
#'   `first_day` and `last_day`, blank while a posting lasts.
#' - `watches`: watches kept, with `watch_date`, `begin` (a number, 2210 is
#'   22:10), `finish` (text, often past midnight) and `kind`, spelled in several
#'   ways.
#' - `observers_here`, `observers_left`: the two lists of the office, with column
#'   names of their own; the first has no last day.
#' - `grade_changes`: when each observer reached a grade, or left.
#' - `stake_readings`: readings of the snow stakes, `read_on` a day, days missing.
#' - `instrument_loans`: instruments lent out; the day of return is free again.
#' - `grants`: amounts with a first and a last day.
#' - `pledges`: supporters' monthly pledges.
#' - `faults`: instrument faults, `reported` and `mended`, to the minute.
#' - `field_trips`: planned absences of observers.
#' - `closures`: the days the observatory is closed, from an iCalendar file.
#'
#' @param table The name of a table, such as `"postings"`.
#' @return A tibble; the dates are Date or POSIXct (of Europe/Vienna), blank ones
#'   `NA`.
#' @section Errors:
#' An unknown table is an error of class `ridge_error_argument`.
#' @examples
#' demo_records("postings")
#' @export
demo_records <- function(table) {
  files <- list.files(demo_folder(), "[.](csv|ics)$")
  tables <- tools::file_path_sans_ext(files)
  check_choice(table, tables, "table")
  path <- file.path(demo_folder(), files[match(table, tables)])
  records <- read_table(path, tz = "Europe/Vienna", repeat_until = "2027-12-31")
  prove_columns(records, NULL, "Europe/Vienna")$records
}

demo_folder <- function() {
  system.file("extdata", package = "almanacridge")
}
