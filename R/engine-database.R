# Records in a database. Questions become SQL: starts and ends are joined by equality to a small
# table of days that says their numbers and their places among the periods (PostgreSQL counts the
# numbers alone itself), and from then on there are only whole numbers, sums and window functions,
# which mean the same in every dialect.
# Only the answer leaves the database. The spans object itself holds no record: its columns only
# say of which kind they are.

# `source` is list(table, given, con, writer, names, text_keys, kinds, end_counts, open, days,
# scale, until): the lazy table of the records that are used and the one that was given, the
# connection that writes its statements, what its columns of starts and ends hold ("dates" or
# "texts"), which of their values mean no end yet, how far its days reach (and which are `named`,
# where that is centuries), by how much its weights are whole numbers, and the last day of spans
# without an end where they are to have one. Of what is asked of each of them again and again the
# texts are kept.
database_engine <- function(source, facts) {
  source$texts <- list2env(list(about = source[c("table", "until")]), parent = emptyenv())
  structure(list(source = source, facts = facts, kept = new.env(parent = emptyenv())),
            class = "ridge_database")
}

# f(spans, days): the records as whole numbers `start` and `stop` with these columns, by the names
# that they are to have, and the days with what `more` says of their numbers; both lazy tables. What
# `at_start` and `at_end` name of that goes along with the days on which a record starts and ends.
with_days <- function(source, columns, f, more = NULL, at_start = NULL, at_end = NULL) {
  put <- NULL
  known <- written_steps$texts
  on.exit({
    if (!is.null(put)) put$drop()
    written_steps$texts <- known
  })
  # They are put there only where something is asked of them.
  delayedAssign("days", {
    put <- put_days(source, more)
    if (put$inline) as_step(put$table, "days", source) else put$table
  })
  told <- told_of_days(source, more, c(at_start, at_end))
  joined <- !has_numbers_of_days(source) || is.null(told)
  entry <- rlang::hash(list(if (joined) dbplyr::remote_name(days) else told, columns, at_start,
                            at_end))
  f(as_step(with_numbers_of_days(source, columns, days, at_start, at_end, told), "records", source,
            entry), days)
}

# What is wanted of days where it can be said without a table of them; otherwise NULL.
told_of_days <- function(source, more, wanted) {
  if (length(wanted) == 0) return(list())
  if (!has_arrays(source$con) || !has_numbers_of_days(source)) return()
  days <- days_to_tell(source)
  told <- lapply(more(days)[unique(unname(wanted))], in_steps_of_one, days = days)
  if (!any(vapply(told, is.null, NA))) told
}

put_days <- function(source, more = NULL) {
  number <- days_to_tell(source)
  table <- c(list(number = number, date = as_date(number), text = format(as_date(number))),
             if (!is.null(more)) more(number))
  kinds <- c("date", "text") %in% sub("s$", "", source$kinds)
  table <- table[setdiff(names(table), c("date", "text")[!kinds])]
  put_table(source$con, tibble::new_tibble(table, nrow = length(number)))
}

# All days from the first to the last one, and the one behind it; where they lie centuries apart
# those alone that something names, with the ones beside them.
days_to_tell <- function(source) {
  if (is.null(source$named)) return(seq.int(source$days[1], source$days[2] + 1L))
  sort(unique(c(source$named - 1L, source$named, source$named + 1L)))
}

# With further days that a question names.
with_further_days <- function(source, days) {
  source$days <- as.integer(range(source$days, days))
  if (!is.null(source$named)) source$named <- unique(c(source$named, as.integer(days)))
  source
}

# How much of what amounts are spread over lies before a start, and before an edge or a stop.
measure_in_days <- function(axis, over) {
  if (over$equal_parts) {
    first <- all_periods(axis)$first
    return(list(start = function(day) findInterval(day, first) - 1L,
                edge = function(day) findInterval(day - 1L, first)))
  }
  table <- over$measure
  worked <- function(day) {
    table$before[pmin(pmax(day - table$origin + 1L, 1L), length(table$before))]
  }
  if (is.null(table)) list(start = identity, edge = identity)
  else list(start = worked, edge = worked)
}

# A temporary table; where none may be made its rows are written into the question.
put_table <- function(con, rows) {
  name <- fresh_table_name()
  if (may_only_read(con) || !made_table(con, name, rows)) {
    return(list(table = listed_rows(con, rows), inline = TRUE, drop = function() NULL))
  }
  tell_statement(paste0("-- ", name, ": a temporary table of ", count_of(nrow(rows), "row"),
                        " with ", and_list(names(rows)), ", made for this question"))
  drop <- function() {
    try({
      DBI::dbRemoveTable(con, name)
      tables_made$taken <- setdiff(tables_made$taken, name)
    }, silent = TRUE)
  }
  list(table = dplyr::tbl(con, name, vars = names(rows)), inline = FALSE, drop = drop)
}

