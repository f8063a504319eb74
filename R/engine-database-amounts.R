# What records in a database spread over periods: amounts in whole units of their last digit, and
# the days that are covered.

#' @export
spread_of.ridge_database <- function(x, axis, values, over, per, groups = NULL, ...) {
  if (per != "groups") refuse_in_database("A row for each record and period")
  if (!is.null(values)) return(shares_in_database(x, axis, values, over, groups))
  if (!is.null(over$measure)) refuse_in_database("Working time, or time in bands,")
  covered <- covered_in_database(ended_in_database(x), axis, groups, "records")
  as.vector(in_seconds(covered, timeline_of(x))) * microseconds
}

# The days that records cover in all.
days_in_database <- function(x) {
  if (in_shards(x)) return(over_shards(x, days_in_database))
  none <- groups_of(x, character())
  days <- with_there(ended_in_database(x), none, "records", function(spans, days) {
    fetched_totals(x, spans, "The days of all spans",
                   days = sum(.data$stop - .data$start, na.rm = TRUE))
  })$days
  if (is.na(days)) 0 else as.double(days)
}

# What amounts come to, read by one question; `values` says how they are read.
amounts_in_database <- function(x, name, digits) {
  if (in_shards(x)) return(amounts_in_shards(x, name, digits))
  if (is.null(digits)) {
    ridge_abort(c("A database shares amounts in whole units: {arg_name('digits')} must say which.",
                  i = "Say {arg_set('digits', 2)} for cents."), "argument", arg = "digits")
  }
  as_numbers(x[[name]], name, "amount")
  values <- list(name = name, in_units = function(spans) {
    units_in_sql(dplyr::filter(spans, !is.na(.data$value)), 10^digits)
  })
  all <- dplyr::transmute(engine_of(x)$source$table, value = .data[[!!name]])
  sound <- dplyr::filter(all, abs(.data$value) <= !!(2^53 / 10^digits))
  found <- amounts_in_all(x, values$in_units(sound), 10^digits, "What the amounts come to")
  # What is whole already needs no care, and a shorter question.
  if (found$finer > 0) {
    values$in_units <- function(spans) rounded_in_sql(spans, 10^digits, engine_of(x)$source)
    finer <- found$finer
    found <- amounts_in_all(x, values$in_units(sound), 10^digits, "What they come to when rounded")
    found$finer <- finer
  }
  missing <- fetched_totals(x, dplyr::filter(all, is.na(.data$value)),
                            "How many amounts are missing", records = dplyr::n())
  values$largest <- found$largest
  if (found$records + missing$records < facts_of(x)$records) refuse_large_amounts(name)
  check_sums_fit(name, found$sizes)
  list(values = values, unit = 10^digits, sum = found$sum, sizes = found$sizes,
       missing = as.integer(missing$records), finer = as.integer(found$finer))
}

# How they are read differs by table: of one they may all be whole.
amounts_in_shards <- function(x, name, digits) {
  all <- lapply(engine_of(x)$shards, amounts_in_database, name, digits)
  joined <- lapply(stats::setNames(nm = c("sum", "sizes", "missing", "finer")), function(what) {
    sum(vapply(all, function(own) as.double(own[[what]]), 0))
  })
  check_sums_fit(name, joined$sizes)
  joined[c("missing", "finer")] <- lapply(joined[c("missing", "finer")], as.integer)
  c(list(values = list(by_table = lapply(all, `[[`, "values")),
         unit = all[[1]]$unit), joined)
}

check_sums_fit <- function(name, sizes) {
  if (sizes > 2^53) refuse_large_amounts(name)
}

refuse_large_amounts <- function(name) {
  ridge_abort("{.val {name}} holds amounts, or sums of them, too large to be kept exactly.",
              "records", arg = "amount")
}

