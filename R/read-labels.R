#' One spelling for each label
#'
#' Labels typed by many hands differ in case, spaces and hyphens. `fold_labels()`
#' brings the spellings of a column together, each into its most frequent one,
#' and reports what it folded. `label_spellings()` is the whole list.
#'
#' Two spellings are the same label where only case, spaces (also non-breaking
#' ones), hyphens, underscores or the make-up of accents differ. Labels that are
#' a letter apart (one missing, added, replaced, or swapped with its neighbour)
#' are near: they are reported, and folded only when you say so. Codes that
#' differ in a digit are never near.
#'
#' @param data A data frame of records.
#' @param columns The columns of labels, text or factors.
#' @param into With several columns that make up one name: the name of a new
#'   column, in which they are joined by a space and folded as one.
#' @param near `"report"` near spellings, or `"fold"` the rarer into the more
#'   frequent one.
#' @return `fold_labels()`: the data with these columns folded; blank is `NA`, a
#'   factor stays one. `label_spellings()`: a tibble of `column`, `label`,
#'   `spelling`, `records` (integer) and `near`, the label that is near or `NA`.
#' @section Errors:
#' A column that is not there is an error of class `ridge_error_column`, one
#' that holds no text of class `ridge_error_records`.
#' @examples
#' watches <- demo_records("watches")
#' label_spellings(watches, kind)
#' table(fold_labels(watches, kind)$kind)
#' @export
fold_labels <- function(data, columns, into = NULL, near = "report") {
  check_choice(near, c("report", "fold"), "near")
  source <- if (!is.null(attr(data, "ridge_source"))) source_of(data)
  names <- pick_label_columns(data, rlang::enquo(columns))
  if (!is.null(into)) {
    data[[check_new_column(data, into)]] <- joined_columns(data[names])
    names <- into
  }
  for (name in names) {
    spellings <- find_spellings(as.character(data[[name]]))
    report_folding(name, spellings, near)
    data[[name]] <- fold_column(data[[name]], final_labels(spellings, near))
  }
  if (is.null(source)) data else with_source(data, source)
}

#' @rdname fold_labels
#' @export
label_spellings <- function(data, columns) {
  names <- pick_label_columns(data, rlang::enquo(columns))
  tables <- lapply(names, function(name) {
    tibble::add_column(find_spellings(as.character(data[[name]])), column = name, .before = 1)
  })
  do.call(rbind, tables)
}

pick_label_columns <- function(data, quo) {
  if (!is.data.frame(data)) {
    ridge_abort("{arg_name('data')} must be a data frame, not {.val {describe(data)}}.", "argument")
  }
  names <- pick_columns(data, quo, "columns")
  if (length(names) == 0) {
    ridge_abort("{arg_name('columns')} must name at least one column.", "argument")
  }
  for (name in names) {
    column <- data[[name]]
    if (!is.character(column) && !is.factor(column) && !all(is.na(column))) {
      ridge_abort(c("Column {.val {name}} must hold labels as text, not {.cls {class(column)[1]}}.",
                    i = "Leave it out of {arg_name('columns')}."), "records")
    }
  }
  names
}

check_new_column <- function(data, name) {
  if (!rlang::is_string(name) || !nzchar(name)) {
    ridge_abort("{arg_name('into')} must be the name of a new column, not {.val {describe(name)}}.",
                "argument")
  }
  if (name %in% names(data)) {
    ridge_abort(c("{arg_name('into')}: there is a column {.val {name}} already.",
                  i = "Choose another name."),
                "argument")
  }
  name
}

joined_columns <- function(columns) {
  parts <- lapply(columns, function(column) ifelse(is_blank(column), "", as.character(column)))
  joined <- trimws(gsub(" +", " ", do.call(paste, unname(parts))))
  ifelse(nzchar(joined), joined, NA)
}

# The label of each spelling, near ones followed to their end where they fold.
final_labels <- function(spellings, near) {
  label <- spellings$label
  if (near == "fold") {
    step <- spellings$near
    while (any(!is.na(step))) {
      label <- ifelse(is.na(step), label, step)
      step <- spellings$near[match(label, spellings$label)]
    }
  }
  stats::setNames(label, spellings$spelling)
}

fold_column <- function(column, labels) {
  if (is.factor(column)) {
    levels <- unname(labels[levels(column)])
    return(factor(levels[as.integer(column)], levels = unique(levels[!is.na(levels)])))
  }
  unname(labels[as.character(column)])
}

report_folding <- function(name, spellings, near) {
  folded <- spellings[spellings$label != spellings$spelling, ]
  close <- spellings[!duplicated(spellings$label) & !is.na(spellings$near), ]
  lines <- function(rows, text) {
    shown <- utils::head(text, 6)
    more <- nrow(rows) - length(shown)
    escape_braces(c(shown, if (more > 0) paste("... and", format_number(more), "more.")))
  }
  forms <- lines(folded,
                 sprintf("\"%s\" (%s) to \"%s\"", folded$spelling, folded$records, folded$label))
  total <- function(label) vapply(label, function(l) sum(spellings$records[spellings$label == l]),
                                  numeric(1))
  nearby <- lines(close, sprintf("\"%s\" (%s) is near \"%s\" (%s)", close$label, total(close$label),
                                 close$near, total(close$near)))
  cli::cli_inform(c(
    paste("{.val {name}}: {count_of(nrow(spellings), 'spelling')} of",
          "{count_of(length(unique(final_labels(spellings, near))), 'label')}."),
    stats::setNames(forms, rep("*", length(forms))),
    stats::setNames(nearby, rep("!", length(nearby))),
    i = if (length(nearby)) (if (near == "fold") paste("Near labels were folded into the more",
                                                       "frequent one.")
                             else paste("Near labels were left alone: {arg_set('near', 'fold')}",
                                        "folds them."))
  ))
}
