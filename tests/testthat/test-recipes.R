# The recipes: each a question, a call that runs, what comes back and the trap it avoids.

recipes <- function() {
  paths <- c(testthat::test_path("..", "..", "vignettes", "recipes.Rmd"), system.file("doc", "recipes.Rmd", package = "almanacridge"))
  path <- Filter(nzchar, paths[file.exists(paths)])
  if (length(path) == 0) skip("the vignettes are not here")
  readLines(path[1], encoding = "UTF-8")
}

chunks <- function(lines) {
  begins <- grep("^```[{]r [a-z]+", lines)
  ends <- vapply(begins, function(at) at + which(lines[-seq_len(at)] == "```")[1], 0)
  names <- sub("^```[{]r ([a-z]+).*", "\\1", lines[begins])
  stats::setNames(Map(function(from, to) lines[(from + 1):(to - 1)], begins, ends), names)
}

test_that("each recipe has its question, its call, what comes back and its trap", {
  lines <- recipes()
  questions <- grep("^### ", lines, value = TRUE)
  expect_gte(length(questions), 20)
  expect_match(questions, "^### \".*\"$")
  text <- paste(lines, collapse = " ")
  for (words in c("Comes back:", "The trap:")) {
    said <- gregexpr(paste0("**", words, "**"), text, fixed = TRUE)[[1]]
    expect_length(said, length(questions))
  }
  expect_length(setdiff(names(chunks(lines)), c("setup", "data")), length(questions))
})

test_that("every recipe runs, and its results tie to their records", {
  pieces <- chunks(recipes())
  env <- new.env(parent = globalenv())
  evaluate <- function(name) for (code in parse(text = pieces[[name]], keep.source = FALSE)) suppressMessages(eval(code, env))
  evaluate("data")
  for (name in setdiff(names(pieces), c("setup", "data"))) expect_error(evaluate(name), NA, label = name)
  results <- Filter(function(value) inherits(value, "ridge_result"), as.list(env))
  expect_gte(length(results), 8)
  for (name in names(results)) expect_ties(results[[name]])
})

test_that("what the recipes say of the numbers is so", {
  staff <- demo_staff()
  stations <- active(staff, by = "quarter", group = station, rule = "last_day", total = TRUE, from = "2026-01-01")
  expect_match(reconcile(stations)$check, "group|All|total", all = FALSE)
  loans <- demo_records("instrument_loans")
  counted <- spans(loans, lent_on, returned_on, key = instrument, end_counts = TRUE, as_of = "2026-06-30")
  free <- spans(loans, lent_on, returned_on, key = instrument, end_counts = FALSE, as_of = "2026-06-30")
  expect_gt(nrow(overlaps(counted)), nrow(overlaps(free)))
  grants <- spans(demo_records("grants"), first_day, last_day, key = grant, as_of = "2026-06-30")
  expect_equal(sum(allocate(grants, amount, by = "year", digits = 2, total = TRUE)$amount), sum(demo_records("grants")$amount))
})
