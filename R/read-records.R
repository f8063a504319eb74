record_formats <- c(csv = ",", tsv = "\t")

#' Read records from a file
#'
#' Reads a table of records, with dates made sound: a text column becomes dates
#' only where all of it proves to be dates, and how each was read is reported.
#'
#' @param path The file: CSV or TSV by its ending, also compressed (`.csv.gz`),
#'   or `"-"` for standard input. The first line holds the column names. Codes
#'   such as 007 stay text, blank is missing.
#' @param format `"csv"` or `"tsv"`, where the ending does not say it.
#' @param order The order of day and month in columns that do not prove it:
#'   `"dmy"`, `"mdy"` or `"ymd"`; see [read_dates()].
#' @param tz The time zone of clocks without an offset; by default the session's.
#' @param keep,leave_out Lists of values by column, such as
#'   `list(station = "Whinfell")`: only these records, all but these. Several
#'   values of a column are alternatives, several columns must all agree, and
#'   `""` stands for blank. Results count what was left out.
#' @param encoding `"UTF-8"`, or `"Latin-1"` for older exports.
#' @return A tibble. Columns of dates are Date or POSIXct, others as read; a
#'   column in which some texts are no dates stays text and is reported.
#' @section Errors:
#' A file that is not there or is no text table is an error of class
#' `ridge_error_file`; a column of dates that proves no order, or contradicts
#' itself, of class `ridge_error_records`.
#' @examples
#' path <- system.file("extdata", "postings.csv", package = "almanacridge")
#' read_records(path, keep = list(station = c("Whinfell", "Tarn Head")))
#' @export
read_records <- function(path, format = NULL, order = NULL, tz = NULL, keep = list(),
                         leave_out = list(), encoding = "UTF-8") {
  check_choice(encoding, c("UTF-8", "Latin-1"), "encoding")
  if (!is.null(format)) check_choice(format, names(record_formats), "format")
  if (!is.null(order)) check_choice(order, date_orders, "order")
  if (!is.null(tz)) check_zone(tz)
  check_values(keep, "keep")
  check_values(leave_out, "leave_out")
  records <- read_csv_records(path, format = format, encoding = encoding)
  records <- choose_records(records, keep, leave_out)
  source <- source_of(records)
  proven <- prove_columns(records, order, tz)
  report_reading(path, proven, source$left_out)
  with_source(proven$records, source)
}

check_values <- function(values, arg) {
  named <- is.list(values) && (length(values) == 0 || rlang::is_named(values))
  if (!named) {
    ridge_abort(c("{.arg {arg}} must be a list of values by column, not {.val {describe(values)}}.",
                  i = "Say {.code {arg} = list(station = \"Whinfell\")}, for one."), "argument")
  }
}

# Text columns as dates, where all their texts are dates: the records, what each
# column was read as, and the columns where only some texts are dates.
prove_columns <- function(records, order, tz) {
  read_as <- doubtful <- character()
  for (name in names(records)) {
    column <- records[[name]]
    if (!is.character(column) || all(is.na(column))) next
    looks <- share_of_dates(column)
    if (looks == 0) next
    if (looks < 1) {
      if (looks >= 0.5) doubtful <- c(doubtful, name)
      next
    }
    read <- read_text_moments(column, name, tz, order)
    if (length(read$bad) > 0) {
      doubtful <- c(doubtful, name)
      next
    }
    records[[name]] <- read$values
    read_as[[name]] <- paste(read$on, if (length(read$order)) paste0("(", order_words[[read$order]], ")"))
  }
  list(records = records, read_as = read_as, doubtful = doubtful)
}

# Which share of the distinct texts, blanks aside, has the form of a date. A look
# at a few decides for the many columns that hold none.
share_of_dates <- function(column) {
  texts <- unique(column)
  texts <- texts[!is_blank_text(texts)]
  form <- function(texts) read_date_text(tolower(texts), month_words())$form %in% 1:2
  if (length(texts) == 0 || !any(form(utils::head(texts, 50)))) 0 else mean(form(texts))
}

