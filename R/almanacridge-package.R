#' almanacridge: daily to yearly answers from records with a start and an end
#'
#' Declare what the records are with [spans()], then ask: [active()] counts how
#' many at a time, [scaffold()] gives one row per record and period, [periods()]
#' lists the periods themselves. `autoplot()` draws a result and the command
#' line `ridge` asks the same questions of a file.
#'
#' @keywords internal
#' @useDynLib almanacridge, .registration = TRUE
#' @importFrom Rcpp evalCpp
#' @importFrom rlang := .data %||%
#' @importFrom tibble new_tibble
"_PACKAGE"

# tibble is imported by name so that it is there to print a result read from a file.
