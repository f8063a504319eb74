# What a command says on standard error.

saying <- new.env(parent = emptyenv())

# With --quiet only errors are said.
keep_quiet <- function(quiet) {
  saying$quiet <- quiet
  without_progress(quiet)
}

# Lines as they are in a file or a pipe, wrapped at words on a terminal.
say_note <- function(...) {
  if (isTRUE(saying$quiet)) {
    return(invisible())
  }
  say_line(...)
}

# A text whose lines are not to be broken anew.
say_as_it_is <- function(text) {
  if (!isTRUE(saying$quiet)) writeLines(enc2utf8(text), stderr(), useBytes = TRUE)
}

say_line <- function(...) {
  text <- strsplit(paste0(...), "\n", fixed = TRUE)[[1]]
  if (isatty(stderr())) {
    text <- strwrap(text, cli::console_width(), exdent = 2)
  }
  writeLines(enc2utf8(text), stderr(), useBytes = TRUE)
}

say_error <- function(text) {
  say_line("ridge: ", text)
}

# A message in one line.
one_line <- function(text) {
  gsub("[[:space:]]+", " ", trimws(cli::ansi_strip(paste(text, collapse = " "))))
}
