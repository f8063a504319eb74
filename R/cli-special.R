# What each command does.

# A command that asks one verb about the records of a file.
run_asking <- function(command, given, options) {
  if (command$verb == "allocate") check_amount_given(given)
  # Columns to carry may be those of either list.
  all_columns <- command$verb == "roster" || identical(given$show, "records") ||
    !is.null(given[["with"]])
  x <- read_spans(given, options, all_columns)
  if (in_database(x)) on.exit(close_database(x))
  given <- on_its_connection(given, x)
  given["less"] <- list(read_second("less", given, options, FALSE))
  given["with"] <- list(read_second("with", given, options, TRUE))
  if (to_folder(given)) {
    return(write_answers(x, command, given, options))
  }
  hand_over(ask_verb(command$verb, x, given, options, command$calendar), given, command$figure)
}

run_periods <- function(given, options) {
  if (is.null(given$by)) {
    usage_abort(c("{.code ridge periods} needs {.code --by}.",
                  i = "Say {.code --by month}, for one."))
  }
  hand_over(ask_verb("periods", NULL, given, options), given)
}

run_versus <- function(given, options) {
  what <- given$compare %||% "active"
  played <- list(active = c("rule", "of"), movement = "of", allocate = c("amount", "digits"),
                 "time-within" = character())
  unused <- names(only_given(given, setdiff(unlist(played), played[[what]])))
  if (length(unused) > 0) {
    unused <- gsub("_", "-", unused[1])
    usage_abort("{.code --{unused}} plays no part with {.code --compare {what}}.")
  }
  if (what == "allocate") check_amount_given(given)
  against <- against_given(given)
  x <- read_spans(given, options)
  # Amounts and time are compared as totals.
  if (what %in% c("allocate", "time-within") && is.null(given$group)) given$total <- TRUE
  result <- ask_verb(gsub("-", "_", what), x, given, options)
  hand_over(versus(result, against, values = given$values), given)
}

# Both lists are read and declared alike, but for the day that each speaks for.
run_restated <- function(command, given, options) {
  for (option in c("earlier", "earlier-as-of")) {
    if (is.null(given[[gsub("-", "_", option)]])) {
      usage_abort(c("{.code ridge restated} needs {.code --{option}}.",
                    i = "Name the list as it was exported before, and the day it speaks for."))
    }
  }
  listed <- identical(given$show, "records")
  x <- read_spans(given, options, listed)
  if (in_database(x)) on.exit(close_database(x))
  before <- in_another(on_its_connection(given, x), given$earlier)
  before[c("as_of", "and")] <- list(given$earlier_as_of, NULL)
  if (!is.null(given$set_aside)) before$unusable <- "set_aside"
  before$set_aside <- NULL
  given$earlier <- read_spans(before, options, listed)
  hand_over(ask_verb("restated", x, given, options), given)
}

run_check <- function(given, options) {
  lists <- lists_given(given)
  # Weights that are none are findings.
  for (list in lists) check_declared(list, NULL)
  found <- if (length(lists) == 1) check_list(lists[[1]])
  else check_spans(read_bound(lapply(lists, utils::modifyList, list(unusable = "set_aside")),
                              options, TRUE))
  hand_over(found, given)
  kinds <- summary(found)
  records <- vapply(kinds$records, count_of, "", "record")
  for (line in sprintf("%s: %s, %s (%s)", kinds$severity, kinds$finding, records, kinds$example)) {
    say_note(line)
  }
  failing <- given$fail_on %||% "error"
  if ("warning" %in% failing) failing <- c(failing, "error")
  exit_with(if (any(found$severity %in% failing)) 1L else 0L)
}

# Where records end plays no part.
run_due <- function(command, given, options) {
  if (is.null(given$after)) {
    usage_abort("{.code ridge due} needs {.code --after}: how many working days after the start.")
  }
  if (length(end_ways(given)) == 0) given$all_open <- TRUE
  run_asking(command, given, options)
}

run_changes <- function(given, options) {
  check_some_file(given)
  for (option in c("at", "state")) {
    if (is.null(given[[option]])) {
      usage_abort("{.code --{option}} must name a column of the log.")
    }
  }
  hand_over(read_log(given), given)
}

run_records <- function(given, options) {
  check_some_file(given)
  chosen <- only_given(given, c("date_order", "keep", "leave_out", "match", "where"))
  told <- c(reading_given(given), chosen)
  records <- rlang::inject(read_records(given$files, !!!told))
  chosen <- choose_rows(fold_given(records, given), given$sort, given$limit)
  table <- choose_columns(chosen, given$select, given$rename)
  check_columns_kept(records, table, given)
  write_out(table, given, records_lost(records) + nrow(records) - nrow(table))
}

# A file is not replaced by fewer columns than were in it.
check_columns_kept <- function(records, table, given) {
  gone <- ncol(records) - ncol(table)
  replaced <- intersect(one_name(given$out %||% character()), one_name(given$files))
  if (gone > 0 && length(replaced) > 0) {
    usage_abort(c(paste("{arg_name('out')}: {.file {replaced[1]}} is the file that was read, and",
                        "{count_of(gone, 'column')} of it would be lost."),
                  i = "Name another file."))
  }
}
