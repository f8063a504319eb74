# A table of the page: cells as people read them, with the exact value beside where that is
# another, so that it can be sorted, filtered and handed over as CSV.

most_page_rows <- 1000L

page_table <- function(table, name, caption) {
  shown <- utils::head(table, most_page_rows)
  plain <- with_all_named(plain_tibble(shown))
  exact <- text_columns(exact_numbers(with_all_named(plain_tibble(shown),
                                                     c("character", "factor"))))
  read <- as.list(if (inherits(shown, "ridge_result")) shown_tibble(shown) else plain)
  number <- vapply(as.list(plain), is.numeric, NA)
  cells <- Map(table_cells, read, exact, ifelse(number, "number", ifelse(
    vapply(as.list(plain), inherits, NA, c("Date", "POSIXct")), "date", "")))
  rows <- do.call(paste0, c(list("<tr>"), unname(cells), list("</tr>\n")))
  if (nrow(shown) == 0) rows <- character()
  htmltools::HTML(paste0(
    "<div class='scroll' tabindex='0' role='region' aria-label='Table: ", escaped(caption), "'>",
    "<table id='table-", name, "' data-name='", name, "'", group_data(table), ">",
    "<caption>", escaped(caption), "</caption>", "<thead><tr>",
    paste0("<th scope='col'", ifelse(number, " class='number'", ""), ">", escaped(names(plain)),
           "</th>", collapse = ""), "</tr></thead>\n<tbody>\n",
    paste(rows, collapse = ""), "</tbody></table></div>"))
}

table_cells <- function(read, exact, kind) {
  text <- table_texts(read)
  exact <- ifelse(is.na(exact), "", as.character(exact))
  beside <- ifelse(text == exact, "", paste0(" data-exact='", escaped(exact), "'"))
  class <- if (nzchar(kind)) paste0(" class='", kind, "'")
  paste0("<td", class, beside, ">", escaped(text), "</td>")
}

# As in a document, but with whole numbers of other columns left as they are.
table_texts <- function(column) {
  if (!inherits(column, "POSIXct")) {
    return(knitted_cells(column))
  }
  ifelse(is.na(column), "", format(column, "%Y-%m-%d %H:%M"))
}

escaped <- function(text) {
  text <- htmltools::htmlEscape(enc2utf8(as.character(text)), attribute = TRUE)
  # What no page may hold.
  gsub("[\x01-\x08\x0b\x0c\x0e-\x1f]", "\ufffd", text, perl = TRUE)
}

# Which columns say the group of a row.
group_data <- function(table) {
  at <- group_columns(table)
  if (length(at)) paste0(" data-groups='", paste(at - 1L, collapse = " "), "'") else ""
}

group_columns <- function(table) {
  made <- about(table)
  names <- if (inherits(table, "ridge_result")) line_columns(made)
  at <- match(names, names(table))
  at[!is.na(at)]
}

cut_words <- function(table) {
  if (nrow(table) > most_page_rows) {
    paste0("The first ", format_number(most_page_rows), " of ", count_of(nrow(table), "row"), ".")
  }
}

# Nothing within ends the script that holds it.
script_json <- function(value) {
  text <- jsonlite::toJSON(value, auto_unbox = TRUE, digits = NA, na = "null")
  gsub("<", "\\u003c", enc2utf8(as.character(text)), fixed = TRUE)
}
