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
  ticks <- if (on_days(timeline)) as.integer else as.double
  as_of <- about(x)$as_of_stop
  found <- range_table(ticks(start), ticks(stop), if (is.null(as_of)) NA else as.double(as_of),
                       as_moments(double(), timeline), threads_for(length(start)))
  c(found[c("start", "end")], length_columns(found$length, timeline), found["open"])
}

# What never ends is looked at through the as-of date.
known_stops <- function(steps, x) {
  open <- is_never(steps$stop, timeline_of(x))
  replace(steps$stop, open, pmax(steps$start[open], about(x)$as_of_stop))
}

# Columns of the records on both sides of a range, NA where there is none; of a second table
# those that it has.
carried_beside <- function(x, second, names, a, b, suffixes) {
  side <- function(from, at, suffix) {
    own <- intersect(names, names(from))
    stats::setNames(slice_all(columns_of(from, own), at), paste0(own, rep(suffix, length(own))))
  }
  both <- c(side(x, a, suffixes[1]), side(second, b, suffixes[2]))
  order <- paste0(rep(names, each = 2), rep(suffixes, length(names)))
  both[intersect(order, names(both))]
}

# Each carried value is that of the record that is named on its side.
beside_checks <- function(result, x, second, carry, rows, suffixes) {
  sides <- list(x, second)
  same <- rep(TRUE, nrow(result))
  named <- FALSE
  for (i in 1:2) {
    at <- match(plain_tibble(result)[[rows[i]]], about(sides[[i]])$rows)
    for (name in intersect(carry, names(sides[[i]]))) {
      found <- plain_tibble(result)[[paste0(name, suffixes[i])]]
      if (is.null(found) || !rows[i] %in% names(result)) next
      named <- TRUE
      same <- same & vctrs::vec_equal(found, vctrs::vec_slice(plain_tibble(sides[[i]])[[name]], at),
                                      na_equal = TRUE)
    }
  }
  if (named) list(tie("rows with what their records hold", nrow(result), sum(same)))
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
  window <- resolve_window(from, to, NULL, calendar_rules(), facts_of(x), timeline,
                           about(x)$as_of_day)
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

# The rows of a result of ranges as plain numbers, to be compared with `plain_rows()`: NULL
# where the columns that name a row are gone.
found_rows <- function(result, values, names) {
  if (!all(names %in% names(result)) || !all(c("start", "end") %in% names(result))) {
    return(NULL)
  }
  timeline <- about(result)$timeline
  rows <- data.frame(line = line_of_row(result, values, names), start = as.double(result$start),
                     stop = as.double(result$end) + on_days(timeline))
  rows$open <- result[["open"]]
  rows$length <- result[[length_unit(timeline)$name]]
  rows$working_days <- result[["working_days"]]
  rows
}

line_of_row <- function(result, values, names) {
  if (length(names) == 0) {
    return(rep(1L, nrow(result)))
  }
  vctrs::vec_match(stats::setNames(plain_tibble(result)[names], names(values)), values)
}

# Ranges worked out plainly as they are shown: what is open runs through the as-of date.
plain_rows <- function(ranges, x, worked = NULL, open = TRUE) {
  progress_goes_on()
  never <- is.infinite(ranges$stop)
  until <- about(x)$as_of_stop
  ranges$stop[never] <- ifelse(ranges$start[never] < until, until, NA)
  length <- (ranges$stop - ranges$start) / length_unit(timeline_of(x))$ticks
  rows <- data.frame(line = ranges$line, start = ranges$start, stop = ranges$stop)
  if (open) rows$open <- never
  rows$length <- ifelse(is.na(length), 0, length)
  if (!is.null(worked)) {
    known <- which(!is.na(ranges$stop))
    rows$working_days <- numeric(nrow(rows))
    rows$working_days[known] <- plain_worked(ranges$start[known], ranges$stop[known], worked)
  }
  rows
}

range_checks <- function(what, result, values, names, expected, more = NULL, near = NULL) {
  found <- found_rows(result, values, names)
  if (is.null(found)) {
    return(not_proven(what, "the columns that name its rows are gone"))
  }
  if (!is.null(more)) found[names(more)] <- more
  kept <- intersect(names(expected), names(found))
  row_checks(what, expected[kept], found[kept], is_whole(result), near)
}

# The working days that a calendar gives, as far as anything is known; NULL without one.
worked_days <- function(x, calendar, further = NULL) {
  if (!is.null(calendar) && nrow(x) > 0) {
    plain_working_days(plain_records(x), calendar, c(about(x)$as_of_stop, further))
  }
}
