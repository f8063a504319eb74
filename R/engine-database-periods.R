# What records in a database answer by period: which periods each span touches is read from the
# table of days; who comes and who goes in each period is summed there, and added up here.

#' @export
levels_of.ridge_database <- function(x, axis, groups, rule, of, values = NULL, ...) {
  if (is.null(axis)) {
    if (!is.null(values)) refuse_in_database("A limit of each record")
    return(changes_in_database(x, groups, of))
  }
  if (groups$size == 0L) {
    return(if (is_average(rule) || of == "weight") double() else integer())
  }
  if (!is.null(values)) {
    return(chosen_in_database(x, axis, groups, rule, of, value = values))
  }
  if (is_average(rule)) return(mean_in_database(x, axis, groups, of))
  units <- if (adds_up(rule)) chosen_in_database(x, axis, groups, rule, of)
  else peak_in_database(x, axis, groups, of)
  in_weights(units, x, of)
}

# Levels are whole numbers: of keys, of records, or of units of the weights.
in_weights <- function(units, x, of) {
  if (of == "weight") units / engine_of(x)$source$scale else as.integer(units)
}

# f(spans, days) of the records that are not empty, with the columns of groups, of the key where
# keys are counted, and with how many units each is: those of `value`, a column and how it comes
# to units.
with_there <- function(x, groups, of, f, ..., value = if (of == "weight") weight_in_units(x)) {
  columns <- c(counted_columns(x, groups, of), value = value$name)
  with_days(engine_of(x)$source, columns, ..., f = function(spans, days) {
    refuse_changed(x, spans)
    spans <- dplyr::filter(spans, .data$start < .data$stop)
    spans <- if (is.null(value)) dplyr::mutate(spans, units = 1L) else value$in_units(spans)
    f(spans, days)
  })
}

weight_in_units <- function(x) {
  source <- engine_of(x)$source
  list(name = source$names$weight, in_units = function(spans) units_in_sql(spans, source$scale))
}

units_in_sql <- function(spans, unit) {
  dplyr::mutate(spans, units = !!whole_in_sql(rlang::expr(.data$value * !!unit)))
}

whole_in_sql <- function(number) {
  rlang::call2("as.integer64", rlang::expr(round(!!number)))
}

counted_columns <- function(x, groups, of) {
  c(numbered_names("group", groups$names),
    if (of == "keys") numbered_names("key", about(x)$names$key))
}

# Which periods of an axis a day is in, as places from 1: the first one that a span that starts
# there touches, or has from its first day on; the last one that a span that ends there touches,
# or has to its last day.
places_on <- function(axis, end_counts) {
  function(number) {
    last <- number - !end_counts
    list(from_any = 1L + findInterval(number, axis$stop),
         from_whole = 1L + findInterval(number - 1L, axis$first),
         to_any = findInterval(last, axis$first), to_whole = findInterval(last + 1L, axis$stop))
  }
}

# The places of the first and the last period in which a span is active by a rule.
places_of_rule <- function(rule) {
  c(from = if (active_rules[[rule]]$begun_by == "last") "from_any" else "from_whole",
    to = if (active_rules[[rule]]$over_by == "first") "to_any" else "to_whole")
}

# By the rules that choose periods. What is active throughout a period may be so by several
# records that meet; by the other rules one record is enough.
chosen_in_database <- function(x, axis, groups, rule, of, ...) {
  at <- places_of_rule(rule)
  ends <- counts_last_day(engine_of(x)$source)
  size <- axis_size(axis)
  by <- names(counted_columns(x, groups, of))
  group <- numbered_names("group", groups$names)
  joined <- of == "keys" && is_met_jointly(rule)
  placed <- function(spans, days) {
    if (joined) spans <- with_places(stretches_of_keys(x, spans, by), days, at["from"],
                                       at["to"], ends)
    spans <- with_some_place(spans, size)
    if (of == "keys" && !joined) spans <- only_new(spans, by, "from", "to", 1L)
    changes <- changes_in_sql(x, spans, group, "from", "to", 1L)
    fetched(x, summed_by(changes, c(names(group), "place")), "Who comes and who goes, by period")
  }
  found <- with_there(x, groups, of, placed, more = places_on(axis, ends),
                      at_start = if (!joined) at["from"], at_end = if (!joined) at["to"], ...)
  as.vector(summed_up(cells_by_place(found, groups, size + 1L))[seq_len(size), ])
}

# One without an end goes on behind all periods; what is active in none is left out.
with_some_place <- function(spans, size) {
  spans <- dplyr::mutate(spans, to = dplyr::case_when(
    .data$stop == !!never(day_timeline()) ~ !!size, TRUE ~ .data$to))
  dplyr::filter(spans, .data$from <= .data$to)
}

# Where records of a key meet, they count as one.
stretches_of_keys <- function(x, spans, by) {
  dplyr::mutate(stretches_in_sql(x, spans, by), units = 1L)
}

with_places <- function(spans, days, at_start, at_end, ends) {
  starts <- dplyr::transmute(days, start = .data$number, !!!rlang::syms(at_start))
  stops <- dplyr::transmute(days, stop = .data$number + !!as.integer(ends), !!!rlang::syms(at_end))
  dplyr::left_join(dplyr::left_join(spans, starts, by = "start"), stops, by = "stop")
}

