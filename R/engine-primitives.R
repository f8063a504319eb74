# What an engine has to answer, wherever the records live. Verbs, figures and
# reconciliations know these and nothing else of it; a new engine is a class with these
# methods. Places of records are their rows in the spans object, from 1; codes of groups,
# keys and partitions count from 0 in the order of their values.

engine_of <- function(x) {
  about(x)$engine
}

# list(records, open, empty, keys (NULL: not counted), and where a span covers something first,
# last, last_known (civil days), first_tick, stop_tick): what the records reach to.
facts_of <- function(x) {
  UseMethod("facts_of", engine_of(x))
}

# The distinct values of columns: list(names, size, values), in sorted order.
groups_of <- function(x, names) {
  UseMethod("groups_of", engine_of(x))
}

# The code of each record's group, in the order of the records.
codes_of <- function(x, names) {
  UseMethod("codes_of", engine_of(x))
}

# The level by group and period (all periods of the first group, then of the second).
# Without an axis change by change: list(start, stop, group, level), by group and start.
# `values` are summed in place of the weights.
levels_of <- function(x, axis, groups, rule, of, values = NULL, ...) {
  UseMethod("levels_of", engine_of(x))
}

# How the records meet what a count asks of each, at a time: list(begun_by, over_by; started,
# ended, empty, open, active by record, or by each way in which several meet them; records: how
# many do; counted, all: the keys or the weight of those that are active, and of all; together:
# how many keys cover the time by several records, where that counts).
conditions_met <- function(x, when, of, together) {
  UseMethod("conditions_met", engine_of(x))
}

# Which records an answer consists of, as a spans object at hand: `which` is list(kind, ...), and
# `columns` are those that the answer needs beside the declared ones.
records_behind <- function(x, which, columns = character()) {
  UseMethod("records_behind", engine_of(x))
}

# How long records took, and where each counts: list(value (in seconds; NA: no end yet), line, place
# (of the period in which it ended, or started with `by_start`; NA: in none), from, till (it is
# there at the end of the periods before these)). Without an axis all are of place 1.
lengths_of <- function(x, groups, axis, calendar, by_start) {
  UseMethod("lengths_of", engine_of(x))
}

# Opening, started, returned, moved_in, ended and moved_out as an array of period, flow
# and line, with a last line over all groups where `total`.
flows_of <- function(x, axis, groups, of, total, returns, ...) {
  UseMethod("flows_of", engine_of(x))
}

# The rows behind them, in no order: line, the other line of a move (NA: none), flow, place
# of the period, which record, and the tick it is dated on.
flow_rows_of <- function(x, axis, groups, of, returns) {
  UseMethod("flow_rows_of", engine_of(x))
}

# Sizes by group and cohort; who is active by group, cohort and period, one entry more
# for each cohort.
cohorts_of <- function(x, axis, groups, rule, returns, ...) {
  UseMethod("cohorts_of", engine_of(x))
}

# What is left of the records where those of the same key of another table are taken away: a
# spans object of pieces, each with the row of its record, whose own engine answers on.
minus_of <- function(x, less) {
  UseMethod("minus_of", engine_of(x))
}

# Two lists of the same records, taken at two times: list(changes (cause, place now and
# place in the earlier list), alike (how many share what they are matched by), late (how many
# ends were entered only after their day), lines (names, size, values of the groups of
# both)) and, with an axis, before, now and effects by cause, all by line and period, with
# the line over all of them where `asked$total`.
restated_of <- function(x, earlier, axis, asked) {
  UseMethod("restated_of", engine_of(x))
}

# The causes in the order in which they are applied.
restated_causes <- c("added", "removed", "start", "end", "key", "group", "weight")

# Amounts (`values`, by record; NULL: the spans themselves) spread over the periods of an
# axis, by what `over` says: see spread_over().
#   per = "groups": totals by group and period shown
#   per = "records": list(record, period (its place among those shown), covered, counted,
#     piece), by the order of keys and starts
#   per = "wholes": list(record, whole): what each record is spread over in all
spread_of <- function(x, axis, values, over, per, groups = NULL, ...) {
  UseMethod("spread_of", engine_of(x))
}

# One row per record, or key, and period shown in which it is active:
# list(order, counts, nth, place or period, start, end, length): see the methods.
slices_of <- function(x, axis, rule, of, columns) {
  UseMethod("slices_of", engine_of(x))
}

# Runs without a break of the records of each partition: list(start, stop, line, records,
# first, furthest, tag; lines): `between = TRUE`: the gaps between them, list(start, stop,
# line, before, after; lines). `far` says how long an uncovered range is let pass, or has
# to be, in ticks or in the working days of `table`.
stretches_of <- function(x, names, far, table = NULL, between = FALSE, tags = FALSE,
                         places = FALSE) {
  UseMethod("stretches_of", engine_of(x))
}

# Pairs of records with at least `least` ticks in common, within partitions, of different
# values of `differing`, or of two tables: list(a, b, start, stop, line, lines, sides).
pairs_of <- function(x, y, per, differing, least, way_out) {
  UseMethod("pairs_of", engine_of(x))
}

# For each record of a key the earlier one that reaches furthest: list(at, before).
reach_of <- function(x) {
  UseMethod("reach_of", engine_of(x))
}

# What amounts are spread over: ticks, the working days of a table, the time of
# stretches, or equal parts of the periods touched. With `clock` spans are taken in
# seconds, open ones through the as-of date.
spread_over <- function(table = NULL, stretches = NULL, equal_parts = FALSE, clock = FALSE,
                        rounded = FALSE) {
  list(measure = table %||% stretches, equal_parts = equal_parts, clock = clock,
       rounded = rounded)
}
