# Servers, tables in them, and what memory answers beside them.

connected <- function(server, env = parent.frame()) {
  for (package in c("dplyr", "dbplyr", "DBI")) skip_if_not_installed(package)
  skip_if_not_installed(if (server == "sqlite") "RSQLite" else "RPostgres")
  address <- Sys.getenv("RIDGE_POSTGRES")
  skip_if(server == "postgres" && address == "", "There is no PostgreSQL server.")
  con <- if (server == "sqlite") DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  else do.call(DBI::dbConnect, c(list(RPostgres::Postgres()), words_of_address(address)))
  withr::defer(suppressWarnings(DBI::dbDisconnect(con)), env)
  con
}

# "host=... user=... dbname=..."
words_of_address <- function(address) {
  words <- strsplit(strsplit(address, " ")[[1]], "=")
  stats::setNames(lapply(words, `[`, 2), vapply(words, `[`, "", 1))
}

# SQLite has no dates: they are texts there.
in_table <- function(con, records, name = "records_of_a_test") {
  if (inherits(con, "SQLiteConnection")) {
    dated <- vapply(records, inherits, NA, "Date")
    records[dated] <- lapply(records[dated], format)
    for (column in names(records)[dated]) records[[column]][records[[column]] %in% "NA"] <- NA
  }
  DBI::dbWriteTable(con, name, as.data.frame(records), temporary = TRUE, overwrite = TRUE)
  dplyr::tbl(con, name)
}

expect_same_in_database <- function(ask, filed, in_memory, label) {
  expected <- ask(in_memory)
  found <- ask(filed)
  expect_identical(as.data.frame(found), as.data.frame(expected), label = label)
  expect_identical(conventions(found), conventions(expected), label = paste(label, "(line)"))
}

sqlite_file <- function(records, name = "postings", env = parent.frame()) {
  for (package in c("dplyr", "dbplyr", "DBI", "RSQLite")) skip_if_not_installed(package)
  path <- withr::local_tempfile(fileext = ".db", .local_envir = env)
  con <- DBI::dbConnect(RSQLite::SQLite(), path)
  dated <- vapply(records, inherits, NA, "Date")
  records[dated] <- lapply(records[dated], function(days) replace(format(days), is.na(days), NA))
  DBI::dbWriteTable(con, name, as.data.frame(records))
  DBI::dbDisconnect(con)
  path
}
