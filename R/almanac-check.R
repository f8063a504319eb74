# The helpers that check an almanac word by word: what is known of a place, and the mistakes.

# Mistakes are gathered while the tree is walked.
new_notebook <- function() {
  book <- new.env(parent = emptyenv())
  book$mistakes <- list()
  book
}

mistake <- function(book, at, ...) {
  book$mistakes <- c(book$mistakes, list(list(at = at, said = paste0(...))))
  NULL
}

# A place that must hold words and values, each of them known.
check_words_at <- function(book, tree, at, rows, what) {
  if (!is.list(tree) && !(is.character(tree) && !is.null(names(tree)))) {
    return(mistake(book, at, what, " is words with values, such as `", names(rows)[1],
                   ": ...`, not ", seen_text(tree), "."))
  }
  tree <- as.list(tree)
  if (is.null(names(tree))) {
    return(mistake(book, at, what, " is words with values, not a list."))
  }
  unknown <- setdiff(names(tree), names(rows))
  for (word in unknown) {
    near <- nearest(word, names(rows))
    mistake(book, c(at, list(word)), "`", word, "` is no word of ", what, ".",
            if (!is.null(near)) paste0(" Did you mean `", near, "`?")
            else paste0(" It takes ", or_list(names(rows)), "."))
  }
  for (word in intersect(names(tree), names(rows))) {
    if (is.null(tree[[word]])) mistake(book, c(at, list(word)), "`", word, "` needs a value.")
  }
  tree[intersect(names(tree), names(rows))]
}

seen_text <- function(value) {
  if (is.null(value)) "nothing"
  else if (is.character(value) && length(value) == 1) dQuote(value, FALSE)
  else if (is.null(names(value))) "a list" else "words with values"
}

or_list <- function(words) {
  n <- length(words)
  if (n < 2) words else paste(paste(words[-n], collapse = ", "), "or", words[n])
}

# The values of words that stand for themselves; others are read where they belong.
read_words_at <- function(book, tree, at, rows) {
  plain <- Filter(function(word) rows[[word]]$kind %in% value_kinds, names(tree))
  values <- lapply(stats::setNames(plain, plain), function(word) {
    read_value_at(book, rows[[word]], tree[[word]], c(at, list(word)))
  })
  Filter(Negate(is.null), values)
}

value_kinds <- c("text", "texts", "choice", "flag", "yes_no", "number", "limit", "pairs", "column",
                 "columns", "grain", "file", "files", "tables")

read_value_at <- function(book, row, value, at) {
  if (is.null(value)) {
    return(NULL)
  }
  tryCatch(value_of_row(row, value), ridge_error = function(cnd) {
    mistake(book, at, said_by(cnd))
  })
}

# As the command line reads it, of what YAML holds.
value_of_row <- function(row, value) {
  word <- gsub("-", "_", row$name)
  if (row$kind == "pairs") {
    return(pairs_of_row(row, value, word))
  }
  if (!is.character(value) || !is.null(names(value))) {
    usage_abort("{.code {word}} takes {takes_words(row)}, not {seen_text(value)}.")
  }
  if (row$kind %in% c("texts", "columns", "files", "tables")) {
    for (one in value) filled(row, one)
    if (!is.null(row$values)) for (one in value) one_of(row, one, row$values)
    return(value)
  }
  if (length(value) != 1) usage_abort("{.code {word}} takes {takes_words(row)}, not a list.")
  if (row$kind %in% c("flag", "yes_no")) {
    if (!(value %in% c("true", "false"))) {
      usage_abort("{.code {word}} takes true or false, not {.val {value}}.")
    }
    return(if (value == "true") TRUE else if (row$kind == "yes_no") FALSE)
  }
  read_option(row, value)
}

takes_words <- function(row) {
  switch(row$kind, texts = , columns = , files = , tables = "one value, or a list of them",
         number = "a number", flag = , yes_no = "true or false",
         choice = paste("one of", or_list(row$values)), column = "the name of a column",
         "one value")
}

pairs_of_row <- function(row, value, word) {
  values <- as.list(value)
  plain <- vapply(values, is.character, NA)
  if (is.null(names(values)) || !all(plain) || !all(nzchar(names(values)))) {
    usage_abort(c("{.code {word}} takes names with values, not {seen_text(value)}.",
                  i = "Such as {.code {word}: {{{sub('=', ': ', row$example)}}}}."))
  }
  if (row$name %in% c("bands", "hours-on")) values <- lapply(values, paste, collapse = ",")
  if (row$name == "week-year") names(values) <- gsub("_", "-", names(values))
  values
}

