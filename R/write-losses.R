# What a format cannot hold is said, and text that a spreadsheet would run is told.

formula_ways <- c("as_is", "as_text")

report_losses <- function(x, format, formulas = "as_is") {
  columns <- as.list(plain_tibble(x))
  notes <- c(lost_columns(columns, format), if (format %in% c("csv", "tsv")) {
    formula_note(columns, formulas)
  })
  if (length(notes) > 0) {
    cli::cli_inform(stats::setNames(escape_braces(notes), rep("!", length(notes))))
  }
}

# Each kind of loss in one sentence, with the columns that it meets.
lost_columns <- function(columns, format) {
  losses <- losses_of[vapply(losses_of, function(loss) format %in% loss$formats, NA)]
  unlist(lapply(losses, function(loss) {
    met <- names(columns)[vapply(columns, loss$met, NA)]
    if (length(met) > 0) paste0(loss$words, ": ", and_list(paste0("\"", met, "\"")), ".")
  }))
}

as_text_formats <- c("csv", "tsv", "xlsx", "ics")

loss <- function(words, formats, met) {
  list(words = words, formats = formats, met = met)
}

losses_of <- list(
  loss("Factors are written as text, without their levels", c(as_text_formats, "json", "ndjson"),
       is.factor),
  loss("Lengths of time are written as text", c(as_text_formats, "json", "ndjson"),
       function(column) inherits(column, "difftime")),
  loss("Empty text is read again as missing", as_text_formats,
       function(column) is.character(column) && any(!nzchar(column[!is.na(column)]))),
  loss("Text is read again without its outer spaces", as_text_formats,
       function(column) is.character(column) && any(has_outer_space(column))),
  loss("Text that says a number is read again as one", c("csv", "tsv", "ics"),
       function(column) is.character(column) && is_number_column(column)),
  loss("Text that says a date is read again as one", c(as_text_formats, "json", "ndjson"),
       function(column) is.character(column) && share_of_dates(column) == 1),
  loss("What is infinite or no number is not read again as a number",
       c(as_text_formats, "json", "ndjson"),
       function(column) is.double(column) && any(is.infinite(column) | is.nan(column))),
  loss("A workbook keeps 15 digits of a number, and there are more", "xlsx",
       function(column) is.double(column) && !is.object(column) && any(signif(column, 15) != column,
                                                                      na.rm = TRUE)),
  loss("Control characters are replaced", "xlsx",
       function(column) is.character(column) && any(printable_text(column) != column, na.rm = TRUE))
)

# Cells that begin as a formula does. A plain number with its sign is none.
is_formula <- function(text) {
  grepl("^[=+@\t\r-]", text) & !grepl("^[-+]?[0-9.,]+$", text)
}

risky_columns <- function(columns) {
  vapply(columns, function(column) {
    (is.character(column) || is.factor(column)) && any(is_formula(unique(as.character(column))))
  }, NA)
}

formula_note <- function(columns, formulas) {
  risky <- names(columns)[risky_columns(columns)]
  if (length(risky) == 0 || formulas == "as_text") {
    return(NULL)
  }
  paste0("A spreadsheet would take cells of ", and_list(paste0("\"", risky, "\"")),
         " for formulas: say ", arg_set("formulas", "as_text"), " where that is not meant.")
}

with_safe_cells <- function(x, format, formulas) {
  if (formulas == "as_is" || !(format %in% c("csv", "tsv"))) {
    return(x)
  }
  safe <- function(text) ifelse(is_formula(text), paste0("'", text), text)
  x <- plain_tibble(x)
  risky <- risky_columns(as.list(x))
  x[risky] <- lapply(x[risky], function(column) safe(as.character(column)))
  names(x) <- safe(names(x))
  x
}
