#' A table in a database
#'
#' Names a table of a connection that you have, as the records of [spans()]: they stay where they
#' are, questions become SQL, and only answers leave, with what [reconcile()] needs where you ask
#' for that. The same as [dplyr::tbl()], where you use it.
#'
#' @param con A connection of the package DBI.
#' @param name The name of a table or a view: a text; `DBI::Id(schema = "staff", table =
#'   "postings")` where it lies in a schema; or a query, as `DBI::SQL("SELECT ...")`.
#' @return A lazy table, for [spans()].
#' @section Errors:
#' What is no connection, and a table that is not there, are errors of class
#' `ridge_error_argument`.
#' @examplesIf rlang::is_installed(c("RSQLite", "dbplyr"))
#' con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
#' records <- transform(demo_records("postings"), first_day = format(first_day),
#'                      last_day = format(last_day))
#' DBI::dbWriteTable(con, "postings", records)
#' staff <- spans(record_table(con, "postings"), first_day, last_day, key = observer,
#'                as_of = "2026-06-30")
#' active(staff, by = "quarter", group = station, from = "2026-01-01")
#' DBI::dbDisconnect(con)
#' @export
record_table <- function(con, name) {
  for (package in c("DBI", "dplyr", "dbplyr")) need_package(package, "A table in a database")
  if (!inherits(con, "DBIConnection")) {
    ridge_abort(c("{arg_name('con')} must be a connection, not {.val {describe(con)}}.",
                  i = "Make one with {.fn DBI::dbConnect}."), "argument", arg = "con", value = con)
  }
  from <- if (inherits(name, "SQL")) dbplyr::sql(as.character(name))
  else if (inherits(name, "Id")) rlang::inject(dbplyr::in_schema(!!!unname(id_parts(name))))
  else if (rlang::is_string(name)) name
  else {
    ridge_abort(c("{arg_name('name')} must be the name of a table, not {.val {describe(name)}}.",
                  i = "A text, a {.fn DBI::Id} of a schema and a table, or a {.fn DBI::SQL}."),
                "argument", arg = "name", value = name)
  }
  tryCatch(dplyr::tbl(con, from), error = function(cnd) {
    told <- describe_table(name)
    # After an error a transaction of PostgreSQL answers nothing more.
    known <- tryCatch(DBI::dbListTables(con), error = function(cnd) character())
    near <- if (rlang::is_string(name)) nearest(name, known)
    ridge_abort(c("The database has no table {.val {told}}, or it may not be read.",
                  i = if (!is.null(near)) "Is it {.val {near}}?",
                  x = "{.val {database_words(cnd)}}"), "argument", arg = "name", value = told)
  })
}

id_parts <- function(id) {
  parts <- as.list(id@name)
  if (length(parts) != 2) {
    told <- describe_table(id)
    ridge_abort("{arg_name('name')} must name a schema and a table, not {.val {told}}.", "argument",
                arg = "name", value = told)
  }
  parts
}

describe_table <- function(name) {
  if (inherits(name, "Id")) paste(name@name, collapse = ".") else as.character(name)
}

# A connection to a database by its address, for reading alone: all questions see the same state.
open_database <- function(address, timeout = NULL) {
  check_address(address, timeout)
  kind <- kind_of_address(address)
  if (kind %in% c("sqlite", "duckdb")) {
    path <- file_of_address(address)
    return(if (kind == "sqlite") open_sqlite(path) else open_duckdb(path))
  }
  if (kind == "odbc") open_odbc(sub("^odbc:", "", address), timeout)
  else open_postgres(address, timeout)
}

kind_of_address <- function(address) {
  sub(":.*", "", address)
}

# What can be told of an address without opening it.
check_address <- function(address, timeout = NULL) {
  kind <- kind_of_address(address)
  if (!(kind %in% c("postgresql", "postgres", "sqlite", "duckdb", "odbc")) || kind == address) {
    ridge_abort(c("{arg_name('database')} does not know {.val {hide_password(address)}}.",
                  i = paste("Say {.code postgresql://USER@HOST/NAME}, {.code sqlite:FILE},",
                            "{.code duckdb:FILE} or {.code odbc:NAME}.")), "argument",
                arg = "database")
  }
  in_file <- c(sqlite = "SQLite", duckdb = "DuckDB")[kind]
  if (!is.na(in_file) && !is.null(timeout)) {
    ridge_abort("{arg_name('timeout')} plays no part with {in_file}: leave it out.", "argument",
                arg = "timeout")
  }
  if (kind == "odbc") check_source_name(sub("^odbc:", "", address))
  else if (is.na(in_file)) parts_of_address(address)
  if (!is.null(timeout) && timeout <= 0) {
    ridge_abort("{arg_name('timeout')} must be above 0 seconds, not {.val {timeout}}.", "argument",
                arg = "timeout", value = timeout)
  }
  invisible(address)
}

# The name of a source alone: what it takes to get in stands in the file of sources, unseen.
check_source_name <- function(name) {
  if (name == "" || grepl("[;={}]", name)) {
    ridge_abort(c(paste("{arg_name('database')} must name a data source that ODBC knows, and",
                        "nothing else of it."),
                  i = paste("Say {.code odbc:NAME}; its server, user and password stand in",
                            "{.file odbc.ini}.")), "argument", arg = "database")
  }
}

