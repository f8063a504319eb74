#' Read records from a file
#'
#' Reads a table of records, with dates made sound: a text column becomes dates
#' only where all of it proves to be dates, and how each was read is reported.
#'
#' `"csv"` and `"tsv"` (also compressed, `.csv.gz`) are read as text, all of it, and a
#' column is what the whole of it proves: numbers, dates or text. `"xlsx"` is a sheet of a
#' workbook (`.xls` too), its cells read one by one, so that a column of dates and texts
#' loses neither. `"parquet"`, `"json"` (an array of objects) and `"ndjson"` (an object a
#' line) bring types of their own. Codes such as 007 stay text.
#'
#' Empty and blank cells are missing, quoted or not, and what you name as `missing`; any
#' other text is text, `NA` too. Outer spaces are trimmed. What each column was read as, and
#' what was left as text and why, is reported.
#'
#' A file of text may be in UTF-8, with or without a mark, in UTF-16 with one, or in the
#' encoding that you name. Where its first line is data, a date or a number in every field,
#' columns are called `V1`, `V2` and so on.
#'
#' `"ics"` is iCalendar: an event is a record with `start`, `end`, `summary` and
#' its other properties. All-day events are on days and end on their last day;
#' others are instants in their own zones. Repeated events are written out, up to
#' `repeat_until` where they have no end themselves.
#'
#' A column of ISO 8601 intervals, `2026-01-01/2026-03-31`, becomes two columns,
#' with `_start` and `_end` after its name; see [read_intervals()].
#'
#' @param path The file, several files, or a pattern such as `"exports/*.csv"`; `"-"` for
#'   text on standard input. Several files are one list, with a column `source` that
#'   names the file of each record; they must have the same columns.
#' @param format `"csv"`, `"tsv"`, `"xlsx"`, `"parquet"`, `"json"`, `"ndjson"` or
#'   `"ics"`, where the ending does not say it.
#' @param sheet The sheet of a workbook, by name or number; by default the first.
#' @param date_order The order of day and month in columns that do not prove it:
#'   `"dmy"`, `"mdy"` or `"ymd"`; see [read_dates()]. A column that contradicts it is an
#'   error.
#' @param tz The time zone of clocks without an offset; by default the session's.
#' @param keep,leave_out Lists of values by column, such as
#'   `list(station = "Whinfell")`: only these records, all but these. Several
#'   values of a column are alternatives, several columns must all agree, and
#'   `""` stands for blank. Results count what was left out.
#' @param match How these values match: `"folded"`, whatever the case, spaces and
#'   hyphens (see [fold_labels()]), `"exact"`, or `"containing"`, the folded
#'   value anywhere in the text.
#' @param where A condition that records have to meet, such as `share >= 0.8`: see
#'   [conditions_on_records].
#' @param encoding Of a file of text, where it does not tell: `"UTF-8"`, `"UTF-16"`,
#'   `"Latin-1"`, `"Latin-9"` or `"Windows-1252"`, by these or their other usual names.
#' @param repeat_until The last day for events that repeat without an end (Date or ISO
#'   text); by default the last of next year.
#' @param missing Texts that are missing too, such as `c("N/A", "-")`.
#' @param decimal What stands before decimals, `"."` or `","`, in columns that do not prove
#'   it, such as one that holds 1.250 and 12.500 only.
#' @param delimiter,quote What stands between fields, and around text that holds it, where
#'   a look at the text does not find it: one character each; `quote = ""` for none.
#' @param no_header `TRUE`: there is no line of column names. `FALSE`: the first line is one,
#'   whatever it holds. `NULL`: as it looks.
#' @param skip_top,skip_bottom How many lines at the top and at the bottom are no records:
#'   a title, a line of totals. 0 or more.
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
                         keep = list(), leave_out = list(), match = "folded", encoding = NULL,
                         repeat_until = NULL, missing = character(), decimal = NULL,
                         delimiter = NULL, quote = "\"", no_header = NULL, skip_top = 0,
                         skip_bottom = 0, where = NULL) {
  where <- where_text(rlang::enquo(where), character())
  check_choice(match, match_ways, "match")
  if (!is.null(date_order)) check_choice(date_order, date_orders, "date_order")
  check_values(keep, "keep")
  check_values(leave_out, "leave_out")
  reading <- as.list(environment())[names(formals())]
  records <- rlang::inject(read_table(!!!reading[names(reading_options())]))
  proven <- prove_columns(records, date_order, tz)
  source <- source_of(records)
  chosen <- choose_records(proven$records, keep, leave_out, match, from = records)
  source <- if (length(keep) + length(leave_out)) source_of(chosen) else source
  met <- choose_where(with_source(plain_tibble(chosen), source), where)
  if (!is.null(where)) source <- source_of(met)
  proven$records <- plain_tibble(met)
  report_reading(path, proven, source, decimal)
  with_source(proven$records, c(source[setdiff(names(source), c("held", "utf8"))],
                                   list(reading = reading)))
}

