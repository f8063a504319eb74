# A result of ranges has a start, an end and a length in each row, of a partition or a
# group. It knows its timeline, the columns that name a row, and the days to be drawn.

new_ranges <- function(question, x, columns, conventions, names, ..., values = NULL) {
  unit <- length_unit(timeline_of(x))$name
  own <- intersect(c("start", "end", unit, values), names(columns))
  new_result(columns, question, x, conventions, values = own, ..., class = "ridge_ranges",
             names = names, timeline = timeline_of(x), reach = known_days(x))
}

# Columns of ranges: an open one runs through the as-of date, and one that has
# not begun by then has no length.
range_columns <- function(start, stop, x) {
  timeline <- timeline_of(x)
  open <- is_never(stop, timeline)
  if (any(open)) {
    as_of <- about(x)$as_of_stop
    stop[open] <- ifelse(start[open] < as_of, as_of, NA)
  }
  length <- stop - start
  length[is.na(stop)] <- 0L
  c(list(start = as_moments(start, timeline), end = last_of(stop, timeline)),
    length_columns(length, timeline), list(open = open))
}

with_working_days <- function(columns, table) {
  if (is.null(table)) {
    return(columns)
  }
  end <- as.integer(columns$end)
  # What is empty, or has no end that is known, has none.
  some <- which(end >= as.integer(columns$start))
  working <- integer(length(end))
  working[some] <- working_between(table, as.integer(columns$start)[some],
                                   after_last(end[some], day_timeline()))
  append(columns, list(working_days = as.integer(working)), after = match("days", names(columns)))
}

# Working days before each day, from the first to the last that the spans know.
working_table <- function(x, calendar, further = NULL) {
  if (is.null(calendar)) {
    return(NULL)
  }
  check_calendar(calendar)
  need_days(timeline_of(x), paste0(arg_name("calendar"), ": working days need"), "calendar")
  facts <- facts_of(x)
  known <- c(facts$first, facts$last, facts$last_known, about(x)$as_of_day, further)
  from <- min(known) - 1L
  list(before = working_days_before(from, max(known) + 2L, calendar), origin = from)
}

working_between <- function(table, start, stop) {
  table$before[stop - table$origin + 1L] - table$before[start - table$origin + 1L]
}

# The first and last day that a figure of ranges shows.
known_days <- function(x) {
  facts <- facts_of(x)
  if (!is.null(facts$first)) list(from = facts$first, to = facts$last)
}

# A window as days and ticks; NULL where nothing limits what is shown.
ask_window <- function(x, from, to, needed = FALSE) {
  if (is.null(from) && is.null(to) && !needed) {
    return(NULL)
  }
  timeline <- timeline_of(x)
  window <- resolve_window(from, to, NULL, calendar_rules(), facts_of(x), timeline)
  if (is.null(window)) {
    return(NULL)
  }
  ticks <- first_ticks(c(window$from, window$to + 1L), timeline)
  c(window, list(first = ticks[1], stop = ticks[2]))
}

# Ranges cut to the window.
cut_to_window <- function(found, window) {
  if (is.null(window)) {
    return(found)
  }
  found$start <- pmax(found$start, window$first)
  found$stop <- pmin(found$stop, window$stop)
  kept <- which(found$start < found$stop)
  lapply(found, `[`, kept)
}
