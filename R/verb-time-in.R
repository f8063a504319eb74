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
#' @param from,to,whole,label As in [active()].
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
#' kept <- shift_times(watches$watch_date, watches$begin, watches$finish, tz = "Europe/Vienna")
#' on_watch <- spans(cbind(watches, kept), start, end, key = observer, as_of = "2026-06-30")
#' time_in(on_watch, by = "month", group = kind, from = "2026-03-01", to = "2026-04-30",
#'         bands = list(night = c("22:00", "06:00"), weekend = c("Saturday", "Sunday")))
#' # The nights in which the clocks change: 22:00 to 06:00 are 7 and 9 hours.
#' nights <- data.frame(from = c("2026-03-28 22:00", "2026-10-24 22:00"),
#'                      to = c("2026-03-29 06:00", "2026-10-25 06:00"))
#' time_in(spans(nights, from, to, tz = "Europe/Vienna", as_of = "2026-12-31"), by = "day")
#' @export
time_in <- function(x, by = NULL, group = NULL, unit = "hours", calendar = calendar_rules(), bands = NULL,
                    carry = NULL, total = FALSE, day_hours = 24, from = NULL, to = NULL, whole = NULL, label = NULL) {
  UseMethod("time_in")
}

#' @export
time_in.default <- function(x, ...) {
  check_spans_class(x, "time_in")
}

#' @export
time_in.ridge_spans <- function(x, by = NULL, group = NULL, unit = "hours", calendar = calendar_rules(), bands = NULL,
                                carry = NULL, total = FALSE, day_hours = 24, from = NULL, to = NULL, whole = NULL, label = NULL) {
  check_spans_class(x, "time_in")
  size <- unit_seconds(unit, day_hours)
  check_flag(total, "total")
  check_label(label)
  check_calendar(calendar)
  check_bands(bands)
  names <- c(paste0(if (!is.null(calendar$hours)) "working_", unit), if (length(bands)) paste0(names(bands), "_", unit))
  results <- c("row", "period", "period_end", "label", "total", names)
  groups <- group_codes(x, pick_groups(x, rlang::enquo(group), results))
  carry <- pick_carried(x, rlang::enquo(carry), "records")
  check_free_names(c(carry, about(x)$names$key), results, "time_in")
  axis <- resolve_axis(x, resolve_by(rlang::enquo(by), x, "month"), from, to, whole, calendar)
  how <- list(names = names, size = size, label = label, total = total, carry = carry)
  to_totals <- length(groups$names) > 0 || total
  measures <- time_measures(x, calendar, bands, axis)
  columns <- if (is.null(axis)) no_time(x, how, groups, to_totals)
  else if (to_totals) total_time(x, axis, groups, how, measures)
  else record_time(x, axis, how, measures)
  new_result(columns, "time_in", describe_time(x, axis, groups, how, columns, to_totals, calendar, unit, day_hours, measures),
             axis = axis, groups = groups$names, to_totals = to_totals, label = label, value = names, source = x,
             ids = if (to_totals) groups$names else c("row", about(x)$names$key, carry),
             calendar = calendar, bands = bands, unit = unit, day_hours = day_hours)
}

# Spans as seconds, open ones through the as-of date; those that begin later are
# empty.
clock_ticks <- function(x, index) {
  how <- about(x)
  open <- is_open_stop(index$stop, how$tz)
  stop <- index$stop
  if (any(open)) stop[open] <- pmax(index$start[open], as_of_stop(how))
  scale <- if (is.null(how$tz)) 86400 else 1
  list(start = scale * as.double(index$start), stop = scale * as.double(stop), order = index$order)
}

# What is measured: all time (NULL) or working time, then what of it is in bands.
time_measures <- function(x, calendar, bands, axis) {
  facts <- span_facts(x)
  if (is.null(calendar$hours) && is.null(bands) || is.null(axis)) {
    return(list(NULL))
  }
  tz <- zone_of(about(x)$tz)
  ticks <- clock_ticks(x, span_index(x))
  scale <- if (is.null(axis$tz)) 86400 else 1
  known <- range(c(ticks$start, ticks$stop, scale * axis$first, scale * axis$stop))
  worked <- if (!is.null(calendar$hours)) working_stretches(calendar, known[1], known[2], tz)
  banded <- lapply(names(bands), function(name) {
    band <- band_stretches(bands[[name]], name, known[1], known[2], tz)
    if (is.null(worked)) band else common_stretches(worked, band)
  })
  c(list(worked), banded)
}

