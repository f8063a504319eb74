# How long records in a database took: those alike in group, period and length are counted there.

#' @export
lengths_of.ridge_database <- function(x, groups, axis, calendar, by_start) {
  source <- engine_of(x)$source
  columns <- numbered_names("group", groups$names)
  at <- measured_by_day(x, axis, calendar)
  found <- with_days(source, columns, more = at$more, at_start = at$at_start, at_end = at$at_end,
                     f = function(spans, days) {
    refuse_changed(x, spans)
    counted <- lengths_in_sql(spans, names(columns), axis, calendar, by_start)
    counted <- dplyr::group_by(counted, !!!rlang::syms(colnames(counted)))
    fetched(x, dplyr::summarise(counted, records = dplyr::n(), .groups = "drop"),
            "How many took how long")
  })
  seconds <- if (is.null(calendar)) in_seconds(as.double(found$length), timeline_of(x))
  else as.double(found$length)
  each <- list(value = seconds, line = places_of_groups(found, groups))
  each$place <- if (is.null(axis)) rep(1L, length(seconds)) else na_if_none(found$place)
  each[c("from", "till")] <- found[c("from_end", "till_end")]
  lapply(each[!vapply(each, is.null, NA)], rep, found$records)
}

# What the table of days says of the starts and the ends of records: where they count, and how much
# working time lies before them.
measured_by_day <- function(x, axis, calendar) {
  source <- engine_of(x)$source
  ends <- counts_last_day(source)
  # Since the first day of all.
  worked <- function(number) {
    first <- rep(source$days[1], length(number))
    seconds <- lapply(list(first, number), function(at) in_seconds(as.double(at), timeline_of(x)))
    working_seconds(seconds[[1]], seconds[[2]], calendar, zone_of(timeline_of(x)))
  }
  more <- function(number) {
    c(if (!is.null(calendar)) {
        list(worked_before = worked(number), worked_through = worked(number + ends))
      },
      if (!is.null(axis)) {
        list(first_in = none_if_na(place_inside(number, axis)),
             last_in = none_if_na(place_inside(number + ends - 1L, axis)),
             starts_before = ends_before(number + 1L, axis),
             stops_before = ends_before(number + ends, axis))
      })
  }
  list(more = more,
       at_start = c(if (!is.null(calendar)) c(worked_start = "worked_before"),
                    if (!is.null(axis)) c(start_in = "first_in", from_end = "starts_before")),
       at_end = c(if (!is.null(calendar)) c(worked_stop = "worked_through"),
                  if (!is.null(axis)) c(stop_in = "last_in", till_end = "stops_before")))
}

none_if_na <- function(place) replace(place, is.na(place), 0L)
na_if_none <- function(place) replace(as.integer(place), place == 0, NA)

# By record: the columns of its group, its length (NULL: no end yet), and where it counts.
lengths_in_sql <- function(spans, groups, axis, calendar, by_start) {
  open <- rlang::expr(.data$stop == !!never(day_timeline()))
  length <- if (is.null(calendar)) quote(.data$stop - .data$start)
  else quote(.data$worked_stop - .data$worked_start)
  length <- rlang::expr(dplyr::case_when(!(!!open) ~ !!length))
  groups <- rlang::syms(groups)
  if (is.null(axis)) return(dplyr::transmute(spans, !!!groups, length = !!length))
  place <- if (by_start) quote(.data$start_in)
  else rlang::expr(dplyr::case_when(!!open ~ 0L, .data$start == .data$stop ~ .data$start_in,
                                    TRUE ~ .data$stop_in))
  ends <- if (!by_start) {
    rlang::exprs(from_end = .data$from_end,
                 till_end = dplyr::case_when(!!open ~ !!(axis_size(axis) + 1L),
                                             TRUE ~ .data$till_end))
  }
  dplyr::transmute(spans, !!!groups, length = !!length, place = !!place, !!!ends)
}