file_of_address <- function(address) {
  path <- path.expand(sub("^[a-z]+:(//(?=/))?", "", address, perl = TRUE))
  if (!file.exists(path) || dir.exists(path)) {
    kind <- kind_of_address(address)
    ridge_abort(c("{arg_name('database')}: there is no file {.file {path}}.",
                  i = "Say {.code {kind}:FILE}."), "argument", arg = "database")
  }
  path
}

open_sqlite <- function(path) {
  need_package("RSQLite", "A database of SQLite")
  con <- DBI::dbConnect(RSQLite::SQLite(), path, flags = RSQLite::SQLITE_RO)
  told_by_database(DBI::dbExecute(con, "BEGIN"), path)
  con
}

# Nobody else writes to it as long as it is open.
open_duckdb <- function(path) {
  need_package("duckdb", "A database of DuckDB")
  driver <- getExportedValue("duckdb", "duckdb")
  # It says where it would keep extensions, of which none is needed.
  told_by_database(suppressMessages({
    opened <- driver(path, read_only = TRUE)
    DBI::dbConnect(opened)
  }), path)
}

open_postgres <- function(address, timeout) {
  need_package("RPostgres", "A database of PostgreSQL")
  parts <- parts_of_address(address)
  con <- told_by_database(rlang::inject(DBI::dbConnect(RPostgres::Postgres(), !!!parts)), address)
  DBI::dbExecute(con, "BEGIN TRANSACTION ISOLATION LEVEL REPEATABLE READ READ ONLY")
  if (!is.null(timeout)) limit_statements(con, timeout)
  con
}

# PostgreSQL is kept to reading; others are asked within one transaction, as each has words of its
# own for that.
open_odbc <- function(name, timeout) {
  need_package("odbc", "A database by ODBC")
  con <- told_by_database(DBI::dbConnect(getExportedValue("odbc", "odbc")(), dsn = name),
                          paste0("odbc:", name))
  if (!is_postgres(con) && !is.null(timeout)) {
    DBI::dbDisconnect(con)
    ridge_abort("{arg_name('timeout')} plays no part with this source: leave it out.", "argument",
                arg = "timeout")
  }
  DBI::dbBegin(con)
  if (is_postgres(con)) {
    DBI::dbExecute(con, "SET TRANSACTION ISOLATION LEVEL REPEATABLE READ READ ONLY")
    if (!is.null(timeout)) limit_statements(con, timeout)
  }
  con
}

limit_statements <- function(con, timeout) {
  DBI::dbExecute(con, paste0("SET LOCAL statement_timeout = ", round(1000 * timeout)))
}

told_by_database <- function(code, address) {
  tryCatch(code, error = function(cnd) {
    ridge_abort("The database at {.val {address}} did not answer: {database_words(cnd)}", "engine",
                arg = "database", value = address)
  })
}

# postgresql://USER@HOST:PORT/NAME?WORD=VALUE: a password is none of a command line's words, which
# others can see; it is taken from PGPASSWORD or the file of passwords.
parts_of_address <- function(address) {
  shape <- paste0("^postgres(?:ql)?://(?:([^@/:]*)(:[^@/]*)?@)?([^/:?]*)(?::([0-9]+))?",
                  "(?:/([^?]*))?(?:[?](.*))?$")
  found <- regmatches(address, regexec(shape, address, perl = TRUE))[[1]]
  further <- strsplit(strsplit(found[7] %||% "", "&", fixed = TRUE)[[1]], "=", fixed = TRUE)
  names(further) <- vapply(further, `[`, "", 1)
  if (length(found) == 0 || any(lengths(further) != 2)) {
    ridge_abort(c("{arg_name('database')} is no address: {.val {hide_password(address)}}.",
                  i = "Say {.code postgresql://USER@HOST:PORT/NAME}."), "argument",
                arg = "database")
  }
  if (nzchar(found[3]) || "password" %in% names(further)) {
    ridge_abort(c("{arg_name('database')} holds a password, which others could see.",
                  i = paste("Leave it out: it is taken from {.envvar PGPASSWORD} or the file",
                            "{.file ~/.pgpass}.")), "argument", arg = "database")
  }
  plain <- list(user = found[2], host = found[4], port = found[5], dbname = found[6])
  parts <- c(Filter(nzchar, plain), lapply(further, `[`, 2))
  lapply(parts, function(part) utils::URLdecode(part))
}

hide_password <- function(address) {
  sub("^([^@]*//[^@:/]*):[^@]*@", "\\1@", address)
}

# The table that is named, in a schema where there is a dot.
named_table <- function(con, name) {
  parts <- strsplit(name, ".", fixed = TRUE)[[1]]
  there <- length(parts) != 2 || answered(DBI::dbExistsTable(con, name), "Is there a table?")
  if (there) record_table(con, name)
  else record_table(con, DBI::Id(schema = parts[1], table = parts[2]))
}
