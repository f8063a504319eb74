# What a command prints, what it notes, and its status.
run <- function(...) {
  notes <- withr::local_tempfile()
  err <- file(notes, "wt")
  sink(err, type = "message")
  withr::defer({
    sink(type = "message")
    close(err)
  })
  out <- utils::capture.output(status <- run_ridge(c(...)))
  flush(err)
  list(out = out, notes = readLines(notes), status = status)
}
