#' How much time lies in each period
#'
#' The time of each span that falls into each period: per record, by group or in
#' all. Midnights, month ends and clock changes cut it where they are, so a watch
#' over a clock change has its true hours on each side.
#'
#' Time is counted record by record: of two records of a key at once both count.
#' Open spans run through the as-of date. A window only hides, and the line of
#' conventions says how much lies outside. Spans on days have 24 hours a day.
#'
#' @param x A [spans()] object.
#' @param by A grain such as `"month"` (the default) or a table of periods: see
#'   [periods()].
#' @param group The columns to total by, or `NULL`: a row per record and period.
#' @param unit `"seconds"`, `"minutes"`, `"hours"` (the default), `"days"` or
#'   `"weeks"`: also the name of the column.
#' @param calendar Where weeks and years start. Where it has hours, only working
#'   time counts, and the column is `working_hours`, say.
#' @param bands `NULL`, or a named list of ranges of the clock, such as
#'   `list(night = c("22:00", "06:00"), weekend = c("Saturday", "Sunday"))`: for each
#'   a column, `night_hours`, with the part of the time in it. Weekdays are civil
#'   days. A list of such ranges is one band: what is in any of them. Bands may
#'   overlap; then an hour is in both.
#' @param carry Columns of the records to carry along; `NULL` for none.
#' @param total `TRUE`: also the line over all groups; without groups only it.
#' @param day_hours How many hours make a day: see [elapsed()].
#' @param from,to The first and last day of the window; `NULL`: all that the records
#'   know of.
#' @param whole,label As in [active()].
#' @return A tibble. Per record: `row`, the key, what is carried, `period`,
#'   `period_end`, the time and the bands; a row where the span touches the period.
#'   Totals: the group columns, `total` where asked for, `period`, `period_end`, the
#'   time and the bands, 0 where nothing is.
#' @section Errors:
#' A wrong argument is an error of class `ridge_error_argument`, a wrong column of
#' class `ridge_error_column`, a result too large to hold of class
#' `ridge_error_size`.
#' @examples
#' watches <- fold_labels(demo_records("watches"), kind)
#' kept <- between_clocks(watches$watch_date, watches$begin, watches$finish,
#'                        tz = "Europe/Vienna")
#' on_watch <- spans(cbind(watches, kept), start, end, key = observer, as_of = "2026-06-30")
#' time_within(on_watch, by = "month", group = kind, from = "2026-03-01", to = "2026-04-30",
#'         bands = list(night = c("22:00", "06:00"), weekend = c("Saturday", "Sunday")))
#' # The nights in which the clocks change: 22:00 to 06:00 are 7 and 9 hours.
#' nights <- data.frame(from = c("2026-03-28 22:00", "2026-10-24 22:00"),
#'                      to = c("2026-03-29 06:00", "2026-10-25 06:00"))
#' time_within(spans(nights, from, to, tz = "Europe/Vienna", as_of = "2026-12-31"), by = "day")
#' @export
time_within <- function(x, by = "month", group = NULL, unit = "hours",
                        calendar = calendar_rules(), bands = NULL, carry = NULL, total = FALSE,
                        day_hours = 24, from = NULL, to = NULL, whole = NULL, label = NULL) {
  check_spans_class(x, "time_within")
  unit_seconds(unit, day_hours)
  check_flag(total, "total")
  check_label(label)
  check_calendar(calendar)
  check_bands(bands)
  names <- time_names(unit, calendar, bands)
  results <- c("row", "period", "period_end", "label", "total", names)
  group <- pick_groups(x, rlang::enquo(group), results, "time_within")
  carry <- pick_carried(x, rlang::enquo(carry), results, "time_within")
  by <- rlang::enquo(by)
  axis <- ask_axis(x, resolve_by(by, x), facts_of(x), from, to, whole, calendar)
  by <- rlang::eval_tidy(by)
  answer_time(x, new_question("time_within", list(group = group, carry = carry), axis = axis,
                              names = names))
}

time_names <- function(unit, calendar, bands) {
  c(paste0(if (!is.null(calendar$hours)) "working_", unit),
    if (length(bands)) paste0(names(bands), "_", unit))
}

