# Columns of a table: chosen by the user's words, checked, or named anew.

plain_tibble <- function(x) {
  columns <- as.list(unclass(x))
  attributes(columns) <- list(names = names(columns))
  tibble::new_tibble(columns, nrow = .row_names_info(x, 2L))
}

# A tibble of its own: without groups, keys by reference or classes of others.
own_copy <- function(data, utf8 = FALSE) {
  by_reference <- inherits(data, "data.table")
  data <- plain_tibble(data)
  for (name in names(data)) {
    if (!utf8 && holds_other_text(data[[name]])) data[[name]] <- in_utf8(data[[name]], name)
  }
  names(data) <- enc2utf8(names(data))
  if (by_reference) {
    data[] <- lapply(data, rlang::duplicate)
  }
  data
}

# Text is UTF-8 inside, whatever R was told of it.
holds_other_text <- function(column) {
  text <- if (is.factor(column)) levels(column) else column
  is.character(text) && !is_utf8_or_ascii(text, threads_for(length(text)))
}

in_utf8 <- function(column, name) {
  convert <- function(text) {
    unmarked <- Encoding(text) == "unknown" & validUTF8(text)
    Encoding(text)[unmarked] <- "UTF-8"
    text <- enc2utf8(text)
    broken <- which(!validUTF8(text))
    if (length(broken) > 0) {
      ridge_abort(c("Column {.val {name}} holds text in no known encoding, as in row {broken[1]}.",
                    i = paste0("Say what it is when the file is read",
                               in_r(", or mend it with {.fn iconv}"), ".")),
                  "records", row = broken[1])
    }
    text
  }
  if (is.factor(column)) levels(column) <- convert(levels(column))
  else column[] <- convert(column)
  column
}

pick_columns <- function(data, quo, arg) {
  plain <- plainly_named(quo, names(data))
  plain %||% tryCatch(
    names(data)[tidyselect::eval_select(quo, data, allow_rename = FALSE)],
    error = function(cnd) refuse_columns(data, quo, arg, cnd)
  )
}

# None, a bare name, or names as texts or as questions hold them, need no looking for.
plainly_named <- function(quo, names) {
  expr <- rlang::quo_get_expr(quo)
  held <- rlang::is_call(expr, "all_of", n = 1, ns = "tidyselect") && !is.language(expr[[2]])
  if (held) expr <- unname(expr[[2]])
  if (is.null(expr)) {
    return(character())
  }
  wanted <- if (is.symbol(expr)) rlang::as_string(expr)
  else if (is.character(expr) && is.null(names(expr))) unique(expr)
  places <- match(wanted, names)
  if (!is.null(wanted) && !anyNA(places) && !anyDuplicated(names)) names[places]
}

refuse_columns <- function(data, quo, arg, cnd) {
  wanted <- missing_name(cnd)
  if (is.null(wanted)) {
    wanted <- gsub("^[\"`]|[\"`]$", "", rlang::as_label(rlang::quo_get_expr(quo)))
  }
  if (length(names(data)) == 0) {
    ridge_abort("{arg_name(arg)}: the records have no columns.", "column", arg = arg)
  }
  check_column(data, wanted, arg)
  ridge_abort("{arg_name(arg)}: {conditionMessage(cnd)}", "column", arg = arg)
}

# The column that the selection looked for, where it says so.
missing_name <- function(cnd) {
  while (!is.null(cnd)) {
    if (rlang::is_character(cnd$i)) return(cnd$i[1])
    cnd <- cnd$parent
  }
}

pick_one <- function(data, quo, arg, optional = FALSE) {
  if (rlang::quo_is_missing(quo)) {
    ridge_abort("{arg_name(arg)} must name a column of the records: {.val {names(data)}}.",
                "argument", arg = arg)
  }
  picked <- pick_columns(data, quo, arg)
  if (length(picked) > 1 || (length(picked) == 0 && !optional)) {
    ridge_abort("{arg_name(arg)} must name one column, not {length(picked)}.", "argument",
                arg = arg, value = picked)
  }
  if (length(picked) == 0) NULL else picked
}

check_column <- function(data, name, arg) {
  if (!(name %in% names(data))) {
    hint <- nearest(name, names(data))
    ridge_abort(c("{arg_name(arg)}: there is no column {.val {name}}.",
                  i = "Columns are {.val {names(data)}}.",
                  i = if (!is.null(hint)) "Did you mean {.val {hint}}?"),
                "column", arg = arg, value = name)
  }
}