report_reading <- function(path, proven, left_out) {
  read_as <- sprintf("\"%s\" as %s", escape_braces(names(proven$read_as)), proven$read_as)
  cli::cli_inform(c(
    "{count_of(nrow(proven$records), 'record')} from {.file {path}}{if (left_out > 0) paste0('; ', format_number(left_out), ' left out')}.",
    stats::setNames(read_as, rep("*", length(read_as))),
    "!" = if (length(proven$doubtful)) "Only some texts of {.val {proven$doubtful}} are dates: left as text. {.fn read_dates} names those that are not."
  ))
}

#' The demo tables
#'
#' The records of the Almanac Ridge Observatory, a made-up trust that keeps seven
#' weather stations along a mountain ridge, as of 2026-06-30.
#'
#' `postings`: observers posted to stations, with `observer`, `station` (blank
#' in a few), `role`, `share` of full time, `first_day` and `last_day`, blank
#' while a posting lasts.
#'
#' `watches`: watches kept by observers, with `watch_date`, `begin` (a number,
#' 2210 is 22:10), `finish` (text, often past midnight) and `kind`, spelled in
#' several ways.
#'
#' @param table The name of a table: `"postings"` or `"watches"`.
#' @return A tibble; the dates are Date, a blank last day is NA.
#' @section Errors:
#' An unknown table is an error of class `ridge_error_argument`.
#' @examples
#' demo_records("postings")
#' @export
demo_records <- function(table) {
  files <- list.files(demo_folder(), "[.]csv$")
  check_choice(table, sub("[.]csv$", "", files), "table")
  records <- read_csv_records(file.path(demo_folder(), paste0(table, ".csv")))
  prove_columns(records, NULL, NULL)$records
}

demo_folder <- function() {
  system.file("extdata", package = "almanacridge")
}

# A file as a tibble, of all columns or of those that are `needed`. Codes such
# as 007 and numbers too long to be numbers stay text.
read_csv_records <- function(path, needed = NULL, format = NULL, encoding = "UTF-8") {
  check_file(path)
  path <- structure(unpacked(path), shown = path)
  check_text(path)
  attr(path, "sep") <- separator(path, format)
  attr(path, "encoding") <- encoding
  head <- fread_quietly(first_lines(path), nrows = 100, colClasses = "character")
  if (is.null(needed) || !all(needed %in% names(head))) {
    needed <- names(head)
  }
  maybe_codes <- vapply(head[needed], function(text) any(grepl("^[-+]?[0-9]+$", text)), logical(1))
  classes <- list(character = needed[maybe_codes])
  table <- fread_quietly(path, select = needed, colClasses = classes[any(maybe_codes)])
  table[maybe_codes] <- lapply(table[maybe_codes], numbers_where_plain)
  tibble::as_tibble(table, .name_repair = "minimal")
}

# Types are first looked at in the beginning of the file; opening the whole of
# a large one twice would be felt.
first_lines <- function(path) {
  lines <- if (path == "-") standard_input() else readLines(path, 200, warn = FALSE)
  attr(path, "lines") <- utils::head(lines, 200)
  path
}

# The name by which a file is known, and where its text is: for a compressed one
# in a file of this session.
unpacked <- function(path) {
  if (!grepl("[.]gz$", path, ignore.case = TRUE)) {
    return(path)
  }
  plain <- tempfile(fileext = paste0(".", tools::file_ext(sub("[.]gz$", "", path, ignore.case = TRUE))))
  from <- gzfile(path, "rb")
  to <- file(plain, "wb")
  on.exit({
    close(from)
    close(to)
  })
  repeat {
    block <- tryCatch(readBin(from, "raw", 1e7), error = function(cnd) refuse_file(path, conditionMessage(cnd)))
    if (length(block) == 0) break
    writeBin(block, to)
  }
  flush(to)
  if (packed_size(path) > file.size(plain)) {
    ridge_abort(c("{.file {path}} is cut short: it says that it holds more than is there.",
                  i = "Copy or download it again."), "file")
  }
  plain
}

# How long the last part of a gzip file says that its text is.
packed_size <- function(path) {
  con <- file(path, "rb")
  on.exit(close(con))
  seek(con, max(file.size(path) - 4, 0))
  sum(as.double(readBin(con, "raw", 4)) * 256^(0:3))
}