answer_time <- function(x, question) {
  asked <- question$arguments
  axis <- question$axis
  to_totals <- length(asked$group) > 0 || asked$total
  if (!to_totals && in_database(x)) return(list_at_hand(x, question, answer_time))
  measured <- time_measured(x, asked, axis)
  if (!to_totals) {
    columns <- time_rows(x, question, measured)
    words <- describe_time(x, question, columns[[question$names[1]]], measured, to_totals)
    return(new_records(question, x, columns, words, values = question$names,
                       class = "ridge_amounts", ids = c("row", about(x)$names$key, asked$carry),
                       title = question$names[1]))
  }
  groups <- groups_of(x, asked$group)
  total <- asked$total && length(asked$group) > 0
  check_lines_fit(groups, total, axis, 2 + length(question$names), "This table")
  times <- lapply(measured, function(measure) time_totals(x, question, groups, measure, total))
  own <- utils::head(times[[1]], groups$size * if (is.null(axis)) 0 else axis_size(axis))
  words <- describe_time(x, question, own, measured, to_totals)
  measures <- stats::setNames(lapply(times, new_measure, TRUE, TRUE), question$names)
  new_by_period(question, x, groups, measures, words, title = gsub("_", " ", question$names[1]),
                total = total, class = "ridge_amounts")
}

# What is measured: all time (NULL) or working time, then what of it is in bands; each as
# stretches of seconds.
time_measured <- function(x, asked, axis) {
  calendar <- asked$calendar
  if (is.null(calendar$hours) && is.null(asked$bands) || is.null(axis)) {
    return(rep(list(NULL), 1 + length(asked$bands)))
  }
  timeline <- timeline_of(x)
  facts <- facts_of(x)
  known <- range(in_seconds(c(facts$first_tick, facts$stop_tick), timeline),
                 in_seconds(c(axis$first, axis$stop), axis$timeline))
  zone <- zone_of(timeline)
  worked <- if (!is.null(calendar$hours)) working_stretches(calendar, known[1], known[2], zone)
  banded <- lapply(names(asked$bands), function(name) {
    band <- band_stretches(asked$bands[[name]], name, known[1], known[2], zone)
    if (is.null(worked)) band else common_stretches(worked, band)
  })
  c(list(worked), banded)
}

time_totals <- function(x, question, groups, measure, total) {
  if (is.null(question$axis)) {
    return(double())
  }
  asked <- question$arguments
  size <- microseconds * unit_seconds(asked$unit, asked$day_hours)
  over <- spread_over(stretches = measure, clock = TRUE)
  own <- spread_of(x, question$axis, NULL, over, "groups", groups)
  all <- if (total) spread_of(x, question$axis, NULL, over, "groups", groups_of(x, character()))
  c(own, all) / size + 0
}

time_rows <- function(x, question, measured) {
  asked <- question$arguments
  axis <- question$axis
  names <- c(about(x)$names$key, asked$carry)
  if (is.null(axis)) {
    times <- stats::setNames(rep(list(double()), length(question$names)), question$names)
    return(c(list(row = integer()), slice_all(columns_of(x, names), integer()),
             axis_columns(NULL, asked$label), times))
  }
  size <- microseconds * unit_seconds(asked$unit, asked$day_hours)
  found <- lapply(measured, function(measure) {
    spread_of(x, axis, NULL, spread_over(stretches = measure, clock = TRUE), "records")
  })
  record <- found[[1]]$record
  c(list(row = source_rows(x, record)), slice_all(columns_of(x, names), record),
    slice_all(axis_columns(axis, asked$label), found[[1]]$period),
    stats::setNames(lapply(found, function(part) part$counted / size), question$names))
}

describe_time <- function(x, question, shown, measured, to_totals) {
  asked <- question$arguments
  grain <- grain_name(question$axis)
  sentence_of(
    paste0("Time: ", gsub("_", " ", question$names[1]), " ",
           level_words(asked$group, grain, to_totals), ", record by record"),
    if (!is.null(asked$calendar$hours)) working_time_words(asked$calendar),
    day_words(asked$unit, asked$day_hours), hidden_time_words(x, asked, shown, measured[[1]]),
    open_length_words(x), usual_lengths(x))
}

