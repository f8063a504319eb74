# Lines: the records of one key behind each other, or of other columns (`per`),
# or all together; in each line by start.

pick_per <- function(x, quo, results, arg = "per") {
  if (rlang::quo_is_missing(quo)) {
    return(about(x)$names$key)
  }
  plain <- plain_tibble(x)
  names <- pick_columns(plain, quo, arg)
  for (name in names) check_plain_column(plain[[name]], name, arg)
  names
}

check_free_names <- function(names, results, verb) {
  taken <- intersect(names, results)
  if (length(taken) > 0) {
    ridge_abort(c("{.fn {verb}} has a column {.val {taken[1]}} of its own.",
                  i = "Rename the column of the records before {.fn spans}."), "column")
  }
}

# Ticks and line codes in line order, which record of x each is (`order`), and
# the values of each line. Sorted once for a spans object.
line_index <- function(x, names) {
  key <- about(x)$names$key
  columns <- as.list(plain_tibble(x))[names]
  index <- span_index(x)
  if (length(key) > 0 && identical(names, key)) {
    return(list(start = index$start, stop = index$stop, line = index$key, order = index$order, names = names,
                values = lapply(columns, vctrs::vec_slice, index$key_rows)))
  }
  store <- about(x)$store
  cached <- paste(c("lines", names), collapse = "\r")
  if (is.null(store[[cached]]) || !same_columns(x, names, store[[cached]]$held)) {
    store[[cached]] <- build_lines(x, columns, index)
  }
  store[[cached]]
}

build_lines <- function(x, columns, index) {
  start <- in_own_order(index$start, x)
  stop <- in_own_order(index$stop, x)
  coded <- if (length(columns) > 0) code_values(columns) else list(codes = integer(nrow(x)), size = 1L, rows = integer())
  order <- order_records(start, coded$codes, coded$size)
  list(start = start[order], stop = stop[order], line = if (length(columns) > 0) coded$codes[order], order = order,
       names = names(columns), values = lapply(columns, vctrs::vec_slice, coded$rows), held = columns)
}

line_values <- function(lines, line) {
  lapply(lines$values, vctrs::vec_slice, line + 1L)
}

per_words <- function(lines) {
  if (length(lines$names) == 0) "over all records" else paste("per", and_list(lines$names))
}

# Columns of ranges: an open one runs through the as-of date, and one that has
# not begun by then has no length.
range_columns <- function(start, stop, how) {
  open <- is_open_stop(stop, how$tz)
  if (any(open)) {
    as_of <- as_of_stop(how)
    stop[open] <- ifelse(start[open] < as_of, as_of, NA)
  }
  length <- stop - start
  length[is.na(stop)] <- 0L
  if (is.null(how$tz)) {
    list(start = as_date(start), end = as_date(stop - 1L), days = as.integer(length), open = open)
  } else {
    list(start = as_instant(start, how$tz), end = as_instant(stop, how$tz), hours = length / 3600, open = open)
  }
}

as_of_stop <- function(how) {
  if (is.null(how$tz)) how$as_of_day + 1L else how$as_of
}

# Working days before each day, from the first to the last that the spans know.
working_table <- function(x, calendar, further = NULL) {
  if (is.null(calendar)) {
    return(NULL)
  }
  check_calendar(calendar)
  if (!is.null(about(x)$tz)) {
    ridge_abort(c("{.arg calendar}: working days are of spans on days; these are on instants.",
                  i = "Leave it out, or turn the columns into dates with {.fn as.Date}."), "argument")
  }
  facts <- span_facts(x)
  known <- c(facts$first, facts$last, facts$last_known, about(x)$as_of_day, further)
  from <- min(known) - 1L
  list(before = working_days_before(from, max(known) + 2L, calendar), origin = from)
}

# How many working days there are before each day of a range, within it.
working_days_before <- function(from, to, calendar) {
  c(0L, cumsum(is_working_day(from:to, calendar)))
}

working_between <- function(table, start, stop) {
  table$before[stop - table$origin + 1L] - table$before[start - table$origin + 1L]
}

with_working_days <- function(columns, table) {
  if (is.null(table)) {
    return(columns)
  }
  start <- as.integer(columns$start)
  end <- as.integer(columns$end)
  working <- ifelse(is.na(end), 0L, working_between(table, start, end + 1L))
  append(columns, list(working_days = as.integer(working)), after = match("days", names(columns)))
}

calendar_words <- function(calendar) {
  if (is.null(calendar)) {
    return(NULL)
  }
  off <- if (length(calendar$weekend)) paste(weekend_words(calendar), "off") else "no weekend"
  paste0("working days (", off, ", ", holiday_words(calendar), ")")
}

check_amount <- function(value, arg, whole = FALSE) {
  if (!rlang::is_scalar_double(value) && !rlang::is_scalar_integer(value) || is.na(value) || value < 0 || (whole && value != round(value))) {
    ridge_abort("{.arg {arg}} must be {if (whole) 'a whole number' else 'a number'} of 0 or more, not {.val {describe(value)}}.", "argument")
  }
  as.double(value)
}

fresh_name <- function(name, table) {
  utils::tail(make.unique(c(names(table), name), "_"), 1)
}
