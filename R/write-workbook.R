# A workbook: the table with its header frozen, then what the table says of itself.

write_workbook <- function(x, path) {
  need_package("openxlsx", "Writing a workbook")
  if (nrow(x) >= 2^20) {
    ridge_abort(c("A sheet holds 1,048,575 rows, and there are {format_number(nrow(x))}.",
                  i = "Write {.file .csv} or {.file .parquet}."), "size")
  }
  book <- openxlsx::createWorkbook()
  openxlsx::addWorksheet(book, "Table")
  table <- workbook_table(x)
  write_cells(book, 1, table)
  openxlsx::freezePane(book, 1, firstRow = TRUE)
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

workbook_table <- function(x) {
  columns <- lapply(as.list(plain_tibble(x)), workbook_column)
  names(columns) <- printable_text(names(columns))
  as.data.frame(columns, optional = TRUE)
}

# Dates go in as the numbers that workbooks keep them as, so that each format is set once
# for all its columns: that is what takes the time in a long sheet.
write_cells <- function(book, sheet, table) {
  formats <- vapply(table, number_format, "")
  numbers <- lapply(table, function(column) {
    if (inherits(column, "Date")) whole_days(column) - workbook_day_zero()
    else if (inherits(column, "POSIXct")) as.double(column) / day_seconds - workbook_day_zero()
    else column
  })
  openxlsx::writeData(book, sheet, as.data.frame(numbers, optional = TRUE),
                      headerStyle = openxlsx::createStyle(textDecoration = "bold",
                                                          border = "bottom"), keepNA = FALSE)
  for (format in setdiff(unique(formats), "GENERAL")) {
    if (nrow(table) > 0) {
      openxlsx::addStyle(book, sheet, openxlsx::createStyle(numFmt = format),
                         rows = seq_len(nrow(table)) + 1, cols = which(formats == format),
                         gridExpand = TRUE)
    }
  }
  if (ncol(table) > 0) openxlsx::setColWidths(book, sheet, seq_along(table), column_widths(table))
}

workbook_day_zero <- function() day_numbers(1899L, 12L, 30L)

# Ages across the top as percent, shaded by it; what is not known yet stays empty.
add_cohort_grid <- function(book, x) {
  sheet <- openxlsx::addWorksheet(book, "Grid")
  grid <- workbook_table(widen(x))
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

# Cells hold no zone: instants are shown as their zone's clocks show them, or as text
# where a clock that was set back showed the time twice, or where they hold parts of a
# second. Days that workbooks number differently, before March 1900, are text too.
workbook_column <- function(column) {
  if (inherits(column, "POSIXct")) {
    local <- local_seconds(as.double(column), choose_zone(column, NULL))
    known <- local[!is.na(local)]
    shown_once <- identical(instant_at(known, choose_zone(column, NULL)),
                            as.double(column)[!is.na(local)])
    whole <- all(known == floor(known)) && all(known >= day_seconds * first_workbook_day())
    return(if (shown_once && whole) as_instant(local, "UTC") else iso_instants(column))
  }
  if (inherits(column, "Date")) {
    days <- whole_days(column)
    return(if (all(days >= first_workbook_day(), na.rm = TRUE)) column else iso_dates(column))
  }
  if (is.factor(column) || inherits(column, "difftime")) column <- as.character(column)
  if (is.character(column)) printable_text(column) else column
}

first_workbook_day <- function() day_numbers(1900L, 3L, 1L)

# The markup within workbooks has no place for other control characters.
printable_text <- function(text) {
  gsub("[\x01-\x08\x0b\x0c\x0e-\x1f]", "\ufffd", enc2utf8(text), perl = TRUE)
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
  unlist(Map(function(column, name) {
    shown <- format(utils::head(column, 200))
    wide <- if (inherits(column, "POSIXct")) 19 else max(0, nchar(shown[!is.na(shown)]))
    min(max(wide, nchar(name)) + 2, 60)
  }, table, names(table)))
}
