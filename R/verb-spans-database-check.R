# Which records in a database are used: those that cannot be are refused by one question, or set
# aside, and what is to tell the others apart has to do that.

# Records that cannot be used, by what is wrong with them, and one of each kind.
check_in_database <- function(source, as_of_day) {
  keys <- numbered_names("key", source$names$key)
  looked <- looked_at_in_sql(source, c(keys, weight = source$names$weight))
  on.exit(looked$forget())
  spans <- dplyr::mutate(looked$spans, problem = !!problem_in_sql(source, names(keys), as_of_day))
  spans <- dplyr::filter(spans, !is.na(.data$problem))
  unusable <- fetched_totals(source, spans, "How many records cannot be used", records = dplyr::n())
  if (unusable$records == 0) return(invisible())
  spans <- dplyr::group_by(spans, .data$problem)
  ends <- if (!is.null(source$names$end)) rlang::exprs(end = min(.data$end_given, na.rm = TRUE))
  found <- fetched(source, dplyr::summarise(spans, records = dplyr::n(),
                                            start = min(.data$start_given, na.rm = TRUE), !!!ends),
                   "Which records cannot be used")
  lines <- vapply(seq_along(found$problem), function(i) {
    problem_words(found$problem[i], found$records[i], found$start[i], found$end[i], source$names)
  }, "")
  ridge_abort(c("{count_of(sum(found$records), 'record')} cannot be used.",
                stats::setNames(escape_braces(lines), rep("x", length(lines))),
                i = if ("end_far" %in% found$problem) {
                  "If that stands for no end yet, say {arg_name('means_open')}."
                },
                i = "Mend them, or say {arg_set('unusable', 'set_aside')} to keep them apart."),
              "records", arg = sub("_.*", "", found$problem[1]), value = lines)
}

# What is looked for, list(spans, forget): dates are compared as they are; texts are days where the
# table of days has them.
looked_at_in_sql <- function(source, columns) {
  if (all(source$kinds == "dates")) {
    return(list(spans = named_records(source, columns), forget = function() NULL))
  }
  put <- put_days(source)
  list(spans = with_numbers_of_days(source, columns, put$table), forget = put$drop)
}

# Whether a day is none of those that there are, and whether an end is before its start.
misread_in_sql <- function(source) {
  if (any(source$kinds != "dates")) {
    return(rlang::exprs(start = is.na(.data$start), end = is.na(.data$stop),
                        before = .data$end_number < .data$start))
  }
  years <- as_date(all_years())
  beyond <- function(day) rlang::expr(!!day < !!years[1] | !!day > !!years[2])
  list(start = beyond(quote(.data$start_given)),
       end = rlang::expr(.data$is_open == 0L &
                           !!rlang::call2("(", beyond(quote(.data$end_given)))),
       before = quote(.data$is_open == 0L & .data$end_given < .data$start_given))
}

problem_in_sql <- function(source, keys, as_of_day) {
  missing_key <- lapply(unname(blank_keys(source, keys)), function(blank) {
    rlang::expr(!!blank ~ "key_missing")
  })
  weight <- if (!is.null(source$names$weight)) {
    rlang::exprs(is.na(.data$weight) ~ "weight_missing", .data$weight < 0 ~ "weight_below")
  }
  one_day <- is.null(source$names$end)
  too_far <- if (has_end_column(source$names)) {
    rlang::exprs(!!too_far_in_sql(source, as_of_day) & .data$is_open == 0L ~ "end_far")
  }
  misread <- misread_in_sql(source)
  ends <- if (!one_day) {
    rlang::exprs(!!misread$end ~ "end_unread", !!misread$before ~ "end_before")
  }
  rlang::expr(dplyr::case_when(
    !!!too_far, is.na(.data$start_given) ~ "start_missing", !!misread$start ~ "start_unread",
    !!!missing_key, !!!weight, !!!ends))
}

# An end so far ahead may mean that there is none: it is asked about, and not set aside but where
# what is wrong is looked for.
too_far_in_sql <- function(source, as_of_day) {
  far <- as_date(as_of_day + most_days_ahead)
  if (source$kinds[["end"]] == "dates") return(rlang::expr(.data$end_given > !!far))
  like <- rlang::call2("%LIKE%", quote(.data$end_given), "____-__-__")
  rlang::expr((!!like) & .data$end_given > !!format(far))
}

# What makes a key missing: text may be blank.
blank_keys <- function(source, keys) {
  Map(function(key, name) {
    if (!name %in% source$text_keys) rlang::expr(is.na(.data[[!!key]]))
    else rlang::expr(is.na(.data[[!!key]]) | trimws(.data[[!!key]]) == "")
  }, keys, source$names$key)
}

