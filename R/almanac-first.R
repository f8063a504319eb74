# The text of a first almanac: the records with what was taken and why, and the questions that
# records of that kind answer.

first_almanac <- function(lists, as_of) {
  titles <- vapply(names(lists), function(name) sentence_case(gsub("_", " ", name)), "")
  c_lines <- function(...) unlist(list(...), use.names = FALSE)
  lines <- c_lines(
    "# A first almanac: what the files seemed to hold, and questions to begin with. Change what is",
    "# not so, leave out what nobody asks, and build it with: ridge build", "",
    yaml_lines(list(title = paste("Almanac:", paste(titles, collapse = ", ")))),
    if (is.null(as_of)) c("# The day it speaks for: a date, or words such as end of last month.",
                          "as_of: today") else yaml_lines(list(as_of = as_of)),
    "# How many editions keep what the next is compared with; 0 keeps nothing of the records.",
    "keep_editions: 12", "", "records:",
    unlist(Map(first_records, lists, names(lists))), "", "pages:",
    unlist(Map(first_page, lists, names(lists), titles)))
  paste0(paste(lines, collapse = "\n"), "\n")
}

yaml_lines <- function(tree, indent = 0) {
  paste0(strrep(" ", indent), strsplit(yaml_text(tree), "\n", fixed = TRUE)[[1]])
}

first_records <- function(list, name) {
  c(paste0("  # ", strwrap(list$said, 94)), paste0("  ", name, ":"), yaml_lines(list$words, 4))
}

# Periods that make some tens of columns of the time that the records are of.
usual_grain <- function(days) {
  reach <- diff(days)
  if (!is.finite(reach) || reach > 5500) "year"
  else if (reach > 1900) "quarter" else if (reach > 100) "month" else if (reach > 35) "week"
  else "day"
}

first_page <- function(list, name, title) {
  questions <- first_questions(list, name)
  c(paste0("  - ", yaml_lines(list(title = unname(title)))), "    questions:",
    unlist(lapply(questions, function(question) {
      lines <- yaml_lines(question)
      c(paste0("      - ", lines[1]), paste0("        ", lines[-1], recycle0 = TRUE))
    })))
}

first_questions <- function(list, name) {
  roles <- list$roles
  by <- usual_grain(list$days)
  group <- if (length(roles$groups)) roles$groups[1]
  if (isTRUE(roles$span$log)) group <- roles$span$state
  key <- if (!is.null(roles$key)) roles$key$name
  ask <- function(question, verb, ...) {
    c(list(question = question, ask = verb, records = name), Filter(Negate(is.null), list(...)))
  }
  what <- if (is.null(key)) "records" else plain_name(key)
  one_day <- isTRUE(roles$span$one_day)
  Filter(Negate(is.null), list(
    ask(paste0("How many (", what, ") are there in each ", by, "?"), "active", by = by),
    if (!is.null(group)) {
      ask(paste0("How many are there, by ", plain_name(group), "?"), "active", by = by,
          group = group, total = TRUE)
    },
    if (!is.null(key) && !one_day) {
      ask("Who came, and who went?", "movement", by = if (by == "day") "day" else by)
    },
    if (!is.null(roles$numbers$amount)) {
      ask(paste0("How much (", plain_name(roles$numbers$amount), ") belongs to each ", by, "?"),
          "allocate", amount = roles$numbers$amount, by = by, digits = 2L, open_to_as_of = TRUE,
          group = group, total = TRUE)
    },
    if (identical(roles$span$on, "instants") && !one_day) {
      ask(paste0("How many hours lie in each ", by, "?"), "time_within", by = by, total = TRUE)
    },
    if (identical(roles$span$on, "instants") && !is.null(roles$span$end)) {
      ask("How long did they take?", "elapsed", unit = "hours", by = by)
    },
    if (one_day && !is.null(key)) ask("Where is no record?", "gaps"),
    ask("What should be looked at in the records?", "check")))
}

plain_name <- function(name) gsub("[_.]+", " ", name)
