#' How a result was asked
#'
#' Spells the question behind a result, with the declaration of its records, so that it
#' can be asked again, kept with the numbers, or handed to somebody who works another
#' way. Only what differs from the defaults is spelled; the as-of date always is.
#'
#' @param result A result of a verb that asks about records.
#' @param as `"r"`: a pipe in R; `"command"`: a command line of `ridge`; `"almanac"`: an almanac
#'   of one page with this question, for [build_almanac()]; `"sql"`, where a database answered:
#'   the statements, each with a comment that says what it is for. They are put once more for it.
#' @param source The spans object that the result was made of: needed where the result
#'   was saved and read back. `NULL`: the one of this session.
#' @return One string. Records that came from no file are called by the name that they
#'   had in R, and `FILE` on a command line. Rows that were dropped between [spans()] and
#'   the question are told in a comment.
#' @section Errors:
#' A plain table, and a question that a command cannot ask (about two tables, or with
#' periods of one's own), are errors of class `ridge_error_argument`; so is `"sql"` of records that
#' are in no database. A command or an almanac of records in one is of class `ridge_error_engine`.
#' @examples
#' staff <- spans(demo_records("postings"), first_day, last_day, key = observer,
#'                as_of = "2026-06-30")
#' counts <- active(staff, by = "quarter", group = station, from = "2025-01-01")
#' cat(how_asked(counts))
#' cat(how_asked(counts, as = "command"))
#' @export
how_asked <- function(result, as = "r", source = NULL) {
  check_choice(as, c("r", "command", "almanac", "sql"), "as")
  x <- if (inherits(result, "ridge_result")) source %||% records_of_handle(about(result)$records)
  if (is.null(x) || is.null(about(result)$question$arguments)) {
    ridge_abort(
      c(paste("{arg_name('result')} must be a result whose records are known, not",
              "{.val {describe(result)}}."),
        i = "Give the spans object that it was made of with {arg_name('source')}."), "argument",
      arg = "result")
  }
  if (as == "almanac") refuse_elsewhere(x, "An almanac")
  question <- about(result)$question
  if (as == "sql") {
    return(spell_in_sql(question, x))
  }
  if (as == "command" && in_database(x)) refuse_in_database("A command")
  text <- switch(as, r = spell_in_r(question, x), command = spell_command(question, x),
                 almanac = spell_almanac(spell_command(question, x)))
  dropped <- about(x)$dropped - (about(x)$unseen %||% 0)
  if (dropped == 0) text
  else paste0("# ", format_number(dropped), " of ", count_of(about(x)$given, "record"),
              " were dropped first\n", text)
}

# The statements that answer it: the question is put once more to tell them.
spell_in_sql <- function(question, x) {
  if (!in_database(x)) {
    ridge_abort(c("{arg_set('as', 'sql')} is about records in a database, and these are not.",
                  i = "Say {arg_set('as', 'r')}, {.val command} or {.val almanac}."), "argument",
                arg = "as", value = "sql")
  }
  paste(statements_of(question, x), collapse = "\n\n")
}

spell_command <- function(question, x) {
  rows <- option_rows()
  verb <- question$verb
  steps <- question$then
  compared <- Find(function(step) step$verb == "versus", steps)
  row <- Find(function(command) identical(command$verb, verb), command_rows())
  command <- row$name
  working <- row$calendar == "working" && inherits(question$arguments$calendar, "ridge_calendar")
  of_verb <- rows[setdiff(row$options, from_anywhere())]
  asked <- c(spell_options(told_arguments(verb, question$arguments), of_verb),
             if (working) "--working")
  if (!is.null(compared)) {
    asked <- c(if (command != "active") paste("--compare", command), asked,
               spell_against(compared, question, rows))
    command <- "versus"
  }
  wide <- Find(function(step) step$verb == "widen", steps)
  lists <- about(x)$lists
  if (!is.null(lists)) check_list_names(lists, question)
  of <- question$arguments$of
  declared <- if (is.null(lists)) c(spell_file(x), spell_declaration(x, rows, of))
  else spell_and(lists, rows, of, about(x)$told$seen_on)
  paste(c("ridge", command, declared, asked, spell_wide(wide)), collapse = " ")
}

spell_file <- function(x, unknown = "FILE") {
  file <- about(x)$told$reading$path %||% unknown
  ifelse(grepl("[^A-Za-z0-9_./-]", file), shQuote(file), file)
}

# The first list, and the others behind --and, without what all share.
spell_and <- function(lists, rows, of, seen_on) {
  further <- function(list, name) {
    own <- spell_declaration(list, rows, of)
    shared <- sub(" .*", "", own) %in% paste0("--", shared_by_lists)
    c(paste("--and", spell_file(list, toupper(name))), own[!shared])
  }
  first <- lists[[1]]
  c(spell_file(first, toupper(names(lists)[1])), spell_declaration(first, rows, of),
    spell_seen_on(seen_on, rows), unlist(Map(further, lists[-1], names(lists)[-1])))
}

# On the command line a list is called as its file is.
check_list_names <- function(lists, question) {
  files <- vapply(lists, function(list) about(list)$told$reading$path[1] %||% "", "")
  called <- ifelse(nzchar(files), file_stem(files), names(lists))
  by_list <- "source" %in% unlist(question$arguments[question$columns])
  if (by_list && !identical(unname(called), names(lists))) refuse_to_spell("group")
}

