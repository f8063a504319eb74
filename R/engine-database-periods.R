# What records in a database answer by period: which periods each span touches is read from the
# table of days; who comes and who goes in each period is summed there, and added up here.

#' @export
levels_of.ridge_database <- function(x, axis, groups, rule, of, values = NULL, ...) {
  if (!is.null(values) || of == "weight") refuse_in_database("A sum of weights")
  if (is.null(axis)) {
    return(changes_in_database(x, groups, of))
  }
  if (groups$size == 0L) {
    return(if (is_average(rule)) double() else integer())
  }
  switch(rule, mean_day = mean_in_database(x, axis, groups, of),
         peak_day = peak_in_database(x, axis, groups, of),
         chosen_in_database(x, axis, groups, rule, of))
}

# f(spans, days): of keys their stretches, so that each counts once; of records they themselves.
with_counted <- function(x, groups, of, f, more = NULL) {
  by <- numbered_names("group", groups$names)
  keys <- if (of == "keys") numbered_names("key", about(x)$names$key)
  with_days(engine_of(x)$source, c(by, keys), more = more, function(spans, days) {
    counted <- if (of == "keys") stretches_in_sql(spans, names(c(by, keys)))
    else dplyr::filter(spans, .data$start < .data$stop)
    f(counted, days)
  })
}

# Which periods of an axis a day is in, as places from 1: the first one that a span that starts
# there touches, or has from its first day on; the last one that a span whose last day it is
# touches, or has to its last day.
places_on <- function(axis) {
  function(number) {
    list(from_any = 1L + findInterval(number, axis$stop), to_any = findInterval(number, axis$first),
         from_whole = 1L + findInterval(number - 1L, axis$first),
         to_whole = findInterval(number + 1L, axis$stop))
  }
}

# By the rules that choose periods.
chosen_in_database <- function(x, axis, groups, rule, of) {
  from <- if (active_rules[[rule]]$begun_by == "last") "from_any" else "from_whole"
  to <- if (active_rules[[rule]]$over_by == "first") "to_any" else "to_whole"
  size <- axis_size(axis)
  found <- with_counted(x, groups, of, more = places_on(axis), function(counted, days) {
    placed <- with_places(counted, days, from, to, size)
    if (of == "keys") placed <- each_once(placed, names(x_columns(x, groups)))
    fetched(x, net_by_place(placed, names(numbered_names("group", groups$names))),
            "Who comes and goes, by period")
  })
  as.integer(summed_up(cells_by_place(found, groups, size + 1L))[seq_len(size), ])
}

x_columns <- function(x, groups) {
  c(numbered_names("group", groups$names), numbered_names("key", about(x)$names$key))
}

# The first and last period of each span.
with_places <- function(counted, days, from, to, size) {
  starts <- dplyr::transmute(days, start = .data$number, from = .data[[!!from]])
  ends <- dplyr::transmute(days, last = .data$number, to = .data[[!!to]])
  placed <- dplyr::mutate(counted, last = .data$stop - 1L)
  placed <- dplyr::left_join(dplyr::left_join(placed, starts, by = "start"), ends, by = "last")
  # One without an end goes on behind all periods.
  placed <- dplyr::mutate(placed, to = dplyr::coalesce(.data$to, !!size))
  dplyr::filter(placed, .data$from <= .data$to)
}

# Of a key that has several stretches in one period the first one has it.
each_once <- function(placed, by) {
  placed <- dplyr::group_by(placed, dplyr::across(dplyr::all_of(by)))
  placed <- dplyr::mutate(dbplyr::window_order(placed, .data$start), before = dplyr::lag(.data$to))
  placed <- dplyr::mutate(dplyr::ungroup(placed), from = dplyr::case_when(
    .data$before >= .data$from ~ .data$before + 1L, TRUE ~ .data$from))
  dplyr::filter(placed, .data$from <= .data$to)
}

net_by_place <- function(placed, by) {
  come <- dplyr::transmute(placed, dplyr::across(dplyr::all_of(by)), place = .data$from, by = 1L)
  go <- dplyr::transmute(placed, dplyr::across(dplyr::all_of(by)), place = .data$to + 1L, by = -1L)
  summed_by(dplyr::union_all(come, go), c(by, "place"))
}

summed_by <- function(changes, by) {
  changes <- dplyr::group_by(changes, dplyr::across(dplyr::all_of(by)))
  dplyr::ungroup(dplyr::summarise(changes, by = sum(.data$by, na.rm = TRUE)))
}

# A matrix by place and group of what was found, 0 where nothing was.
cells_by_place <- function(found, groups, size, value = "by") {
  cells <- matrix(0, size, groups$size)
  cells[cbind(found$place, places_of_groups(found, groups))] <- found[[value]]
  cells
}

