#' Run the command line
#'
#' What the program `ridge` runs. Data goes to standard output, notes and errors
#' to standard error.
#'
#' @param args The words of the command line (character), the command first.
#' @return The exit status, invisibly: 0 done, 1 the records cannot be used as
#'   asked, 2 the command line is wrong.
#' @section Errors:
#' None: what goes wrong is said in one line and shows in the status.
#' @examples
#' ridge("--version")
#' ridge(c("periods", "--by", "quarter", "--from", "2026-01-01", "--to", "2026-12-31"))
#' @export
ridge <- function(args = commandArgs(trailingOnly = TRUE)) {
  status <- tryCatch({
    run_command(args)
    0L
  }, ridge_error = function(cnd) {
    say_error(for_command_line(cnd))
    if (inherits(cnd, c("ridge_error_usage", "ridge_error_argument", "ridge_error_column"))) 2L else 1L
  }, error = function(cnd) {
    say_error(paste("something went wrong inside:", squish(conditionMessage(cnd))))
    1L
  }, interrupt = function(cnd) {
    say_error("stopped.")
    1L
  })
  invisible(status)
}

cli_commands <- function() {
  list(
    active = list(run = command_active, options = c(record_options(), period_options(), active_options(),
                                                    output_options(), figure_options()),
                  usage = "ridge active FILE --start COLUMN --end COLUMN [options]",
                  about = "how many are active, by period or on your own dates"),
    scaffold = list(run = command_scaffold,
                    options = c(record_options(), period_options(), scaffold_options(), output_options(),
                                figure_options()),
                    usage = "ridge scaffold FILE --start COLUMN --end COLUMN [options]",
                    about = "one row per record (or key) and period"),
    periods = list(run = command_periods,
                   options = c(period_options(), zone_option(),
                               output_options()),
                   usage = "ridge periods --by GRAIN --from DATE --to DATE [options]",
                   about = "the periods of a window"),
    demo = list(run = command_demo, options = list(), usage = "ridge demo",
                about = "a walk through the demo data"),
    help = list(run = command_help, options = list(), usage = "ridge help [COMMAND]",
                about = "this page, or the options of a command")
  )
}

run_command <- function(args) {
  if (length(args) == 0 || args[1] %in% c("--help", "-h")) {
    return(command_help(list(files = character())))
  }
  if (args[1] == "--version") {
    return(cat("ridge ", format(utils::packageVersion("almanacridge")), "\n", sep = ""))
  }
  commands <- cli_commands()
  if (!(args[1] %in% names(commands))) {
    usage_abort(c("There is no command {.code {args[1]}}.",
                  i = "Did you mean {.code ridge {nearest(args[1], names(commands))}}? See {.code ridge help}."))
  }
  command <- commands[[args[1]]]
  if (any(args[-1] %in% c("--help", "-h"))) {
    return(command_help(list(files = args[1])))
  }
  command$run(parse_command_line(args[-1], command$options, args[1]))
}

command_help <- function(given) {
  commands <- cli_commands()
  if (length(given$files) == 0) {
    return(cat(general_help(commands), sep = "\n"))
  }
  name <- given$files[1]
  if (!(name %in% names(commands))) {
    usage_abort(c("There is no command {.code {name}}.",
                  i = "Did you mean {.code ridge help {nearest(name, names(commands))}}?"))
  }
  cat(command_page(commands[[name]]), sep = "\n")
}

general_help <- function(commands) {
  c("ridge: daily to yearly answers from records with a start and an end", "",
    sprintf("  ridge %-10s %s", names(commands), vapply(commands, `[[`, character(1), "about")),
    "",
    "The table goes to standard output as CSV, or to --out FILE.csv; notes go to",
    "standard error. A FILE of - is standard input.",
    "Exit status: 0 done, 1 the records cannot be used as asked, 2 the command",
    "line is wrong.", "",
    "Options of a command: ridge help COMMAND")
}

command_page <- function(command) {
  lines <- vapply(command$options, function(option) {
    head <- trimws(paste0("--", option$name, " ", option$meta), "right")
    paste0("  ", formatC(head, width = -26), " ", option$help)
  }, character(1))
  c(command$usage, paste0("  ", command$about), "", lines)
}

# One line in a file or a pipe, wrapped at words on a terminal.
say_note <- function(...) {
  text <- paste0(...)
  if (isatty(stderr())) {
    text <- strwrap(text, cli::console_width(), exdent = 2)
  }
  writeLines(text, stderr())
}

say_error <- function(text) {
  say_note("ridge: ", text)
}

squish <- function(text) {
  gsub("[[:space:]]+", " ", trimws(cli::ansi_strip(text)))
}

# A message in one line, with options spelled as they are on a command line.
for_command_line <- function(cnd) {
  text <- squish(paste(c(cnd$message, cnd$body), collapse = " "))
  for (option in option_names(all_options())) {
    argument <- gsub("-", "_", option)
    text <- gsub(sprintf("`%s = \"([^\"`]*)\"`", argument), sprintf("--%s \\1", option), text)
    text <- gsub(sprintf("`%s = as.Date\\(\"([^\"`]*)\"\\)`", argument), sprintf("--%s \\1", option), text)
    text <- gsub(sprintf("`%s = ([a-z_]+)`", argument), sprintf("--%s \\1", option), text)
    text <- gsub(sprintf("`%s`", argument), sprintf("--%s", option), text)
  }
  text
}
