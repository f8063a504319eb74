# The workbook of an edition: an index, a sheet for each table, and the conventions.

edition_workbook <- function(edition, path) {
  answers <- edition_answers(edition)
  titles <- vapply(answers, function(answer) answer$question$title, "")
  fits <- vapply(answers, function(answer) nrow(answer$table) < 2^20, NA)
  sheets <- sheet_names(titles)
  book <- openxlsx::createWorkbook()
  index <- data.frame(Sheet = ifelse(fits, sheets, "too long: see tables"),
                      Question = printable_text(titles),
                      Rows = vapply(answers, function(answer) nrow(answer$table), 0L),
                      Ties = vapply(answers, ties_word, ""))
  add_sheet(book, "Index", index)
  for (i in which(fits)) {
    sheet <- openxlsx::addWorksheet(book, sheets[i])
    write_cells(book, sheet, workbook_table(answers[[i]]$table))
    openxlsx::freezePane(book, sheet, firstRow = TRUE)
  }
  told <- data.frame(Question = printable_text(titles),
                     Conventions = printable_text(vapply(answers, `[[`, "", "conventions")))
  add_sheet(book, "Conventions", told, c(40, 120))
  openxlsx::saveWorkbook(book, path, overwrite = TRUE)
  without_times(path)
}

ties_word <- function(answer) {
  if (is.null(answer$checks)) "" else if (all(answer$checks$ok)) "yes" else "NO"
}

add_sheet <- function(book, name, table, widths = NULL) {
  sheet <- openxlsx::addWorksheet(book, name)
  write_cells(book, sheet, table)
  openxlsx::freezePane(book, sheet, firstRow = TRUE)
  if (!is.null(widths)) openxlsx::setColWidths(book, sheet, seq_along(widths), widths)
}

# 31 characters, none of those that sheets do not take, each once.
sheet_names <- function(titles) {
  plain <- trimws(gsub("[\\[\\]:*?/\\\\']+", " ", printable_text(titles), perl = TRUE))
  plain <- trimws(substr(gsub("[[:space:]]+", " ", plain), 1, 31))
  plain[!nzchar(plain)] <- "Table"
  taken <- c("index", "conventions")
  for (i in seq_along(plain)) {
    n <- 1
    while (tolower(plain[i]) %in% taken) {
      n <- n + 1
      plain[i] <- paste0(trimws(substr(plain[i], 1, 31 - nchar(n) - 1)), " ", n)
    }
    taken <- c(taken, tolower(plain[i]))
  }
  plain
}

# The times within a workbook are those of no day, so that the same tables are the same bytes.
without_times <- function(path) {
  folder <- tempfile("book-")
  dir.create(folder)
  on.exit(unlink(folder, recursive = TRUE))
  utils::unzip(path, exdir = folder)
  core <- file.path(folder, "docProps", "core.xml")
  text <- paste(readLines(core, encoding = "UTF-8", warn = FALSE), collapse = "\n")
  text <- gsub("(<dcterms:(created|modified)[^>]*>)[^<]*", "\\11980-01-01T00:00:00Z", text)
  text <- gsub("(<(dc:creator|cp:lastModifiedBy)>)[^<]*", "\\1ridge", text)
  put_text(text, core)
  files <- sort(list.files(folder, recursive = TRUE, all.files = TRUE), method = "radix")
  # The list of types comes first, as programs expect it.
  files <- c("[Content_Types].xml", setdiff(files, "[Content_Types].xml"))
  Sys.setFileTime(file.path(folder, files), as.POSIXct("1980-01-02", tz = "UTC"))
  unlink(path)
  zip::zip(path, files, root = folder, include_directories = FALSE)
  invisible(path)
}