# Rows that are written into the question. BigQuery lists none: there each is selected by itself.
listed_rows <- function(con, rows) {
  if (!inherits(con, "BigQueryConnection")) {
    return(dbplyr::copy_inline(con, rows))
  }
  in_sql <- function(x) dbplyr::escape(x, parens = FALSE, collapse = NULL, con = con)
  named <- Map(paste, lapply(rows, in_sql), "AS", in_sql(dbplyr::ident(names(rows))))
  selects <- paste("SELECT", do.call(paste, c(unname(named), sep = ", ")))
  dbplyr::tbl_sql("dbi", dbplyr::src_dbi(con, auto_disconnect = FALSE),
                  dbplyr::sql(paste(selects, collapse = "\nUNION ALL\n")), vars = names(rows))
}

# One that may not be made must not end a transaction of PostgreSQL that is under way.
made_table <- function(con, name, rows) {
  apart <- function(words) if (is_postgres(con)) DBI::dbExecute(con, paste(words, "ridge"))
  tryCatch({
    apart("SAVEPOINT")
    DBI::dbCreateTable(con, name, rows, temporary = TRUE)
    DBI::dbAppendTable(con, name, rows)
    plans_by_size <- is_postgres(con) || inherits(con, "SQLiteConnection")
    if (plans_by_size) DBI::dbExecute(con, paste("ANALYZE", name))
    apart("RELEASE SAVEPOINT")
    TRUE
  }, error = function(cnd) {
    try(apart("ROLLBACK TO SAVEPOINT"), silent = TRUE)
    FALSE
  })
}

# In a transaction of PostgreSQL a table that may not be made would end it.
may_only_read <- function(con) {
  is_postgres(con) &&
    identical(tryCatch(DBI::dbGetQuery(con, "SHOW transaction_read_only")[[1]],
                       error = function(cnd) "off"), "on")
}

close_database <- function(x) {
  suppressWarnings(try(DBI::dbDisconnect(connection_of(x)), silent = TRUE))
}

# Of this process. A name is free again when its table is gone, as statements with the same name
# need not be written again.
fresh_table_name <- function() {
  names <- paste0("ridge_days_", Sys.getpid(), "_", seq_len(length(tables_made$taken) + 1L))
  name <- setdiff(names, tables_made$taken)[1]
  tables_made$taken <- c(tables_made$taken, name)
  name
}

tables_made <- new.env(parent = emptyenv())

counts_last_day <- function(source) {
  is.null(source$names$end) || source$end_counts
}

# A span without an end stops behind all days, or where it is to end.
with_numbers_of_days <- function(source, columns, days, at_start = NULL, at_end = NULL,
                                 told = NULL) {
  one_day <- is.null(source$names$end)
  spans <- named_records(source, columns)
  spans <- joined_days(spans, days, source, "start", told,
                       c(start = "number", at_start, if (one_day) at_end))
  if (one_day) {
    stop <- rlang::expr(.data$start + 1L)
  } else {
    spans <- joined_days(spans, days, source, "end", told, c(end_number = "number", at_end))
    behind <- if (is.null(source$until)) never(day_timeline()) else source$until + 1L
    stop <- rlang::expr(dplyr::case_when(.data$is_open == 1L ~ !!behind,
                                         TRUE ~ .data$end_number + !!as.integer(source$end_counts)))
  }
  dplyr::mutate(spans, stop = !!stop)
}

# The columns that are needed, under names that are ours.
named_records <- function(source, columns) {
  chosen <- lapply(columns, rlang::sym)
  chosen$start_given <- rlang::sym(source$names$start)
  if (is.null(source$names$end)) return(dplyr::transmute(source$table, !!!chosen))
  all_open <- is.na(source$names$end)
  chosen$end_given <- if (all_open) chosen$start_given else rlang::sym(source$names$end)
  chosen$is_open <- if (all_open) 1L else open_condition(source)
  spans <- dplyr::transmute(source$table, !!!chosen)
  if (is.null(source$until)) return(spans)
  end <- as_date(source$until + !source$end_counts)
  if (source$kinds[["end"]] == "texts") end <- format(end)
  dplyr::mutate(spans, end_given = dplyr::case_when(.data$is_open == 1L ~ !!end,
                                                    TRUE ~ .data$end_given))
}

# Spans without an end run through the as-of date, which counts.
ended_in_database <- function(x) {
  if (facts_of(x)$open == 0) return(x)
  if (in_shards(x)) return(spans_in_shards(lapply(engine_of(x)$shards, ended_in_database)))
  source <- engine_of(x)$source
  source$until <- about(x)$as_of_stop - 1L
  source <- with_further_days(source, source$until + 0:1)
  facts <- facts_of(x)
  facts$open <- 0L
  # They reached through the as-of date before; now that is known.
  facts$last_known <- facts$last
  conventions <- conventions_of(x)
  conventions$engine <- database_engine(source, facts)
  new_spans(plain_tibble(x), conventions, integer())
}

