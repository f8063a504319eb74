# Does a result about records in a database tie to its source? A second, plainer question counts
# each cell once more.

checks_in_database <- function(result, x) {
  UseMethod("checks_in_database")
}

#' @export
checks_in_database.default <- function(result, x) {
  made <- about(result)
  here <- records_once_more(result, x)
  if (!is.null(here)) return(c(source_checks(result, here), label_checks(result, here)))
  plain <- cells_once_more(result, x)
  if (is.null(plain) || length(made$question$then) > 0) {
    return(not_proven("rows", "a database answers this in one way only"))
  }
  if (nrow(result) == 0) {
    return(list())
  }
  value <- made$values[1]
  cells <- cell_matrix(result, value)
  own <- !is_total_line(made)
  lines <- function(names, chosen, what) {
    if (all(is.na(cells[, chosen]))) return(NULL)
    cell_checks(paste0(value, what), plain$of(groups_of(x, names)), cells[, chosen, drop = FALSE],
                plain$exact)
  }
  c(lines(made$groups, own, if (length(made$groups)) ", group lines"),
    lines(character(), !own, ", line over all groups"), heading_check(result, made))
}

# What counts the cells of groups once more, and whether it comes to the same numbers exactly:
# list(exact, of); NULL where nothing does.
cells_once_more <- function(result, x) {
  UseMethod("cells_once_more")
}

# What chooses the records of an answer once more, in a plainer way, as a spans object at hand;
# NULL where nothing does.
records_once_more <- function(result, x) {
  UseMethod("records_once_more")
}

#' @export
records_once_more.default <- function(result, x) NULL

#' @export
cells_once_more.default <- function(result, x) NULL
