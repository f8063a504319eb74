# A file of records: is it there, and what is in it as text.

check_file <- function(path) {
  if (!rlang::is_string(path)) {
    ridge_abort("{arg_name('path')} must be the name of one file, not {.val {describe(path)}}.",
                "argument")
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

refuse_file <- function(path, reason, as = "CSV") {
  reason <- gsub("[[:space:]]+", " ", reason)
  reason <- sub(" (If the fields|Consider) .*", "", reason)
  shown <- attr(path, "shown") %||% path
  ridge_abort(c("{.file {shown}} cannot be read as {as}: {reason}",
                i = "Mend the file, or export it again."), "file")
}

# Columns can be named only where each has a name of its own.
repair_names <- function(table) {
  given <- as.character(names(table))
  blank <- is.na(given) | !nzchar(trimws(given))
  names <- as.character(ifelse(blank, paste0("column_", seq_along(given)), given))
  names <- make.unique(names, "_")
  changed <- names != given | is.na(given)
  if (any(changed)) {
    cli::cli_inform(c("!" = paste("Columns without a name of their own are called",
                                  "{.val {names[changed]}}.")))
    names(table) <- names
  }
  table
}

# Some texts from all over a column, blanks aside.
a_few <- function(column) {
  texts <- unique(column[unique(round(seq(1, length(column), length.out = 500)))])
  texts <- texts[!is_blank_text(texts)]
  if (length(texts) > 0) texts else utils::head(unique(column[!is_blank_text(column)]), 500)
}

# The name by which a file is known, and where its text is: for a compressed one
# in a file of this session.
unpacked <- function(path) {
  if (!grepl("[.]gz$", path, ignore.case = TRUE)) {
    return(path)
  }
  plain <- tempfile(fileext = paste0(".",
                                     tools::file_ext(sub("[.]gz$", "", path, ignore.case = TRUE))))
  from <- gzfile(path, "rb")
  to <- file(plain, "wb")
  on.exit({
    close(from)
    close(to)
  })
  repeat {
    block <- tryCatch(readBin(from, "raw", 1e7),
                      error = function(cnd) refuse_file(path, conditionMessage(cnd)))
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
  plain <- is.na(distinct) |
    (!is.na(numbers) & grepl("^-?(0|[1-9][0-9]{0,14})([.][0-9]+)?$", distinct))
  if (!all(plain)) {
    return(text)
  }
  whole <- all(is.na(numbers) | (numbers == round(numbers) & abs(numbers) < 2^31))
  values <- if (whole) as.integer(numbers) else numbers
  values[match(text, distinct)]
}

whole_text <- function(path) {
  if (path == "-") {
    return(paste(standard_input(), collapse = "\n"))
  }
  plain <- structure(unpacked(path), shown = path)
  bytes <- readBin(plain, "raw", file.size(plain))
  if (any(bytes == 0)) {
    ridge_abort(c("{.file {path}} is no text: it holds NUL bytes.",
                  i = "Export it again, in UTF-8."), "file")
  }
  text <- sub("^\ufeff", "", enc2utf8(`Encoding<-`(rawToChar(bytes), "UTF-8")), useBytes = FALSE)
  if (!validUTF8(text)) {
    ridge_abort(c("{.file {path}} is not in UTF-8.", i = "Export it in UTF-8."), "file")
  }
  text
}