# How much there is in all, and how much of it the window hides.
hidden_time_words <- function(x, asked, shown, counted) {
  all <- seconds_in_all(x, counted) / unit_seconds(asked$unit, asked$day_hours)
  outside <- round(all - sum(shown), 2)
  said <- function(value) {
    format(round(value + 0, 2), nsmall = 2, big.mark = ",", scientific = FALSE, trim = TRUE)
  }
  paste0(said(all), " ", asked$unit, " in all",
         if (outside != 0) paste0(", ", said(outside), " outside the window"))
}

seconds_in_all <- function(x, counted) {
  if (in_parts(x)) {
    return(over_parts(x, NULL, NULL, function(part, i) seconds_in_all(part, counted), `+`))
  }
  if (in_database(x)) {
    return(in_seconds(days_in_database(x), timeline_of(x)))
  }
  ticks <- lapply(through_as_of(record_ticks(x), x), in_seconds, timeline_of(x))
  sum(if (is.null(counted)) ticks$stop - ticks$start
      else clock_between(ticks$start, ticks$stop, counted$open, counted$close))
}

#' @export
sentences.ridge_time_within <- function(object) {
  value <- about(object)$question$names[1]
  amount_sentences(object, value, paste("Time in", gsub("_", " ", value)))
}

# Every measure: its sum, and each row or cell.
#' @export
source_checks.ridge_time_within <- function(result, x) {
  made <- about(result)
  asked <- made$question$arguments
  if (is.null(made$axis) || axis_size(made$axis) == 0) {
    return(list())
  }
  plain <- as.data.frame(lapply(plain_lengths(x)[c("start", "stop")], in_seconds, made$timeline))
  edges <- lapply(made$axis[c("first", "stop")], in_seconds, made$axis$timeline)
  measured <- time_measured(x, asked, made$axis)
  unlist(lapply(seq_along(measured), function(i) {
    seconds <- plain_time(measured[[i]])
    name <- made$question$names[i]
    c(if (is_whole(result)) list(time_sum_check(result, plain, edges, seconds, name)),
      if (inherits(result, "ridge_by_period")) time_cells(result, x, plain, edges, seconds, name)
      else time_row_checks(result, x, plain, edges, seconds, name))
  }), recursive = FALSE)
}

time_sum_check <- function(result, plain, edges, seconds, name) {
  asked <- about(result)$question$arguments
  unit <- unit_seconds(asked$unit, asked$day_hours)
  window <- c(edges$first[1], edges$stop[length(edges$stop)])
  within <- function(at) pmin(pmax(at, window[1]), window[2])
  all <- sum(seconds(plain$start, plain$stop))
  inside <- sum(seconds(within(plain$start), within(plain$stop)))
  tie(paste(gsub("_", " ", name), "in the periods + outside the window = lengths of the spans"),
      all / unit, sum(result[[name]][own_rows(result)]) + (all - inside) / unit,
      1e-9 * max(1, all / unit))
}

# The time in every period of every group, added up once more.
time_cells <- function(result, x, plain, edges, seconds, name) {
  made <- about(result)
  asked <- made$question$arguments
  own <- !is_total_line(made)
  time <- plain_parts(plain, plain_lines(x, made$groups), sum(own), edges, function(rows, place) {
    seconds(pmax(plain$start[rows], edges$first[place]), pmin(plain$stop[rows], edges$stop[place]))
  })
  expected <- time / unit_seconds(asked$unit, asked$day_hours)
  if (any(!own)) expected <- cbind(expected, rowSums(expected))
  cells <- cell_matrix(result, name)
  cell_checks(gsub("_", " ", name), matrix(expected, nrow(cells)), cells, FALSE)
}

time_row_checks <- function(result, x, plain, edges, seconds, name) {
  made <- about(result)
  asked <- made$question$arguments
  what <- gsub("_", " ", name)
  if (!all(c("row", "period") %in% names(result))) {
    return(not_proven(what, "the columns that name its rows are gone"))
  }
  slices <- plain_slices(plain$start, plain$stop, edges)
  time <- seconds(slices$start, slices$stop) / unit_seconds(asked$unit, asked$day_hours)
  expected <- data.frame(row = slices$unit, place = slices$place, time = time)
  found <- data.frame(row = match(result$row, about(x)$rows),
                      place = period_places(result$period, made$axis), time = result[[name]])
  row_checks(what, expected, found, is_whole(result), near = "time")
}
