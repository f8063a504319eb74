# Runs the tests on the installed package, two files at a time, and closes with one line
# of counts. Arguments name files: Rscript tools/test.R active cli
# Messages held as snapshots, and the report in a browser, are for here.
Sys.setenv(NOT_CRAN = "true")
files <- commandArgs(trailingOnly = TRUE)
results <- as.data.frame(testthat::test_dir(
  "tests/testthat", package = "almanacridge", load_package = "installed",
  filter = if (length(files)) paste0("^(", paste(files, collapse = "|"), ")$"),
  reporter = testthat::ParallelProgressReporter$new(show_praise = FALSE),
  stop_on_failure = FALSE
))
failed <- sum(results$failed) + sum(results$error)
slowest <- utils::head(sort(tapply(results$real, results$file, sum), decreasing = TRUE), 5)
cat(sprintf("%s: %.0f s\n", names(slowest), slowest), sep = "")
cat(sprintf("tests: %d passed, %d failed, %d skipped\n", sum(results$passed), failed,
            sum(results$skipped)))
quit(status = if (failed > 0) 1 else 0)
