# The databases that an almanac asks: one connection for each address, so that all of its questions
# see the same state of the data.

connection_asked <- function(session, told) {
  if (is.null(told$database)) {
    return(NULL)
  }
  address <- paste(told$database, told$timeout)
  if (is.null(session$connections[[address]])) {
    session$connections[[address]] <- open_database(told$database, told$timeout)
    # Results of a page may still be asked to prove themselves: it is closed when none is left.
    reg.finalizer(session, close_connections, onexit = TRUE)
  }
  session$connections[[address]]
}

close_connections <- function(session) {
  for (con in session$connections) suppressWarnings(try(DBI::dbDisconnect(con), silent = TRUE))
  session$connections <- list()
}

# A connection cannot be shared with another process.
asks_database <- function(session, question) {
  names <- c(question$records, unlist(question$told[names_records]))
  any(vapply(session$almanac$records[names], function(told) !is.null(told$database), NA))
}
