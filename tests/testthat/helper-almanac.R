# Almanacs in folders of their own.

skip_if_no_reports <- function() {
  for (package in c("yaml", "htmltools", "commonmark", "xml2", "svglite", "rsvg", "digest", "openxlsx", "nanoparquet", "zip")) {
    skip_if_not_installed(package)
  }
}

# A folder with an almanac, and tables as CSV files beside it.
almanac_folder <- function(text, ..., env = parent.frame()) {
  folder <- withr::local_tempdir(.local_envir = env)
  writeLines(enc2utf8(text), file.path(folder, "almanac.yml"), useBytes = TRUE)
  tables <- list(...)
  for (name in names(tables)) utils::write.csv(tables[[name]], file.path(folder, paste0(name, ".csv")), row.names = FALSE, na = "")
  folder
}

observatory <- function(env = parent.frame()) {
  folder <- withr::local_tempdir(.local_envir = env)
  file.copy(list.files(system.file("extdata", package = "almanacridge"), full.names = TRUE), folder)
  folder
}

quietly_built <- function(folder, ...) {
  suppressMessages(build_almanac(file.path(folder, "almanac.yml"), out = file.path(folder, "edition"), ...))
}

# A small almanac over generated records of `random_records()`.
small_almanac <- function(questions, as_of = "2024-04-30", top = NULL) {
  c("title: A small almanac", paste("as_of:", as_of), top, "records:",
    "  moves: {file: moves.csv, start: start, end: end, key: who, weight: share}",
    "pages:", "  - title: One", "    questions:", paste0("      - ", questions))
}

# The cells of a table of a report, as the page shows them and exactly.
report_table <- function(report, name) {
  table <- xml2::xml_find_first(report, sprintf("//table[@data-name='%s']", name))
  heads <- xml2::xml_text(xml2::xml_find_all(table, ".//th"))
  rows <- xml2::xml_find_all(table, ".//tbody/tr")
  cells <- lapply(rows, function(row) {
    found <- xml2::xml_find_all(row, "./td")
    exact <- xml2::xml_attr(found, "data-exact")
    ifelse(is.na(exact), xml2::xml_text(found), exact)
  })
  stats::setNames(as.data.frame(do.call(rbind, c(list(matrix(character(), 0, length(heads))), cells))), heads)
}

# What a file of a table holds, as text.
csv_cells <- function(path) {
  utils::read.csv(path, colClasses = "character", check.names = FALSE, na.strings = character(), encoding = "UTF-8")
}
