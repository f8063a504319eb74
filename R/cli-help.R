# The pages of help, from the rows of commands and options.

general_help <- function(commands) {
  c("ridge: daily to yearly answers from records with a start and an end", "",
    sprintf("  ridge %-14s %s", names(commands), vapply(commands, `[[`, "", "about")),
    "", general_notes(), "", "Options of a command: ridge help COMMAND")
}

general_notes <- function() c(
  "A FILE is CSV, TSV, a workbook, Parquet, JSON, NDJSON or iCalendar by its ending;",
  "several, or a pattern, are one list; - is text on standard input. The table goes to",
  "standard output as CSV, or to --out FILE in the format of its ending: .csv, .tsv,",
  ".xlsx, .parquet, .json, .ndjson, .ics, .md, .html. Notes go to standard error.",
  "An option may be shortened as long as it is clear which is meant; behind -- all",
  "words are files.",
  "Exit status: 0 done, 1 the records cannot be used as asked, do not tie or could not",
  "be written, 2 the command line is wrong, 130 stopped, 143 asked to end.")

command_page <- function(command) {
  lines <- vapply(command_options(command), function(row) {
    head <- trimws(paste0("--", row$name, " ", row$meta), "right")
    paste0("  ", formatC(head, width = -26), " ", row$help)
  }, "")
  c(command_usage(command), paste0("  ", command$about), "", unname(lines))
}

command_usage <- function(command) {
  name <- command$name
  own <- c(begin = "FILE... [options]", build = "[ALMANAC] [options]", help = "[COMMAND]",
           demo = "[--more] [--in-r]", completion = "bash|zsh")
  if (name %in% names(own)) {
    return(paste("ridge", name, own[[name]]))
  }
  file <- if (name != "periods") "FILE"
  paste(c("ridge", name, file, if (nzchar(command$needs)) command$needs, "[options]"),
        collapse = " ")
}

print_lines <- function(lines) {
  print_out(function(file) cat_bytes(paste0(lines, "\n"), file))
}

print_help <- function(words) {
  commands <- command_rows()
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

# The whole of the help as a manual page, in Markdown: every option once, with what a command
# says of its own about it.
manual_page <- function() {
  c("# NAME", "", "ridge - daily to yearly answers from records with a start and an end", "",
    "# SYNOPSIS", "", "`ridge COMMAND FILE [options]`", "", "# DESCRIPTION", "",
    general_notes(), "", "# COMMANDS", "", unlist(lapply(command_rows(), manual_command)),
    "# OPTIONS", "", unlist(lapply(option_rows(), manual_option)))
}

manual_command <- function(command) {
  options <- paste0("--", command$options, recycle0 = TRUE)
  own <- vapply(names(command$helps), function(name) {
    paste0("**--", name, "**: ", escape_markdown(command$helps[[name]]), "\n\n")
  }, "")
  c(paste0("## ", command$name), "", paste0("`", command_usage(command), "`"), "",
    escape_markdown(command$about), "",
    if (length(options)) c(paste0("Options: ", paste(options, collapse = ", "), "."), ""),
    unname(own))
}

manual_option <- function(row) {
  meta <- if (nzchar(row$meta)) paste0(" *", escape_markdown(row$meta), "*")
  paste0("**--", row$name, "**", meta, "\n\n> ", escape_markdown(row$help), "\n")
}

escape_markdown <- function(text) {
  gsub("([*_<>|`\\[])", "\\\\\\1", text)
}
