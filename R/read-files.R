#' Files of records, larger than memory
#'
#' Many files as one source: [spans()] reads them through once, and verbs answer part by part,
#' with partial results added, so that only a part at a time is in memory. The answer is the
#' same as if all records had been read at once.
#'
#' Files are of one format, delimited text (`.csv`, `.tsv`, also compressed) or Parquet, and have
#' the same columns, in whichever order. Only the columns that a question needs are read. A
#' large file of text is cut at the end of a record; a file of Parquet, or a compressed one, is a
#' part as it is and has to fit.
#'
#' Questions about keys bring the records of each key together first: by one more pass they go
#' to temporary files, by a hash of the key. With `together = TRUE` you say that each key lies
#' in one file, as where there is one for each month of births, say; a key that does not is an
#' error. Temporary files are removed when the records are, or at the end of the session.
#'
#' What is asked about each record on its own, such as [elapsed()], is answered into files by
#' [write_parts()]. Fewer records are chosen with `where` in [spans()].
#' Rows are counted on through the files, in their order; messages name the file too.
#'
#' @param path A folder, a list of files, or a pattern such as `"exports/*.csv"`. Of a folder all
#'   files in the format are taken, sorted by name, and how many others there are is told.
#' @param format `"csv"`, `"tsv"` or `"parquet"`, where the endings do not say it.
#' @param memory How much memory a part may take, such as `"2 GB"` or `"500 MB"`.
#' @param together `TRUE`: each key lies in one file only.
#' @param tz,encoding,missing,decimal,delimiter,quote How files are read: see [read_records()].
#' @return A source for [spans()], which prints what it is. Nothing of the records is read yet.
#' @section Errors:
#' A folder or pattern without such files, a file that is not there or cannot be read, and files
#' that differ in their columns are errors of class `ridge_error_file`; a wrong argument is one
#' of class `ridge_error_argument`.
#' @examples
#' folder <- tempfile()
#' dir.create(folder)
#' postings <- demo_records("postings")
#' write_records(postings[1:100, ], file.path(folder, "a.csv"))
#' write_records(postings[101:200, ], file.path(folder, "b.csv"))
#' staff <- spans(record_files(folder), first_day, last_day, key = observer, as_of = "2026-06-30")
#' active(staff, by = "quarter", from = "2025-01-01", group = station)
#' @export
record_files <- function(path, format = NULL, memory = "2 GB", together = FALSE, tz = NULL,
                         encoding = NULL, missing = character(), decimal = NULL,
                         delimiter = NULL, quote = "\"") {
  asked <- as.list(environment())[names(formals())]
  check_flag(together, "together")
  check_zone_given(tz)
  check_decimal(decimal)
  memory <- check_memory(memory)
  if (!is.null(format)) check_choice(format, names(part_formats), "format")
  reading <- list(tz = tz, encoding = check_encoding(encoding), missing = check_missing(missing),
                  decimal = decimal, layout = delimited_layout(delimiter, quote))
  found <- files_in(path, format)
  for (file in found$files) check_file(file)
  # Workers, and a session that goes elsewhere, find them too.
  found$files <- normalizePath(found$files)
  new_files(found$files, found$format, reading, memory, together, asked)
}

# What is worked out later, `cells` and `known`, is what columns and files proved to be.
new_files <- function(files, format, reading, memory, together, asked) {
  known <- new.env(parent = emptyenv())
  heads <- heads_of_files(files, format, reading, known)
  check_same_columns(files, heads)
  # A key that lies in one file has to lie in one part.
  size <- if (together) Inf else bytes_of_part(memory)
  pieces <- unlist(lapply(files, pieces_of_file, format, reading, size), recursive = FALSE)
  structure(list(asked = asked, files = files, format = format, reading = reading,
                 columns = heads[[1]], pieces = pieces, memory = memory, together = together,
                 seen = file.info(files, extra_cols = FALSE)[c("size", "mtime")],
                 cells = new.env(parent = emptyenv()), known = known),
            class = "ridge_files")
}

heads_of_files <- function(files, format, reading, known) {
  if (format != "parquet") {
    return(lapply(files, head_of_text, format, reading))
  }
  need_package("nanoparquet", "Reading Parquet")
  refuse_layout(reading$layout, files[1], FALSE)
  parquet_heads(files, reading$tz, known)
}

# The endings by which files of a format are known.
part_formats <- list(csv = "csv([.]gz)?", tsv = "(tsv|tab)([.]gz)?", parquet = "parquet")