problem_words <- function(problem, records, start, end, names) {
  of <- paste0(" (", count_of(records, "record"), ")")
  switch(problem,
    start_missing = paste0("\"", names$start, "\" is missing", of, "."),
    start_unread = paste0("\"", names$start, "\" \"", start, "\" is no day", of, "."),
    key_missing = paste0("\"", and_list(names$key), "\" is missing", of, "."),
    weight_missing = paste0("\"", names$weight, "\" is missing", of, "."),
    weight_below = paste0("\"", names$weight, "\" is less than 0", of, "."),
    end_unread = paste0("\"", names$end, "\" \"", end, "\" is no day", of, "."),
    end_far = paste0("\"", names$end, "\" ", end, " is more than 100 years ahead", of, "."),
    end_before = paste0("\"", names$end, "\" is before the start", of, ", as in ", start, "."))
}

# The table without the records that cannot be used, and these with the reason. What tells texts
# apart is kept beside the table until `source$forget()`, or until the connection is closed.
set_aside_in_database <- function(source, as_of_day, far_too = FALSE) {
  columns <- numbered_names("column", colnames(source$table))
  keys <- numbered_names("key", source$names$key)
  looked <- looked_at_in_sql(source, c(columns, keys, weight = source$names$weight))
  source$forget <- looked$forget
  spans <- dplyr::mutate(looked$spans, problem = !!problem_in_sql(source, names(keys), as_of_day))
  as_named <- function(names) stats::setNames(lapply(names(columns), rlang::sym), names)
  stays <- if (far_too) quote(is.na(.data$problem))
  else quote(is.na(.data$problem) | .data$problem == "end_far")
  unusable <- dplyr::filter(spans, !(!!stays))
  source$aside_count <- as.integer(fetched_totals(
    source, unusable, "How many are set aside", records = dplyr::n())$records)
  row <- if (!is.null(source$names$row)) list(row = as_named(columns)[[source$names$row]])
  theirs <- make.unique(c("row", "reason", unname(columns)), "_")[-(1:2)]
  aside <- dplyr::transmute(unusable, !!!row, reason = !!reason_in_sql(source), !!!as_named(theirs))
  usable <- dplyr::transmute(dplyr::filter(spans, !!stays), !!!as_named(columns))
  source$aside <- in_one_piece(aside, source)
  if (source$aside_count > 0) source$table <- in_one_piece(usable, source)
  source
}

reason_in_sql <- function(source) {
  names <- source$names
  words <- c(start_missing = paste(names$start, "is blank: every record needs a start"),
             start_unread = paste(names$start, "is no day of the years 1600 to 9999"),
             key_missing = paste(and_list(names$key), "is blank: every record needs a key"),
             weight_missing = paste(names$weight, "is blank: every record needs a weight"),
             weight_below = paste(names$weight, "is less than 0"),
             end_unread = paste(names$end, "is no day of the years 1600 to 9999"),
             end_far = paste(names$end, "is more than 100 years after the as-of date"),
             end_before = paste(names$end, "is before the start"))
  cases <- Map(function(problem, said) rlang::expr(.data$problem == !!problem ~ !!said),
               names(words), words)
  rlang::expr(dplyr::case_when(!!!unname(cases)))
}

# What numbers the records has to tell them apart.
check_rows_in_database <- function(source) {
  name <- source$names$row
  if (is.null(name)) return(invisible())
  rows <- dplyr::transmute(source$table, row = .data[[!!name]])
  found <- fetched_totals(
    source, rows, "Does each record have a number of its own?",
    records = dplyr::n(), rows = !!quote(COUNT(DISTINCT(.data$row))),
    first = min(.data$row, na.rm = TRUE), last = max(.data$row, na.rm = TRUE))
  if (found$records == 0) return(invisible())
  if (!is.numeric(found$first) || max(abs(found$first), abs(found$last)) > 2^53) {
    ridge_abort(c("{.val {name}} does not number the records: it holds {.val {found$first}}.",
                  i = "Name a column of whole numbers, such as one that a view counts."), "records",
                arg = "row", value = found$first)
  }
  if (found$rows < found$records) {
    ridge_abort(c(paste("{.val {name}} does not tell the records apart:",
                        "{format_number(found$records)} records have {format_number(found$rows)}",
                        "numbers."),
                  i = "Name a column that is another one in each record."), "records",
                arg = "row", value = found$rows)
  }
}
