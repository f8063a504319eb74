# The records of the file that a command line names, as a spans object.

read_spans <- function(given, options, all_columns = FALSE) {
  lists <- lists_given(given)
  for (list in lists) check_declared(list, options)
  read_declared(lists, options, all_columns || !is.null(given$set_aside), given)
}

# Of lists that were checked: each read and declared, and bound as one.
read_declared <- function(lists, options, all_columns, given = lists[[1]]) {
  x <- if (length(lists) == 1) read_list(lists[[1]], options, all_columns)
  else read_bound(lists, options, all_columns)
  if (length(lists) > 1 && !is.null(given$set_aside)) write_aside(set_aside(x), given$set_aside)
  if (is.null(given$seen_on)) x else as_seen_on(x, given$seen_on)
}

read_bound <- function(lists, options, all_columns) {
  read <- lapply(lists, function(list) {
    list$set_aside <- NULL
    if (identical(list$files, lists[[1]]$files)) return(read_list(list, options, all_columns))
    in_its_words(read_list(list, options, all_columns), list$files,
                 paste0("Say what its columns are called behind ", spelled("and", list$files), "."))
  })
  rlang::inject(bind_spans(!!!stats::setNames(read, list_names(lists))))
}

# The lists of a command line: what is not said of a later one is as of the first. Where records
# end is said in one of several ways.
lists_given <- function(given) {
  later <- given[["and"]]
  given["and"] <- list(NULL)
  if (!is.null(given$set_aside)) given$unusable <- "set_aside"
  given$bound <- length(later) > 0
  c(list(given), lapply(later, function(list) {
    said <- Filter(Negate(is.null), list)
    told <- given
    if (length(end_ways(said)) > 0) told[c("end", "end_clock", "one_day", "all_open")] <- list(NULL)
    told[names(said)] <- said
    told
  }))
}

# Each list by the name of its file, without the ending.
list_names <- function(lists) {
  files <- vapply(lists, function(list) list$files[1], "")
  make.unique(file_stem(files), "_")
}

file_stem <- function(files) {
  sub("[.].*", "", basename(files))
}

read_list <- function(given, options, all_columns) {
  if (!is.null(given$database)) {
    return(read_database(given))
  }
  if (is_folder(given$files)) {
    return(read_folder(given))
  }
  for (option in c("memory", "together")) {
    if (!is.null(given[[option]])) {
      usage_abort("{spelled(option)} plays no part where no folder is named.")
    }
  }
  source <- if (all_columns) read_input(given)
  else read_input(given, needed_columns(given, options), plain_dates(given, options))
  ready <- ready_records(source, given)
  if (nrow(ready$records) == 0 && "from" %in% names(options)) {
    check_window_given(given, nrow(source))
  }
  x <- declare_given(ready, given, spans)
  if (!is.null(given$set_aside)) write_set_aside(x, source, given$set_aside)
  x
}

is_folder <- function(files) {
  length(files) == 1 && file_kind(path.expand(files)) == "folder"
}

# What is done to a table as a whole cannot be done part by part.
not_of_folders <- c("keep", "leave_out", "match", "fold", "into", "near", "sheet", "no_header",
                    "skip_top", "skip_bottom", "repeat_until", "start_clock", "end_clock")

# The files of a folder, answered part by part.
read_folder <- function(given) {
  verb <- function(...) spans(..., where = !!given$where)
  x <- declare_given(folder_given(given), given, verb)
  if (!is.null(given$set_aside)) write_aside(set_aside(x), given$set_aside)
  x
}

folder_given <- function(given) {
  told <- names(only_given(given, not_of_folders))
  if (length(told) > 0) {
    ways <- if (told[1] %in% c("keep", "leave_out")) "Choose records with {spelled('where')}."
    else "Leave it out, or name the files: {.file {file.path(given$files, '*.csv')}}."
    usage_abort(c("{arg_name(told[1])} plays no part where a folder is read part by part.",
                  i = ways))
  }
  if (isTRUE(given$bound)) {
    usage_abort("{spelled('and')} binds files, not folders: name the files.")
  }
  source <- rlang::inject(record_files(given$files, !!!only_given(given, of_folders())))
  list(records = source, start = given$start, end = end_given(given))
}

of_folders <- function() setdiff(names(formals(record_files)), "path")

