# Where two values are the same to the last bit there is nothing to look for; only where
# they are not is the difference worked out and the question deparsed, which takes its time.

expect_identical <- function(object, expected, ..., label = NULL) {
  if (identical(object, expected)) return(testthat::succeed())
  label <- label %||% rlang::as_label(rlang::enexpr(object))
  testthat::expect_identical(object, expected, ..., label = label)
}

expect_equal <- function(object, expected, ..., label = NULL) {
  if (identical(object, expected)) return(testthat::succeed())
  label <- label %||% rlang::as_label(rlang::enexpr(object))
  testthat::expect_equal(object, expected, ..., label = label)
}

expect_true <- function(object, info = NULL, label = NULL) {
  if (isTRUE(object)) return(testthat::succeed())
  label <- label %||% rlang::as_label(rlang::enexpr(object))
  testthat::expect_true(object, info = info, label = label)
}

expect_ties <- function(result, checks = NULL, label = NULL) {
  got <- reconcile(result)
  expect_true(all(got$ok), label = paste(label, paste(got$check[!got$ok], collapse = ", ")))
  if (!is.null(checks)) expect_identical(nrow(got), checks)
}

# The same result with one value changed behind its back.
spoilt <- function(result, column) {
  made <- attributes(result)
  columns <- as.list(result)
  columns[[column]][1] <- columns[[column]][1] + 1
  attributes(columns) <- made
  columns
}
