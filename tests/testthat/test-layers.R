# The structure that docs/architecture.md describes: what stands above knows nothing of
# what stands below it.

layers <- c("core", "engine", "result", "verb", "read", "write", "figure", "ask", "almanac", "cli")

sources <- function(pattern) {
  folder <- testthat::test_path("../../R")
  skip_if_not(dir.exists(folder), "The sources are not beside the tests.")
  list.files(folder, pattern, full.names = TRUE)
}

layered <- function(from = layers) sources(paste0("^(", paste(from, collapse = "|"), ")-.*[.]R$"))

# The names that a file defines, and those that it takes from elsewhere: not its own
# arguments, fields or locals.
defined_in <- function(file) {
  expressions <- parse(file, keep.source = FALSE)
  as.character(unlist(lapply(expressions, function(e) {
    if (is.call(e) && identical(e[[1]], as.name("<-")) && is.name(e[[2]])) as.character(e[[2]])
  })))
}

used_in <- function(file) {
  unlist(lapply(parse(file, keep.source = FALSE), function(e) {
    setdiff(names_taken(e), names_made(e))
  }))
}

names_made <- function(e) {
  if (!is.call(e)) return(NULL)
  own <- if (identical(e[[1]], as.name("function"))) names(e[[2]])
  assigns <- as.character(e[[1]])[1] %in% c("<-", "for") && is.name(e[[2]])
  c(own, if (assigns) as.character(e[[2]]), unlist(lapply(parts_of(e), names_made)))
}

# A function that is defined, at the top, is not made within itself.
names_taken <- function(e) {
  if (is.call(e) && identical(e[[1]], as.name("$"))) return(names_taken(e[[2]]))
  if (is.name(e)) as.character(e) else if (is.call(e)) unlist(lapply(parts_of(e), names_taken))
}

parts_of <- function(e) Filter(function(part) !identical(part, quote(expr = )), as.list(e))

# Which file calls which: one row for each arrow.
arrows <- function(files) {
  home <- unlist(lapply(files, function(file) {
    stats::setNames(rep(basename(file), length(defined_in(file))), defined_in(file))
  }))
  do.call(rbind, lapply(files, function(file) {
    to <- unique(home[intersect(used_in(file), names(home))])
    to <- setdiff(to, basename(file))
    if (length(to)) data.frame(from = basename(file), to = to)
  }))
}

layer_of <- function(names) match(sub("-.*", "", names), layers)

test_that("each layer uses only what stands above it", {
  all <- arrows(layered())
  up <- all[layer_of(all$to) > layer_of(all$from), ]
  expect_identical(paste(up$from, up$to, sep = " uses "), character())
})

# Files that reach each other, by whichever way. None does: a file that needed another and
# was needed by it would be named here, with its reason.
allowed_cycles <- character()

test_that("no files go round in circles", {
  all <- arrows(layered())
  files <- unique(c(all$from, all$to))
  reach <- matrix(FALSE, length(files), length(files), dimnames = list(files, files))
  reach[cbind(all$from, all$to)] <- TRUE
  repeat {
    further <- reach | (reach %*% reach > 0)
    if (identical(further, reach)) break
    reach <- further
  }
  expect_identical(setdiff(files[diag(reach)], allowed_cycles), character())
})

test_that("only engines call kernels, and only the interface knows its packages", {
  calls <- function(files, pattern) {
    hits <- vapply(files, function(file) any(grepl(pattern, used_in(file))), NA)
    basename(files[hits])
  }
  expect_identical(calls(layered(setdiff(layers, "engine")), "^kernel_"), character())
  expect_identical(calls(layered(c("core", "engine", "result", "verb")), "^(ggplot2|optparse|commandArgs)$"),
                   character())
})

test_that("few places know a thing", {
  files <- layered()
  hold <- function(pattern) {
    basename(files[vapply(files, function(file) {
      any(grepl(pattern, grep("^ *#", readLines(file), value = TRUE, invert = TRUE)))
    }, NA)])
  }
  # The last day, ticks and the zone of days are in the timeline; the others name a zone.
  expect_lte(length(hold("is.null\\(.*tz\\)")), 4)
  expect_identical(hold("\\b86400\\b"), "core-dates.R")
  expect_identical(hold("on_days <- "), "core-timeline.R")
  expect_identical(hold("begun_by = at"), "core-rules.R")
  expect_identical(hold("\"every_day\""), "verb-explain-count.R")
})

test_that("lines fit", {
  long <- unlist(lapply(sources("[.]R$"), function(file) {
    if (basename(file) == "RcppExports.R") return(NULL)
    lines <- readLines(file)
    at <- which(nchar(lines) > 100)
    if (length(at)) paste(basename(file), at)
  }))
  expect_identical(long, NULL)
})

test_that("the core of the calculation holds no R header", {
  folder <- testthat::test_path("../../src/core")
  skip_if_not(dir.exists(folder), "The sources are not beside the tests.")
  for (file in list.files(folder, full.names = TRUE)) {
    expect_false(any(grepl("#include.*(Rcpp|R[.]h|Rinternals)", readLines(file))),
                 label = basename(file))
  }
})

test_that("a changed header has everything compiled again", {
  folder <- testthat::test_path("../../src")
  skip_if_not(dir.exists(folder), "The sources are not beside the tests.")
  headers <- setdiff(list.files(folder, "[.]h$", recursive = TRUE), "RcppExports.h")
  rule <- readLines(file.path(folder, "Makevars"))
  rule <- rule[seq(grep("^[$][(]OBJECTS[)]:", rule), length(rule))]
  named <- sub("[$][(]OBJECTS[)]:", "", gsub("\\\\", "", paste(rule, collapse = " ")))
  expect_setequal(scan(text = named, what = "", quiet = TRUE), headers)
})

test_that("no function is defined twice", {
  expect_identical(anyDuplicated(unlist(lapply(sources("[.]R$"), defined_in))), 0L)
})
