# The attribute `ridge` of a spans object holds the conventions, the row that
# each record has in its source, the columns that were checked (to see whether
# they still are the same) and a store for what is worked out only once.

new_spans <- function(data, conventions, rows, store = new.env(parent = emptyenv())) {
  core <- core_columns(conventions$names)
  tibble::new_tibble(as.list(data), nrow = nrow(data),
                     ridge = c(conventions, list(rows = rows, held = as.list(data)[core],
                                                 store = store)),
                     class = "ridge_spans")
}

core_columns <- function(names) {
  unique(c(names$start, if (has_end_column(names)) names$end, names$key, names$weight))
}

conventions_of <- function(x) {
  kept <- about(x)
  kept[setdiff(names(kept), c("rows", "held", "store"))]
}

# The same records with other conventions, or rows of the source.
amend_spans <- function(x, ..., rows = about(x)$rows) {
  how <- conventions_of(x)
  changed <- list(...)
  how[names(changed)] <- changed
  new_spans(plain_tibble(x), how, rows)
}

check_spans_class <- function(x, verb) {
  if (!inherits(x, "ridge_spans")) {
    ridge_abort(c("{.fn {verb}} asks about records declared with {.fn spans}, not {.val {describe(x)}}.",
                  i = "Say {.code spans(data, first_day, last_day) |> {verb}()}; changing a start, end or key needs {.fn spans} again."),
                "argument")
  }
  changed <- changed_columns(x)
  if (length(changed) > 0) {
    ridge_abort(c("The records were changed after {.fn spans}: {.val {changed}} {?is/are} not as declared.",
                  i = "Declare them again with {.fn spans}."), "records")
  }
  x
}

# Columns that were declared and are not what they were: by ways that no method
# here sees, such as rbind().
changed_columns <- function(x) {
  held <- about(x)$held
  same <- vapply(names(held), function(name) {
    rlang::is_reference(x[[name]], held[[name]]) || identical(x[[name]], held[[name]])
  }, logical(1))
  names(held)[!same]
}

#' The records that could not be used
#'
#' @param x A spans object made with `problems = "set_aside"`.
#' @return A tibble: `row`, the record's row in its source (integer); `reason`,
#'   in words (character); then the source's own columns as they came. No rows
#'   where nothing was set aside.
#' @section Errors:
#' Anything but a spans object is an error of class `ridge_error_argument`.
#' @examples
#' messy <- data.frame(who = c("Ada", NA), from = c("2026-02-30", "2026-03-01"), to = "2026-03-05")
#' set_aside(spans(messy, from, to, key = who, problems = "set_aside"))
#' @export
set_aside <- function(x) {
  check_spans_class(x, "set_aside")
  about(x)$set_aside
}

# Rows chosen or reordered: the same records, their source rows go along.
keep_records <- function(x, sliced, i) {
  how <- conventions_of(x)
  how$dropped <- how$dropped + nrow(x) - length(i)
  new_spans(sliced, how, about(x)$rows[i])
}

#' @export
`[.ridge_spans` <- function(x, i, j, ..., drop = FALSE) {
  by_column <- nargs() - (!missing(drop)) < 3
  plain <- plain_tibble(x)
  if (by_column) {
    picked <- if (missing(i)) plain else plain[i]
    return(keep_columns(x, picked))
  }
  if (missing(i)) {
    i <- seq_len(nrow(x))
  }
  rows <- plain[i, , drop = FALSE]
  picked <- if (missing(j)) rows else rows[, j, drop = drop]
  if (!is.data.frame(picked)) {
    return(picked)
  }
  keep_columns(keep_records(x, rows, as_positions(x, i)), picked)
}

as_positions <- function(x, i) {
  if (is.matrix(i)) {
    i <- as.vector(i)
  }
  vctrs::vec_as_location(i, nrow(x))
}

# Columns chosen: still spans where the core columns are untouched.
keep_columns <- function(x, picked) {
  held <- about(x)$held
  sound <- nrow(picked) == nrow(x) && all(names(held) %in% names(picked)) &&
    all(vapply(names(held), function(name) rlang::is_reference(picked[[name]], held[[name]]),
               logical(1)))
  if (sound) new_spans(picked, conventions_of(x), about(x)$rows, about(x)$store) else picked
}

#' @export
`[<-.ridge_spans` <- function(x, ..., value) {
  changed <- plain_tibble(x)
  changed[...] <- value
  keep_columns(x, changed)
}

#' @export
`[[<-.ridge_spans` <- function(x, ..., value) {
  changed <- plain_tibble(x)
  changed[[...]] <- value
  keep_columns(x, changed)
}

#' @export
`$<-.ridge_spans` <- function(x, name, value) {
  changed <- plain_tibble(x)
  changed[[name]] <- value
  keep_columns(x, changed)
}

#' @export
`names<-.ridge_spans` <- function(x, value) {
  changed <- plain_tibble(x)
  names(changed) <- value
  keep_columns(x, changed)
}

#' @exportS3Method dplyr::dplyr_row_slice
dplyr_row_slice.ridge_spans <- function(data, i, ...) {
  data[i, ]
}

#' @exportS3Method dplyr::dplyr_reconstruct
dplyr_reconstruct.ridge_spans <- function(data, template) {
  keep_columns(template, plain_tibble(data))
}

#' @exportS3Method vctrs::vec_restore
vec_restore.ridge_spans <- function(x, to, ...) {
  tibble::new_tibble(x, nrow = vctrs::vec_size(x))
}

#' @exportS3Method tibble::as_tibble
as_tibble.ridge_spans <- function(x, ...) {
  tibble::as_tibble(plain_tibble(x), ...)
}

#' @export
as.data.frame.ridge_spans <- function(x, ...) {
  as.data.frame(plain_tibble(x), ...)
}

#' @exportS3Method pillar::tbl_format_header
tbl_format_header.ridge_spans <- function(x, setup, ...) {
  what <- if (length(changed_columns(x)) > 0) "Changed after spans(): declare the records again."
  else describe_spans(x)
  c(header_lines(what, setup$width), NextMethod())
}

# What is there, then by which conventions.
describe_spans <- function(x) {
  index <- span_index(x)
  what <- count_of(nrow(x), "record")
  if (!is.null(index$key)) {
    what <- paste0(what, " of ", count_of(index$keys, "key"), " (", and_list(about(x)$names$key), ")")
  }
  facts <- span_facts(x)
  if (!is.null(facts$first)) {
    what <- paste0(what, ", ", format(as_date(facts$first)), " to ",
                   format(as_date(facts$last_known)))
  }
  parts <- c(what, if (facts$open > 0) paste(format_number(facts$open), "still open"),
             last_day_words(x), order_used_words(x), empty_words(facts$empty),
             as_of_words(x), aside_words(x))
  paste0(paste(parts, collapse = "; "), ".")
}