check_plain_column <- function(column, name, arg) {
  if (is.list(column) || length(dim(column)) > 1 || is.complex(column) || is.raw(column)) {
    kind <- class(column)[1]
    ridge_abort(
      c("{arg_name(arg)}: column {.val {name}} holds {.cls {kind}}, not one plain value each.",
        i = "Choose a column of text, numbers, dates or factors."), "column", arg = arg,
      value = name)
  }
}

# Names that the result needs for its own columns.
check_free_names <- function(names, results, verb, arg = NULL) {
  taken <- intersect(names, results)
  if (length(taken) > 0) {
    ridge_abort(
      c("The result of {verb_name(verb)} has a column {.val {taken[1]}} of its own.",
        i = "Rename the column of the records{in_r(' before spans()', '')}."), "column",
      arg = arg, value = taken[1])
  }
}

fresh_name <- function(name, table) {
  utils::tail(make.unique(c(names(table), name), "_"), 1)
}

# The place of each row among those of other columns, from 1.
group_places <- function(columns, values) {
  if (length(columns[[1]]) == 0) {
    return(integer())
  }
  vctrs::vec_match(tibble::new_tibble(columns, nrow = length(columns[[1]])),
                   tibble::new_tibble(values, nrow = length(values[[1]])))
}

# Codes from 0 in the sorted order of the values, how many there are, and the
# first row that has each.
code_values <- function(columns) {
  coded <- if (length(columns) == 1) code_column(columns[[1]])
  coded %||% code_any_values(columns)
}

# NULL for kinds of values, or for values, that take the long way.
code_column <- function(column) {
  if (is_codable(column)) code_whole(unclass(column), threads_for(length(column)))
  else if (class(column)[1] == "character") code_texts(column, threads_for(length(column)))
}

# Columns whose values come in the order of the numbers behind them.
is_codable <- function(column) {
  class(column)[1] %in% c("integer", "numeric", "factor", "ordered", "Date")
}

code_any_values <- function(columns) {
  values <- if (length(columns) == 1) columns[[1]]
  else tibble::new_tibble(columns, nrow = length(columns[[1]]))
  met <- vctrs::vec_group_id(values)
  rows <- first_met(met)
  sorted <- sort_rows(lapply(columns, vctrs::vec_slice, rows))
  rank <- integer(length(rows))
  rank[sorted] <- seq_along(rows) - 1L
  list(codes = rank[met], size = length(rows), rows = rows[sorted])
}

# The place of each row in sorted order: by columns from the left, missing last,
# text by code point so that the order is the same everywhere.
sort_rows <- function(columns) {
  if (length(columns[[1]]) == 0) {
    return(integer())
  }
  do.call(order, c(unname(columns), list(method = "radix", na.last = TRUE)))
}

# The texts of several columns as one, a missing value named.
line_names <- function(columns) {
  texts <- lapply(as.list(columns), function(column) {
    ifelse(is.na(column), "(missing)", as.character(column))
  })
  do.call(paste, c(unname(texts), sep = ", "))
}

slice_all <- function(columns, places) {
  lapply(columns, vctrs::vec_slice, places)
}

# The values at places that all are there, the first of which has the number `from`.
values_at <- function(values, places, from = 1L) {
  plain <- is.null(attributes(values))
  if (plain && is.numeric(values)) numbers_at(values, places, from, threads_for(length(places)))
  else if (plain && is.character(values)) texts_at(values, places, from)
  else vctrs::vec_slice(values, places + (1L - from))
}

is_blank <- function(values) {
  if (is.factor(values)) {
    return(is.na(values) | values %in% levels(values)[is_blank_text(levels(values))])
  }
  if (is.character(values)) is_blank_text(values) else is.na(values)
}

any_blank <- function(values) {
  if (is.character(values) || is.factor(values)) any(is_blank(values)) else anyNA(values)
}

is_blank_text <- function(text) are_blank(text, threads_for(length(text)))

# The values of a column of each of two tables, one behind the other.
join_columns <- function(a, b, names, other = "y") {
  tryCatch(vctrs::vec_c(a, b), vctrs_error_incompatible_type = function(cnd) {
    ridge_abort(
      c(paste("Columns {.val {names[1]}} of {arg_name('x')} and {.val {names[2]}} of",
              "{arg_name(other)} differ in type."),
        i = "Make them alike first."), "column", arg = other, value = names[2])
  })
}

# The values of each member as one text, in the order in which they come.
text_of_each <- function(values, member, members = unique(member)) {
  text <- vapply(split(values, factor(member, members)), paste, "", collapse = "; ")
  unname(replace(text, text == "", NA))
}

# Declared columns, of which records of one day and those that are all open have no end.
has_end_column <- function(names) {
  rlang::is_string(names$end) && !is.na(names$end)
}
