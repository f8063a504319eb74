# A sheet of a workbook, cell by cell: dates as ISO text, so that the column
# proves what it is like any other; times of day as clocks.

read_workbook <- function(path, sheet = NULL) {
  need_package("readxl", "Reading a workbook")
  if (path == "-") {
    ridge_abort("A workbook cannot be read from standard input: name its file.", "argument")
  }
  sheets <- as_workbook_error(path, readxl::excel_sheets(path))
  check_sheet(sheet, sheets)
  cells <- as_workbook_error(path, suppressMessages(readxl::read_excel(
    path, sheet = sheet %||% 1L, col_types = "list", .name_repair = "minimal", progress = FALSE
  )))
  drop_blank_tail(lapply(cells, cells_to_column))
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
