# The calculation knows no figure, no file format and no command line.

sources <- function(pattern) {
  folder <- testthat::test_path("../../R")
  skip_if_not(dir.exists(folder), "The sources are not beside the tests.")
  list.files(folder, pattern, full.names = TRUE)
}

functions_called <- function(file) {
  all.names(parse(file, keep.source = FALSE))
}

functions_defined <- function(files) {
  as.character(unlist(lapply(files, function(file) {
    lines <- readLines(file)
    sub(" <- .*", "", grep("^[a-z_.]+ <- ", lines, value = TRUE))
  })))
}

test_that("each layer uses only what stands above it", {
  layers <- c("core", "verb", "read", "write", "figure", "cli")
  for (i in seq_along(layers)) {
    own <- sources(paste0("^", layers[i], "-.*[.]R$"))
    below <- sources(paste0("^(", paste(c("none", layers[seq_along(layers) > i]), collapse = "|"), ")-.*[.]R$"))
    forbidden <- setdiff(functions_defined(below), functions_defined(own))
    for (file in own) {
      expect_length(intersect(functions_called(file), forbidden), 0)
    }
  }
})

test_that("core and verbs do not name the interface's packages", {
  for (file in sources("^(core|verb)-.*[.]R$")) {
    expect_false(any(c("ggplot2", "optparse", "commandArgs") %in% functions_called(file)),
                 label = basename(file))
  }
})

test_that("the core of the calculation holds no R header", {
  folder <- testthat::test_path("../../src/core")
  skip_if_not(dir.exists(folder), "The sources are not beside the tests.")
  for (file in list.files(folder, full.names = TRUE)) {
    expect_false(any(grepl("#include.*(Rcpp|R[.]h|Rinternals)", readLines(file))), label = basename(file))
  }
})

test_that("a changed header has everything compiled again", {
  folder <- testthat::test_path("../../src")
  skip_if_not(dir.exists(folder), "The sources are not beside the tests.")
  headers <- setdiff(list.files(folder, "[.]h$", recursive = TRUE), "RcppExports.h")
  expect_setequal(scan(text = sub("[$][(]OBJECTS[)]:", "", gsub("\\\\", "", paste(
    utils::tail(readLines(file.path(folder, "Makevars")), -5), collapse = " "))), what = "", quiet = TRUE), headers)
})

test_that("no function is defined twice", {
  expect_identical(anyDuplicated(functions_defined(sources("[.]R$"))), 0L)
})