spell_declaration <- function(x, rows, of) {
  told <- about(x)$told
  said <- declared_arguments(x)
  # A command takes a weight only where it is summed.
  if (!identical(of, "weight")) said$weight <- NULL
  names(said)[1:2] <- c("start", "end")
  read <- if (!is.null(told$reading)) reading_arguments(told)
  # One --tz both reads the moments and says whose days they are on.
  two_zones <- !is.null(read) && !identical(read$tz %||% "UTC", zone_of(about(x)$timeline))
  if (!on_days(about(x)$timeline) && two_zones) refuse_to_spell("tz")
  c(spell_options(c(said, read[setdiff(names(read), c("", names(said)))]), rows),
    spell_seen_on(told$seen_on, rows))
}

# Of several days the last is the earliest.
spell_seen_on <- function(seen_on, rows) {
  if (length(seen_on)) spell_options(list(seen_on = utils::tail(seen_on, 1)[[1]]), rows)
}

spell_options <- function(arguments, rows) {
  unlist(lapply(names(arguments), function(name) {
    value <- arguments[[name]]
    if (inherits(value, "ridge_calendar")) return(spell_calendar(value, rows, name))
    spell_plain(name, value, rows)
  }))
}

spell_plain <- function(name, value, rows) {
  if (name == "earlier") {
    return(spell_earlier(spans_asked(list(earlier = value), "earlier")))
  }
  if (name == "less") {
    return(spell_second(spans_asked(list(less = value), "less"), "less", "AWAY"))
  }
  if (name == "y") {
    return(spell_second(spans_asked(list(y = value), "y"), "with", "OTHER"))
  }
  if (name == "by" && inherits(value, "ridge_own_periods") && !is.null(value$how)) {
    return(spell_week_years(value$how))
  }
  row <- option_of(name, rows)
  whole <- name == "end" || !is.null(row) && !is.list(value)
  # The command line knows records up to a day, not up to a moment.
  moment <- name %in% c("as_of", "seen_on") && inherits(value, "POSIXt")
  if (!whole || moment || inherits(value, "ridge_own_periods") || is.data.frame(value)) {
    if (!is.null(row) && row$kind == "pairs") return(spell_pairs(row, value))
    refuse_to_spell(name)
  }
  if (name == "per" && length(value) == 0) value <- "none"
  if (inherits(value, "POSIXt")) value <- format(value, "%Y-%m-%dT%H:%M:%S")
  if (identical(value, FALSE) && row$kind == "flag") NULL else spell_option(name, value, rows)
}

spell_earlier <- function(earlier) {
  file <- about(earlier)$told$reading$path %||% "EARLIER"
  c(spell_option("earlier", file), spell_option("earlier_as_of", about(earlier)$told$as_of))
}

spell_second <- function(second, option, unknown) {
  names <- about(second)$names
  if (!has_end_column(names)) refuse_to_spell(option)
  row <- option_rows()[c(option, paste0(option, "-columns"))]
  paste0("--", names(row),
         c(spell_option_value(row[[1]], about(second)$told$reading$path %||% unknown),
           spell_option_value(row[[2]], c(names$start, names$end, names$key))))
}

# What differs from the years that own_periods() makes by itself.
spell_week_years <- function(how) {
  usual <- unclass(own_periods(pattern = how$pattern, years = how$years))$how
  told <- Filter(function(name) !identical(how[[name]], usual[[name]]), week_year_names)
  said <- vapply(told, function(name) {
    value <- switch(name, ends_on = weekday_names[how$ends_on], month = month.name[how$month],
                    paste(how[[name]], collapse = ","))
    paste0("--week-year ", gsub("_", "-", name), "=", value)
  }, "")
  c(paste("--by", how$pattern), paste0("--years ", min(how$years), "-", max(how$years)),
    unname(said))
}

refuse_to_spell <- function(name) {
  ridge_abort("A command cannot be given {arg_name(name)} as it was asked here.", "argument",
              arg = name)
}

spell_pairs <- function(row, value) {
  unlist(lapply(names(value), function(name) {
    joined <- if (row$name == "bands") paste(value[[name]], collapse = ",") else value[[name]]
    paste0("--", row$name, spell_option_value(row, paste0(name, "=", joined)))
  }))
}

spell_calendar <- function(calendar, rows, name) {
  told <- calendar_arguments(calendar)
  if (name == "day_hours") {
    return("--day-hours working")
  }
  names(told)[names(told) == "tz"] <- "hours_tz"
  # Where only days count, hours play no part: the command does not ask for them.
  told <- told[vapply(names(told), function(name) !is.null(option_of(name, rows)), NA)]
  if ("weekend" %in% names(told) && is.null(told$weekend)) told$weekend <- "none"
  by_day <- if (is.list(told$hours)) told$hours
  if (!is.null(by_day)) told$hours <- NULL
  days <- vapply(names(by_day), function(day) {
    paste0("--hours-on ", day, "=", paste(by_day[[day]], collapse = ","))
  }, "")
  c(spell_options(told, rows), unname(days))
}

spell_against <- function(step, question, rows) {
  against <- step$arguments$against
  if (is.list(against)) against <- unlist(against[question$arguments$group])
  values <- if (step$arguments$values != default_value(question)) step$arguments$values
  c(spell_option("against", against, rows),
    if (!is.null(values)) spell_option("values", values, rows))
}

default_value <- function(question) {
  switch(question$verb, active = "active", movement = "closing", allocate = "amount",
         question$names[1])
}

spell_wide <- function(step) {
  if (is.null(step)) {
    return(NULL)
  }
  c("--wide", if (step$arguments$sums != "none") paste("--sums", step$arguments$sums))
}
