# A table on its way out: its rows ordered and the first of them chosen, its columns chosen
# and named. Rows of a result so chosen keep its line of conventions.

# `sort`: columns, each with ":down" where the highest comes first. Missing values come last.
choose_rows <- function(table, sort = NULL, limit = NULL) {
  if (!is.null(sort)) table <- table[sorted_rows(table, sort), ]
  if (!is.null(limit)) table <- table[seq_len(min(limit, nrow(table))), ]
  table
}

sorted_rows <- function(table, sort) {
  down <- grepl(":down$", sort)
  names <- sub(":(down|up)$", "", sort)
  for (name in names) check_column(table, name, "sort")
  keys <- lapply(unname(as.list(table)[names]), function(column) {
    if (is.character(column)) enc2utf8(column) else xtfrm(column)
  })
  rlang::inject(order(!!!keys, decreasing = down, na.last = TRUE, method = "radix"))
}

# `rename`: new names by the old ones. Columns are chosen by their old names.
choose_columns <- function(table, select = NULL, rename = NULL) {
  if (is.null(select) && is.null(rename)) {
    return(table)
  }
  table <- with_all_named(tibble::as_tibble(table), c("character", "factor"))
  for (name in select) check_column(table, name, "select")
  if (!is.null(select)) table <- table[unique(select)]
  if (is.null(rename)) table else rename_columns(table, rename)
}

rename_columns <- function(table, rename) {
  for (name in names(rename)) {
    check_column(table, name, "rename")
    if (length(rename[[name]]) > 1) {
      ridge_abort("{arg_name('rename')} gives {.val {name}} two names: {.val {rename[[name]]}}.",
                  "argument", arg = "rename", value = name)
    }
  }
  names(table)[match(names(rename), names(table))] <- unlist(rename)
  again <- anyDuplicated(names(table))
  if (again > 0) {
    name <- names(table)[again]
    ridge_abort(c("{arg_name('rename')}: two columns would be called {.val {name}}.",
                  i = "Choose another name, or leave one of them out."), "argument",
                arg = "rename", value = name)
  }
  table
}
