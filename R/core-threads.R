# On how many cores kernels work.

#' How many threads are used
#'
#' Kernels that take longer than a moment work on all cores of the machine; the result is the
#' same whatever their number. `options(almanacridge.threads = 2)`, or `RIDGE_THREADS` in the
#' environment, sets another number. A package check gets two at most, and a process that was
#' forked one, as its siblings are at work beside it. Questions about few records are answered on
#' one, and [build_almanac()] has so many processes.
#'
#' @return The number of threads (integer).
#' @section Errors:
#' A number that is not whole, or less than 1, is an error of class `ridge_error_argument`.
#' @examples
#' thread_count()
#' @export
thread_count <- function() {
  if (Sys.getpid() != loaded$process) {
    return(1L)
  }
  option <- getOption("almanacridge.threads")
  told <- option %||% Sys.getenv("RIDGE_THREADS", NA)
  most <- if (nzchar(Sys.getenv("_R_CHECK_LIMIT_CORES_"))) 2L else most_threads
  untold <- identical(as.character(told), "") || rlang::is_scalar_atomic(told) && is.na(told)
  min(if (untold) core_count() else threads_told(told, option), most)
}

most_threads <- 256L
loaded <- new.env(parent = emptyenv())

threads_told <- function(told, option) {
  count <- suppressWarnings(as.double(told))
  if (length(count) != 1 || is.na(count) || count < 1 || count != round(count)) {
    where <- if (is.null(option)) "RIDGE_THREADS" else "options(almanacridge.threads)"
    ridge_abort(c("{where} must be a whole number of 1 or more, not {.val {told}}.",
                  i = "It says how many cores are worked on; without it, all are."),
                "argument", arg = "threads", value = told)
  }
  as.integer(min(count, most_threads))
}

# Asking the system takes longer than a small question.
core_count <- function() {
  if (is.null(loaded$cores)) {
    loaded$cores <- max(1L, processor_count())
  }
  loaded$cores
}

# Little work is done sooner by one.
threads_for <- function(size) {
  if (size < 1e5) 1L else thread_count()
}

# How a kernel gathers an answer about so many records: see gather.h.
at_once <- function(size) {
  list(threads = threads_for(size), parts = NULL, keep = FALSE)
}

.onLoad <- function(libname, pkgname) {
  loaded$process <- Sys.getpid()
}
