# What takes more than two seconds says on a terminal what it does and for how long; in a pipe,
# and where nothing but errors is to be said, it says nothing. Kernels tell that they go on
# wherever they look for an interrupt.

progress <- new.env(parent = topenv())

# Until the function of `frame` returns; within another that is shown already, nothing.
show_progress <- function(what, frame = parent.frame()) {
  if (!is.null(progress$bar) || !shows_progress()) {
    return(invisible())
  }
  format <- paste0("{cli::pb_spin} ", escape_braces(what), " [{cli::pb_elapsed}]")
  progress$bar <- cli::cli_progress_bar(format = format, total = NA, clear = TRUE,
                                        .auto_close = FALSE, .envir = progress)
  heed_progress(progress_goes_on)
  do.call(on.exit, list(as.call(list(end_progress)), add = TRUE), envir = frame)
}

shows_progress <- function() {
  !isTRUE(progress$quiet) && cli::is_dynamic_tty(stderr())
}

progress_goes_on <- function() {
  if (!is.null(progress$bar)) cli::cli_progress_update(id = progress$bar, .envir = progress)
}

end_progress <- function() {
  heed_progress(NULL)
  cli::cli_progress_done(id = progress$bar, .envir = progress)
  progress$bar <- NULL
}

# Whether nothing but errors is to be said.
without_progress <- function(quiet) {
  progress$quiet <- quiet
}
