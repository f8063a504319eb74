# A workbook: the table with its header frozen, then what the table says of itself.

write_workbook <- function(x, path) {
  need_package("openxlsx", "Writing a workbook")
  if (nrow(x) >= 2^20) {
    ridge_abort(c("A sheet holds 1,048,575 rows, and there are {format_number(nrow(x))}.",
                  i = "Write {.file .csv} or {.file .parquet}."), "size")
  }
  book <- openxlsx::createWorkbook()
  openxlsx::addWorksheet(book, "Table")
  table <- as.data.frame(lapply(as.list(plain_tibble(x)), workbook_column), optional = TRUE)
  openxlsx::writeData(book, 1, table,
                      headerStyle = openxlsx::createStyle(textDecoration = "bold",
                                                          border = "bottom"),
                      keepNA = FALSE)
  openxlsx::freezePane(book, 1, firstRow = TRUE)
  for (i in seq_along(table)) {
    style <- openxlsx::createStyle(numFmt = number_format(table[[i]]))
    if (nrow(table) > 0) openxlsx::addStyle(book, 1, style, rows = seq_len(nrow(table)) + 1,
                                            cols = i)
  }
  if (ncol(table) > 0) openxlsx::setColWidths(book, 1, seq_along(table), column_widths(table))
  if (inherits(x, "ridge_cohorts") && nrow(x) > 0) add_cohort_grid(book, x)
  if (inherits(x, "ridge_widen") && about(x)$shaded) shade_cohorts(book, 1, table)
  if (inherits(x, c("ridge_result", "ridge_spans"))) {
    sheet <- openxlsx::addWorksheet(book, "Conventions")
    openxlsx::writeData(book, sheet, data.frame(conventions = conventions(x)))
    openxlsx::setColWidths(book, sheet, 1, 120)
    openxlsx::addStyle(book, sheet, openxlsx::createStyle(wrapText = TRUE), rows = 2, cols = 1)
  }
  openxlsx::saveWorkbook(book, path, overwrite = TRUE)
}

# Ages across the top as percent, shaded by it; what is not known yet stays empty.
add_cohort_grid <- function(book, x) {
  sheet <- openxlsx::addWorksheet(book, "Grid")
  grid <- as.data.frame(plain_tibble(widen(x)), optional = TRUE)
  openxlsx::writeData(book, sheet, grid,
                      headerStyle = openxlsx::createStyle(textDecoration = "bold",
                                                          border = "bottom"), keepNA = FALSE)
  shade_cohorts(book, sheet, grid)
}

shade_cohorts <- function(book, sheet, grid) {
  cells <- which(grepl("^[0-9]+$", names(grid)))
  rows <- seq_len(nrow(grid)) + 1
  openxlsx::addStyle(book, sheet, openxlsx::createStyle(numFmt = "0%"), rows = rows, cols = cells,
                     gridExpand = TRUE)
  openxlsx::addStyle(book, sheet, openxlsx::createStyle(numFmt = "yyyy-mm-dd"), rows = rows,
                     cols = match("cohort", names(grid)))
  openxlsx::conditionalFormatting(book, sheet, cols = cells, rows = rows,
      style = c("#eef3f7", "#1d4e73"), rule = c(0, 1), type = "colourScale")
  openxlsx::freezePane(book, sheet, firstActiveRow = 2, firstActiveCol = min(cells))
  openxlsx::setColWidths(book, sheet, match("cohort", names(grid)), 12)
}

# Cells hold no zone: instants are shown as their zone's clocks show them, or as
# text where a clock that was set back showed the time twice.
workbook_column <- function(column) {
  if (inherits(column, "POSIXct")) {
    tz <- choose_zone(column, NULL)
    local <- local_seconds(as.double(column), tz)
    known <- !is.na(local)
    shown_once <- identical(instant_at(local[known], tz), as.double(column)[known])
    if (!shown_once) return(iso_instants(column))
    return(as_instant(local, "UTC"))
  }
  if (is.factor(column) || inherits(column, "difftime")) as.character(column) else column
}

number_format <- function(column) {
  if (inherits(column, "Date")) "yyyy-mm-dd"
  else if (inherits(column, "POSIXct")) "yyyy-mm-dd hh:mm:ss"
  else if (is.integer(column)) "#,##0"
  else if (is.double(column) && any(column != round(column), na.rm = TRUE)) "#,##0.00##"
  else if (is.double(column)) "#,##0"
  else "GENERAL"
}

column_widths <- function(table) {
  mapply(function(column, name) {
    shown <- utils::head(column, 200)
    wide <- if (inherits(column, "POSIXct")) 19 else max(0, nchar(format(shown)))
    min(max(wide, nchar(name)) + 2, 60)
  }, table, names(table))
}