# A second table, declared by the same options as the first; those that choose among its records
# are not meant for it.
read_second <- function(option, given, options, all_columns) {
  file <- given[[option]]
  columns <- given[[paste0(option, "_columns")]]
  if (is.null(file)) {
    if (is.null(columns)) return(NULL)
    usage_abort(paste("{spelled(paste0(option, '-columns'))} plays no part without",
                      "{spelled(option)}."))
  }
  if (!is.null(given$database) && option == "less") {
    usage_abort(c("{spelled(option)} is not answered in a database yet.",
                  i = "Ask it of a file of these records."))
  }
  second <- in_another(given, file)
  if (!is.null(columns)) {
    if (length(columns) < 3) {
      usage_abort(paste("{spelled(paste0(option, '-columns'))} must name the start, the end and",
                        "the key of its records."))
    }
    second[c("one_day", "all_open")] <- NULL
    second[c("start", "end", "key")] <- list(columns[1], columns[2], columns[-(1:2)])
  }
  dropped <- c("keep", "leave_out", "where", "match", "fold", "into", "near", "weight", "set_aside",
               "seen_on", "start_clock", "end_clock", "group", "carry", "per", "differing",
               "capacity", "floor", "and")
  in_its_words(read_spans(second[setdiff(names(second), dropped)], options, all_columns), file,
               paste0("Name its start, end and key with ",
                      spelled(paste0(option, "-columns")), "."))
}

# A column that another file than the first does not have: it may be called otherwise there.
in_its_words <- function(code, file, way_out) {
  tryCatch(code, ridge_error_column = function(cnd) {
    ridge_abort(c("{.file {file}}: {cnd$message}", i = "{way_out}"), "column", value = cnd$value)
  })
}

# What must be said before a file is opened.
check_declared <- function(given, options) {
  check_some_file(given)
  if (is.null(given$start)) {
    usage_abort("{spelled('start')} must name the column of first days.")
  }
  check_one_end(given)
  if (!is.null(given$weight) && !is.null(options) && !identical(given$of, "weight")) {
    ways <- if ("of" %in% names(options)) "Say {spelled('of', 'weight')}, or leave it out."
    else "This command sums none: leave it out."
    usage_abort(c("{spelled('weight')} plays no part where weights are not summed.", i = ways))
  }
  if (!is.null(given$equal_clocks) && is.null(given$start_clock)) {
    usage_abort("{spelled('equal-clocks')} plays no part without {spelled('start-clock')}.")
  }
  if (!is.null(given$match) && is.null(given$keep) && is.null(given$leave_out)) {
    usage_abort(paste("{spelled('match')} plays no part without {spelled('keep')} or",
                      "{spelled('leave-out')}."))
  }
  for (option in c("into", "near")) {
    if (!is.null(given[[option]]) && is.null(given$fold)) {
      usage_abort("{spelled(option)} plays no part without {spelled('fold')}.")
    }
  }
}

check_some_file <- function(given) {
  if (!is.null(given$database)) return(check_database_given(given))
  of_database <- names(only_given(given, c("table", "row", "timeout", "show_sql")))
  if (length(of_database) > 0) {
    usage_abort("{arg_name(of_database[1])} plays no part without {spelled('database')}.")
  }
  if (length(given$files) == 0) {
    usage_abort(c("Name a file of records, or several.",
                  i = paste("For example",
                            "{.code ridge active postings.csv --start first_day --end last_day}.")))
  }
}

# The columns that options name, and those by which records are chosen.
needed_columns <- function(given, options) {
  named <- Filter(names_columns, options)
  values <- unlist(given[gsub("-", "_", names(named))], use.names = FALSE)
  if (identical(given$per, "none")) values <- setdiff(values, "none")
  limits <- unlist(given[c("capacity", "floor", "after")])
  values <- c(values, limits[!is_numeral(limits) & !is_file_of_limits(limits)])
  # Of lists bound as one, the list that a record is of is a column.
  if (isTRUE(given$bound)) values <- setdiff(values, bound_columns)
  unique(c(values, names(given$keep), names(given$leave_out),
           if (!is.null(given$where)) where_columns(given$where)))
}

# The columns of starts and ends of which nothing but the dates is asked for.
plain_dates <- function(given, options) {
  by_text <- c("start_clock", "end_clock", "means_open", "date_order", "keep", "leave_out", "fold")
  if (isTRUE(given$bound) || length(only_given(given, by_text)) > 0) {
    return(NULL)
  }
  names <- unlist(given[c("start", "end")], use.names = FALSE)
  setdiff(names, needed_columns(given[setdiff(names(given), c("start", "end"))], options))
}

# The table of the file, with its labels folded where that was asked for.
read_input <- function(given, needed = NULL, dates = NULL) {
  records <- rlang::inject(read_table(given$files, !!!reading_given(given), needed = needed,
                                      dates = dates))
  records <- with_source(records, c(source_of(records), list(reading = how_read(given))))
  trimmed <- source_of(records)$trimmed %||% 0
  if (trimmed > 0) cli::cli_inform(escape_braces(trimmed_sentence(trimmed)))
  fold_given(records, given)
}

# What was said of how the file is to be read.
reading_given <- function(given) {
  told <- only_given(given, setdiff(names(reading_options()), "path"))
  if (!is.null(told$sheet)) told$sheet <- number_or_text(told$sheet)
  told
}

# As read_records() would be told.
how_read <- function(given) {
  chosen <- only_given(given, c("keep", "leave_out", "match", "where"))
  c(list(path = given$files), reading_given(given), chosen)
}

