# Where records come from: their rows in the source, how many were left out, how many cells
# were trimmed, the order that columns of dates proved on all rows, the arguments of
# read_records(), and whether all text was just read as UTF-8. It goes along to spans().

match_ways <- c("folded", "exact", "containing")

# Columns are held to see later whether these still are the same rows.
with_source <- function(data, source) {
  source$held <- as.list(plain_tibble(data))
  attr(data, "ridge_source") <- source
  data
}

source_of <- function(data) {
  source <- attr(data, "ridge_source", exact = TRUE)
  same <- vapply(names(data), function(name) {
    rlang::is_reference(data[[name]], source$held[[name]])
  }, NA)
  source <- if (any(same)) source else list(rows = seq_len(nrow(data)), left_out = 0L)
  # With other columns the file alone no longer says what these records are.
  if (!all(same)) source[c("reading", "utf8")] <- list(NULL)
  source$held <- NULL
  source
}

# `keep` and `leave_out`: lists of values by column name. Several values of one
# column are alternatives, several columns must all agree. Rows of `data` that are so,
# of the table `from`, which has the same rows.
choose_records <- function(data, keep = list(), leave_out = list(), match = "folded",
                           from = data) {
  if (length(keep) + length(leave_out) == 0) {
    return(data)
  }
  chosen <- rep(TRUE, nrow(data))
  for (name in names(keep)) {
    chosen <- chosen & has_value(from, name, keep[[name]], "keep", match)
  }
  for (name in names(leave_out)) {
    hit <- has_value(from, name, leave_out[[name]], "leave_out", match)
    report_left_in(from[[name]], hit, leave_out[[name]], name)
    chosen <- chosen & !hit
  }
  source <- source_of(from)
  kept <- which(chosen)
  source$left_out <- source$left_out + nrow(data) - length(kept)
  source$rows <- source$rows[kept]
  with_source(data[kept, ], source)
}

# "" stands for blank, by whichever way of matching.
has_value <- function(data, name, values, arg, match) {
  check_column(data, name, arg)
  column <- data[[name]]
  distinct <- unique(column)
  texts <- plain_texts(distinct)
  texts[is_blank(distinct)] <- ""
  values <- plain_texts(values)
  values[is.na(values)] <- ""
  hits <- vapply(values, function(value) matches(texts, value, match), logical(length(texts)))
  hits <- matrix(hits, nrow = length(texts))
  report_no_match(texts, values[colSums(hits) == 0], name, arg)
  (rowSums(hits) > 0)[match(column, distinct)]
}

matches <- function(texts, value, match) {
  if (match == "exact" || !nzchar(value)) {
    return(texts == value)
  }
  folded <- fold_text(texts)
  if (match == "folded") folded == fold_text(value)
  else grepl(fold_text(value), folded, fixed = TRUE)
}

report_no_match <- function(texts, values, name, arg) {
  known <- texts[nzchar(texts)]
  if (length(values) > 0 && length(known) > 0) {
    near <- nearest(values[1], known)
    cli::cli_inform(c(
      "!" = "{arg_name(arg)}: no record has {.val {values[1]}} in {.val {name}}.",
      i = if (!is.null(near)) "The nearest is {.val {near}}."))
  }
}

# Labels that stayed although they are spelled nearly as one that was left out.
report_left_in <- function(column, hit, values, name) {
  if (!is.character(column) && !is.factor(column)) {
    return(invisible())
  }
  labels <- as.character(column[!hit])
  left_in <- near_left_in(unique(labels[!is.na(labels)]), plain_texts(values))
  if (length(left_in) > 0) {
    shown <- utils::head(left_in, 6)
    records <- sum(labels %in% left_in)
    cli::cli_inform(c("!" = paste("{arg_name('leave_out')}: {.val {shown}} in {.val {name}}",
                                  "{cli::qty(length(left_in))}{?is/are} spelled nearly so, and",
                                  "stay{?s/} ({count_of(records, 'record')}).")))
  }
}

near_left_in <- function(labels, values) {
  folded <- fold_text(labels)
  values <- fold_text(values)
  digits <- function(text) gsub("[^0-9]+", " ", text)
  # Codes that differ in a digit are different codes: there may be a million of them.
  alike <- which(digits(folded) %in% digits(values) &
                   nchar(folded) %in% outer(nchar(values), -1:1, `+`))
  # Two letters that changed places are two changes.
  alike <- alike[rowSums(utils::adist(folded[alike], values) <= 2) > 0]
  found <- vapply(alike, function(at) {
    any(vapply(values, function(value) is_near(folded[at], value), NA))
  }, NA)
  sort(labels[alike][found], method = "radix")
}

is_near <- function(a, b) {
  a == b || nrow(near_candidates(c(a, b))) > 0 && one_letter_apart(a, b)
}

# Values as texts, numbers in all their digits.
plain_texts <- function(values) {
  if (is.double(values) && !is.object(values)) number_texts(values) else as.character(values)
}