# What says how a file is read, before anything is chosen in it.
reading_options <- function() {
  formals(read_table)[setdiff(names(formals(read_table)), c("needed", "dates"))]
}

# The table of files as it is, before any date in it is proven; those columns of `needed` that
# are named in `dates` may be dates already.
read_table <- function(path, format = NULL, sheet = NULL, tz = NULL, encoding = NULL,
                       repeat_until = NULL, missing = character(), decimal = NULL,
                       delimiter = NULL, quote = "\"", no_header = NULL, skip_top = 0,
                       skip_bottom = 0, needed = NULL, dates = NULL) {
  check_zone_given(tz)
  check_encoding(encoding)
  missing <- check_missing(missing)
  check_decimal(decimal)
  layout <- delimited_layout(delimiter, quote, no_header, skip_top, skip_bottom)
  files <- files_of(path)
  for (file in files) check_file(file)
  show_progress(paste("reading", files[1]))
  tables <- lapply(files, read_one, format, sheet, tz, encoding, repeat_until, layout, needed,
                   if (length(files) == 1 && length(missing) == 0) dates)
  tidy <- tidy_cells(if (length(files) == 1) tables[[1]] else one_list(tables, files), missing,
                     decimal)
  with_source(tidy$table, list(rows = seq_len(nrow(tidy$table)), left_out = 0L,
                               trimmed = tidy$trimmed, commas = tidy$commas, utf8 = TRUE))
}

read_one <- function(path, format, sheet, tz, encoding, repeat_until, layout, needed, dates) {
  format <- format_of(path, format)
  text <- is.null(format) || format %in% c("csv", "tsv")
  if (!is.null(sheet) && !identical(format, "xlsx")) {
    ridge_abort("{arg_name('sheet')} names a sheet of a workbook, and {.file {path}} is none.",
                "argument", arg = "sheet", value = sheet)
  }
  refuse_layout(layout, path, text)
  if (text) {
    return(read_delimited(path, needed, format, encoding, layout, dates))
  }
  table <- switch(format, xlsx = read_workbook(path, sheet),
                  parquet = read_parquet_table(path, tz, needed),
                  json = read_json(path, encoding), ndjson = read_ndjson(path, encoding),
                  ics = read_icalendar(path, tz, repeat_until, encoding))
  tidy <- attr(table, "tidy")
  texts <- Filter(is.character, c(list("the column names" = as.character(names(table))),
                                  as.list(table)[!(names(table) %in% tidy)]))
  refuse_broken_text(texts, structure(path, shown = path))
  named <- repair_names(plain_tibble(table))
  same <- identical(names(named), names(table))
  if (!is.null(needed) && all(needed %in% names(named))) named <- named[needed]
  attr(named, "tidy") <- if (same) tidy
  named
}

# What says how lines are cut plays no part in other formats.
refuse_layout <- function(layout, path, text) {
  usual <- delimited_layout()
  other <- names(usual)[!vapply(names(usual), function(name) {
    identical(layout[[name]], usual[[name]])
  }, NA)]
  if (!text && length(other) > 0) {
    ridge_abort(c("{arg_name(other[1])} is about lines of text, and {.file {path}} holds none.",
                  i = "Leave it out."), "argument", arg = other[1])
  }
}

# Several files as one: the same columns, in whichever order.
one_list <- function(tables, files) {
  first <- names(tables[[1]])
  check_same_names(files, lapply(tables, names))
  short <- if (anyDuplicated(basename(files))) files else basename(files)
  source <- fresh_name("source", tables[[1]])
  tables <- Map(function(table, name) {
    tibble::new_tibble(c(stats::setNames(list(rep(name, nrow(table))), source),
                         as.list(table[first])), nrow = nrow(table))
  }, tables, short)
  bind_tables(unname(tables))
}

check_same_names <- function(files, names) {
  for (i in seq_along(files)) {
    lacks <- setdiff(names[[1]], names[[i]])
    more <- setdiff(names[[i]], names[[1]])
    if (length(lacks) + length(more) > 0) refuse_columns_of(files[c(1, i)], lacks, more)
  }
}

