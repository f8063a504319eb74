# How names and values are written in a dialect of SQL. dbplyr asks the driver for each name each
# time it writes one down, which takes longer than all else that it does; here each is asked for
# once.

# A connection to write statements with: what it does not know by heart it asks the real one.
writer_of <- function(con) {
  # Newer versions ask by dialect, and no driver; the simulated ones have none to ask.
  by_dialect <- "sql_dialect" %in% getNamespaceExports("dbplyr")
  if (by_dialect || !isS4(con)) return(con)
  structure(list(con = con, known = new.env(parent = emptyenv())),
            class = c("ridge_writer", methods::is(con)))
}

#' @exportS3Method dbplyr::sql_escape_ident
sql_escape_ident.ridge_writer <- function(con, x) {
  known <- con$known
  fresh <- setdiff(x, names(known$names))
  if (length(fresh) > 0) {
    quoted <- as.character(DBI::dbQuoteIdentifier(con$con, fresh))
    known$names <- c(known$names, stats::setNames(quoted, fresh))
  }
  unname(known$names[match(x, names(known$names))])
}

#' @exportS3Method dbplyr::sql_translation
sql_translation.ridge_writer <- function(con) {
  known <- con$known
  if (is.null(known$translation)) known$translation <- NextMethod()
  known$translation
}

#' @exportS3Method dbplyr::sql_escape_string
sql_escape_string.ridge_writer <- function(con, x) DBI::dbQuoteString(con$con, x)

#' @exportS3Method dbplyr::sql_escape_date
sql_escape_date.ridge_writer <- function(con, x) dbplyr::sql_escape_date(con$con, x)
