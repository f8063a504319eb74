# A sheet of a workbook, cell by cell: dates as ISO text, so that the column
# proves what it is like any other; times of day as clocks.

read_workbook <- function(path, sheet = NULL) {
  need_package("readxl", "Reading a workbook")
  if (path == "-") {
    ridge_abort("A workbook cannot be read from standard input: name its file.", "argument")
  }
  plain <- unpacked(path)
  packed <- identical(readBin(plain, "raw", 2), as.raw(c(0x50, 0x4b)))
  parts <- if (packed) zip_parts(plain, path)
  file <- with_ending(plain, if (packed) "xlsx" else "xls")
  if (!packed && !survives_reading(plain, function() readxl::read_excel(file))) {
    refuse_file(path, "it is damaged, or no workbook.", "a workbook")
  }
  sheets <- as_workbook_error(path, readxl::excel_sheets(file))
  check_sheet(sheet, sheets)
  if (packed) check_cells(sheet_part(parts, sheet, sheets), path)
  cells <- as_workbook_error(path, suppressMessages(readxl::read_excel(
    file, sheet = sheet %||% 1L, col_types = "list", .name_repair = "minimal", progress = FALSE
  )))
  drop_blank_tail(lapply(cells, cells_to_column))
}

# By its ending the package chooses how it reads.
with_ending <- function(plain, ending) {
  plain <- as.character(plain)
  if (tolower(file_ending(plain)) %in% c("xlsx", "xlsm", "xls")) {
    return(plain)
  }
  named <- tempfile(fileext = paste0(".", ending))
  if (!file.symlink(normalizePath(plain), named)) file.copy(plain, named)
  named
}

# The part that holds a sheet: the list of sheets names a relation, and that the part.
sheet_part <- function(parts, sheet, sheets) {
  nth <- if (is.null(sheet)) 1L else if (is.numeric(sheet)) sheet else match(sheet, sheets)
  text <- function(name) rawToChar(parts[[name]] %||% raw())
  tags <- function(text, tag) regmatches(text, gregexpr(paste0("<", tag, " [^>]*>"), text))[[1]]
  value <- function(tag, name) sub(paste0(".* ", name, "=\"([^\"]*)\".*"), "\\1", tag)
  id <- value(tags(text("xl/workbook.xml"), "sheet")[nth], "[a-zA-Z0-9]*:id")
  relations <- tags(text("xl/_rels/workbook.xml.rels"), "Relationship")
  target <- value(relations[value(relations, "Id") == id], "Target")
  parts[[sub("^/", "", if (startsWith(target[1], "/")) target[1] else paste0("xl/", target[1]))]]
}

most_cells <- 1e8

# What stands far away would have the whole rectangle read; a cell with an error would be
# blank, and an end there no end.
check_cells <- function(part, path) {
  if (is.null(part)) {
    return(invisible())
  }
  extent <- sheet_extent(part)
  if (as.double(extent$rows) * extent$columns > most_cells) {
    ridge_abort(c(paste("{.file {path}}: the sheet reaches to row {format_number(extent$rows)} and",
                        "column {format_number(extent$columns)}, too far to be read."),
                  i = "Delete what stands far away from the records, or export the sheet as CSV."),
                "size", value = extent$rows)
  }
  if (length(extent$errors) > 0) {
    ridge_abort(c(paste("{.file {path}}: {cli::qty(length(extent$errors))}cell{?s}",
                        "{.val {extent$errors}} {?holds an error/hold errors}, such as #N/A."),
                  i = "Mend the formula, or leave the cell empty."), "records",
                value = extent$errors)
  }
}

as_workbook_error <- function(path, expr) {
  tryCatch(suppressWarnings(expr), error = function(cnd) {
    refuse_file(path, conditionMessage(cnd), "a workbook")
  })
}

check_sheet <- function(sheet, sheets) {
  if (is.null(sheet)) {
    return(invisible())
  }
  known <- if (is.numeric(sheet)) length(sheet) == 1 &&
    sheet %in% seq_along(sheets) else rlang::is_string(sheet, sheets)
  if (!known) {
    ridge_abort(c("{arg_name('sheet')}: the workbook has no sheet {.val {sheet}}.",
                  i = "Its sheets are {.val {sheets}}."), "argument")
  }
}

cells_to_column <- function(cells) {
  kind <- vapply(cells, function(cell) {
    if (length(cell) == 0 || is.na(cell[1])) "blank" else if (inherits(cell, "POSIXct")) "date"
    else typeof(cell)
  }, character(1))
  kinds <- setdiff(unique(kind), "blank")
  if (length(kinds) == 0) {
    return(rep(NA, length(cells)))
  }
  values <- rep(NA, length(cells))
  if (identical(kinds, "logical")) {
    values[kind != "blank"] <- unlist(cells[kind != "blank"])
    return(values)
  }
  if (identical(kinds, "double")) {
    values[kind != "blank"] <- unlist(cells[kind != "blank"])
    whole <- all(is.na(values) | (values == round(values) & abs(values) < 2^31))
    return(if (whole) as.integer(values) else values)
  }
  as_text <- list(
    character = identity, logical = as.character, date = cell_dates,
    double = function(x) format(x, digits = 15, trim = TRUE, drop0trailing = TRUE)
  )
  for (one in kinds) values[kind == one] <- as_text[[one]](unlist(cells[kind == one]))
  values
}

# Dates where all are at midnight; a cell before 1900 is a time of day.
cell_dates <- function(seconds) {
  seconds <- round(seconds)
  moments <- as_instant(seconds, "UTC")
  clocks <- moments < as.POSIXct("1900-01-01", tz = "UTC")
  timed <- any(seconds[!clocks] %% day_seconds != 0)
  ifelse(clocks, format(moments, "%H:%M:%S"),
         format(moments, if (timed) "%Y-%m-%dT%H:%M:%S" else "%Y-%m-%d"))
}

# Rows that were only formatted end many a sheet.
drop_blank_tail <- function(columns) {
  filled <- vapply(columns, function(column) max(0L, which(!is_blank(column))), numeric(1))
  tibble::new_tibble(lapply(columns, utils::head, max(0, filled)),
                     nrow = as.integer(max(0, filled)))
}
