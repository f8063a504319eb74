# Progress: on a terminal, of what takes long; never in a pipe, never with --quiet.

# What a child R sees on a terminal of its own.
on_terminal <- function(code) {
  path <- withr::local_tempfile(lines = code, fileext = ".R")
  log <- withr::local_tempfile()
  libraries <- paste(.libPaths(), collapse = .Platform$path.sep)
  command <- paste("R_CLI_DYNAMIC= TERM=xterm R_LIBS=", shQuote(libraries), " ", shQuote(file.path(R.home("bin"), "Rscript")),
                   " ", shQuote(path), sep = "")
  system2("script", c("-qec", shQuote(command), shQuote(log)), stdout = FALSE, stderr = FALSE, stdin = "")
  if (!file.exists(log)) skip("no terminal can be opened here")
  paste(readLines(log, warn = FALSE), collapse = "\n")
}

at_once <- c("options(cli.progress_show_after = 0)", "library(almanacridge)",
             "long <- function() { almanacridge:::show_progress('counting {all}'); for (i in 1:4) { Sys.sleep(0.3); almanacridge:::progress_goes_on() }; 'done' }")

test_that("what goes on is told on a terminal, and cleared away", {
  skip_if_not(nzchar(Sys.which("script")))
  seen <- on_terminal(c(at_once, "cat(long())"))
  expect_match(seen, "counting \\{all\\} \\[")
  expect_match(seen, "done")
  # The last thing before the result is that the line is cleared.
  expect_match(seen, "\\[K[^a-z]*(\\[\\?25h)?done")
})

test_that("nothing is told where only errors are to be said, nor within another that is told", {
  skip_if_not(nzchar(Sys.which("script")))
  quiet <- on_terminal(c(at_once, "almanacridge:::without_progress(TRUE)", "cat(long())"))
  expect_no_match(quiet, "counting")
  inner <- on_terminal(c(at_once, "outer <- function() { almanacridge:::show_progress('the whole'); long(); Sys.sleep(0.3); almanacridge:::progress_goes_on(); 'over' }",
                         "cat(outer())"))
  expect_match(inner, "the whole")
  expect_no_match(inner, "counting")
})

test_that("an error ends it, so that the next one is told again", {
  skip_if_not(nzchar(Sys.which("script")))
  seen <- on_terminal(c(at_once, "broken <- function() { almanacridge:::show_progress('broken'); stop('no') }", "try(broken(), silent = TRUE)", "cat(long())"))
  expect_match(seen, "counting")
})

test_that("kernels tell that they go on, and a command in a pipe says nothing of it", {
  told <- 0
  almanacridge:::heed_progress(function() told <<- told + 1)
  withr::defer(almanacridge:::heed_progress(NULL))
  x <- spans(data.frame(s = as.Date("2020-01-01") + 0:400000 %% 700), s, NULL, as_of = "2026-06-30")
  for (i in 1:3) {
    active(x, c("day", "week", "month")[i])
    Sys.sleep(0.25)
  }
  expect_gte(told, 1)
  almanacridge:::heed_progress(NULL)
  file <- system.file("extdata", "postings.csv", package = "almanacridge")
  got <- run("active", file, "--start", "first_day", "--end", "last_day", "--as-of", "2026-06-30", "--by", "year")
  expect_length(got$notes, 1)
  expect_no_match(got$notes, "\\[K|active \\[")
})

test_that("on a terminal a command says its notes once, and with --quiet none", {
  skip_if_not(nzchar(Sys.which("script")))
  file <- system.file("extdata", "postings.csv", package = "almanacridge")
  out <- withr::local_tempfile(fileext = ".csv")
  asked <- function(...) deparse1(c("records", file, "--leave-out", "station=Whinfel", "--out", out, ...))
  seen <- on_terminal(c("library(almanacridge)", paste0("run_ridge(", asked(), ")")))
  expect_length(gregexpr("no record has", seen)[[1]], 1)
  expect_match(seen, "no record has")
  expect_match(seen, "Table: ")
  quiet <- on_terminal(c("library(almanacridge)", paste0("run_ridge(", asked("--quiet"), ")")))
  expect_no_match(quiet, "no record has|Table: |text: ")
})
