# The questions of an almanac, asked: its records are read and declared once, however many
# questions are asked about them.

# `as_of` stands in place of that of the file, also where records have one of their own.
open_almanac <- function(almanac, as_of = NULL) {
  session <- new.env(parent = emptyenv())
  session$almanac <- almanac
  session$records <- list()
  session$calendars <- list()
  session$as_of_given <- !is.null(as_of)
  if (!is.null(as_of)) session$almanac$as_of <- as_of
  for (name in names(almanac$records)) {
    if (!is.null(as_of)) session$almanac$records[[name]]$as_of <- as_of
  }
  session
}

# Paths are those from the folder of the almanac.
in_folder_of <- function(almanac, code) {
  before <- setwd(almanac$folder)
  on.exit(setwd(before))
  force(code)
}

# What messages are about, in the words of the almanac.
told_of <- function(almanac, at, what, code) {
  before <- speak(almanac_speech())
  on.exit(speak(before))
  tryCatch(code, ridge_error = function(cnd) {
    # It was told already of what lies within.
    if (isTRUE(cnd$told)) rlang::cnd_signal(cnd)
    line <- line_of(almanac$file, at)
    where <- paste0(basename(almanac$file$path), if (!is.na(line)) paste0(", line ", line))
    body <- escape_braces(cnd$body %||% character())
    cli::cli_abort(c(escape_braces(paste0(where, ", ", what, ": ", cnd$message)), body),
                   class = class(cnd)[1:2], call = NULL, arg = cnd$arg, row = cnd$row,
                   value = cnd$value, told = TRUE)
  })
}

records_asked <- function(session, name, finding = FALSE) {
  kept <- if (finding) paste0("findings of ", name) else name
  if (is.null(session$records[[kept]])) {
    at <- list("records", name)
    session$records[[kept]] <- with_notes(session, name, told_of(
      session$almanac, at, paste0("records \"", name, "\""),
      declare_entry(session, name, finding)))
  }
  session$records[[kept]]
}

# What is remarked on while records are read goes into the report.
with_notes <- function(session, name, code) {
  withCallingHandlers(code, message = function(cnd) {
    said <- one_sentence(cli::ansi_strip(conditionMessage(cnd)))
    session$notes[[name]] <- unique(c(session$notes[[name]], sub("^[!i] ", "", said)))
    invokeRestart("muffleMessage")
  })
}

# Records that cannot be used are findings where it is asked what is wrong with them.
declare_entry <- function(session, name, finding) {
  told <- session$almanac$records[[name]]
  refuse_folder(told_files(told))
  if (finding) told$unusable <- "set_aside"
  if (!is.null(told$at)) {
    return(read_log(as_given(told)))
  }
  needed <- columns_asked(session$almanac, name)
  given <- as_given(told)
  given$carry <- needed
  given$con <- connection_asked(session, told)
  read_declared(lists_given(given), Filter(names_columns, option_rows()), is.null(needed))
}

# An edition keeps the mark of each file, and what its records were.
refuse_folder <- function(files) {
  folder <- Filter(is_folder, files)[1]
  if (!is.na(folder)) {
    pattern <- file.path(sub("/+$", "", folder), "*.csv")
    ridge_abort(c("{.file {folder}} is a folder, and an almanac reads files.",
                  i = "Name them by a pattern: {.file {pattern}}."), "file", value = folder)
  }
}

# The columns that some question needs of these records; NULL: all.
columns_asked <- function(almanac, name) {
  asked <- unlist(lapply(almanac$pages, `[[`, "questions"), recursive = FALSE)
  about_them <- Filter(function(question) {
    name == question$records || name %in% unlist(question$told[names_records])
  }, asked)
  whole <- c("roster", "check", "overlaps", "restated", "changes")
  all <- vapply(about_them, function(question) {
    question$command %in% whole || identical(question$told$show, "records")
  }, NA)
  if (any(all) || almanac$who) {
    return(NULL)
  }
  columns <- lapply(about_them, function(question) {
    needed_columns(as_given(question$told), asked_options(question))
  })
  unique(c(unlist(columns), character()))
}

asked_options <- function(question) {
  command <- command_rows()[[question$command]]
  rows <- command_options(command)
  if (question$command %in% compared_commands) rows <- c(rows, option_rows()["against"])
  rows
}

# The whole of what is told of one question.
put_question <- function(session, question) {
  what <- paste0("\"", question$title, "\"")
  told_of(session$almanac, question$at, what, {
    given <- given_of(session, question)
    x <- records_asked(session, question$records, question$command == "check")
    result <- asked_result(question, x, given)
    shown <- shown_result(result, given)
    list(question = question, result = result, shown = shown, given = given,
         table = choose_columns(if (isTRUE(given$text)) with_text(shown) else shown,
                                given$select, given$rename))
  })
}

given_of <- function(session, question) {
  given <- as_given(question$told)
  given["files"] <- list(question$records)
  calendar <- calendar_asked_for(session, question$calendar)
  given[names(calendar)] <- calendar
  command <- command_rows()[[question$command]]
  if (!is.null(question$calendar) && command$calendar == "working") given$working <- TRUE
  for (word in intersect(names_records, names(question$told))) {
    given[[word]] <- records_asked(session, question$told[[word]])
  }
  given
}

# Its file of holidays is read once.
calendar_asked_for <- function(session, name) {
  if (is.null(name)) {
    return(NULL)
  }
  if (is.null(session$calendars[[name]])) {
    told <- session$almanac$calendars[[name]]
    told["holidays"] <- list(told_of(session$almanac, list("calendars", name),
                                     paste0("calendar \"", name, "\""),
                                     suppressMessages(holidays_given(as_given(told)))))
    session$calendars[[name]] <- Filter(Negate(is.null), told)
  }
  session$calendars[[name]]
}

asked_result <- function(question, x, given) {
  if (question$command == "check") {
    return(check_spans(x))
  }
  command <- command_rows()[[question$command]]
  against <- if (!is.null(given$against)) against_given(given)
  by_total <- question$command %in% c("allocate", "time-within") && is.null(given$group)
  # Amounts and time are compared as totals.
  if (!is.null(against) && by_total) given$total <- TRUE
  result <- ask_verb(command$verb, x, given, command_options(command), command$calendar)
  if (is.null(against)) result else versus(result, against, values = given$values)
}

shown_result <- function(result, given) {
  if (isTRUE(given$wide)) {
    result <- widen(result, sums = given$sums %||% "none", label = given$label %||% "code")
  }
  choose_rows(result, given$sort, given$limit)
}

# A figure where the result has one; NULL where it has none and none was asked for.
figure_asked <- function(session, answer) {
  question <- answer$question
  if (!is.null(question$print) && !("figure" %in% question$print)) {
    return(NULL)
  }
  command <- command_rows()[[question$command]]
  draw <- function() {
    given <- answer$given
    given$title <- question$title
    figure_of(answer$result, given, command$figure)
  }
  if (!is.null(question$print)) {
    return(told_of(session$almanac, question$at, paste0("\"", question$title, "\""), draw()))
  }
  tryCatch(draw(), ridge_error_argument = function(cnd) NULL)
}

# Does it tie, and does it hold what was expected of it?
checks_of <- function(session, answer) {
  result <- answer$shown
  if (inherits(result, "ridge_findings") || !inherits(result, "ridge_result")) {
    return(NULL)
  }
  told_of(session$almanac, answer$question$at, paste0("\"", answer$question$title, "\""),
          reconcile(result))
}
