# A result is a tibble that remembers what it says. Its attribute `ridge` holds the
# question, the line of conventions, the names of its values, a handle on the records it
# was made of (which is not saved with it), and what its kind of result needs for figures,
# wide tables and comparisons. Rows may be chosen and reordered, and columns dropped other
# than values: `rows` then says which of all rows are left.

new_result <- function(columns, question, x, conventions, values, ..., class = NULL,
                       nrow = NULL) {
  nrow <- nrow %||% if (length(columns)) vctrs::vec_size(columns[[1]]) else 0L
  if (length(question$said)) {
    said <- paste0("; ", paste(question$said, collapse = "; "), ".")
    conventions <- sub("[.]$", said, conventions)
  }
  made <- list(question = question, conventions = conventions, values = values, all_rows = nrow,
               records = if (!is.null(x)) records_handle(x), ...)
  tibble::new_tibble(columns, nrow = nrow, ridge = made,
                     class = c(paste0("ridge_", question$verb), class, "ridge_result"))
}

# Which of all rows are there.
rows_left <- function(result) {
  about(result)$rows %||% seq_len(nrow(result))
}

is_whole <- function(result) {
  is.null(about(result)$rows)
}

# The same result with these of its rows, and these columns; a plain table where a value
# is gone or a row stands twice.
narrow_result <- function(result, picked, i = NULL) {
  made <- about(result)
  if (!all(made$values %in% names(picked))) {
    return(picked)
  }
  if (!is.null(i)) {
    if (anyNA(i) || anyDuplicated(i)) {
      return(picked)
    }
    rows <- rows_left(result)[i]
    made$rows <- if (!identical(rows, seq_len(made$all_rows))) rows
  }
  attr(picked, "ridge") <- made
  class(picked) <- class(result)
  picked
}

#' The line of conventions of a result
#'
#' Every result says above its table what was counted, by which rule, whether
#' the last day counts, what open spans do, the as-of date and how many records
#' were set aside. This returns that line as text, to be put under a table or a
#' figure of your own.
#'
#' @param x A result, or a [spans()] object.
#' @return One string.
#' @section Errors:
#' Anything that holds no conventions, such as a result whose values were changed,
#' is an error of class `ridge_error_argument`.
#' @examples
#' staff <- spans(demo_records("postings"), first_day, last_day, key = observer,
#'                as_of = "2026-06-30")
#' conventions(active(staff, by = "year"))
#' @export
conventions <- function(x) {
  UseMethod("conventions")
}

#' @export
conventions.default <- function(x) {
  ridge_abort(c("{arg_name('x')} holds no conventions: it is {describe(x)}.",
                i = "A result whose values were changed is a plain table. Ask the verb again."),
              "argument", arg = "x", value = x)
}

#' @export
conventions.ridge_result <- function(x) {
  made <- about(x)
  if (is_whole(x)) {
    return(made$conventions)
  }
  left <- paste0("; ", format_number(nrow(x)), " of ", count_of(made$all_rows, "row"), ".")
  sub("[.]$", left, made$conventions)
}

#' @exportS3Method pillar::tbl_format_header
tbl_format_header.ridge_result <- function(x, setup, ...) {
  c(header_lines(conventions(x), setup$width), NextMethod())
}

header_lines <- function(text, width) {
  pillar::style_subtle(paste("#", strwrap(text, width = max(width - 2L, 20L))))
}

#' @exportS3Method tibble::as_tibble
as_tibble.ridge_result <- function(x, ...) {
  tibble::as_tibble(plain_tibble(x), ...)
}

#' @export
as.data.frame.ridge_result <- function(x, ...) {
  as.data.frame(plain_tibble(x), ...)
}

#' @export
as.list.ridge_result <- function(x, ...) {
  as.list(plain_tibble(x))
}

#' @export
`[.ridge_result` <- function(x, i, j, ..., drop = FALSE) {
  by_column <- nargs() - (!missing(drop)) < 3
  plain <- plain_tibble(x)
  if (by_column) {
    return(if (missing(i)) x else narrow_result(x, plain[i]))
  }
  rows <- if (!missing(i)) as_positions(x, i)
  picked <- if (is.null(rows)) plain else plain[rows, ]
  if (!missing(j)) picked <- picked[, j, drop = drop]
  if (is.data.frame(picked)) narrow_result(x, picked, rows) else picked
}

# Values that were touched no longer carry the conventions.
#' @export
`[<-.ridge_result` <- function(x, ..., value) {
  x <- plain_tibble(x)
  x[...] <- value
  x
}

#' @export
`[[<-.ridge_result` <- function(x, ..., value) {
  x <- plain_tibble(x)
  x[[...]] <- value
  x
}

#' @export
`$<-.ridge_result` <- function(x, name, value) {
  x <- plain_tibble(x)
  x[[name]] <- value
  x
}

#' @export
`names<-.ridge_result` <- function(x, value) {
  plain <- plain_tibble(x)
  if (identical(names(plain), as.character(value))) {
    return(x)
  }
  names(plain) <- value
  plain
}

#' @exportS3Method dplyr::dplyr_row_slice
dplyr_row_slice.ridge_result <- function(data, i, ...) {
  data[i, ]
}

#' @exportS3Method dplyr::dplyr_reconstruct
dplyr_reconstruct.ridge_result <- function(data, template) {
  plain <- plain_tibble(data)
  same <- nrow(plain) == nrow(template) && all(names(plain) %in% names(template)) &&
    all(vapply(names(plain), function(name) same_column(plain[[name]], template[[name]]), NA))
  if (same) narrow_result(template, plain) else plain
}

#' @exportS3Method vctrs::vec_restore
vec_restore.ridge_result <- function(x, to, ...) {
  tibble::new_tibble(x, nrow = vctrs::vec_size(x))
}
