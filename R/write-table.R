# A table as text: CSV and TSV (ISO 8601 dates, instants with their offset, blank where
# nothing is known), JSON, Markdown and HTML.

write_csv_table <- function(table, file = "", sep = ",", compress = "none") {
  columns <- text_columns(exact_numbers(table))
  if (compress == "none" && is_small_and_plain(columns)) {
    return(write_plain_table(columns, file, sep))
  }
  data.table::fwrite(columns, file, sep = sep, na = "", quote = "auto",
                     showProgress = shows_progress(), scipen = 999, compress = compress)
}

# Few rows, and nothing in them to put in quotes: R itself writes the same of these, in less time
# than what writes large tables takes to load.
is_small_and_plain <- function(columns) {
  known <- function(column) {
    !is.object(column) && typeof(column) %in% c("logical", "integer", "double", "character")
  }
  length(columns) > 0 && length(columns[[1]]) <= 1000 && all(vapply(columns, known, NA)) &&
    !any(grepl("[^ -~]|[\",]|^ | $|^$", c(names(columns), unlist(Filter(is.character, columns))),
               perl = TRUE, useBytes = TRUE))
}

write_plain_table <- function(columns, file, sep) {
  numbers <- vapply(columns, is.double, NA)
  # A zero has no sign.
  columns[numbers] <- lapply(columns[numbers], function(column) number_texts(column + 0))
  utils::write.table(list2DF(columns), file, sep = sep, na = "", quote = FALSE, row.names = FALSE)
}

# The writer does not notice a disk that fills up: the lines are counted.
write_csv_file <- function(table, aside, sep = ",", packed = FALSE) {
  write_csv_table(table, aside, sep, if (packed) "gzip" else "none")
  plain <- aside
  if (packed) plain <- tryCatch(gunzipped(aside, aside), error = function(cnd) NULL)
  lines <- if (is.null(plain)) -1 else count_lines(plain)
  if (ncol(table) > 0 && lines != nrow(table) + 1) stop("not all lines arrived")
}

# Numbers that a writer would cut short are given to it as texts.
exact_numbers <- function(table, as = identity) {
  table <- plain_tibble(table)
  long <- vapply(table, function(column) {
    is.double(column) && !is.object(column) && !are_short_numbers(column)
  }, NA)
  table[long] <- lapply(table[long], function(column) as(number_texts(column)))
  table
}

# JSON, an array of objects or an object a line. A number that the package would round
# goes through it as a marked text, of which the quotes are taken off again.
json_text <- function(table, lines = FALSE) {
  need_package("jsonlite", "Writing JSON")
  mark <- function(texts) ifelse(is.na(texts), NA, paste0("\u0002", texts))
  columns <- as.data.frame(text_columns(exact_numbers(table, mark)), optional = TRUE)
  text <- if (lines) object_lines(columns)
  else as.character(jsonlite::toJSON(columns, dataframe = "rows", na = "null", digits = NA,
                                     pretty = TRUE))
  text <- gsub("\"\\\\u0002([^\"]*)\"", "\\1", text, perl = TRUE)
  enc2utf8(paste0(text, if (!lines) "\n"))
}

object_lines <- function(columns) {
  con <- rawConnection(raw(), "wb")
  on.exit(close(con))
  jsonlite::stream_out(columns, con, verbose = FALSE, na = "null", digits = NA, pagesize = 10000)
  `Encoding<-`(rawToChar(rawConnectionValue(con)), "UTF-8")
}

# Markdown and HTML, for people; markup in labels is text there.
markdown_text <- function(table) {
  need_package("knitr", "Writing Markdown")
  shown <- shown_columns(table)
  escaped <- function(text) {
    text <- gsub("([\\\\`*_{}<>|#~$\\[\\]])", "\\\\\\1", text, perl = TRUE)
    gsub("\r?\n|\r", " ", text)
  }
  shown$columns <- lapply(shown$columns, escaped)
  lines <- knitr::kable(as.data.frame(shown$columns, optional = TRUE), format = "pipe",
                        col.names = escaped(shown$names), align = shown$align, escape = FALSE)
  paste0(c(lines, if (length(shown$caption)) c("", escaped(shown$caption))), "\n")
}

html_text <- function(table) {
  need_package("knitr", "Writing HTML")
  shown <- shown_columns(table)
  body <- knitr::kable(as.data.frame(shown$columns, optional = TRUE), format = "html",
                       col.names = shown$names, align = shown$align, escape = TRUE)
  caption <- gsub("<", "&lt;", gsub("&", "&amp;", shown$caption, fixed = TRUE), fixed = TRUE)
  head <- c("<!doctype html>", "<html lang=\"en\">", "<meta charset=\"utf-8\">",
            "<title>Table</title>",
            paste0("<style>body{font:15px/1.5 sans-serif;margin:2em}",
                   "td,th{padding:.2em .8em;border-bottom:1px solid #ddd}</style>"))
  paste0(c(head, as.character(body), if (length(caption)) paste0("<p>", caption, "</p>"),
           "</html>"), "\n")
}

shown_columns <- function(table) {
  align <- ifelse(vapply(plain_tibble(table), is.numeric, NA), "r", "l")
  columns <- lapply(text_columns(table), function(column) {
    text <- if (is.double(column)) number_texts(column) else as.character(column)
    ifelse(is.na(text), "", text)
  })
  caption <- if (inherits(table, c("ridge_result", "ridge_spans"))) conventions(table)
  list(columns = columns, names = names(columns), align = unname(align), caption = caption)
}
