# Does a result about records in a database tie to its source? A second, plainer question counts
# each cell once more there. Where that can't be asked plainly, what the result says of records is
# brought here, records alike as one, and worked out once more by the dates themselves.

checks_in_database <- function(result, x) {
  UseMethod("checks_in_database")
}

#' @export
checks_in_database.default <- function(result, x) {
  made <- about(result)
  # A list of what may be wrong ties to the records that were looked at, as it does in memory.
  if (inherits(result, "ridge_findings")) return(list())
  plain <- cells_once_more(result, x)
  if (is.null(plain) || length(made$question$then) > 0) {
    here <- records_once_more(result, x)
    if (is.null(here)) {
      many <- facts_of(x)$records > most_brought
      return(not_proven("rows", if (many) "it would take too many records"
                        else "a database answers this in one way only"))
    }
    return(c(source_checks(result, here), label_checks(result, here)))
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

# How many there are, whatever of them can be used.
records_in_tables <- function(x) {
  if (in_shards(x)) return(sum(vapply(engine_of(x)$shards, records_in_tables, 0)))
  as.double(fetched_totals(x, engine_of(x)$source$given, "How many records there are",
                           records = dplyr::n())$records)
}

# What counts the cells of groups once more, and whether it comes to the same numbers exactly:
# list(exact, of); NULL where nothing does.
cells_once_more <- function(result, x) {
  UseMethod("cells_once_more")
}

# What chooses the records of an answer once more, in a plainer way, as a spans object at hand;
# NULL where nothing does, or where they are too many for that.
records_once_more <- function(result, x) {
  UseMethod("records_once_more")
}

#' @export
records_once_more.default <- function(result, x) {
  if (facts_of(x)$records > most_brought) return(NULL)
  question <- about(result)$question
  columns <- asked_columns(question, x)
  by_row <- inherits(result, "ridge_records") || "row" %in% names(result)
  if (by_row && !is.null(about(x)$names$row)) {
    plain_records_between(x, union(columns, intersect(names(result), names(x))))
  } else plain_records_counted(x, columns)
}

most_brought <- 2e7

# What a question says of records beside their dates.
asked_columns <- function(question, x) {
  asked <- question$arguments
  how <- about(x)$names
  unique(c(unlist(question$per), unlist(asked[question$columns]),
           switch(asked$of %||% "", keys = how$key, weight = how$weight, NULL)))
}

#' @export
cells_once_more.default <- function(result, x) NULL
