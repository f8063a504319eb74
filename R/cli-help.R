# The pages of help, from the rows of commands and options.

general_help <- function(commands) {
  c("ridge: daily to yearly answers from records with a start and an end", "",
    sprintf("  ridge %-14s %s", names(commands), vapply(commands, `[[`, "", "about")),
    "",
    "A FILE is CSV, TSV, a workbook, Parquet, JSON, NDJSON or iCalendar by its ending;",
    "several, or a pattern, are one list; - is text on standard input. The table goes to",
    "standard output as CSV, or to --out FILE in the format of its ending: .csv, .tsv,",
    ".xlsx, .parquet, .json, .ndjson, .ics, .md, .html. Notes go to standard error.",
    "Exit status: 0 done, 1 the records cannot be used as asked, do not tie or could not",
    "be written, 2 the command line is wrong, 130 stopped, 143 asked to end.", "",
    "Options of a command: ridge help COMMAND")
}

command_page <- function(command) {
  lines <- vapply(command_options(command), function(row) {
    head <- trimws(paste0("--", row$name, " ", row$meta), "right")
    paste0("  ", formatC(head, width = -26), " ", row$help)
  }, "")
  c(command_usage(command), paste0("  ", command$about), "", unname(lines))
}

command_usage <- function(command) {
  name <- command$name
  if (name %in% c("help", "demo")) {
    return(paste("ridge", name, if (name == "help") "[COMMAND]" else "[--more]"))
  }
  file <- if (name != "periods") "FILE"
  paste(c("ridge", name, file, if (nzchar(command$needs)) command$needs, "[options]"),
        collapse = " ")
}

print_lines <- function(lines) {
  print_out(function(file) cat_bytes(paste0(lines, "\n"), file))
}

print_help <- function(words) {
  commands <- cli_commands()
  if (length(words) == 0) {
    return(print_lines(general_help(commands)))
  }
  name <- words[1]
  if (!(name %in% names(commands))) {
    near <- nearest(name, names(commands))
    usage_abort(c("There is no command {.code {name}}.",
                  i = if (!is.null(near)) "Did you mean {.code ridge help {near}}?",
                  i = if (is.null(near)) "See {.code ridge help}."))
  }
  print_lines(command_page(commands[[name]]))
}
