# What PostgreSQL works out by itself, so that no temporary table is made for it: with one in it a
# statement runs in one process only, without it in as many as the server gives.

# By its own package, or by ODBC.
is_postgres <- function(con) {
  inherits(con, c("PqConnection", "PostgreSQL"))
}

# Redshift is asked by the same package, and keeps no arrays.
has_arrays <- function(con) {
  is_postgres(con) && !inherits(con, "RedshiftConnection")
}

# Between two dates it has their difference as a whole number.
has_numbers_of_days <- function(source, sides = names(source$kinds)) {
  is_postgres(source$con) && is.null(source$named) && all(source$kinds[sides] == "dates")
}

# As in the table of days: of no other day is it known.
number_of_day <- function(source, given) {
  known <- as_date(source$days + 0:1)
  rlang::expr(dplyr::case_when(
    as.Date(.data[[!!given]]) >= !!known[1] & as.Date(.data[[!!given]]) <= !!known[2] ~
      as.Date(.data[[!!given]]) - !!as_date(0)))
}

# Numbers told of days in a row, as the first of them and the days from which on they are one more
# each (`from`; NULL: each day); NULL where they are other numbers, or a longer list.
in_steps_of_one <- function(days, numbers) {
  grown <- diff(numbers)
  if (all(grown == 1L)) return(list(first = numbers[1] - days[1], from = NULL))
  from <- days[-1][grown == 1L]
  if (all(grown %in% 0:1) && length(from) <= 2000) list(first = numbers[1], from = from)
}

# The same as an expression of the column `day`.
told_by_number <- function(told, day) {
  day <- rlang::sym(day)
  if (is.null(told$from)) return(rlang::expr(!!day + !!told$first))
  place <- rlang::call2("width_bucket", day, array_in_sql(told$from))
  rlang::expr(!!told$first + !!place)
}

array_in_sql <- function(numbers) {
  numbers <- format(as.integer(numbers), trim = TRUE, scientific = FALSE)
  dbplyr::sql(paste0("CAST(ARRAY[", paste(numbers, collapse = ", "), "] AS integer[])"))
}

# What is written in several places of a statement is worked out there again, unless rows are
# counted before: by a limit that lets all records pass. PostgreSQL would do without further
# processes then, and needs no more than to be told that it leaves none out.
evaluated_once <- function(spans, source) {
  if (!has_arrays(source$con)) return(utils::head(spans, .Machine$integer.max))
  rows <- dbplyr::sql_render(spans, con = source$writer)
  dplyr::tbl(source$con, dbplyr::sql(paste0(rows, "\nOFFSET NULL")), vars = colnames(spans))
}

# A row for each place from column `from` to column `to`, of those that there are, with the number
# `upto` of the place.
listed_places <- function(spans, from, to, upto, source) {
  quoted <- function(name) as.character(dbplyr::escape(dbplyr::ident(name), con = source$writer))
  sql <- paste0(
    "SELECT *, (", array_in_sql(upto), ")[", quoted("place"), "] AS ", quoted("upto"), "\nFROM (\n",
    dbplyr::sql_render(spans, con = source$writer), "\n) AS ", quoted("ranges"),
    "\nCROSS JOIN LATERAL generate_series(", quoted(from), ", LEAST(", quoted(to), ", ",
    length(upto), ")) AS ", quoted("places"), "(", quoted("place"), ")")
  dplyr::tbl(source$con, dbplyr::sql(sql), vars = c(colnames(spans), "place", "upto"))
}
