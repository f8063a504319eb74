# How a result prints: amounts with their digits, the line over all groups as "All".

# The table as it is shown.
shown_tibble <- function(x) {
  made <- about(x)
  plain <- with_all_named(plain_tibble(x))
  digits <- made$question$arguments$digits
  if (is.null(digits)) {
    return(plain)
  }
  for (name in intersect(amount_columns(x), names(plain))) {
    plain[[name]] <- pillar::num(plain[[name]], digits = digits, notation = "dec",
                                 label = "<dbl>")
  }
  plain
}

# The line over all groups called so in its groups, which stand before the column that says which
# line that is. `kinds`: columns of other types stay as they are.
with_all_named <- function(table, kinds = NULL) {
  if (!is.logical(table[["total"]])) {
    return(table)
  }
  for (name in names(table)[seq_len(match("total", names(table)) - 1L)]) {
    if (is.null(kinds) || inherits(table[[name]], kinds)) {
      table[[name]] <- with_all(table[[name]], table$total)
    }
  }
  table
}

with_all <- function(values, in_all) {
  if (!any(in_all)) {
    return(values)
  }
  text <- as.character(values)
  text[in_all] <- "All"
  if (is.factor(values)) factor(text, union(levels(values), "All")) else text
}

# Which columns hold amounts: not the percent of a comparison, nor counts.
amount_columns <- function(x) {
  made <- about(x)
  plain <- plain_tibble(x)
  named <- if (inherits(x, "ridge_widen")) setdiff(names(plain), made$groups)
  else setdiff(made$values, c("percent", "rate"))
  Filter(function(name) is.double(plain[[name]]) && !is.object(plain[[name]]),
         intersect(named, names(plain)))
}

#' @exportS3Method pillar::tbl_format_setup
tbl_format_setup.ridge_result <- function(x, width, ...) {
  pillar::tbl_format_setup(shown_tibble(x), width = width, ...)
}

most_knitted_rows <- 60L

# In a document: a table with the conventions as its caption, whatever it becomes.
#' @exportS3Method knitr::knit_print
knit_print.ridge_result <- function(x, ...) {
  shown <- utils::head(shown_tibble(x), most_knitted_rows)
  left <- nrow(x) - nrow(shown)
  cut <- paste0(" The first ", nrow(shown), " of ", count_of(nrow(x), "row"), ".")
  caption <- paste0(conventions(x), if (left > 0) cut)
  texts <- lapply(as.list(shown), knitted_cells)
  right <- vapply(as.list(shown), is.numeric, NA)
  table <- knitr::kable(as.data.frame(texts, check.names = FALSE, optional = TRUE),
                        caption = caption, align = ifelse(right, "r", "l"),
                        row.names = FALSE)
  knitr::knit_print(table, ...)
}

# Numbers as people write them; what is missing is left empty.
knitted_cells <- function(column) {
  digits <- attr(column, "pillar", exact = TRUE)$digits
  text <- if (is.integer(column)) format_number(column)
  else if (is.double(column) && !inherits(column, c("Date", "POSIXt"))) {
    plain <- as.double(column)
    formatC(plain, format = "f", big.mark = ",",
            digits = digits %||% if (all(plain == round(plain), na.rm = TRUE)) 0 else 2)
  } else as.character(column)
  replace(text, is.na(column), "")
}
