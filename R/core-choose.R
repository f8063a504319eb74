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
  with_source(data[kept, ], list(rows = kept, left_out = nrow(data) - length(kept)))
}

# Columns are held to see later whether these still are the same rows.
with_source <- function(data, source) {
  source$held <- as.list(plain_tibble(data))
  structure(data, ridge_source = source)
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
  same <- vapply(intersect(names(data), names(source$held)), function(name) {
    rlang::is_reference(data[[name]], source$held[[name]])
  }, logical(1))
  if (any(same)) source else list(rows = seq_len(nrow(data)), left_out = 0L)
}
