# An almanac, checked word by word before any file of records is opened. Every mistake is told,
# with its line; where there is none a list of class ridge_almanac comes back.

#' Read and check an almanac
#'
#' An almanac is one YAML file that says which records there are, by which conventions they are
#' read, and which questions stand on which pages. [build_almanac()] makes an edition of it.
#' Its words are those of the arguments in R and of the options of the command line, with
#' underscores: `vignette("almanac")` describes them all.
#'
#' Nothing in it is ever run. Plain words are text as they are written; paths are taken from the
#' folder of the file.
#'
#' @param path The file, `"almanac.yml"` by default.
#' @return An object that prints as a list of its pages and questions; [almanac_page()] and
#'   [build_almanac()] take it.
#' @section Errors:
#' A file that is not there or is no YAML is an error of class `ridge_error_file`. Mistakes in it
#' are one error of class `ridge_error_almanac` that tells each with its line, the word, what it
#' takes and the nearest right one.
#' @examples
#' read_almanac(system.file("extdata", "almanac.yml", package = "almanacridge"))
#' @export
read_almanac <- function(path = "almanac.yml") {
  file <- read_almanac_file(path)
  before <- speak(almanac_speech())
  on.exit(speak(before))
  checked <- check_almanac(file)
  refuse_mistakes(file, checked$mistakes)
  structure(c(checked$almanac, list(file = file, folder = dirname(normalizePath(path)))),
            class = "ridge_almanac")
}

#' @export
print.ridge_almanac <- function(x, ...) {
  cat("An almanac: ", x$title, "\n", sep = "")
  for (page in x$pages) {
    cat(page$title, "\n", sep = "")
    for (question in page$questions) {
      cat("  ", question$title, " (", question$ask, ", ", question$records, ")\n", sep = "")
    }
  }
  invisible(x)
}

refuse_mistakes <- function(file, mistakes) {
  if (length(mistakes) == 0) {
    return(invisible())
  }
  at <- vapply(mistakes, function(mistake) line_of(file, mistake$at), 0L)
  order <- utils::head(order(at, na.last = FALSE), 20)
  shown <- mistakes[order]
  lines <- paste0(ifelse(is.na(at), "", paste0("line ", at, ": "))[order],
                  vapply(shown, `[[`, "", "said"))
  more <- length(mistakes) - length(shown)
  # Words of the file are text, whatever they hold.
  bullets <- stats::setNames(escape_braces(lines), rep("x", length(lines)))
  ridge_abort(c("{.file {file$path}} has {count_of(length(mistakes), 'mistake')}.", bullets,
                i = if (more > 0) "And {more} more."), "almanac", value = lines)
}

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

check_almanac <- function(file) {
  book <- new_notebook()
  tree <- check_words_at(book, file$tree, list(), almanac_words(), "an almanac")
  if (is.null(tree)) {
    return(list(mistakes = book$mistakes))
  }
  top <- read_words_at(book, tree, list(), almanac_words())
  settings <- read_settings(book, tree$settings, list("settings"))
  calendars <- read_named(book, tree$calendars, list("calendars"), "calendar", read_calendar_entry)
  records <- read_named(book, tree$records, list("records"), "list of records",
                        function(book, entry, at) read_record_entry(book, entry, at, settings, top))
  known <- list(calendars = calendars, records = records,
                logs = vapply(records, function(entry) !is.null(entry$at), NA))
  pages <- read_pages(book, tree$pages, settings, known)
  check_settings_used(book, settings, list("settings"))
  whole <- check_whole_number(book, top)
  list(mistakes = book$mistakes,
       almanac = list(title = top$title %||% "Almanac", note = top$note, as_of = top$as_of,
                      keep_editions = whole %||% 12, who = isTRUE(top$who), records = records,
                      calendars = calendars, pages = pages))
}

check_whole_number <- function(book, top) {
  keep <- top$keep_editions
  if (!is.null(keep) && (keep < 0 || keep != round(keep))) {
    mistake(book, list("keep_editions"), "`keep_editions` takes a whole number from 0, not ", keep,
            ".")
  }
  keep
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
                 "columns", "grain", "file", "files")

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
  if (row$kind %in% c("texts", "columns", "files")) {
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
  switch(row$kind, texts = , columns = , files = "one value, or a list of them",
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
  if (is.null(own$file)) return(mistake(book, at, "records need `file`: where they are."))
  told <- utils::modifyList(use_settings(settings, names(rows)), own)
  if (is.null(told$as_of)) told$as_of <- top$as_of
  told$and <- read_further_lists(book, tree$and, c(at, list("and")))
  check_record_roles(book, told, at)
  told
}

# A log has states, records a start and an end.
check_record_roles <- function(book, told, at) {
  if (!is.null(told$at)) {
    if (is.null(told$state)) mistake(book, at, "a log needs `state`: what is so from then on.")
    return(NULL)
  }
  tryCatch(check_declared(as_given(told), NULL), ridge_error = function(cnd) {
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
