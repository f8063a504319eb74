# What was expected of a result: each expectation with whether it holds, and what was seen.

expectations_of <- function(answer) {
  expect <- answer$question$expect
  if (length(expect) == 0) {
    return(no_expectations())
  }
  rows <- c(list(no_expectations()), number_expectations(answer, expect),
            if (!is.null(expect$no_findings)) list(finding_expectation(answer, expect$no_findings)))
  do.call(rbind, rows)
}

no_expectations <- function() {
  data.frame(expected = character(), ok = logical(), seen = character())
}

expectation <- function(expected, ok, seen) {
  data.frame(expected = expected, ok = ok, seen = if (ok) "" else seen)
}

number_expectations <- function(answer, expect) {
  bounds <- expect[intersect(c("at_least", "at_most", "at_most_from_before"), names(expect))]
  if (length(bounds) == 0) {
    return(list())
  }
  name <- expected_column(answer$result, expect$column)
  values <- as.double(answer$result[[name]])
  lapply(names(bounds), function(bound) {
    if (bound == "at_most_from_before") change_expectation(answer, name, bounds[[bound]])
    else bound_expectation(answer, name, values, bound, bounds[[bound]])
  })
}

expected_column <- function(result, column) {
  made <- about(result)
  name <- column %||% made$main %||% made$values[1]
  check_column(result, name, "column")
  if (!is.numeric(result[[name]])) {
    numbers <- names(result)[vapply(plain_tibble(result), is.numeric, NA)]
    ridge_abort(c("`column`: {.val {name}} holds no numbers.",
                  i = if (length(numbers)) "Numbers are in {.val {numbers}}."), "argument",
                arg = "column", value = name)
  }
  name
}

bound_expectation <- function(answer, name, values, bound, limit) {
  wrong <- if (bound == "at_least") values < limit else values > limit
  at <- which(wrong)
  worst <- at[order(values[at], decreasing = bound == "at_most")]
  expectation(paste0(name, " ", gsub("_", " ", bound), " ", format_plain(limit, 2)),
              length(at) == 0, seen_rows(answer$result, worst, name))
}

# "10%" of what was before, or so much.
change_expectation <- function(answer, name, limit) {
  result <- answer$result
  if (!inherits(result, "ridge_by_period")) {
    ridge_abort("{.code at_most_from_before} needs a result by period.", "argument",
                arg = "at_most_from_before", value = limit)
  }
  cells <- cells_of(result)
  size <- axis_size(about(result)$axis)
  before <- match((cells$line - 1) * size + cells$place - 1, (cells$line - 1) * size + cells$place)
  before[cells$place == 1] <- NA
  values <- as.double(result[[name]])
  change <- abs(values - values[before])
  percent <- endsWith(limit, "%")
  most <- as.double(sub("%$", "", limit))
  allowed <- if (percent) most / 100 * abs(values[before]) else most
  at <- which(change > allowed)
  worst <- at[order(change[at], decreasing = TRUE)]
  expectation(paste(name, "at most", limit, "from the period before"), length(at) == 0,
              seen_rows(result, worst, name, before))
}

# Which rows, in words: the worst, and how many more there are.
seen_rows <- function(result, at, name, before = NULL) {
  if (length(at) == 0) {
    return("")
  }
  one <- at[1]
  value <- format_plain(as.double(result[[name]][one]), 2)
  was <- if (!is.null(before)) {
    paste0(" after ", format_plain(as.double(result[[name]][before[one]]), 2))
  }
  more <- if (length(at) > 1) paste0(", and ", count_of(length(at) - 1, "row"), " more")
  paste0(row_in_words(result, one), ": ", value, was, more)
}

# A row by its line and period, or by its number.
row_in_words <- function(result, row) {
  made <- about(result)
  if (!inherits(result, "ridge_by_period")) {
    return(paste("row", row))
  }
  cells <- cells_of(result[row, ])
  line <- if (made$line_count > 1 || length(made$groups)) line_labels(made)[cells$line]
  paste(c(line, period_labels(made)[cells$place]), collapse = ", ")
}

finding_expectation <- function(answer, severity) {
  bad <- severities[seq_len(match(severity, severities))]
  found <- answer$result$severity %in% bad
  expectation(paste0("no findings as bad as \"", severity, "\""), !any(found),
              paste0(count_of(sum(found), "finding"), ", such as ",
                     answer$result$finding[which(found)[1]]))
}
