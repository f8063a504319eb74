# The value of an option, read by its row: the same on a command line and in an almanac.

usage_abort <- function(message, .envir = parent.frame()) {
  ridge_abort(message, "usage", .envir = .envir)
}

# Those of these options that were given.
only_given <- function(given, names) {
  Filter(Negate(is.null), given[names])
}

read_option <- function(row, value) {
  switch(row$kind,
    choice = one_of(row, value, row$values),
    yes_no = one_of(row, value, c("yes", "no")) == "yes",
    number = read_number(row, value),
    texts = , columns = read_words(row, value),
    column = , text = , grain = , file = , limit = filled(row, value),
    files = , tables = vapply(strsplit(value, "\n", fixed = TRUE)[[1]], filled, "", row = row,
                   USE.NAMES = FALSE),
    pairs = read_pairs(row, strsplit(value, "\n", fixed = TRUE)[[1]]),
    value)
}

# "" is no name: to leave an option out is to leave it out. A space may be a delimiter.
filled <- function(row, value) {
  if (!nzchar(if (row$kind == "text") value else trimws(value))) {
    usage_abort("{spelled(row$name)} needs a value: it was given as {.val {value}}.")
  }
  value
}

read_words <- function(row, value) {
  words <- split_words(filled(row, value))
  for (word in words) filled(row, word)
  words
}

one_of <- function(row, value, values) {
  if (!(value %in% values)) {
    near <- nearest(value, values)
    usage_abort(c("{spelled(row$name)} does not know {.val {value}}: it takes {.or {values}}.",
                  i = if (!is.null(near)) "Did you mean {.val {near}}?"))
  }
  value
}

read_number <- function(row, value) {
  number <- suppressWarnings(as.double(value))
  if (is.na(number)) usage_abort("{spelled(row$name)} takes a number, not {.val {value}}.")
  number
}

read_pairs <- function(row, pairs) {
  wrong <- pairs[!grepl("^[^=]+=", pairs)]
  if (length(wrong) > 0) {
    usage_abort(paste("{spelled(row$name)} takes {row$meta}, such as",
                      "{.code --{row$name} {row$example}}, not {.val {wrong[1]}}."))
  }
  split(sub("^[^=]+=", "", pairs), sub("=.*", "", pairs))
}

split_words <- function(text) {
  trimws(unlist(strsplit(text, ",", fixed = TRUE)))
}

# 09:00,17:30 or 09:00-17:30.
clock_words <- function(text) {
  split_words(gsub("-", ",", text, fixed = TRUE))
}

number_or_text <- function(words) {
  if (all(grepl("^[0-9]+$", words))) as.integer(words) else words
}
