# Runs the tests on the installed package, and closes with one line of counts.
results <- as.data.frame(testthat::test_dir(
  "tests/testthat", package = "almanacridge", load_package = "installed",
  reporter = testthat::SummaryReporter$new(show_praise = FALSE), stop_on_failure = FALSE
))
failed <- sum(results$failed) + sum(results$error)
cat(sprintf("tests: %d passed, %d failed, %d skipped\n", sum(results$passed), failed,
            sum(results$skipped)))
quit(status = if (failed > 0) 1 else 0)