# Text in another encoding would be shown, and compared, wrongly.
in_utf8 <- function(table, path) {
  if (attr(path, "encoding") == "Latin-1") {
    table[] <- lapply(table, function(column) if (is.character(column)) enc2utf8(column) else column)
    names(table) <- enc2utf8(names(table))
    return(table)
  }
  broken <- function(text) is.character(text) && !all(validUTF8(text))
  at <- which(vapply(c(list(names(table)), as.list(table)), broken, logical(1)))
  if (length(at) == 0) {
    return(table)
  }
  where <- if (at[1] == 1) "the line of column names" else {
    paste0("column \"", names(table)[at[1] - 1], "\", row ", which(!validUTF8(table[[at[1] - 1]]))[1])
  }
  shown <- first_of(attr(path, "shown"), path)
  ridge_abort(c("{.file {shown}} is not in UTF-8: see {where}.",
                i = "Say {.code encoding = \"Latin-1\"} if it is in that, or export it in UTF-8."), "file")
}

separator <- function(path, format) {
  ending <- tolower(tools::file_ext(path))
  if (is.null(format)) {
    format <- if (ending %in% names(record_formats)) ending
  }
  # Where neither the ending nor the user says it, the text does.
  if (is.null(format)) "auto" else if (format == "csv") "auto" else record_formats[[format]]
}

fread_quietly <- function(path, ...) {
  lines <- attr(path, "lines")
  if (is.null(lines) && path == "-") {
    lines <- standard_input()
  }
  input <- if (is.null(lines)) list(file = as.character(path)) else list(text = paste0(lines, "\n", collapse = ""))
  # Refusing only afterwards leaves the reader in order for the next file.
  warned <- NULL
  table <- tryCatch(
    withCallingHandlers(
      do.call(data.table::fread, c(input, list(
        ..., integer64 = "character", na.strings = c("", "NA"), header = TRUE,
        sep = attr(path, "sep"), encoding = attr(path, "encoding"),
        showProgress = isatty(stderr()), data.table = FALSE
      ))),
      warning = function(cnd) {
        warned <<- c(warned, conditionMessage(cnd))
        invokeRestart("muffleWarning")
      }
    ),
    error = function(cnd) refuse_file(path, conditionMessage(cnd))
  )
  if (length(warned) > 0) refuse_file(path, warned[1])
  in_utf8(table, path)
}

# Standard input can be read only once.
standard_input <- local({
  lines <- NULL
  function() {
    if (is.null(lines)) {
      input <- file("stdin")
      on.exit(close(input))
      lines <<- readLines(input)
    }
    lines
  }
})

# Numbers only where nothing is lost by it: 7 is one, 007 is not.
numbers_where_plain <- function(text) {
  distinct <- unique(text)
  numbers <- suppressWarnings(as.double(distinct))
  plain <- is.na(distinct) | (!is.na(numbers) & grepl("^-?(0|[1-9][0-9]{0,14})([.][0-9]+)?$", distinct))
  if (!all(plain)) {
    return(text)
  }
  whole <- all(is.na(numbers) | (numbers == round(numbers) & abs(numbers) < 2^31))
  values <- if (whole) as.integer(numbers) else numbers
  values[match(text, distinct)]
}

check_file <- function(path) {
  if (!rlang::is_string(path)) {
    ridge_abort("{.arg path} must be the name of one file, not {.val {describe(path)}}.", "argument")
  }
  if (path == "-") {
    return(invisible())
  }
  if (dir.exists(path)) {
    ridge_abort(c("{.file {path}} is a folder, not a file.", i = "Name a CSV file in it."), "file")
  }
  if (!file.exists(path)) {
    ridge_abort(c("There is no file {.file {path}}.", i = "Check its name and folder."), "file")
  }
  if (file.size(path) == 0) {
    ridge_abort(c("{.file {path}} is empty.", i = "A CSV file begins with a line of column names."),
                "file")
  }
}

check_text <- function(path) {
  if (path != "-" && any(readBin(path, "raw", 4096) == 0)) {
    ridge_abort(c("{.file {attr(path, 'shown')}} is no text: it holds NUL bytes.",
                  i = "Export it as CSV in UTF-8, and name that file."), "file")
  }
}

refuse_file <- function(path, reason) {
  reason <- gsub("[[:space:]]+", " ", reason)
  reason <- sub(" (If the fields|Consider) .*", "", reason)
  shown <- first_of(attr(path, "shown"), path)
  ridge_abort(c("{.file {shown}} cannot be read as CSV: {reason}",
                i = "Mend the file, or export it again."), "file")
}