amounts_in_all <- function(x, spans, unit, step) {
  spans <- evaluated_once(spans, engine_of(x)$source)
  spans <- dplyr::mutate(spans, size = abs(.data$units), finer = dplyr::case_when(
    as.double(.data$units) / !!unit != .data$value ~ 1L, TRUE ~ 0L))
  found <- fetched_totals(
    x, spans, step, records = dplyr::n(), finer = sum(.data$finer, na.rm = TRUE),
    sum = sum(.data$units, na.rm = TRUE), sizes = sum(.data$size, na.rm = TRUE),
    largest = max(.data$size, na.rm = TRUE))
  lapply(found, function(number) if (is.na(number)) 0 else as.double(number))
}

# As in memory: half a unit is what was written as half of one. Whole numbers are made by rounding
# alone, which all dialects have.
rounded_in_sql <- function(spans, unit, source) {
  spans <- dplyr::filter(spans, !is.na(.data$value))
  spans <- dplyr::mutate(spans, size = abs(.data$value), near = round(.data$size * !!unit))
  spans <- evaluated_once(spans, source)
  spans <- evaluated_once(dplyr::mutate(spans, below = dplyr::case_when(
    .data$near > .data$size * !!unit ~ .data$near - 1, TRUE ~ .data$near)), source)
  spans <- dplyr::mutate(spans, near = dplyr::case_when(
    .data$below / !!unit != .data$size & (.data$below + 0.5) / !!unit == .data$size ~
      .data$below + 1,
    (.data$size * !!unit) - .data$below == 0.5 ~ 2 * round(.data$below / 2 + 0.25),
    TRUE ~ .data$near))
  whole <- whole_in_sql(rlang::expr(.data$near))
  dplyr::mutate(spans, units = dplyr::case_when(.data$value < 0 ~ -!!whole, TRUE ~ !!whole))
}

# By group and period, in units. What falls before an edge of the periods is all of the amounts
# that are over by then, and the rounded running share of each that is under way.
shares_in_database <- function(x, axis, values, over, groups) {
  edges <- sort(unique(c(axis$first, axis$stop)))
  measure <- measure_in_days(axis, over)
  check_shares_fit(x, values, axis)
  ends <- counts_last_day(engine_of(x)$source)
  places <- function(number) {
    list(base = measure$start(number), through = measure$edge(number + ends),
         from = 1L + findInterval(number, edges), to = findInterval(number + ends - 1L, edges))
  }
  at <- tibble::tibble(place = seq_along(edges), upto = measure$edge(edges))
  found <- with_there(x, groups, "records", value = values, more = places,
                      at_start = c(base = "base", from = "from"),
                      at_end = c(through = "through", to = "to"), f = function(spans, days) {
    by <- names(numbered_names("group", groups$names))
    at_edges(engine_of(x)$source, spans_to_share(spans, by), at, function(inside) {
      fetched(x, shares_in_sql(inside, by),
              "Amounts that are over by each edge of a period, and shares of those under way")
    })
  })
  # Where nothing is over, or under way, there is no sum.
  cells <- function(value) {
    cells_by_place(lapply(found, `[`, !is.na(found[[value]])), groups, length(edges), value)
  }
  upto <- summed_up(cells("over")) + cells("share")
  before <- function(edge) upto[match(edge, edges), , drop = FALSE]
  as.vector(before(axis$stop) - before(axis$first))
}

check_shares_fit <- function(x, values, axis) {
  longest <- max(diff(engine_of(x)$source$days), length(all_periods(axis)$first)) + 2
  if (2 * values$largest * longest + longest > 2^62) {
    ridge_abort(c("{.val {values$name}} holds amounts too large to be shared in a database.",
                  i = "Say fewer {arg_name('digits')}."), "records", arg = "amount")
  }
}

# The edges within a span, and the first behind it.
spans_to_share <- function(spans, group) {
  dplyr::transmute(
    spans, dplyr::across(dplyr::all_of(group)), .data$units, .data$base, .data$from, .data$to,
    next_place = .data$to + 1L, whole = .data$through - .data$base)
}

