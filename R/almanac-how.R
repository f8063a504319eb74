# How a question was asked, in R, as a command and as an entry of an almanac: each complete, so
# that it gives the same table.

how_asked_in_all <- function(session, answer) {
  before <- speak(r_speech)
  on.exit(speak(before))
  Filter(Negate(is.null), list("In R" = r_text(session, answer),
                               "As a command" = command_text(session, answer$question),
                               "In the almanac" = entry_text(session$almanac, answer$question)))
}

# As a pipe where one says all; else by the page of the almanac.
r_text <- function(session, answer) {
  question <- answer$question
  shaped <- question$told[c("sort", "limit", "select", "rename", "text")]
  names <- c(question$records, unlist(question$told[names_records]))
  whole <- all(vapply(names, function(name) spells_whole(session, name), NA)) &&
    question$command != "check" && all(vapply(shaped, is.null, NA))
  text <- if (whole) tryCatch(how_asked(answer$shown), ridge_error = function(cnd) NULL)
  if (!is.null(text)) {
    return(text)
  }
  page <- session$almanac$pages[[question$at[[2]]]]
  as_of <- if (session$as_of_given) paste0(", as_of = \"", session$almanac$as_of, "\"")
  paste0("almanac_page(", spell_value(basename(session$almanac$file$path)), ", ",
         spell_value(page$title), as_of, ")[[", spell_value(question$name), "]]$result")
}

# Do the arguments of read_records() and spans() say all of these records?
spells_whole <- function(session, name) {
  x <- session$records[[name]]
  told <- session$almanac$records[[name]]
  lists <- about(x)$lists %||% list(x)
  # Changes, clocks and folded labels take steps of their own.
  steps <- c(list(told), told$and)
  further <- vapply(steps, function(one) any(c("at", "start_clock", "fold") %in% names(one)), NA)
  !any(further) &&
    all(vapply(lists, function(list) !is.null(about(list)$told$reading), NA))
}

# The question with all that holds for it, and its records.
entry_text <- function(almanac, question) {
  names <- unique(c(question$records, unlist(question$told[names_records])))
  records <- lapply(almanac$records[names], function(told) Filter(Negate(is.null), told))
  asked <- c(list(question = question$title, ask = gsub("-", "_", question$command),
                  records = question$records), question$told, question["calendar"],
             question["expect"])
  asked <- Filter(function(value) length(value) > 0, asked)
  calendar <- almanac$calendars[question$calendar]
  yaml_text(c(if (length(calendar)) list(calendars = calendar),
              list(records = records, pages = list(list(title = "Page", questions = list(asked))))))
}

# NULL where a command cannot say it.
command_text <- function(session, question) {
  tryCatch({
    command <- question$command
    told <- session$almanac$records[[question$records]]
    told$as_of <- format(as_date(about(session$records[[question$records]])$as_of_day))
    log <- if (!is.null(told$at)) command_of_log(told, question$records)
    if (!is.null(log)) {
      told <- list(file = paste0(question$records, ".csv"), start = "start", end = "end",
                   key = told$key, as_of = told$as_of)
    }
    if (!identical(question$told$of, "weight")) told$weight <- NULL
    if (command == "check") told$unusable <- NULL
    compared <- !is.null(question$told$against)
    words <- c(if (compared) c("versus", if (command != "active") paste("--compare", command))
               else command, option_words(told), further_list_words(told),
               asked_option_words(session, question))
    # The file, or files, stand behind the name of the command.
    paste0(log, paste(c("ridge", words[1], quoted_files(told$file), words[-1]), collapse = " "))
  }, ridge_error = function(cnd) NULL)
}

command_of_log <- function(told, name) {
  paste0(paste(c("ridge changes", quoted_files(told$file), option_words(told),
                 paste0("--out ", name, ".csv")), collapse = " "), "\n")
}

quoted_files <- function(files) {
  ifelse(grepl("[^A-Za-z0-9_./*-]", files), shQuote(files), files)
}

# Each word as its option.
option_words <- function(told) {
  rows <- option_rows()
  told <- Filter(Negate(is.null), told[setdiff(names(told), c("file", "and"))])
  unlist(lapply(names(told), function(word) {
    row <- rows[[gsub("_", "-", word)]]
    value <- told[[word]]
    if (row$kind == "flag") return(if (isTRUE(value)) paste0("--", row$name))
    if (row$kind == "pairs") return(pair_words(row, value))
    if (row$kind == "tables") {
      return(paste0("--", row$name, vapply(value, spell_option_value, "", row = row)))
    }
    many <- row$kind %in% c("texts", "columns") && any(grepl(",", value, fixed = TRUE))
    if (many) refuse_to_spell(word)
    paste0("--", row$name, spell_option_value(row, value))
  }))
}

pair_words <- function(row, value) {
  unlist(lapply(names(value), function(name) {
    paste0("--", row$name, " ", shQuote(paste0(name, "=", value[[name]])))
  }))
}

further_list_words <- function(told) {
  unlist(lapply(told$and, function(list) {
    c(paste("--and", quoted_files(list$file)), option_words(list))
  }))
}

asked_option_words <- function(session, question) {
  told <- question$told[setdiff(names(question$told), names_records)]
  calendar <- session$almanac$calendars[[question$calendar %||% ""]]
  working <- length(calendar) > 0 &&
    command_rows()[[question$command]]$calendar == "working"
  # A command takes of a calendar what it has options for.
  options <- gsub("-", "_", command_rows()[[question$command]]$options)
  second <- unlist(lapply(intersect(names_records, names(question$told)), function(word) {
    second_list_words(session, word, question$told[[word]])
  }))
  c(option_words(told), option_words(calendar[intersect(names(calendar), options)]),
    if (working) "--working", second)
}

second_list_words <- function(session, word, name) {
  told <- session$almanac$records[[name]]
  x <- session$records[[name]]
  plain <- c("file", "start", "end", "key", "weight", "as_of", if (word == "earlier") names(told))
  if (length(setdiff(names(Filter(Negate(is.null), told)), plain)) || !is.null(told$and)) {
    refuse_to_spell(word)
  }
  if (word == "earlier") {
    return(c(paste("--earlier", quoted_files(told$file)),
             paste("--earlier-as-of", format(as_date(about(x)$as_of_day)))))
  }
  c(paste0("--", word, " ", quoted_files(told$file)),
    paste0("--", word, "-columns ", paste(c(told$start, told$end, told$key), collapse = ",")))
}