# list(files, format): those of a folder, or those that were named.
files_in <- function(path, format) {
  check_paths(path)
  folder <- length(path) == 1 && file_kind(path.expand(path)) == "folder"
  files <- if (folder) sort(list.files(path, full.names = TRUE), method = "radix")
  else files_of(path)
  if (folder) files <- files[!dir.exists(files)]
  kinds <- vapply(tolower(files), function(file) {
    named <- vapply(part_formats, function(ending) grepl(paste0("[.]", ending, "$"), file), NA)
    c(names(part_formats)[named], NA)[1]
  }, "")
  if (is.null(format)) format <- only_format(unique(kinds[!is.na(kinds)]), path)
  if (!folder) {
    return(list(files = files, format = format))
  }
  own <- kinds %in% format
  if (!any(own)) {
    ridge_abort(c("There is no {.val {format}} file in {.file {path}}.",
                  i = "Check the folder, or name its {arg_name('format')}."), "file", value = path)
  }
  if (any(!own)) {
    cli::cli_inform(c("!" = paste("{count_of(sum(!own), 'file')} of {.file {path}}",
                                  "{cli::qty(sum(!own))}{?is/are} no {.val {format}}, and left",
                                  "out: {.file {basename(files[!own])}}.")))
  }
  list(files = files[own], format = format)
}

only_format <- function(formats, path) {
  if (length(formats) == 1) {
    return(formats)
  }
  if (length(formats) > 1) {
    ridge_abort(c("{.file {path}}: files of several formats, {.val {formats}}.",
                  i = "Say which with {arg_name('format')}."), "argument", arg = "format")
  }
  ridge_abort(c("{.file {path}}: no file whose ending says that it is text or Parquet.",
                i = paste("They end in {.val .csv}, {.val .tsv}, {.val .csv.gz} or",
                          "{.val .parquet}; otherwise say {arg_set('format', 'csv')}, for one.")),
              "file", value = path)
}

memory_units <- c(KB = 1e3, MB = 1e6, GB = 1e9, TB = 1e12)

# As bytes.
check_memory <- function(memory) {
  found <- if (rlang::is_string(memory)) {
    regmatches(memory, regexec("^ *([0-9.]+) *([KMGT]B) *$", toupper(memory)))[[1]]
  }
  size <- if (length(found)) suppressWarnings(as.double(found[2])) * memory_units[[found[3]]]
  if (is.null(size) || is.na(size) || size < 1e6) {
    ridge_abort(c(paste("{arg_name('memory')} must say how much memory a part may take, 1 MB or",
                        "more, not {.val {describe(memory)}}."),
                  i = "Say {arg_set('memory', '2 GB')}, for one."), "argument", arg = "memory",
                value = memory)
  }
  size
}

# The columns of a file, without a row.
head_of_text <- function(file, format, reading) {
  plain <- if (is_packed(file)) first_of_packed(file) else file
  on.exit(if (plain != file) unlink(plain))
  head <- opening_lines(plain, file)
  on.exit(unlink(head), add = TRUE)
  table <- read_delimited(structure(head, shown = file), NULL, format, reading$encoding,
                          reading$layout)
  tibble::as_tibble(table)[0, ]
}

# Some first lines are enough to see the columns.
opening_lines <- function(plain, file) {
  bytes <- readBin(path.expand(plain), "raw", 1e6)
  ends <- which(bytes == as.raw(10L))
  if (length(bytes) == 1e6 && length(ends) > 0) bytes <- bytes[seq_len(utils::tail(ends, 1))]
  to <- tempfile("head-")
  writeBin(bytes, to)
  to
}

first_of_packed <- function(file) {
  con <- gzfile(path.expand(file), "rb")
  on.exit(close(con))
  to <- tempfile("head-")
  writeBin(readBin(con, "raw", 1e6), to)
  to
}

check_same_columns <- function(files, heads) {
  check_same_names(files, lapply(heads, names))
  for (i in seq_along(heads)) {
    for (name in names(heads[[1]])) {
      kinds <- c(class(heads[[1]][[name]])[1], class(heads[[i]][[name]])[1])
      if (kinds[1] != kinds[2]) refuse_kinds_of(files[c(1, i)], name, kinds)
    }
  }
}

refuse_kinds_of <- function(files, name, kinds) {
  ridge_abort(
    c(paste("{.field {name}} is {.cls {kinds[1]}} in {.file {files[1]}}, {.cls {kinds[2]}} in",
            "{.file {files[2]}}."),
      i = "Make them alike first."), "file", value = files[2])
}

#' @export
print.ridge_files <- function(x, ...) {
  size <- format_size(sum(x$seen$size))
  cat(paste0(count_of(length(x$files), "file"), " of ", format_word(x$format), " (", size,
             "), read in ", count_of(length(x$pieces), "part"), ".\n",
             "Columns: ", paste(names(x$columns), collapse = ", "), "\n"))
  invisible(x)
}

format_word <- function(format) {
  if (format == "parquet") "Parquet" else toupper(format)
}