# f(inside): a row for each edge of `at` that a span has.
at_edges <- function(source, spans, at, f) {
  spans <- evaluated_once(spans, source)
  if (has_arrays(source$con)) {
    return(f(listed_places(spans, "from", "next_place", at$upto, source)))
  }
  put <- put_table(source$con, at)
  on.exit(put$drop())
  on <- lies_in_sql("place", "from", "next_place", source$con)
  f(dplyr::inner_join(spans, put$table, sql_on = on))
}

# Rounded half away from zero, by whole numbers alone.
shares_in_sql <- function(inside, group) {
  inside <- dplyr::mutate(
    inside, times = 2L * abs(.data$units) * (.data$upto - .data$base) + .data$whole,
    each = 2L * .data$whole)
  inside <- dplyr::mutate(inside, share = (.data$times - .data$times %% .data$each) / .data$each)
  by <- dplyr::transmute(
    inside, dplyr::across(dplyr::all_of(group)), .data$place,
    over = dplyr::case_when(.data$place > .data$to ~ .data$units),
    share = dplyr::case_when(.data$place > .data$to ~ NA, .data$units < 0L ~ -.data$share,
                             TRUE ~ .data$share))
  by <- dplyr::group_by(by, dplyr::across(dplyr::all_of(c(group, "place"))))
  dplyr::ungroup(dplyr::summarise(by, over = sum(.data$over, na.rm = TRUE),
                                  share = sum(.data$share, na.rm = TRUE)))
}

# A join by which a place on the right lies in a range on the left.
lies_in_sql <- function(place, from, to, con) {
  side <- sides_in_sql(con)
  dbplyr::build_sql(side("RHS", place), " BETWEEN ", side("LHS", from), " AND ", side("LHS", to),
                    con = con)
}

# Spans without an even share, by what is wrong with them.
unshared_in_database <- function(x, question, over) {
  if (in_shards(x)) {
    return(over_shards(x, function(shard) unshared_in_database(shard, question, over)))
  }
  facts <- facts_of(x)
  counts <- c(open = facts$open, empty = facts$empty, idle = 0)
  if (sum(counts) > 0 || is.null(over$measure)) return(counts)
  worked <- measure_in_days(question$axis, over)$edge
  ends <- counts_last_day(engine_of(x)$source)
  found <- with_there(x, groups_of(x, character()), "records", f = function(spans, days) {
    idle <- dplyr::filter(spans, .data$through <= .data$base)
    fetched_totals(x, idle, "Spans without a working day", records = dplyr::n())
  }, more = function(number) list(base = worked(number), through = worked(number + ends)),
  at_start = c(base = "base"), at_end = c(through = "through"))
  replace(counts, "idle", found$records)
}

# Spans without an end that begin after the as-of date.
late_open_in_database <- function(x) {
  if (in_shards(x)) return(over_shards(x, late_open_in_database))
  late <- about(x)$as_of_stop
  with_there(x, groups_of(x, character()), "records", function(spans, days) {
    open <- dplyr::filter(spans, .data$stop == !!never(day_timeline()), .data$start >= !!late)
    fetched_totals(x, open, "Open spans after the as-of date", records = dplyr::n())
  })$records
}

# Units billed on the first day of each span, by period and group; the first row is what was
# billed before all periods.
billed_in_database <- function(x, groups, values, all) {
  if (in_shards(x)) {
    return(over_amounts(x, values, function(shard, own) {
      billed_in_database(shard, groups, own, all)
    }))
  }
  size <- length(all$first)
  found <- with_there(x, groups, "records", value = values, f = function(spans, days) {
    spans <- dplyr::mutate(spans, by = .data$units)
    fetched(x, summed_by(spans, c(names(numbered_names("group", groups$names)), "place")),
            "What was billed, by period")
  }, more = function(number) list(place = 1L + findInterval(number, all$first)),
  at_start = c(place = "place"))
  cells_by_place(found, groups, size + 1L)
}