open_condition <- function(source) {
  end <- rlang::sym(source$names$end)
  blank <- if (source$kinds[["end"]] == "texts") c("", source$open) else source$open
  one_of <- if (length(blank) > 0) rlang::exprs(!!end %in% !!blank ~ 1L)
  rlang::expr(dplyr::case_when(is.na(!!end) ~ 1L, !!!one_of, TRUE ~ 0L))
}

joined_days <- function(spans, days, source, side, told, wanted) {
  given <- paste0(side, "_given")
  if (has_numbers_of_days(source, side) && all(wanted %in% c("number", names(told)))) {
    number <- names(wanted)[1]
    spans <- dplyr::mutate(spans, !!number := !!number_of_day(source, given))
    further <- lapply(told[wanted[-1]], told_by_number, number)
    return(dplyr::mutate(spans, !!!stats::setNames(further, names(wanted)[-1])))
  }
  by <- if (source$kinds[[side]] == "dates") "date" else "text"
  own <- dplyr::transmute(days, !!given := .data[[by]], !!!rlang::syms(wanted))
  dplyr::left_join(spans, own, by = given)
}

# How the columns of the two tables of a join are called: "LHS" and "RHS".
sides_in_sql <- function(con) {
  function(table, column) {
    dbplyr::build_sql(dbplyr::ident(table), ".", dbplyr::ident(column), con = con)
  }
}

# The days of texts; NA where one is none.
days_of_texts <- function(texts) {
  read <- read_iso_text(texts)
  ifelse(read$kind == 1L, read$day, NA)
}

# What came into the table after it was declared may lie beyond the days that are known, and would
# be lost in silence.
refuse_changed <- function(x, spans) {
  there <- rlang::expr(.data$start <= .data$stop)
  # One that is to end on a day may begin after it.
  if (!is.null(engine_of(x)$source$until)) there <- rlang::expr(!!there | .data$is_open == 1L)
  found <- fetched_totals(x, spans, "Are these the records that were declared?",
                          records = dplyr::n(),
                          placed = sum(dplyr::case_when(!!there ~ 1L, TRUE ~ 0L), na.rm = TRUE),
                          entry = as.character(dbplyr::remote_name(spans)))
  more <- others_set_aside(engine_of(x)$source)
  placed <- found$records == 0 || found$placed == found$records
  if (more || !placed || found$records != facts_of(x)$records) refuse_as_changed()
}

refuse_as_changed <- function() {
  looked <- in_r("{.fn spans}", "the command")
  ridge_abort(c(paste("The table is not what it was when", looked, "looked at it."),
                i = "Declare the records again."), "engine", arg = "x")
}

# Is it another number of records that cannot be used?
others_set_aside <- function(source) {
  if (is.null(source$aside)) return(FALSE)
  found <- fetched_totals(source, source$aside, "Are these the records that were set aside?",
                          records = dplyr::n())
  found$records != source$aside_count
}

#' @export
facts_of.ridge_database <- function(x) {
  engine_of(x)$facts
}

#' @export
groups_of.ridge_database <- function(x, names) {
  if (length(names) == 0) {
    return(list(names = names, codes = NULL, size = 1L, values = list()))
  }
  kept <- engine_of(x)$kept
  entry <- paste(c("group", names), collapse = "\r")
  if (is.null(kept[[entry]]) || !is.null(statement_log$kept)) {
    values <- fetched(x, dplyr::distinct(dplyr::transmute(
      engine_of(x)$source$table, !!!stats::setNames(rlang::syms(names), names))), "The groups")
    kept[[entry]] <- list(names = names, codes = NULL, size = length(values[[1]]),
                          values = slice_all(values, code_values(values)$rows))
  }
  kept[[entry]]
}

# Columns of the records under names of ours.
numbered_names <- function(what, names) {
  names <- as.character(names)
  stats::setNames(names, sprintf("%s_%d", rep(what, length(names)), seq_along(names)))
}

# The place of the group of each row of an answer, from 1.
places_of_groups <- function(found, groups) {
  if (length(groups$names) == 0) {
    return(rep(1L, length(found[[1]])))
  }
  own <- found[names(numbered_names("group", groups$names))]
  group_places(stats::setNames(own, groups$names), groups$values)
}

#' @export
codes_of.ridge_database <- function(x, names) refuse_in_database("This question")

#' @export
flow_rows_of.ridge_database <- function(x, axis, groups, of, returns) {
  refuse_in_database(arg_set("show", "routes"))
}

#' @export
minus_of.ridge_database <- function(x, less) refuse_in_database(arg_name("less"))

#' @export
slices_of.ridge_database <- function(x, axis, rule, of, columns) refuse_in_database("A scaffold")

#' @export
pairs_of.ridge_database <- function(x, y, per, differing, least, way_out) {
  refuse_in_database("A list of pairs")
}

#' @export
reach_of.ridge_database <- function(x) refuse_in_database("This question")
