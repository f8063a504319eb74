# A result is a tibble that remembers what it says. The attribute `ridge` holds
# the verb, the line of conventions and what a figure needs.

new_result <- function(columns, verb, conventions, ..., nrow = NULL) {
  if (is.null(nrow)) {
    nrow <- if (length(columns)) vctrs::vec_size(columns[[1]]) else 0L
  }
  tibble::new_tibble(columns, nrow = nrow,
                     ridge = list(verb = verb, conventions = conventions, ...),
                     class = c(paste0("ridge_", verb), "ridge_result"))
}

about <- function(result) {
  attr(result, "ridge", exact = TRUE)
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
#' Anything that holds no conventions, such as a result whose rows were changed,
#' is an error of class `ridge_error_argument`.
#' @examples
#' staff <- spans(demo_records("postings"), first_day, last_day, key = observer,
#'                as_of = "2026-06-30")
#' conventions(active(staff, by = "year"))
#' @export
conventions <- function(x) {
  if (inherits(x, "ridge_result")) {
    return(about(x)$conventions)
  }
  if (inherits(x, "ridge_spans")) {
    return(describe_spans(x))
  }
  ridge_abort(c("{.arg x} holds no conventions: it is {describe(x)}.",
                i = "A result whose rows or values were changed is a plain table. Ask the verb again."),
              "argument")
}

#' @exportS3Method pillar::tbl_format_header
tbl_format_header.ridge_result <- function(x, setup, ...) {
  c(header_lines(about(x)$conventions, setup$width), NextMethod())
}

header_lines <- function(text, width) {
  pillar::style_subtle(paste("#", strwrap(text, width = max(width - 2L, 20L))))
}

plain_tibble <- function(x) {
  columns <- as.list(unclass(x))
  attributes(columns) <- list(names = names(columns))
  tibble::new_tibble(columns, nrow = .row_names_info(x, 2L))
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

# Rows or values that were touched no longer carry the conventions.
#' @export
`[.ridge_result` <- function(x, ...) {
  plain_tibble(x)[...]
}

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
  x <- plain_tibble(x)
  names(x) <- value
  x
}

#' @exportS3Method dplyr::dplyr_reconstruct
dplyr_reconstruct.ridge_result <- function(data, template) {
  plain_tibble(data)
}

#' @exportS3Method vctrs::vec_restore
vec_restore.ridge_result <- function(x, to, ...) {
  tibble::new_tibble(x, nrow = vctrs::vec_size(x))
}
