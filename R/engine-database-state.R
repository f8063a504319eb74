# All statements of a question see the tables in one state: they run in a transaction of their own,
# where none is under way. Whoever asks with one of theirs goes on with that.

#' @export
make_ready.ridge_database <- function(engine, frame) in_one_state(engine$source$con, frame)

#' @export
make_ready.ridge_shards <- function(engine, frame) {
  for (shard in engine$shards) make_ready(engine_of(shard), frame)
}

# Until the frame ends. A file of DuckDB is not written to by others while it is open; of other
# databases it is not known whether a temporary table may be made within one.
in_one_state <- function(con, frame = parent.frame()) {
  begin <- if (is_postgres(con)) "BEGIN ISOLATION LEVEL REPEATABLE READ"
  else if (inherits(con, "SQLiteConnection")) "BEGIN"
  if (is.null(begin) || is_postgres(con) && is_under_way(con)) return(invisible())
  # SQLite tells of one that is under way by an error.
  begun <- tryCatch(DBI::dbExecute(con, begin), error = function(cnd) NULL)
  if (!is.null(begun)) {
    do.call(on.exit, list(as.call(list(end_state, con)), add = TRUE), envir = frame)
  }
}

end_state <- function(con) {
  suppressWarnings(try(DBI::dbExecute(con, "COMMIT"), silent = TRUE))
}

# In PostgreSQL a statement alone begins at the moment that now() says; one that is prepared before
# it runs does not, even alone.
is_under_way <- function(con) {
  asked <- "SELECT CASE WHEN now() < statement_timestamp() THEN 1 ELSE 0 END"
  tryCatch(DBI::dbGetQuery(con, asked, immediate = TRUE)[[1]] == 1, error = function(cnd) TRUE)
}
