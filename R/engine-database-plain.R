# Counts in a database once more, another way: each span is joined to the periods by range, and
# who is there is counted.

plain_levels_in_database <- function(x, axis, groups, rule, of) {
  if (in_shards(x)) {
    return(over_shards(x, function(shard) {
      plain_levels_in_database(shard, axis, groups, rule, of)
    }))
  }
  source <- engine_of(x)$source
  periods <- put_table(source$con, plain_periods(axis, rule))
  on.exit(periods$drop())
  by <- names(counted_columns(x, groups, of))
  group <- names(numbered_names("group", groups$names))
  found <- with_there(x, groups, of, f = function(spans, days) {
    joined <- of == "keys" && (is_met_jointly(rule) || is_average(rule))
    if (joined) spans <- stretches_of_keys(x, spans, by)
    met <- dplyr::inner_join(spans, periods$table, sql_on = meets_in_sql(source$con))
    # Each key once, however many of its spans meet a period.
    if (of == "keys" && !is_average(rule)) {
      met <- dplyr::distinct(met, !!!rlang::syms(c(by, "place")))
    }
    met <- dplyr::group_by(met, dplyr::across(dplyr::all_of(c(group, "place"))))
    fetched(x, dplyr::ungroup(plain_count(met, rule, of)),
            "The same, each span joined to its periods")
  })
  levels <- cells_by_place(found, groups, axis_size(axis))
  if (is_average(rule)) levels <- levels / (axis$stop - axis$first)
  if (of == "weight") levels / source$scale else levels
}

# A span meets a period where it has begun by the one day and is not over by the other.
plain_periods <- function(axis, rule) {
  at <- deciding_ticks(if (is_average(rule)) rule_names()[1] else rule, axis$first, axis$stop,
                       axis$timeline)
  columns <- list(place = seq_along(axis$first), first = axis$first, behind = axis$stop)
  tibble::new_tibble(c(columns, at), nrow = axis_size(axis))
}

meets_in_sql <- function(con) {
  side <- sides_in_sql(con)
  dbplyr::build_sql(side("LHS", "start"), " <= ", side("RHS", "begun_by"), " AND ",
                    side("LHS", "stop"), " > ", side("RHS", "over_by"), con = con)
}

plain_count <- function(met, rule, of) {
  if (!is_average(rule) && of == "keys") return(dplyr::summarise(met, by = dplyr::n()))
  if (!is_average(rule)) return(dplyr::summarise(met, by = sum(.data$units, na.rm = TRUE)))
  met <- dplyr::mutate(met, until = dplyr::case_when(.data$stop < .data$behind ~ .data$stop,
                                                     TRUE ~ .data$behind),
                       since = dplyr::case_when(.data$start > .data$first ~ .data$start,
                                                TRUE ~ .data$first))
  dplyr::summarise(met, by = sum((.data$until - .data$since) * .data$units, na.rm = TRUE))
}

# Amounts in units once more: each span is joined to the periods it meets, and its share up to the
# end of one is taken less that up to its begin.
plain_shares_in_database <- function(x, axis, values, over, groups) {
  if (in_shards(x)) {
    return(over_amounts(x, values, function(shard, own) {
      plain_shares_in_database(shard, axis, own, over, groups)
    }))
  }
  con <- engine_of(x)$source$con
  measure <- measure_in_days(axis, over)
  ends <- counts_last_day(engine_of(x)$source)
  periods <- plain_periods(axis, rule_names()[1])
  periods[c("before", "upto")] <- list(measure$edge(axis$first), measure$edge(axis$stop))
  put <- put_table(con, periods)
  on.exit(put$drop())
  by <- c(names(numbered_names("group", groups$names)), "place")
  found <- with_there(x, groups, "records", value = values, f = function(spans, days) {
    met <- dplyr::inner_join(spans, put$table, sql_on = meets_in_sql(con))
    met <- dplyr::mutate(
      met, whole = .data$through - .data$base,
      done = dplyr::case_when(.data$start >= .data$first ~ 0L, TRUE ~ .data$before - .data$base),
      more = dplyr::case_when(.data$stop <= .data$behind ~ .data$through - .data$base,
                              TRUE ~ .data$upto - .data$base))
    met <- dplyr::mutate(met, done = 2L * abs(.data$units) * .data$done + .data$whole,
                         more = 2L * abs(.data$units) * .data$more + .data$whole)
    met <- dplyr::mutate(met, share = (.data$more - .data$more %% (2L * .data$whole) - .data$done +
                                         .data$done %% (2L * .data$whole)) / (2L * .data$whole))
    met <- dplyr::mutate(met, by = dplyr::case_when(.data$units < 0L ~ -.data$share,
                                                    TRUE ~ .data$share))
    fetched(x, summed_by(met, by), "The same, each span joined to its periods")
  }, more = function(number) {
    list(base = measure$start(number), through = measure$edge(number + ends))
  }, at_start = c(base = "base"), at_end = c(through = "through"))
  cells_by_place(found, groups, axis_size(axis))
}
