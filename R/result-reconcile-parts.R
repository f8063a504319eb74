# Does a result about records in parts tie to its source? The same question is asked of each part
# in memory and ties there, counted once more; and what the parts say adds up to the result.

checks_in_parts <- function(result, x) {
  made <- about(result)
  question <- made$question
  if (inherits(result, "ridge_findings")) {
    return(list())
  }
  adds <- inherits(result, "ridge_by_period") && !identical(question$arguments$rule, "peak_day")
  if (!adds) {
    return(not_proven("rows", "what parts of the records say of them does not add up"))
  }
  if (length(question$then) > 0) {
    return(not_proven("rows", "it is made of a result: reconcile that"))
  }
  names <- unique(unlist(question$arguments[question$columns]))
  together <- together_for(x, identical(question$arguments$of, "keys"))
  met <- over_parts(x, names, together, function(part, i) {
    own <- ask_again(question, among_all(part, x), list())
    list(sums = cells_in_all(own, result), checks = source_checks(own, part))
  }, function(a, b) list(sums = Map(`+`, a$sums, b$sums), checks = c(a$checks, b$checks)))
  c(joined_checks(met$checks), sums_check(result, met$sums), heading_check(result, made))
}

# The cells of a part, put where the result has them.
cells_in_all <- function(own, result) {
  made <- about(result)
  adding <- adding_values(made)
  line <- line_in_all(about(own), made)
  # A part may have fewer periods.
  place <- match(about(own)$axis$first, made$axis$first)
  there <- !is.na(place)
  lapply(stats::setNames(adding, adding), function(name) {
    cells <- matrix(0, axis_size(made$axis), made$line_count)
    cells[place[there], line] <- cell_matrix(own, name)[there, ]
    cells
  })
}

# Rates do not add up.
adding_values <- function(made) {
  setdiff(made$values, c("turnover", "growth"))
}

line_in_all <- function(own, made) {
  if (length(made$groups) == 0) {
    return(1L)
  }
  at <- vctrs::vec_match(tibble::as_tibble(own$lines), tibble::as_tibble(made$lines))
  c(at, if (made$total) made$line_count)
}

sums_check <- function(result, sums) {
  unlist(lapply(names(sums), function(name) {
    cells <- cell_matrix(result, name)
    whole <- is.integer(result[[name]])
    cell_checks(paste0(name, ", all parts"), sums[[name]], cells, whole)
  }), recursive = FALSE)
}

# One line for the same check of all parts.
joined_checks <- function(checks) {
  names <- vapply(checks, `[[`, "", "check")
  lapply(unname(split(checks, factor(names, unique(names)))), function(same) {
    field <- function(name) vapply(same, `[[`, 0, name)
    missed <- abs(field("found") - field("expected")) > field("tolerance")
    list(check = same[[1]]$check, expected = sum(field("expected")), found = sum(field("found")),
         tolerance = if (any(missed)) -1 else sum(field("tolerance")))
  })
}
