# A file as a tibble, of all columns or of those that are `needed`. Codes such
# as 007 and numbers too long to be numbers stay text.
read_csv_records <- function(path, needed = NULL, format = NULL, encoding = "UTF-8", tz = NULL) {
  path <- structure(unpacked(path), shown = path)
  attr(path, "marks") <- check_text(path)
  attr(path, "sep") <- separator(format)
  attr(path, "encoding") <- encoding
  head <- fread_quietly(first_lines(path), nrows = 100, colClasses = "character")
  # By place, as two columns may have one name.
  all_needed <- is.null(needed) || !all(needed %in% names(head))
  at <- if (all_needed) seq_along(head) else match(needed, names(head))
  maybe_codes <- vapply(head[at], function(text) any(grepl("^[-+]?[0-9]+$", text)), logical(1))
  classes <- list(character = at[maybe_codes])
  table <- fread_quietly(path, select = if (!all_needed) at,
                         colClasses = if (any(maybe_codes)) classes)
  table[maybe_codes] <- lapply(table[maybe_codes], numbers_where_plain)
  marked <- vapply(table, inherits, logical(1), "POSIXct")
  table[marked] <- lapply(table[marked], function(column) as_instant(column, zone_given(tz)))
  repair_names(tibble::as_tibble(table, .name_repair = "minimal"))
}

# Types are first looked at in the beginning of the file; opening the whole of
# a large one twice would be felt.
first_lines <- function(path) {
  lines <- if (path == "-") standard_input() else readLines(path, 200, warn = FALSE, skipNul = TRUE)
  attr(path, "lines") <- whole_lines(utils::head(lines, 200))
  path
}

# Up to where no quoted text is left open.
whole_lines <- function(lines) {
  quotes <- lengths(regmatches(lines, gregexpr("\"", lines, fixed = TRUE, useBytes = TRUE)))
  closed <- which(cumsum(quotes) %% 2 == 0)
  if (length(closed) > 0) lines[seq_len(max(closed))] else lines
}

# Text in another encoding would be shown, and compared, wrongly.
in_utf8 <- function(table, path) {
  if (attr(path, "encoding") == "Latin-1") {
    table[] <- lapply(table,
                      function(column) if (is.character(column)) enc2utf8(column) else column)
    names(table) <- enc2utf8(names(table))
    return(table)
  }
  broken <- function(text) is.character(text) && !all(validUTF8(text))
  if (is_free_of(path, "beyond_ascii")) {
    return(table)
  }
  at <- which(vapply(c(list(names(table)), as.list(table)), broken, logical(1)))
  if (length(at) == 0) {
    return(table)
  }
  where <- if (at[1] == 1) "the line of column names" else {
    paste0("column \"", names(table)[at[1] - 1], "\", row ",
           which(!validUTF8(table[[at[1] - 1]]))[1])
  }
  shown <- attr(path, "shown") %||% path
  ridge_abort(c("{.file {shown}} is not in UTF-8: see {where}.",
                i = "Say {arg_set('encoding', 'Latin-1')} if it is that, or export it in UTF-8."),
              "file", arg = "encoding")
}

# Where it is not named, the text shows it.
separator <- function(format) {
  if (identical(format, "tsv")) "\t" else "auto"
}

fread_quietly <- function(path, ...) {
  lines <- attr(path, "lines")
  if (is.null(lines) && path == "-") {
    lines <- standard_input()
  }
  input <- if (is.null(lines)) list(file = as.character(path))
  else list(text = paste0(lines, "\n", collapse = ""))
  # Refusing only afterwards leaves the reader in order for the next file.
  warned <- NULL
  table <- tryCatch(
    withCallingHandlers(
      do.call(data.table::fread, c(input, list(
        ..., integer64 = "character", tz = "", na.strings = c("", "NA"), header = TRUE,
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
  table <- in_utf8(table, path)
  if (is_free_of(path, "doubled_quotes")) table else single_quotes(table)
}

# Did a look at the bytes of the file show that there is no such thing in it?
is_free_of <- function(path, mark) {
  isFALSE(attr(path, "marks")[[mark]])
}

# A quote within quoted text is written twice; not every version of the reader
# takes that back.
single_quotes <- function(table) {
  if (reader_keeps_doubled()) {
    twice <- vapply(table, function(column) is.character(column) && holds_doubled_quotes(column),
                    logical(1))
    table[twice] <- lapply(table[twice], function(column) gsub("\"\"", "\"", column, fixed = TRUE))
  }
  table
}

reader_keeps_doubled <- local({
  keeps <- NULL
  function() {
    if (is.null(keeps)) {
      probe <- data.table::fread(text = "a,b\n\"x\"\"y\",1\n", header = TRUE, sep = ",",
                                 data.table = FALSE)
      keeps <<- grepl("\"\"", probe$a, fixed = TRUE)
    }
    keeps
  }
})

# What the text holds, by its bytes; nothing is known of standard input.
check_text <- function(path) {
  if (path == "-") {
    return(c(nul = FALSE, beyond_ascii = TRUE, doubled_quotes = TRUE))
  }
  packed <- identical(as.integer(readBin(path, "raw", 2)), c(0x50L, 0x4bL))
  marks <- file_marks(path.expand(path))
  if (packed || marks[["nul"]]) {
    way_out <- if (packed) paste("It is packed like a workbook: say {arg_set('format', 'xlsx')}",
                                 "if it is one.")
    else "Export it as CSV in UTF-8, and name that file."
    ridge_abort(c("{.file {attr(path, 'shown')}} is no text: it holds NUL bytes.", i = way_out),
                "file")
  }
  marks
}
