# What a command says on standard error.

# Lines as they are in a file or a pipe, wrapped at words on a terminal.
say_note <- function(...) {
  text <- strsplit(paste0(...), "\n", fixed = TRUE)[[1]]
  if (isatty(stderr())) {
    text <- strwrap(text, cli::console_width(), exdent = 2)
  }
  writeLines(enc2utf8(text), stderr(), useBytes = TRUE)
}

say_error <- function(text) {
  say_note("ridge: ", text)
}

# A message in one line.
one_line <- function(text) {
  gsub("[[:space:]]+", " ", trimws(cli::ansi_strip(paste(text, collapse = " "))))
}
