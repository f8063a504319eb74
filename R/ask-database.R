# The records of a table in a database, as a spans object.

# What is told of records in a file and means nothing of those in a table.
not_of_databases <- function() {
  c(gsub("-", "_", setdiff(from_file(), "where")), "start_clock", "end_clock", "tz", "date_order",
    "days")
}

check_database_given <- function(given) {
  if (length(given$files) > 0) {
    usage_abort(paste("{spelled('database')} takes the place of a file, such as",
                      "{.file {given$files[1]}}."))
  }
  if (is.null(given$table)) usage_abort("{spelled('table')} must name a table of the database.")
  told <- names(only_given(given, not_of_databases()))
  if (isTRUE(given$bound)) told <- c(told, "and")
  if (length(told) > 0) {
    usage_abort(c("{arg_name(told[1])} plays no part for a table in a database.",
                  i = if (told[1] %in% c("keep", "leave_out")) {
                    "Choose records with {spelled('where')}."
                  } else "Leave it out."))
  }
  check_address(given$database, given$timeout)
}

# What is told of records, for those of another file or another table of the same database.
in_another <- function(given, name) {
  given[[if (is.null(given$database)) "files" else "table"]] <- name
  given
}

# A second table is asked by the connection of the first one: both are seen in one state.
on_its_connection <- function(given, x) {
  if (in_database(x)) given$con <- connection_of(x)
  given
}

# On the connection that is given, or one of its own.
read_database <- function(given) {
  con <- given$con %||% open_database(given$database, given$timeout)
  declared <- !is.null(given$con)
  on.exit(if (!declared) DBI::dbDisconnect(con))
  x <- declare_table_given(con, given, spans)
  if (!is.null(given$set_aside)) write_aside(dplyr::collect(set_aside(x)), given$set_aside)
  declared <- TRUE
  x
}

declare_table_given <- function(con, given, verb) {
  tables <- lapply(given$table, named_table, con = con)
  ready <- list(records = if (length(tables) == 1) tables[[1]] else tables, start = given$start,
                end = end_given(given))
  declare_given(ready, given, function(...) {
    verb(..., where = !!given$where, row = !!by_names(given$row))
  })
}

check_database_list <- function(given) {
  con <- open_database(given$database, given$timeout)
  on.exit(DBI::dbDisconnect(con))
  declare_table_given(con, given, check_spans)
}
