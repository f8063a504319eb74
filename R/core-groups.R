# A group is one or several columns; its values get codes from 0 in sorted
# order, once for a spans object.

pick_groups <- function(x, quo, results) {
  plain <- plain_tibble(x)
  names <- pick_columns(plain, quo, "group")
  taken <- intersect(names, results)
  if (length(taken) > 0) {
    ridge_abort(c("{.arg group}: the result has a column {.val {taken[1]}} of its own.",
                  i = "Rename the column of the records before {.fn spans}."), "column")
  }
  for (name in names) check_plain_column(plain[[name]], name, "group")
  names
}

check_plain_column <- function(column, name, arg) {
  if (is.list(column) || length(dim(column)) > 1) {
    ridge_abort(c("{.arg {arg}}: column {.val {name}} holds {.cls {class(column)[1]}}, not one plain value each.",
                  i = "Choose a column of text, numbers, dates or factors."), "column")
  }
}

# list(names, codes, size, values), the codes in the order of the index: one
# group of all where no column is named.
group_codes <- function(x, names) {
  if (length(names) == 0) {
    return(list(names = names, codes = NULL, size = 1L, values = list()))
  }
  store <- about(x)$store
  name <- paste(c("group", names), collapse = "\r")
  if (is.null(store[[name]]) || !same_columns(x, names, store[[name]]$held)) {
    store[[name]] <- build_groups(as.list(plain_tibble(x))[names], names, span_index(x))
  }
  store[[name]]
}

same_columns <- function(x, names, held) {
  all(vapply(names, function(name) rlang::is_reference(x[[name]], held[[name]]), logical(1)))
}

build_groups <- function(columns, names, index) {
  coded <- code_values(columns)
  list(names = names, codes = in_index_order(coded$codes, index), size = coded$size,
       values = lapply(columns, vctrs::vec_slice, coded$rows), held = columns)
}
