#' @rdname concurrency
#' @export
peaks <- function(x, group = NULL, of = NULL, capacity = NULL, from = NULL, to = NULL) {
  check_spans_class(x, "peaks")
  if (!is.null(capacity)) check_amount(capacity, "capacity")
  of <- choose_of(x, of)
  group <- pick_groups(x, rlang::enquo(group), step_columns, "peaks")
  window <- ask_window(x, from, to)
  question <- new_question("peaks", list(group = group), window = window)
  steps <- level_steps(x, question)
  steps <- if (is.null(capacity)) highest_steps(steps) else steps_above(steps, capacity)
  how <- if (is.null(capacity)) "the most at once" else paste("at once, above", format(capacity))
  level_result(x, question, steps, how)
}

highest_steps <- function(steps) {
  if (length(steps$level) == 0) {
    return(steps)
  }
  top <- tapply(steps$level, steps$group, max)
  kept <- which(steps$level == top[as.character(steps$group)])
  lapply(steps, `[`, kept)
}

# Steps above the capacity that meet, as one with its highest level.
steps_above <- function(steps, capacity) {
  kept <- which(steps$level > capacity)
  steps <- lapply(steps, `[`, kept)
  n <- length(kept)
  if (n == 0) {
    return(steps)
  }
  goes_on <- c(FALSE, steps$group[-1] == steps$group[-n] & steps$start[-1] == steps$stop[-n])
  piece <- cumsum(!goes_on)
  last <- c(which(!goes_on)[-1] - 1L, n)
  list(start = steps$start[!goes_on], stop = steps$stop[last], group = steps$group[!goes_on],
       level = as.vector(tapply(steps$level, piece, max)))
}

# Of all steps those that are highest in their group, or above the capacity.
#' @export
source_checks.ridge_peaks <- function(result, x) {
  capacity <- about(result)$question$arguments$capacity
  level_checks(result, x, function(steps) {
    if (nrow(steps) == 0) steps
    else if (!is.null(capacity)) plain_joined(steps[steps$level > capacity, ], equal = FALSE)
    else steps[steps$level == stats::ave(steps$level, steps$line, FUN = max), ]
  })
}