refuse_columns_of <- function(files, lacks, more) {
  ridge_abort(c(paste("The files do not have the same columns: {.file {files[2]}} differs from",
                      "{.file {files[1]}}."),
                x = if (length(lacks)) "It has no {.val {lacks}}.",
                x = if (length(more)) "It has {.val {more}}.",
                i = "Read them one by one, or make them alike."), "file", value = files[2])
}

bind_tables <- function(tables) {
  tryCatch(vctrs::vec_rbind(!!!tables), vctrs_error_incompatible_type = function(cnd) {
    kinds <- c(class(cnd$x)[1], class(cnd$y)[1])
    name <- sub(".*\\$", "", cnd$x_arg %||% "")
    ridge_abort(
      c(paste("A column of the lists differs in type: {.field {name}} is {.cls {kinds[1]}} in",
              "one, {.cls {kinds[2]}} in another."),
        i = "Make them alike first."), "column", value = name)
  })
}

record_formats <- c("csv", "tsv", "xlsx", "parquet", "json", "ndjson", "ics")

other_endings <- c(xls = "xlsx", xlsm = "xlsx", jsonl = "ndjson", tab = "tsv", ical = "ics")

# By name or by ending; NULL where neither says it, and the text must.
format_of <- function(path, format) {
  if (!is.null(format)) {
    return(check_choice(format, record_formats, "format"))
  }
  plain <- sub("[.]gz$", "", if (rlang::is_string(path)) path else "", ignore.case = TRUE)
  ending <- tolower(file_ending(plain))
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
    read_as[[name]] <- paste0(if (read$on == "days") "dates" else "instants",
                              if (length(read$order)) paste0(" (", order_words[[read$order]], ")"))
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

# What was read, as what, and what was left as text and why.
report_reading <- function(path, proven, source, decimal) {
  records <- proven$records
  kinds <- vapply(records, column_kind, "")
  commas <- intersect(source$commas, names(kinds))
  kinds[commas] <- paste(kinds[commas], "(decimal comma)")
  kinds[names(proven$read_as)] <- proven$read_as
  lines <- vapply(unique(kinds), function(kind) {
    paste0(kind, ": ", paste0("\"", names(kinds)[kinds == kind], "\"", collapse = ", "))
  }, "")
  unclear <- Filter(function(name) {
    is.character(records[[name]]) && decimal_of(records[[name]]) %in% "unclear"
  }, names(records))
  left <- vapply(unclear, function(name) {
    paste0("\"", name, "\" is left as text: ", both_readings(records[[name]]), ". Name it with ",
           decimal_ways(), ".")
  }, "")
  cli::cli_inform(c(
    paste("{count_of(nrow(records), 'record')} from",
          "{.file {path}}{if (source$left_out > 0) paste0('; ', format_number(source$left_out),",
          "' left out')}."),
    stats::setNames(escape_braces(lines), rep("*", length(lines))),
    "!" = trimmed_sentence(source$trimmed %||% 0),
    stats::setNames(escape_braces(left), rep("!", length(left))),
    "!" = if (length(proven$doubtful)) paste("Only some texts of {.val {proven$doubtful}} are",
                                             "dates: left as text."),
    i = if (length(proven$doubtful)) in_r("{.fn read_dates} names those that are not.")
  ))
}

trimmed_sentence <- function(trimmed) {
  if (trimmed > 0) paste0("Outer spaces were trimmed in ", count_of(trimmed, "cell"), ".")
}

column_kind <- function(column) {
  if (inherits(column, "Date")) "dates"
  else if (inherits(column, "POSIXct")) "instants"
  else if (is.logical(column)) (if (all(is.na(column))) "blank" else "yes or no")
  else if (is.integer(column) && !is.object(column)) "whole numbers"
  else if (is.double(column) && !is.object(column)) "numbers"
  else "text"
}

#' The demo tables
#'
#' The records of the Almanac Ridge Observatory, a made-up trust that keeps seven
#' weather stations along a mountain ridge, as of 2026-06-30.
#'
#' - `postings`: observers posted to stations, with `role`, `share` of full time,
#'   `first_day` and `last_day`, blank while a posting lasts.
#' - `postings_may`: the same list as it was exported a month before, as of 2026-05-31.
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
  plain_tibble(prove_columns(records, NULL, "Europe/Vienna")$records)
}

demo_folder <- function() {
  system.file("extdata", package = "almanacridge")
}
