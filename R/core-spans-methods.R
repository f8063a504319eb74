# Records chosen, reordered, with columns added or renamed are still declared; where the
# values of a start, an end, a key or a weight change they are a plain table.

# Rows chosen or reordered: the same records, their source rows go along.
keep_records <- function(x, sliced, i) {
  how <- conventions_of(x)
  how$dropped <- how$dropped + nrow(x) - length(unique(i))
  kept <- new_spans(sliced, how, about(x)$rows[i])
  # In which order most of them come is told by that of all, when it is asked for.
  index <- cache_store(about(x)$cache)$index
  if (!is.null(index$order) && length(i) > nrow(x) / 16 && !is.unsorted(i, strictly = TRUE)) {
    cached(kept, "chosen", list(index = index, rows = i))
  }
  kept
}

as_positions <- function(x, i) {
  if (is.matrix(i)) {
    i <- as.vector(i)
  }
  vctrs::vec_as_location(i, nrow(x))
}

# Columns chosen or added: still spans where the core columns are untouched.
keep_columns <- function(x, picked) {
  if (is_elsewhere(x)) refuse_changes(x)
  held <- about(x)$held
  sound <- nrow(picked) == nrow(x) && all(names(held) %in% names(picked)) &&
    all(vapply(names(held), function(name) same_column(picked[[name]], held[[name]]), NA))
  if (!sound) {
    return(picked)
  }
  new_spans(picked, conventions_of(x), about(x)$rows, cache_store(about(x)$cache))
}

# Records that lie elsewhere are chosen where they are declared.
refuse_changes <- function(x) {
  where <- if (in_parts(x)) c("files larger than memory", "{.code where} in {.fn spans}")
  else c("a database", "{.fn dplyr::filter} before {.fn spans}")
  ridge_abort(c(paste0("These records lie in ", where[1], ": there is no table to change."),
                i = paste0("Choose records with ", where[2], ".")), "engine", arg = "x")
}

#' @export
`[.ridge_spans` <- function(x, i, j, ..., drop = FALSE) {
  if (is_elsewhere(x)) refuse_changes(x)
  by_column <- nargs() - (!missing(drop)) < 3
  plain <- plain_tibble(x)
  if (by_column) {
    picked <- if (missing(i)) plain else plain[i]
    return(keep_columns(x, picked))
  }
  rows <- if (missing(i)) plain else plain[i, ]
  picked <- if (missing(j)) rows else rows[, j, drop = drop]
  if (!is.data.frame(picked)) {
    return(picked)
  }
  if (missing(i)) keep_columns(x, picked)
  else keep_columns(keep_records(x, rows, as_positions(x, i)), picked)
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

# New names for columns, those that were declared too.
#' @export
`names<-.ridge_spans` <- function(x, value) {
  if (is_elsewhere(x)) refuse_changes(x)
  changed <- plain_tibble(x)
  before <- names(changed)
  names(changed) <- value
  core <- core_columns(about(x)$names)
  if (length(value) != length(before) || anyNA(value) || anyDuplicated(value)) {
    return(changed)
  }
  renamed <- function(names) {
    if (rlang::is_character(names) && !anyNA(names)) value[match(names, before)] else names
  }
  how <- conventions_of(x)
  how$names <- lapply(how$names, renamed)
  if (length(how$orders)) names(how$orders) <- renamed(names(how$orders))
  new_spans(changed, how, about(x)$rows, if (all(core %in% value)) cache_store(about(x)$cache))
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
  if (is_elsewhere(x)) refuse_changes(x)
  tibble::as_tibble(plain_tibble(x), ...)
}

#' @export
summary.ridge_spans <- function(object, ...) {
  if (is_elsewhere(object)) refuse_changes(object) else NextMethod()
}

#' @export
as.data.frame.ridge_spans <- function(x, ...) {
  if (is_elsewhere(x)) refuse_changes(x)
  as.data.frame(plain_tibble(x), ...)
}