fold_given <- function(records, given) {
  if (is.null(given$fold)) {
    return(records)
  }
  for (name in given$fold) check_column(records, name, "fold")
  fold_labels(records, tidyselect::all_of(given$fold), into = given$into,
              near = given$near %||% "report")
}

# The records chosen, with clocks put to dates and intervals taken apart: list(records,
# start, end).
ready_records <- function(records, given) {
  met <- met_records(records, given)
  chosen <- choose_records(met, given$keep, given$leave_out,
                           given$match %||% "folded")
  source <- source_of(chosen)
  start <- given$start
  if (!is.null(given$start_clock) || !is.null(given$end_clock)) {
    chosen <- with_clocks(chosen, given)
    start <- given$start_clock
    end <- given$end_clock
  } else if (holds_intervals(chosen, given)) {
    chosen <- split_intervals(chosen, given$start, given$tz)
    start <- paste0(given$start, "_start")
    end <- paste0(given$start, "_end")
  } else {
    end <- end_given(given)
  }
  list(records = with_source(chosen, source), start = start, end = end)
}

# Records that meet a condition on what their columns were proven to be.
met_records <- function(records, given) {
  records <- with_orders(records, given)
  if (is.null(given$where)) {
    return(records)
  }
  proven <- prove_columns(plain_tibble(records), given$date_order, given$tz)$records
  choose_where(records, given$where, proven)
}

# What columns of dates prove, they prove on all rows, before any are left out.
with_orders <- function(records, given) {
  if (is.null(given$keep) && is.null(given$leave_out) && is.null(given$where)) {
    return(records)
  }
  source <- source_of(records)
  for (name in unique(c(given$start, given$end, given$at))) {
    if (is.character(records[[name]])) {
      source$orders[[name]] <- order_of_text(records[[name]], name, given$date_order)
    }
  }
  with_source(records, source)
}

# One column may hold both, as intervals.
holds_intervals <- function(records, given) {
  one <- is.null(given$end) || identical(given$end, given$start)
  column <- if (one) records[[given$start]]
  is.character(column) && all_intervals(column)
}

# Dates and clocks become instants, in the columns of the clocks.
with_clocks <- function(records, given) {
  if (is.null(given$start_clock) || is.null(given$end_clock)) {
    usage_abort("{spelled('start-clock')} and {spelled('end-clock')} go together.")
  }
  for (option in c("start", "end", "start_clock", "end_clock")) {
    if (!is.null(given[[option]])) check_column(records, given[[option]], option)
  }
  times <- between_clocks(
    records[[given$start]], records[[given$start_clock]], records[[given$end_clock]],
    tz = given$tz, finish_date = if (!is.null(given$end)) records[[given$end]],
    equal_clocks = given$equal_clocks,
    date_order = given$date_order %||% source_of(records)$orders[[given$start]]
  )
  records[[given$start_clock]] <- times$start
  records[[given$end_clock]] <- times$end
  records
}

# Without a record and without a window there is nothing to show.
check_window_given <- function(given, records) {
  if (!is.null(given$on) || !is.null(given$from) && !is.null(given$to)) {
    return(invisible())
  }
  what <- if (records == 0) "{.file {given$files}} holds no records, only column names."
  else paste("{spelled('keep')} and {spelled('leave-out')} leave none of the",
             "{count_of(records, 'record')}.")
  ridge_abort(c(what, i = "Name {spelled('from')} and {spelled('to')} for a table of zeros."),
              "records")
}

# With the columns and values of the source, whatever was made of them since.
write_set_aside <- function(x, source, path) {
  aside <- set_aside(x)
  columns <- lapply(as.list(plain_tibble(source)), function(column) column[aside$row])
  names(columns) <- make.unique(c("row", "reason", names(columns)), "_")[-(1:2)]
  write_aside(tibble::new_tibble(c(list(row = aside$row, reason = aside$reason), columns),
                                 nrow = nrow(aside)), path)
}

# What is wrong with them: those that cannot be used are findings.
check_list <- function(given) {
  if (!is.null(given$database)) {
    return(check_database_list(given))
  }
  if (!is_folder(given$files)) {
    return(declare_given(ready_records(read_input(given), given), given, check_spans))
  }
  declare_given(folder_given(given), given, function(...) check_spans(..., where = !!given$where))
}

# A log of changes as records with a start and an end.
read_log <- function(given) {
  records <- read_input(given)
  chosen <- choose_records(met_records(records, given), given$keep, given$leave_out,
                           given$match %||% "folded")
  if (!is.null(given$set_aside)) given$unusable <- "set_aside"
  told <- only_given(given, c("ending_states", "repeats", "same_day", "as_of", "tz", "date_order",
                              "unusable"))
  x <- rlang::inject(spans_from_changes(chosen, at = !!by_names(given$at),
                                        key = !!by_names(given$key),
                                        state = !!by_names(given$state), !!!told))
  if (!is.null(given$set_aside)) write_set_aside(x, records, given$set_aside)
  x
}