summed_up <- function(cells) {
  matrix(apply(cells, 2, cumsum), nrow(cells), ncol(cells))
}

# The average over the days of each period: how many days are covered before a day is told by
# how many started and stopped before it, and the sum of these days.
mean_in_database <- function(x, axis, groups, of) {
  edges <- sort(unique(c(axis$first, axis$stop)))
  behind <- function(number) list(edge = 1L + findInterval(number, edges))
  by <- names(numbered_names("group", groups$names))
  found <- with_counted(x, groups, of, more = behind, function(counted, days) {
    at <- function(column, sign) {
      dplyr::transmute(counted, dplyr::across(dplyr::all_of(by)), number = .data[[!!column]],
                       by = !!sign)
    }
    changes <- dplyr::inner_join(dplyr::union_all(at("start", 1L), at("stop", -1L)),
                                 dplyr::select(days, dplyr::all_of(c("number", "edge"))), by = "number")
    changes <- dplyr::group_by(changes, dplyr::across(dplyr::all_of(c(by, place = "edge"))))
    changes <- dplyr::summarise(changes, by = sum(.data$by, na.rm = TRUE),
                                days = sum(.data$by * .data$number, na.rm = TRUE))
    fetched(x, dplyr::ungroup(changes), "Starts and stops, and the sums of their days")
  })
  inside <- lapply(found, `[`, found$place <= length(edges))
  begun <- summed_up(cells_by_place(inside, groups, length(edges)))
  covered <- begun * edges - summed_up(cells_by_place(inside, groups, length(edges), "days"))
  length <- axis$stop - axis$first
  as.vector((covered[match(axis$stop, edges), , drop = FALSE] -
             covered[match(axis$first, edges), , drop = FALSE]) / length)
}

# The most on a day: of what is there on the first day of a period, and of what changes within it.
peak_in_database <- function(x, axis, groups, of) {
  size <- axis_size(axis)
  by <- names(numbered_names("group", groups$names))
  found <- with_counted(x, groups, of, more = places_on(axis), function(counted, days) {
    places <- dplyr::select(days, dplyr::all_of(c("number", "from_whole", "from_any", "to_any")))
    levels <- dplyr::inner_join(running_levels(counted, by), places, by = "number")
    within <- dplyr::filter(levels, .data$from_any == .data$to_any)
    within <- dplyr::group_by(within, dplyr::across(dplyr::all_of(c(by, place = "to_any"))))
    begin <- dplyr::group_by(levels, dplyr::across(dplyr::all_of(c(by, place = "from_whole"))))
    list(within = fetched(x, dplyr::ungroup(dplyr::summarise(within, by = max(.data$level, na.rm = TRUE))),
                          "The highest level by changes within each period"),
         begin = fetched(x, dplyr::ungroup(dplyr::summarise(begin, by = sum(.data$by, na.rm = TRUE))),
                         "What changes up to the first day of each period"))
  })
  first <- summed_up(cells_by_place(found$begin, groups, size + 1L))[seq_len(size), , drop = FALSE]
  as.integer(pmax(first, cells_by_place(found$within, groups, size)))
}

# Change by change: `by` how much, and the level from there on.
running_levels <- function(counted, by) {
  at <- function(column, sign) {
    dplyr::transmute(counted, dplyr::across(dplyr::all_of(by)), number = .data[[!!column]],
                     by = !!sign)
  }
  changes <- summed_by(dplyr::union_all(at("start", 1L), at("stop", -1L)), c(by, "number"))
  changes <- dplyr::group_by(dplyr::filter(changes, .data$by != 0L),
                             dplyr::across(dplyr::all_of(by)))
  changes <- dbplyr::window_frame(dbplyr::window_order(changes, .data$number), -Inf, 0)
  dplyr::ungroup(dplyr::mutate(changes, level = sum(.data$by, na.rm = TRUE)))
}

# Without an axis: the level from each change to the next.
changes_in_database <- function(x, groups, of) {
  by <- names(numbered_names("group", groups$names))
  found <- with_counted(x, groups, of, function(counted, days) {
    fetched(x, running_levels(counted, by), "The level from each change on")
  })
  group <- places_of_groups(found, groups)
  order <- order(group, found$number)
  group <- group[order]
  start <- as.integer(found$number)[order]
  level <- as.integer(found$level)[order]
  last <- c(group[-1] != group[-length(group)], TRUE)[seq_along(group)]
  stop <- c(start[-1], NA)[seq_along(start)]
  stop[last] <- never(day_timeline())
  there <- !last | level > 0L
  list(start = start[there], stop = stop[there], group = group[there] - 1L, level = level[there])
}
