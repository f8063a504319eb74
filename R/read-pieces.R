# Files of records part by part: a part is a file, or what lies between two ends of records of
# a large file of text.

# A part of text takes some twenty times its bytes while it is read and declared.
bytes_of_part <- function(memory) {
  max(memory / 20, 1e5)
}

pieces_of_file <- function(file, format, reading, size) {
  whole <- list(list(file = file))
  if (format == "parquet" || file.size(file) <= size) {
    return(whole)
  }
  if (is_packed(file) || !is.na(mark_of(path.expand(file))) || !is.null(reading$encoding) &&
      reading$encoding != "UTF-8") {
    return(whole)
  }
  at <- record_cuts(path.expand(file), reading$layout$quote, size)
  lapply(seq_len(length(at) - 1L), function(i) {
    list(file = file, from = at[i], to = at[i + 1], head = at[1])
  })
}

is_packed <- function(file) {
  identical(readBin(path.expand(file), "raw", 2), as.raw(c(0x1f, 0x8b)))
}

# The records of a part in these columns: numbers where the columns of all files are numbers.
#' @export
piece_of.ridge_files <- function(source, i, names) {
  piece <- source$pieces[[i]]
  check_unchanged(source, piece$file)
  table <- if (source$format == "parquet") parquet_piece(source, piece, names)
  else delimited_piece(source, piece, names)
  tidy_piece(as.list(table)[names], source, attr(table, "tidy"))
}

check_unchanged <- function(source, file) {
  at <- match(file, source$files)
  now <- file.info(file, extra_cols = FALSE)
  if (is.na(now$size) || now$size != source$seen$size[at] || now$mtime != source$seen$mtime[at]) {
    ridge_abort(c("{.file {file}} is not what it was when {.fn record_files} looked at it.",
                  i = "Call {.fn record_files} again when nobody writes to it any more."), "file",
                value = file)
  }
}

delimited_piece <- function(source, piece, names) {
  reading <- source$reading
  path <- piece$file
  if (!is.null(piece$from)) {
    path <- structure(cut_out(piece), shown = piece$file)
    on.exit(unlink(path))
  }
  layout <- reading$layout
  if (!is.null(piece$from)) layout$no_header <- FALSE
  read_delimited(path, names, source$format, reading$encoding, layout)
}

# The line of column names and a part of the records as a file of its own.
cut_out <- function(piece) {
  con <- file(path.expand(piece$file), "rb")
  on.exit(close(con))
  head <- if (piece$from > 0) readBin(con, "raw", piece$head)
  seek(con, piece$from)
  to <- tempfile("part-")
  writeBin(c(head, readBin(con, "raw", piece$to - piece$from)), to)
  to
}

parquet_piece <- function(source, piece, names) {
  known <- source$known[[piece$file]]
  told <- known$told %||% told_of_parquet(path.expand(piece$file))
  need <- told$rows * (8 * length(names) + 40)
  if (need > source$memory) {
    ridge_abort(
      c(paste("{.file {piece$file}} has {format_number(told$rows)} records, which need",
              "{format_size(need)}; a part may take {format_size(source$memory)}."),
        i = "Allow more with {arg_name('memory')}, or write it as several files."), "size",
      value = piece$file)
  }
  table <- read_parquet_table(piece$file, source$reading$tz, names, known)
  assign(piece$file, utils::modifyList(known, list(told = told, read = TRUE)), source$known)
  table
}

# Cells trimmed, what is missing NA, and how many were trimmed.
tidy_piece <- function(columns, source, known_tidy) {
  trimmed <- 0
  for (name in names(columns)) {
    column <- columns[[name]]
    if (inherits(column, "IDate")) column <- as_date(unclass(column))
    if (is.character(column)) {
      tidy <- trim_column(column, name %in% known_tidy)
      trimmed <- trimmed + tidy$count
      column <- replace(tidy$texts, tidy$texts %in% source$reading$missing, NA)
      column <- as_settled(column, source$cells[[name]])
    }
    columns[[name]] <- column
  }
  list(records = tibble::new_tibble(columns, nrow = NROW(columns[[1]])), trimmed = trimmed)
}

as_settled <- function(texts, how) {
  if (is.null(how) || how$is == "text") {
    return(texts)
  }
  if (how$is == "blank") {
    return(rep(NA, length(texts)))
  }
  numbers <- texts_to_numbers(texts, how$decimal)
  if (how$whole) as.integer(numbers) else numbers
}

# What these columns of text are is proven by all files together, in one pass; columns of
# Parquet say it.
#' @export
settle_columns.ridge_files <- function(source, names) {
  names <- setdiff(names, ls(source$cells, all.names = TRUE))
  names <- Filter(function(name) is.character(source$columns[[name]]), names)
  if (source$format == "parquet" || length(names) == 0) {
    return(invisible())
  }
  proof <- lapply(stats::setNames(names, names), function(name) {
    list(point = TRUE, comma = TRUE, differs = FALSE, whole = c("." = TRUE, "," = TRUE),
         any = FALSE)
  })
  for (i in seq_along(source$pieces)) {
    show_progress(paste("looking at part", i, "of", length(source$pieces)))
    records <- piece_of(source, i, names)$records
    for (name in names) proof[[name]] <- prove_more(proof[[name]], records[[name]])
  }
  for (name in names) assign(name, settled(proof[[name]], source$reading$decimal), source$cells)
}

prove_more <- function(proof, texts) {
  if (all(is.na(texts)) || proof$any && !proof$point && !proof$comma) {
    return(proof)
  }
  own <- prove_numbers(texts)
  whole <- vapply(decimal_marks, function(mark) {
    proof$whole[[mark]] && all_small_integers(texts_to_numbers(texts, mark))
  }, NA)
  list(point = proof$point && own$point, comma = proof$comma && own$comma,
       differs = proof$differs || own$differs > 0, any = TRUE, whole = whole)
}

settled <- function(proof, decimal) {
  if (!proof$any) {
    return(list(is = "blank"))
  }
  mark <- if (is.null(decimal)) decimal_of(NULL, proof)
  else if (proof[[if (decimal == ".") "point" else "comma"]]) decimal
  if (is.null(mark) || !(mark %in% decimal_marks)) list(is = "text")
  else list(is = "number", decimal = mark, whole = proof$whole[[mark]])
}
