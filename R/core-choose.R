# Records chosen by the value of a column before they are declared. Their rows
# in the source, and how many were left out, go along to spans().

# `keep` and `leave_out`: lists of values by column name. Several values of one
# column are alternatives, several columns must all agree.
choose_records <- function(data, keep = list(), leave_out = list()) {
  if (length(keep) + length(leave_out) == 0) {
    return(data)
  }
  chosen <- rep(TRUE, nrow(data))
  for (name in names(keep)) {
    chosen <- chosen & has_value(data, name, keep[[name]], "keep")
  }
  for (name in names(leave_out)) {
    chosen <- chosen & !has_value(data, name, leave_out[[name]], "leave_out")
  }
  kept <- which(chosen)
  structure(data[kept, ], ridge_source = list(rows = kept, left_out = nrow(data) - length(kept)))
}

has_value <- function(data, name, values, arg) {
  check_column(data, name, arg)
  column <- as.character(data[[name]])
  column[is.na(column)] <- ""
  column %in% values
}

check_column <- function(data, name, arg) {
  if (!(name %in% names(data))) {
    ridge_abort(c("{.arg {arg}}: there is no column {.val {name}}.",
                  i = "Columns are {.val {names(data)}}. Did you mean {.val {nearest(name, names(data))}}?"),
                "column")
  }
}

source_of <- function(data) {
  source <- attr(data, "ridge_source", exact = TRUE)
  if (is.null(source)) list(rows = seq_len(nrow(data)), left_out = 0L) else source
}