# Words that hold for all; which of them some question or records took is noted.
read_settings <- function(book, tree, at) {
  if (is.null(tree)) {
    return(list(values = list()))
  }
  rows <- setting_words()
  tree <- check_words_at(book, tree, at, rows, "settings")
  used <- new.env(parent = emptyenv())
  list(values = read_words_at(book, tree %||% list(), at, rows), used = used)
}

use_settings <- function(settings, words) {
  taken <- settings$values[intersect(names(settings$values), words)]
  for (word in names(taken)) settings$used[[word]] <- TRUE
  taken
}

check_settings_used <- function(book, settings, at) {
  unused <- setdiff(names(settings$values), ls(settings$used %||% new.env()))
  for (word in unused) {
    mistake(book, c(at, list(word)), "`", word, "` plays no part: nothing here takes it.")
  }
}

# Entries by their names.
read_named <- function(book, tree, at, what, read) {
  if (is.null(tree)) {
    return(list())
  }
  if (!is.list(tree) || is.null(names(tree))) {
    mistake(book, at, "`", at[[1]], "` holds each ", what, " under its name, not ",
            seen_text(tree), ".")
    return(list())
  }
  entries <- lapply(stats::setNames(nm = names(tree)), function(name) {
    read(book, tree[[name]], c(at, list(name)))
  })
  Filter(Negate(is.null), entries)
}

read_calendar_entry <- function(book, entry, at) {
  tree <- check_words_at(book, entry, at, words_of_calendar(), "a calendar")
  if (!is.null(tree)) read_words_at(book, tree, at, words_of_calendar())
}

read_record_entry <- function(book, entry, at, settings, top) {
  rows <- record_words()
  tree <- check_words_at(book, entry, at, rows, "records")
  if (is.null(tree)) {
    return(NULL)
  }
  own <- read_words_at(book, tree, at, rows)
  taken <- words_by_place(own, settings, names(rows))
  if (is.null(taken)) {
    return(mistake(book, at, "records need `file`, or `database` and `table`: where they are."))
  }
  told <- utils::modifyList(use_settings(settings, taken), own)
  if (is.null(told$as_of)) told$as_of <- top$as_of
  told$and <- read_further_lists(book, tree$and, c(at, list("and")))
  check_record_roles(book, told, at)
  told
}

# The words that settings may say of these records: those of a file or those of a table; NULL where
# neither is named.
words_by_place <- function(own, settings, words) {
  in_table <- !is.null(own$database) || is.null(own$file) && !is.null(settings$values$database)
  if (in_table) setdiff(words, not_of_databases())
  else if (!is.null(own$file)) setdiff(words, words_of_tables())
}

# A log has states, records a start and an end.
check_record_roles <- function(book, told, at) {
  if (!is.null(told$at)) {
    if (is.null(told$state)) mistake(book, at, "a log needs `state`: what is so from then on.")
    if (!is.null(told$database)) mistake(book, at, "a log of changes is read from a `file`.")
    return(NULL)
  }
  tryCatch(check_declared(lists_given(as_given(told))[[1]], NULL), ridge_error = function(cnd) {
    mistake(book, at, said_by(cnd))
  })
}

read_further_lists <- function(book, tree, at) {
  if (is.null(tree)) {
    return(NULL)
  }
  if (!is.list(tree) || !is.null(names(tree))) {
    return(mistake(book, at, "`and` takes a list of further lists, each with its `file`."))
  }
  rows <- further_words()
  lapply(seq_along(tree), function(i) {
    here <- c(at, list(i))
    entry <- check_words_at(book, tree[[i]], here, rows, "a further list")
    told <- read_words_at(book, entry %||% list(), here, rows)
    if (is.null(told$file)) mistake(book, here, "a further list needs `file`: where it is.")
    told
  })
}

# What was told as the command line would have it: every option by name, files apart.
as_given <- function(told) {
  all <- gsub("-", "_", names(option_rows()))
  given <- stats::setNames(vector("list", length(all)), all)
  words <- setdiff(names(told), c("file", "and"))
  given[words] <- told[words]
  given$and <- if (length(told$and)) lapply(told$and, as_given)
  c(list(files = told$file), given)
}
