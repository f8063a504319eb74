# Where two values are the same to the last bit there is nothing to look for; only where
# they are not is the difference worked out, which takes its time.

expect_identical <- function(object, expected, ..., label = NULL) {
  label <- if (is.null(label)) rlang::as_label(rlang::enexpr(object)) else label
  if (identical(object, expected)) testthat::succeed()
  else testthat::expect_identical(object, expected, ..., label = label)
}

expect_equal <- function(object, expected, ..., label = NULL) {
  label <- if (is.null(label)) rlang::as_label(rlang::enexpr(object)) else label
  if (identical(object, expected)) testthat::succeed()
  else testthat::expect_equal(object, expected, ..., label = label)
}
