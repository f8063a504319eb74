# How a question is put to a database: lazy tables become statements, which begin with the steps
# that they share, and what comes back are plain columns.

# What a lazy table comes to, as a data frame; the statement is kept, for who wants to read it.
fetched <- function(x, table, step) {
  source <- source_asked(x)
  sql <- if (dbplyr::is.sql(table)) table else in_steps(table, source$writer)
  sql <- with_written_steps(sql, source)
  found <- answered(as.list(DBI::dbGetQuery(source$con, sql)), step)
  tell_statement(paste0("-- ", step, "\n", with_few_rows(sql), ";\n-- rows fetched: ",
                        length(found[[1]])))
  lapply(found, function(column) if (inherits(column, "integer64")) as.double(column) else column)
}

source_asked <- function(x) if (inherits(x, "ridge_spans")) engine_of(first_table(x))$source else x

# Counts, sums and extremes of all rows of a table, by name. With an `entry` among the texts of the
# source they are not written again for the next question. dplyr::summarise() comes to the same, but
# words an error for each of them that it does not raise, which takes it longer than all else.
fetched_totals <- function(x, table, step, ..., entry = NULL) {
  source <- source_asked(x)
  sql <- kept_text(source, entry, {
    totals <- lapply(rlang::enquos(...), function(total) {
      rlang::new_quosure(dbplyr::partial_eval(total, table), rlang::quo_get_env(total))
    })
    totals <- dbplyr::translate_sql_(totals, con = source$writer, window = FALSE)
    totals <- dbplyr::escape(totals, parens = FALSE, collapse = ",\n  ", con = source$writer)
    dbplyr::sql(paste0("SELECT\n  ", totals, "\nFROM ", rows_in_sql(table, source$writer)))
  })
  fetched(x, sql, step)
}

# A step by its name, another table as it is written.
rows_in_sql <- function(table, writer) {
  quoted <- function(name) dbplyr::escape(dbplyr::ident(name), con = writer)
  name <- as.character(dbplyr::remote_name(table))
  if (length(name) == 1 && name %in% names(written_steps$texts)) return(quoted(name))
  rows <- gsub("\n", "\n  ", dbplyr::sql_render(table, con = writer), fixed = TRUE)
  paste0("(\n  ", rows, "\n) ", quoted("all_rows"))
}

answered <- function(code, step) {
  tryCatch(code, error = function(cnd) {
    ridge_abort(c("The database did not answer: {database_words(cnd)}",
                  i = "This was asked for: {step}."), "engine", value = conditionMessage(cnd))
  })
}

# What a driver has to say, in a line.
database_words <- function(cnd) {
  said <- c(conditionMessage(cnd), if (!is.null(cnd$parent)) conditionMessage(cnd$parent))
  # By ODBC the whole statement comes behind it.
  said <- sub("[^[:alnum:]]*<SQL>.*", "", cli::ansi_strip(said[length(said)]))
  trimws(gsub("[[:space:]]+", " ", sub("^! ", "", said)))
}

# A statement to be read: of rows and lists that are written into it the first ones and the last.
with_few_rows <- function(sql) {
  lines <- strsplit(with_short_lists(sql), "\n", fixed = TRUE)[[1]]
  runs <- rle(grepl("^ +[(].*[)],?$", lines))
  last <- cumsum(runs$lengths)
  long <- which(runs$values & runs$lengths > 5)
  for (run in rev(long)) {
    hidden <- seq(last[run] - runs$lengths[run] + 3L, last[run] - 1L)
    indent <- sub("[(].*", "", lines[hidden[1]])
    lines <- append(lines[-hidden], paste0(indent, "-- and ", count_of(length(hidden), "more row")),
                    hidden[1] - 1L)
  }
  paste(lines, collapse = "\n")
}

with_short_lists <- function(sql) {
  found <- gregexpr("ARRAY\\[(-?[0-9]+, ){5,}-?[0-9]+\\]", sql)
  regmatches(sql, found) <- list(vapply(regmatches(sql, found)[[1]], function(list) {
    numbers <- strsplit(list, ", ", fixed = TRUE)[[1]]
    paste0(paste(numbers[1:2], collapse = ", "), ", /* and ",
           count_of(length(numbers) - 3L, "more number"), " */ ", numbers[length(numbers)])
  }, ""))
  sql
}

# Each step by a name of its own, one below the other: easier to read, and not as deep as some
# databases can't follow. How that is asked for depends on the version.
in_steps <- function(table, writer) {
  newer <- "sql_options" %in% getNamespaceExports("dbplyr")
  how <- if (newer) list(sql_options = getExportedValue("dbplyr", "sql_options")(cte = TRUE))
  else list(cte = TRUE)
  # A table alone has no steps, over which one of them stumbles.
  tryCatch(rlang::inject(dbplyr::sql_render(table, con = writer, !!!how)),
           error = function(cnd) dbplyr::sql_render(table, con = writer))
}

# A table made in several steps as a step by a name of its own: dbplyr then need not write them for
# each statement again, which takes it longer than the database takes to answer. With an `entry`
# it is not even made again for another question.
as_step <- function(table, what, source, entry = NULL) {
  step <- kept_text(source, entry, list(
    columns = colnames(table), text = dbplyr::sql_render(table, con = source$writer)))
  name <- paste0("ridge_", what, "_", length(written_steps$texts) + 1L)
  written_steps$texts[[name]] <- step$text
  if (inherits(source$table, "tbl_sql")) {
    return(dplyr::tbl(source$con, dbplyr::ident(name), vars = step$columns))
  }
  columns <- stats::setNames(rep(list(logical()), length(step$columns)), step$columns)
  dbplyr::tbl_lazy(tibble::new_tibble(columns, nrow = 0L), con = source$con, name = name)
}

# What was written for these very records before, by an entry; `made` is looked at only where it
# wasn't.
kept_text <- function(source, entry, made) {
  theirs <- identical(source$texts$about, source[c("table", "until")])
  if (length(entry) == 0 || !theirs) return(made)
  if (is.null(source$texts[[entry]])) source$texts[[entry]] <- made
  source$texts[[entry]]
}

# Those of the question that is being asked, by name.
written_steps <- new.env(parent = emptyenv())

# A statement behind the steps that it, or another one of them, is about.
with_written_steps <- function(sql, source) {
  force(sql)
  steps <- written_steps$texts
  used <- rep(FALSE, length(steps))
  for (i in rev(seq_along(steps))) {
    quoted <- as.character(dbplyr::escape(dbplyr::ident(names(steps)[i]), con = source$writer))
    used[i] <- any(grepl(quoted, c(sql, unlist(steps[used])), fixed = TRUE))
    names(steps)[i] <- quoted
  }
  if (!any(used)) return(sql)
  first <- paste0(names(steps)[used], " AS (\n", unlist(steps[used]), "\n)", collapse = ",\n")
  paste0("WITH ", first, if (startsWith(sql, "WITH ")) ",\n" else "\n", sub("^WITH ", "", sql))
}

# The same for a table that is asked again and again: its steps are written out in each statement.
in_one_piece <- function(table, source) {
  dplyr::tbl(source$con, dbplyr::sql_render(table, con = source$writer), vars = colnames(table))
}

# Where the statements of a question are gathered, while that is wanted.
statement_log <- new.env(parent = emptyenv())

tell_statement <- function(text) {
  if (!is.null(statement_log$kept)) statement_log$kept <- c(statement_log$kept, text)
}

# The statements that a question runs.
statements_of <- function(question, x) {
  statement_log$kept <- character()
  on.exit(statement_log$kept <- NULL)
  ask_again(question, x)
  unique(statement_log$kept)
}
