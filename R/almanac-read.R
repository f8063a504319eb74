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
  structure(c(checked$almanac, list(file = file, folder = dirname(file$whole))),
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
  known <- list(calendars = calendars, records = records)
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
