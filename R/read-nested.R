# JSON, newline-delimited JSON and Parquet: formats that bring their types.

read_json <- function(path, encoding = NULL) {
  need_package("jsonlite", "Reading JSON")
  text <- whole_text(path, encoding)
  if (!grepl("^[[:space:]]*[[{]", text)) {
    refuse_file(path, "it begins with neither [ nor {.", "JSON")
  }
  table <- as_json_error(path, parse_json_text(text))
  # One array of records within an object is the table.
  if (is.list(table) && !is.data.frame(table)) {
    inner <- Filter(is.data.frame, table)
    if (length(inner) == 1) table <- inner[[1]]
  }
  if (is.list(table) && length(table) == 0) table <- data.frame()
  if (!is.data.frame(table)) {
    refuse_file(path, "it holds no array of objects.", "a table of JSON")
  }
  plain_json_columns(table)
}

read_ndjson <- function(path, encoding = NULL) {
  need_package("jsonlite", "Reading JSON")
  lines <- strsplit(whole_text(path, encoding), "\r?\n", perl = TRUE)[[1]]
  lines <- lines[nzchar(trimws(lines))]
  table <- as_json_error(path, parse_json_text(paste0("[", paste(lines, collapse = ","), "]")))
  if (length(lines) == 0) table <- data.frame()
  if (!is.data.frame(table) || nrow(table) != length(lines)) {
    refuse_file(path, "each line must hold one object.", "newline-delimited JSON")
  }
  plain_json_columns(table)
}

# Text only, which never leads to another file or address.
parse_json_text <- function(text) {
  table <- jsonlite::parse_json(text, simplifyVector = TRUE, bigint_as_char = TRUE)
  if (is.data.frame(table)) jsonlite::flatten(table) else table
}

as_json_error <- function(path, expr) {
  tryCatch(expr, error = function(cnd) {
    refuse_file(path, sub("\n.*", "", conditionMessage(cnd)), "JSON")
  })
}

# Arrays within a record are kept as their text.
plain_json_columns <- function(table) {
  table[] <- lapply(table, function(column) {
    if (!is.list(column)) return(column)
    vapply(column, function(cell) {
      if (length(cell) == 0) NA_character_
      else as.character(jsonlite::toJSON(cell, auto_unbox = TRUE))
    }, character(1))
  })
  table
}

# Where all columns needed are there, only these are read. `known`: what look_at_parquet() saw,
# where the file is what it was. The attribute `tidy` names columns of texts that are tidy.
read_parquet_table <- function(path, tz = NULL, needed = NULL, known = NULL) {
  need_package("nanoparquet", "Reading Parquet")
  plain <- unpacked(path)
  # A description of types that it cannot use it warns of, and does without.
  read <- function(columns = NULL) {
    suppressWarnings(nanoparquet::read_parquet(as.character(plain), col_select = columns))
  }
  known <- known %||% look_at_parquet(plain)
  if (!known$read && !survives_parquet(plain, read, known)) {
    refuse_file(path, "it is damaged, or no Parquet.", "Parquet")
  }
  table <- tryCatch(read(parquet_columns(plain, needed, known)), error = function(cnd) {
    refuse_file(path, conditionMessage(cnd), "Parquet")
  })
  table <- as.data.frame(table)
  timed <- vapply(table, inherits, logical(1), "POSIXct")
  table[timed] <- lapply(table[timed], function(column) as_instant(column, zone_given(tz)))
  if (!anyDuplicated(names(table))) attr(table, "tidy") <- names(known$columns)[known$columns]
  table
}

# Whether a file has an end, and its columns where its pages are sound (TRUE where all values are
# texts of ASCII without outer spaces); and what is known later: what it tells of itself, and
# whether it was read.
look_at_parquet <- function(plain) {
  whole <- complete_parquet_file(plain)
  columns <- if (whole) sound_parquet_columns(plain, threads_for(file.size(plain)))
  list(whole = whole, columns = columns, told = NULL, read = FALSE)
}

# Where the pages are sound only what describes the columns is left to try.
survives_parquet <- function(plain, read, known) {
  tried <- if (is.null(known$columns)) read else function() read(integer())
  known$whole && survives_reading(plain, tried)
}

# The columns to select: NULL for all of them.
parquet_columns <- function(plain, needed, known) {
  if (is.null(needed)) {
    return(NULL)
  }
  names <- names(known$columns) %||% (known$told %||% told_of_parquet(plain))$names
  if (all(needed %in% names) && !anyDuplicated(names)) needed
}

# How many records there are, the names of columns that are no lists of others, and all that is
# said of the columns.
told_of_parquet <- function(plain) {
  told <- suppressWarnings(nanoparquet::read_parquet_metadata(as.character(plain)))
  columns <- told$schema[-1, ]
  list(rows = told$file_meta_data$num_rows,
       names = if (all(is.na(columns$num_children))) columns$name else character(),
       columns = as.list(told$schema[setdiff(names(columns),
                                             c("file_name", "repetition_type", "r_type"))]))
}

# The columns of files without a row of them. A file that says the same of its columns as the
# first one has them too, and need not be read for that.
parquet_heads <- function(paths, tz, known) {
  for (path in paths) {
    seen <- look_at_parquet(path)
    if (!is.null(seen$columns)) seen$told <- told_of_parquet(path)
    assign(path, seen, known)
  }
  head_of <- function(path) {
    tibble::as_tibble(read_parquet_table(path, tz, known = known[[path]]))[0, ]
  }
  columns <- known[[paths[1]]]$told$columns
  first <- head_of(paths[1])
  heads <- lapply(paths[-1], function(path) {
    same <- !is.null(columns) && identical(known[[path]]$told$columns, columns)
    if (same) first else head_of(path)
  })
  c(list(first), heads)
}

complete_parquet_file <- function(plain) {
  con <- file(plain, "rb")
  on.exit(close(con))
  complete_parquet(con, file.size(plain))
}

complete_parquet <- function(con, size) {
  tail <- bytes_at(con, size - 8, 8)
  length(tail) == 8 && identical(tail[5:8], charToRaw("PAR1")) &&
    whole_number(tail[1:4]) + 12 <= size && identical(bytes_at(con, 0, 4), charToRaw("PAR1"))
}
