# From the texts of cells to columns: outer spaces trimmed, what is missing NA, numbers
# where the whole column proves them. What was done, and what was left, is told.

check_missing <- function(missing) {
  if (!is.character(missing) || anyNA(missing)) {
    ridge_abort(c("{arg_name('missing')} must be texts, not {.val {describe(missing)}}.",
                  i = paste("Empty and blank cells are missing anyway; {arg_set('missing', 'N/A')}",
                            "adds one.")), "argument", arg = "missing", value = missing)
  }
  trimws(missing)
}

check_decimal <- function(decimal) {
  if (!is.null(decimal)) check_choice(decimal, decimal_marks, "decimal")
}

# A list: the table, how many cells were trimmed, and which columns have decimal commas.
tidy_cells <- function(table, missing = character(), decimal = NULL) {
  columns <- as.list(table)
  trimmed <- 0
  commas <- character()
  for (name in names(columns)) {
    column <- columns[[name]]
    if (is.factor(column) && length(missing)) levels(column)[levels(column) %in% missing] <- NA
    if (is.character(column)) {
      tidy <- trim_column(column, name %in% attr(table, "tidy"))
      trimmed <- trimmed + tidy$count
      texts <- if (length(missing)) replace(tidy$texts, tidy$texts %in% missing, NA) else tidy$texts
      column <- cells_as_numbers(texts, decimal)
      if (is.numeric(column) && !prove_numbers(texts)$point) commas <- c(commas, name)
    }
    columns[[name]] <- column
  }
  list(table = tibble::new_tibble(columns, nrow = nrow(table)), trimmed = trimmed, commas = commas)
}

# What is known to be tidy is left alone.
trim_column <- function(texts, is_tidy) {
  if (is_tidy) list(texts = texts, count = 0) else trim_texts(texts, threads_for(length(texts)))
}

# Numbers where the column proves to be, or is all of it by the mark that was named.
cells_as_numbers <- function(texts, decimal = NULL) {
  if (all(is.na(texts))) {
    return(rep(NA, length(texts)))
  }
  proof <- prove_numbers(texts)
  mark <- if (is.null(decimal)) decimal_of(texts, proof)
  else if (proof[[if (decimal == ".") "point" else "comma"]]) decimal
  if (is.null(mark) || !(mark %in% decimal_marks)) texts else numbers_in(texts, mark)
}
