# Numbers and lists as they are said.

and_list <- function(words) {
  if (length(words) < 2) {
    return(paste(words))
  }
  paste(paste(words[-length(words)], collapse = ", "), "and", words[length(words)])
}

format_number <- function(n) {
  format(n, big.mark = ",", scientific = FALSE, trim = TRUE)
}

count_of <- function(n, noun) {
  cli::pluralize("{format_number(n)} {noun}{cli::qty(n)}{?s}")
}

# Byte sizes as people say them.
format_size <- function(bytes) {
  format(structure(bytes, class = "object_size"), units = "auto", standard = "SI")
}

# A number with at most so many decimal digits, none of them needless.
format_plain <- function(number, digits) {
  text <- formatC(number, format = "f", digits = digits, big.mark = ",")
  if (digits > 0) text <- sub("[.]?0+$", "", text)
  text
}

format_rows <- function(rows) {
  format(rows, trim = TRUE, scientific = FALSE)
}

sentence_case <- function(text) {
  paste0(toupper(substr(text, 1, 1)), substring(text, 2))
}

# One sentence of its parts.
sentence_of <- function(...) {
  paste0(paste(c(...), collapse = "; "), ".")
}

# Text that is put through another text is not to be read as markup.
escape_braces <- function(text) {
  gsub("}", "}}", gsub("{", "{{", text, fixed = TRUE), fixed = TRUE)
}

# What stands behind the last dot of a name; the package that would tell takes longer to load.
file_ending <- function(names) {
  ifelse(grepl("[.][[:alnum:]]+$", names), sub("^.*[.]", "", names), "")
}