total_time <- function(x, axis, groups, how, measures) {
  ticks <- clock_ticks(x, span_index(x))
  layout <- clock_axis(axis)
  sums <- lapply(measures, function(measure) {
    lines <- function(codes, size) spread_totals(ticks$start, ticks$stop, NULL, codes, size, layout$first, layout$stop, 0L,
                                                 axis_size(axis), measure, FALSE, FALSE) / (1e6 * how$size)
    total_lines(axis, groups, how, lines)
  })
  columns <- sums[[1]]
  columns$amount <- NULL
  c(columns, stats::setNames(lapply(sums, `[[`, "amount"), how$names))
}

clock_axis <- function(axis) {
  scale <- if (is.null(axis$tz)) 86400 else 1
  list(first = scale * as.double(axis$first), stop = scale * as.double(axis$stop))
}

record_time <- function(x, axis, how, measures) {
  index <- ordered_index(x)
  ticks <- clock_ticks(x, index)
  layout <- clock_axis(axis)
  rows <- spread_size(ticks$start, ticks$stop, layout$first, layout$stop, 0L, axis_size(axis))
  check_fits(rows, 8 * (6 + length(how$carry) + length(measures)), "This list",
             "Total it with `group`, choose a coarser `by` or a narrower window.")
  found <- lapply(measures, function(measure) {
    spread_rows(ticks$start, ticks$stop, NULL, layout$first, layout$stop, 0L, axis_size(axis), measure, FALSE, FALSE, rows)
  })
  record <- index$order[found[[1]]$record]
  plain <- as.list(plain_tibble(x))[c(about(x)$names$key, how$carry)]
  c(list(row = about(x)$rows[record]), lapply(plain, vctrs::vec_slice, record),
    lapply(axis_columns(axis, how$label), vctrs::vec_slice, found[[1]]$period),
    stats::setNames(lapply(found, function(part) part$counted / (1e6 * how$size)), how$names))
}

no_time <- function(x, how, groups, to_totals) {
  plain <- as.list(plain_tibble(x))[c(about(x)$names$key, how$carry)]
  ids <- if (to_totals) groups$values else c(list(row = integer()), plain)
  times <- stats::setNames(rep(list(double()), length(how$names)), how$names)
  c(lapply(ids, vctrs::vec_slice, integer()), no_periods(how$label), times)
}

describe_time <- function(x, axis, groups, how, columns, to_totals, calendar, unit, day_hours, measures) {
  grain <- if (is.null(axis)) "period" else axis$grain$name
  level <- if (!to_totals) paste("per record and", grain)
  else if (length(groups$names)) paste("per", and_list(groups$names), "and", grain) else paste("in all per", grain)
  words <- c(paste0("Time: ", gsub("_", " ", how$names[1]), " ", level, ", record by record"),
             if (!is.null(calendar$hours)) working_time_words(calendar), day_words(unit, day_hours),
             hidden_time_words(x, how, columns, measures, unit), open_length_words(x), usual_lengths(x))
  paste0(paste(words, collapse = "; "), ".")
}

# How much there is in all, and how much of it the window hides.
hidden_time_words <- function(x, how, columns, measures, unit) {
  ticks <- clock_ticks(x, span_index(x))
  counted <- measures[[1]]
  lengths <- if (is.null(counted)) ticks$stop - ticks$start else clock_between(ticks$start, ticks$stop, counted$open, counted$close)
  all <- sum(lengths) / how$size
  outside <- round(all - sum(own_lines(columns, how$names[1])), 2)
  shown <- function(value) format(round(value + 0, 2), nsmall = 2, big.mark = ",", scientific = FALSE, trim = TRUE)
  paste0(shown(all), " ", unit, " in all", if (outside != 0) paste0(", ", shown(outside), " outside the window"))
}