# Of ranges with the same values of `by` what those before do not cover: the next one begins
# `next_one` behind the last that is covered.
only_new <- function(ranges, by, from, to, next_one) {
  ranges <- dplyr::group_by(ranges, dplyr::across(dplyr::all_of(by)))
  ranges <- dbplyr::window_order(ranges, .data[[!!from]], .data[[!!to]])
  ranges <- dplyr::mutate(dbplyr::window_frame(ranges, -Inf, -1),
                          before = max(.data[[!!to]], na.rm = TRUE))
  ranges <- dplyr::mutate(dplyr::ungroup(ranges), !!from := dplyr::case_when(
    .data$before + !!next_one > .data[[!!from]] ~ .data$before + !!next_one,
    TRUE ~ .data[[!!from]]))
  dplyr::filter(ranges, .data[[!!from]] < .data[[!!to]] + !!next_one)
}

# Each range twice: `side` 0 for its begin, 1 for its end.
on_both_sides <- function(x, ranges) {
  sides <- listed_rows(engine_of(x)$source$con, data.frame(one = 1L, side = 0:1))
  dplyr::inner_join(dplyr::mutate(ranges, one = 1L), sides, by = "one")
}

# How many begin and how many are over, behind the last, at each place.
changes_in_sql <- function(x, ranges, groups, from, to, next_one) {
  dplyr::transmute(on_both_sides(x, ranges), dplyr::across(dplyr::all_of(names(groups))),
                   place = dplyr::case_when(.data$side == 0L ~ .data[[!!from]],
                                            TRUE ~ .data[[!!to]] + !!next_one),
                   by = dplyr::case_when(.data$side == 0L ~ .data$units, TRUE ~ -.data$units))
}

summed_by <- function(changes, by, ...) {
  changes <- dplyr::group_by(changes, dplyr::across(dplyr::all_of(by)))
  dplyr::ungroup(dplyr::summarise(changes, by = sum(.data$by, na.rm = TRUE), ...))
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

mean_in_database <- function(x, axis, groups, of) {
  scale <- if (of == "weight") engine_of(x)$source$scale else 1
  as.vector(covered_in_database(x, axis, groups, of) / (scale * (axis$stop - axis$first)))
}

# The days of each period that are covered: how many are before a day is told by how many started
# and stopped before it, and the sum of these days.
covered_in_database <- function(x, axis, groups, of) {
  edges <- sort(unique(c(axis$first, axis$stop)))
  behind <- function(number) list(edge = 1L + findInterval(number, edges))
  group <- numbered_names("group", groups$names)
  found <- with_there(x, groups, of, more = behind, f = function(spans, days) {
    edge <- dplyr::select(days, place = "number", "edge")
    changes <- dplyr::inner_join(day_changes(x, spans, groups, of), edge, by = "place")
    changes <- dplyr::mutate(changes, day = .data$by * .data$place)
    changes <- dplyr::mutate(changes, place = .data$edge)
    fetched(x, summed_by(changes, c(names(group), "place"), days = sum(.data$day, na.rm = TRUE)),
            "Starts and stops, and the sums of their days")
  })
  inside <- lapply(found, `[`, found$place <= length(edges))
  sums <- function(value) summed_up(cells_by_place(inside, groups, length(edges), value))
  covered <- sums("by") * edges - sums("days")
  until <- function(day) covered[match(day, edges), , drop = FALSE]
  until(axis$stop) - until(axis$first)
}

# Of each key what is not covered by its records before.
day_changes <- function(x, spans, groups, of) {
  by <- names(counted_columns(x, groups, of))
  if (of == "keys") spans <- only_new(spans, by, "start", "stop", 0L)
  changes_in_sql(x, spans, numbered_names("group", groups$names), "start", "stop", 0L)
}

# The most on a day: of what is there on the first day of a period, and of what changes within it.
peak_in_database <- function(x, axis, groups, of) {
  size <- axis_size(axis)
  by <- names(numbered_names("group", groups$names))
  found <- with_there(x, groups, of, more = places_on(axis, TRUE), f = function(spans, days) {
    places <- dplyr::select(days, place = "number", "from_whole", "from_any", "to_any")
    levels <- dplyr::inner_join(running_levels(x, spans, groups, of), places, by = "place")
    within <- dplyr::filter(levels, .data$from_any == .data$to_any)
    within <- dplyr::group_by(within, dplyr::across(dplyr::all_of(c(by, "to_any"))))
    within <- dplyr::summarise(within, by = max(.data$level, na.rm = TRUE))
    list(within = fetched(x, dplyr::rename(dplyr::ungroup(within), place = "to_any"),
                          "The highest level by changes within each period"),
         begin = fetched(x, summed_by(dplyr::mutate(levels, place = .data$from_whole),
                                      c(by, "place")),
                         "What changes up to the first day of each period"))
  })
  first <- summed_up(cells_by_place(found$begin, groups, size + 1L))[seq_len(size), , drop = FALSE]
  as.vector(pmax(first, cells_by_place(found$within, groups, size)))
}

# Change by change: `by` how much, and the level from there on.
running_levels <- function(x, spans, groups, of) {
  by <- names(numbered_names("group", groups$names))
  changes <- summed_by(day_changes(x, spans, groups, of), c(by, "place"))
  changes <- dplyr::group_by(dplyr::filter(changes, .data$by != 0L),
                             dplyr::across(dplyr::all_of(by)))
  changes <- dbplyr::window_frame(dbplyr::window_order(changes, .data$place), -Inf, 0)
  dplyr::ungroup(dplyr::mutate(changes, level = sum(.data$by, na.rm = TRUE)))
}

# Without an axis: the level from each change to the next.
changes_in_database <- function(x, groups, of) {
  found <- with_there(x, groups, of, f = function(spans, days) {
    fetched(x, running_levels(x, spans, groups, of), "The level from each change on")
  })
  group <- places_of_groups(found, groups)
  order <- order(group, found$place)
  steps_of_changes(group[order] - 1L, as.integer(found$place)[order],
                   in_weights(found$level, x, of)[order])
}
