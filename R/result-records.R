# A result of records has a row per record, or per record and period: its row in the
# source, the key, what is carried along. It knows the columns that name a row and, of
# measures by period, whether they may be added up.

new_records <- function(question, x, columns, conventions, values = character(), ids = NULL,
                        nrow = NULL, ..., class = NULL) {
  ids <- intersect(ids %||% c("row", about(x)$names$key), names(columns))
  new_result(columns, question, x, conventions, values = values, nrow = nrow, ...,
             class = c(class, "ridge_records"), ids = ids, axis = question$axis,
             timeline = timeline_of(x),
             adds = stats::setNames(rep(list(c(periods = TRUE, groups = TRUE)), length(values)),
                                    values))
}

# Is it a list of who is behind the numbers, in place of the numbers?
is_listed <- function(result) {
  identical(about(result)$question$arguments$show, "records")
}

# Each record with its key and its length, in the order of the records.
record_lengths <- function(x, verb) {
  key <- about(x)$names$key
  check_free_names(key, c("row", "start", "end", "days", "hours", "open", "working_days"), verb)
  ticks <- record_ticks(x)
  c(list(row = about(x)$rows), columns_of(x, key), range_columns(ticks$start, ticks$stop, x))
}

# The rows in the source of records given by their places.
source_rows <- function(x, places) {
  # In parts they are rows already.
  if (in_parts(x)) places else about(x)$rows[places]
}
