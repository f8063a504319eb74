#' Run the command line
#'
#' What the program `ridge` runs. Data goes to standard output, notes and errors
#' to standard error.
#'
#' @param args The words of the command line (character), the command first.
#' @return The exit status, invisibly: 0 done, 1 the records cannot be used as
#'   asked, do not tie or could not be written, 2 the command line is wrong, 130 stopped,
#'   143 asked to end.
#' @section Errors:
#' None: what goes wrong is said in one line and shows in the status.
#' @examples
#' run_ridge("--version")
#' run_ridge(c("periods", "--by", "quarter", "--from", "2026-01-01", "--to", "2026-12-31"))
#' @export
run_ridge <- function(args = commandArgs(trailingOnly = TRUE)) {
  before <- speak(command_speech())
  heed_termination(TRUE)
  keep_quiet(FALSE)
  on.exit({
    speak(before)
    keep_quiet(FALSE)
    heed_termination(FALSE)
  })
  status <- tryCatch({
    outcome <- withCallingHandlers(run_command(in_utf8_words(args)), message = note_message)
    if (inherits(outcome, "exit_status")) as.integer(outcome) else 0L
  }, ridge_error = function(cnd) {
    say_error(one_line(c(cnd$message, cnd$body)))
    wrong_line <- c("ridge_error_usage", "ridge_error_argument", "ridge_error_column",
                    "ridge_error_almanac")
    if (inherits(cnd, wrong_line)) 2L else 1L
  }, error = function(cnd) {
    # Whoever reads the pipe has had enough.
    if (grepl("SIGPIPE", conditionMessage(cnd), fixed = TRUE)) return(0L)
    say_error(paste("something went wrong inside:", one_line(conditionMessage(cnd))))
    1L
  }, interrupt = function(cnd) {
    say_error("stopped.")
    if (asked_to_terminate()) 143L else 130L
  })
  invisible(status)
}

# Messages are notes, but for those of progress, which move the cursor and write over
# themselves.
note_message <- function(cnd) {
  text <- conditionMessage(cnd)
  if (!grepl("^(\r|\033\\[([?]25[lh]|K))", text)) {
    say_note(sub("\n$", "", text))
    invokeRestart("muffleMessage")
  }
}

# What a shell hands over is UTF-8, whatever the locale says.
in_utf8_words <- function(args) {
  ifelse(validUTF8(args), `Encoding<-`(args, "UTF-8"), args)
}

run_command <- function(args) {
  if (length(args) == 0 || args[1] %in% c("--help", "-h")) {
    return(print_help(character()))
  }
  if (args[1] == "--version") {
    return(cat("ridge ", format(utils::packageVersion("almanacridge")), "\n", sep = ""))
  }
  commands <- command_rows()
  if (!(args[1] %in% names(commands))) {
    near <- nearest(args[1], names(commands))
    usage_abort(c("There is no command {.code {args[1]}}.",
                  i = if (!is.null(near)) "Did you mean {.code ridge {near}}?",
                  i = "See {.code ridge help}."))
  }
  command <- commands[[args[1]]]
  if (any(args[-1] %in% c("--help", "-h"))) {
    return(print_help(args[1]))
  }
  options <- command_options(command)
  given <- parse_command_line(args[-1], options, command$name)
  if (command$name %in% c("demo", "periods")) check_no_file(command, given)
  keep_quiet(isTRUE(given$quiet))
  check_fail_on(given$fail_on, command$name)
  if (!(command$name %in% c("begin", "build"))) check_outputs(given)
  if (isTRUE(given$show_sql)) {
    statement_log$kept <- character()
    on.exit(note_statements())
  }
  switch(command$name, periods = run_periods(given, options), versus = run_versus(given, options),
         restated = run_restated(command, given, options),
         due = run_due(command, given, options),
         check = run_check(given, options), changes = run_changes(given, options),
         records = run_records(given, options), demo = run_demo(given, run_command),
         begin = run_begin(given), build = run_build(given),
         help = print_help(given$files), completion = run_completion(given),
         run_asking(command, given, options))
}

note_statements <- function() {
  for (statement in unique(statement_log$kept)) say_as_it_is(statement)
  statement_log$kept <- NULL
}

# Findings are those of a check, tables those of the others.
check_fail_on <- function(fail_on, command) {
  known <- if (command == "check") c("error", "warning") else c("empty", "untied")
  wrong <- setdiff(fail_on, known)
  if (length(wrong) > 0) {
    usage_abort(paste("{.code --fail-on} of {.code ridge {command}} takes {.or {known}}, not",
                      "{.val {wrong[1]}}."))
  }
}

check_no_file <- function(command, given) {
  if (length(given$files) > 0) {
    usage_abort("{.code ridge {command$name}} takes no file, such as {.val {given$files[1]}}.")
  }
}
