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
    outcome <- withCallingHandlers(run_command(args), message = function(cnd) {
      say_note(as_options(sub("\n$", "", conditionMessage(cnd))))
      invokeRestart("muffleMessage")
    })
    if (inherits(outcome, "exit_status")) as.integer(outcome) else 0L
  }, ridge_error = function(cnd) {
    say_error(for_command_line(cnd))
    if (inherits(cnd, c("ridge_error_usage", "ridge_error_argument", "ridge_error_column"))) 2L else 1L
  }, error = function(cnd) {
    # Whoever reads the pipe has had enough.
    if (grepl("SIGPIPE", conditionMessage(cnd), fixed = TRUE)) return(0L)
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
    active = list(run = command_active, options = c(record_options(), period_options(), active_options(), wide_options(), summary_options(),
                                                    reconcile_options(), output_options(), figure_options()),
                  usage = "ridge active FILE --start COLUMN --end COLUMN [options]",
                  about = "how many are active, by period or on your own dates"),
    scaffold = list(run = command_scaffold,
                    options = c(record_options(), period_options(), scaffold_options(), wide_options(), reconcile_options(),
                                output_options(), figure_options()),
                    usage = "ridge scaffold FILE --start COLUMN --end COLUMN [options]",
                    about = "one row per record (or key) and period"),
    periods = list(run = command_periods,
                   options = c(period_options(), list(zone_option()), output_options()),
                   usage = "ridge periods --by GRAIN --from DATE --to DATE [options]",
                   about = "the periods of a window"),
    consecutive = list(run = command_consecutive,
                       options = c(record_options(), line_options(), stretch_options(), working_options(), reconcile_options(), output_options(), figure_options()),
                       usage = "ridge consecutive FILE --start COLUMN --end COLUMN [options]",
                       about = "stretches without a break"),
    gaps = list(run = command_gaps,
                options = c(record_options(), line_options(), gap_options(), window_options(), working_options(), reconcile_options(), output_options(), figure_options()),
                usage = "ridge gaps FILE --start COLUMN --end COLUMN [options]",
                about = "where nothing is"),
    overlaps = list(run = command_overlaps,
                    options = c(record_options(), line_options(), overlap_options(), reconcile_options(), output_options(), figure_options()),
                    usage = "ridge overlaps FILE --start COLUMN --end COLUMN [options]",
                    about = "which records overlap, for how long"),
    concurrency = list(run = command_concurrency,
                       options = c(record_options(), level_options(), window_options(), reconcile_options(), output_options(), figure_options()),
                       usage = "ridge concurrency FILE --start COLUMN --end COLUMN [options]",
                       about = "how many at once, change by change"),
    allocate = list(run = command_allocate,
                    options = c(record_options(), period_options(), amount_options(), wide_options(), summary_options(), reconcile_options(), output_options(), figure_options()),
                    usage = "ridge allocate FILE --start COLUMN --end COLUMN --amount COLUMN [options]",
                    about = "how much falls in each period"),
    movement = list(run = command_movement,
                    options = c(record_options(), period_options(), movement_options(), wide_options(), summary_options(), reconcile_options(), output_options(), figure_options()),
                    usage = "ridge movement FILE --start COLUMN --end COLUMN --key COLUMN [options]",
                    about = "who came, who went, who moved"),
    cohorts = list(run = command_cohorts,
                   options = c(record_options(), cohort_options(), wide_options(), summary_options(), reconcile_options(), output_options(), figure_options()),
                   usage = "ridge cohorts FILE --start COLUMN --end COLUMN --key COLUMN [options]",
                   about = "of those who started together, who is left"),
    versus = list(run = command_versus,
                  options = c(record_options(), period_options(), versus_options(), wide_options(), summary_options(), reconcile_options(), output_options()),
                  usage = "ridge versus FILE --start COLUMN --end COLUMN --base BASE [options]",
                  about = "against the period or the year before, a date, another group"),
    `time-in` = list(run = command_time_in,
                     options = c(record_options(), period_options(), time_options(), wide_options(), summary_options(), reconcile_options(), output_options(), figure_options()),
                     usage = "ridge time-in FILE --start COLUMN --end COLUMN [options]",
                     about = "how much time lies in each period"),
    elapsed = list(run = command_elapsed,
                   options = c(record_options(), working_options(), elapsed_options(), summary_options(), reconcile_options(), output_options(), figure_options()),
                   usage = "ridge elapsed FILE --start COLUMN --end COLUMN [options]",
                   about = "how long each record took, in calendar or working time"),
    `working-days` = list(run = command_working_days,
                          options = c(record_options(), calendar_options(), reconcile_options(), output_options()),
                          usage = "ridge working-days FILE --start COLUMN --end COLUMN [options]",
                          about = "how many working days each record has"),
    roster = list(run = command_roster, options = c(record_options(), roster_options()[c("on", "group", "count")], reconcile_options(), output_options()),
                  usage = "ridge roster FILE --start COLUMN --end COLUMN [--on DATE]",
                  about = "who is active on a day or in a period"),
    explain = list(run = command_explain, options = c(record_options(), roster_options()[c("on", "count", "of", "show")], reconcile_options(), output_options()),
                   usage = "ridge explain FILE --start COLUMN --end COLUMN [--on DATE]",
                   about = "how a count comes about, step by step"),
    check = list(run = command_check, options = c(record_options(), output_options(), figure_options()),
                 usage = "ridge check FILE --start COLUMN --end COLUMN [options]",
                 about = "what is wrong with the records; exit status 1 where something is"),
    changes = list(run = command_changes,
                   options = c(change_options(), source_options(), choose_options(), date_options(), output_options()),
                   usage = "ridge changes FILE --at COLUMN --key COLUMN --state COLUMN [options]",
                   about = "a log of changes as records with a start and an end"),
    records = list(run = command_records,
                   options = c(source_options(), choose_options(), date_options()[c("order", "tz")], output_options()),
                   usage = "ridge records FILE [options]",
                   about = "read, choose, clean and write again, in any format"),
    demo = list(run = command_demo, options = list(cli_option("more", "flag", "", "clocks, logs, lists, gaps, overlaps, elapsed time, cohorts")),
                usage = "ridge demo [--more]",
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
  command$run(parse_command_line(args[-1], unname(command$options), args[1]))
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
    sprintf("  ridge %-12s %s", names(commands), vapply(commands, `[[`, character(1), "about")),
    "",
    "A FILE is CSV, TSV, a workbook, Parquet, JSON, NDJSON or iCalendar by its ending;",
    "- is text on standard input. The table goes to standard output as CSV, or to",
    "--out FILE in the format of its ending; notes go to standard error.",
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

# Lines as they are in a file or a pipe, wrapped at words on a terminal.
say_note <- function(...) {
  text <- strsplit(paste0(...), "\n", fixed = TRUE)[[1]]
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
  as_options(squish(paste(c(cnd$message, cnd$body), collapse = " ")))
}

as_options <- function(text) {
  text <- gsub("`begin`", "--start-clock", gsub("`finish`", "--end-clock", gsub("^`date`", "--seen-on", text)))
  for (option in option_names(all_options())) {
    argument <- gsub("-", "_", option)
    text <- gsub(sprintf("`%s = \"([^\"`]*)\"`", argument), sprintf("--%s \\1", option), text)
    text <- gsub(sprintf("`%s = as.Date\\(\"([^\"`]*)\"\\)`", argument), sprintf("--%s \\1", option), text)
    text <- gsub(sprintf("`%s = TRUE`", argument), sprintf("--%s", option), text)
    text <- gsub(sprintf("`%s = ([a-z_0-9]+)`", argument), sprintf("--%s \\1", option), text)
    text <- gsub(sprintf("`%s`", argument), sprintf("--%s", option), text)
  }
  text
}
