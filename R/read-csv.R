#' The demo tables
#'
#' The records of the Almanac Ridge Observatory, a made-up trust that keeps seven
#' weather stations along a mountain ridge, as of 2026-06-30.
#'
#' `postings`: observers posted to stations, with `observer`, `station` (blank
#' in a few), `role`, `share` of full time, `first_day` and `last_day`, blank
#' while a posting lasts.
#'
#' @param table The name of a table: `"postings"`.
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
  records[] <- lapply(records, dates_where_proven)
  records
}

dates_where_proven <- function(column) {
  if (!is.character(column)) {
    return(column)
  }
  kinds <- read_iso_text(unique(column))$kind
  if (any(kinds == 1L) && all(kinds <= 1L)) read_moments(column, "", NULL)$values else column
}

demo_folder <- function() {
  system.file("extdata", package = "almanacridge")
}

# A CSV file as a tibble, of all columns or of those that are `needed`. Codes
# such as 007 and numbers too long to be numbers stay text.
read_csv_records <- function(path, needed = NULL) {
  check_file(path)
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
  structure(path, lines = utils::head(lines, 200))
}

fread_quietly <- function(path, ...) {
  lines <- attr(path, "lines")
  if (is.null(lines) && path == "-") {
    lines <- standard_input()
  }
  input <- if (is.null(lines)) list(file = path) else list(text = paste0(lines, "\n", collapse = ""))
  withCallingHandlers(
    do.call(data.table::fread, c(input, list(
      ..., integer64 = "character", na.strings = c("", "NA"), header = TRUE, showProgress = isatty(stderr()),
      data.table = FALSE
    ))),
    warning = function(cnd) refuse_file(path, conditionMessage(cnd)),
    error = function(cnd) if (!inherits(cnd, "ridge_error")) refuse_file(path, conditionMessage(cnd))
  )
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
  if (any(readBin(path, "raw", 4096) == 0)) {
    ridge_abort(c("{.file {path}} is no text: it holds NUL bytes.",
                  i = "Export it as CSV in UTF-8, and name that file."), "file")
  }
}

refuse_file <- function(path, reason) {
  reason <- gsub("[[:space:]]+", " ", reason)
  reason <- sub(" (If the fields|Consider) .*", "", reason)
  ridge_abort(c("{.file {path}} cannot be read as CSV: {reason}",
                i = "Mend the file, or export it again."), "file")
}
