# Of those who started together, who is left: of records in a database. Each key has its first start
# and the group of it; its stretches are placed on the periods, and who comes and who goes in each
# is summed by group and cohort.

#' @export
cohorts_of.ridge_database <- function(x, axis, groups, rule, returns, ...) {
  if (!has_key(x)) refuse_in_database("A question about cohorts without a key")
  ends <- counts_last_day(engine_of(x)$source)
  keys <- numbered_names("key", about(x)$names$key)
  size <- axis_size(axis)
  places <- function(number) {
    c(places_on(axis, ends)(number), list(cohort = findInterval(number, axis$first)))
  }
  ranks <- put_ranks(x, groups)
  on.exit(for (rank in ranks) rank$drop())
  found <- with_there(x, groups, "keys", more = places, f = function(spans, days) {
    homes <- homes_in_sql(x, spans, days, axis, ranks, names(keys))
    stretches <- stretches_in_sql(x, spans, names(keys))
    if (!returns) stretches <- first_of_each(stretches, names(keys))
    at <- places_of_rule(rule)
    stretches <- with_places(stretches, days, at["from"], at["to"], ends)
    stretches <- only_new(with_some_place(stretches, size), names(keys), "from", "to", 1L)
    moved <- dplyr::inner_join(dplyr::mutate(stretches, units = 1L), homes, by = names(keys))
    line <- c("cohort", names(ranks))
    list(size = fetched(x, dplyr::summarise(dplyr::group_by(homes, dplyr::across(dplyr::all_of(
      line))), keys = dplyr::n(), .groups = "drop"), "Keys by the period of their first start"),
      active = fetched(x, summed_by(changes_in_sql(x, moved, stats::setNames(line, line), "from",
                                                   "to", 1L), c(line, "place")),
                       "Who comes and who goes in each cohort, by period"))
  })
  cells_of_cohorts(found, groups, ranks, size)
}

# Where each key first started: the cohort, and by column of the group the place of its value.
homes_in_sql <- function(x, spans, days, axis, ranks, keys) {
  # Of several records that start at once that of the lowest group.
  order <- rlang::syms(c("start", names(ranks)))
  by_key <- dplyr::group_by(with_ranks(spans, ranks), dplyr::across(dplyr::all_of(keys)))
  nth <- dplyr::mutate(dbplyr::window_order(by_key, !!!order), nth = dplyr::row_number())
  homes <- dplyr::filter(dplyr::ungroup(nth), .data$nth == 1L, .data$start < !!about(x)$as_of_stop)
  homes <- dplyr::inner_join(homes, dplyr::select(days, start = "number", "cohort"), by = "start")
  homes <- dplyr::filter(homes, .data$cohort >= 1L, .data$start < !!axis$stop[axis_size(axis)])
  dplyr::select(homes, dplyr::all_of(c(keys, "cohort", names(ranks))))
}

with_ranks <- function(spans, ranks) {
  for (i in seq_along(ranks)) {
    group <- paste0("group_", i)
    name <- names(ranks)[i]
    ranked <- dplyr::rename(ranks[[i]]$table, !!group := "value", !!name := "rank")
    spans <- dplyr::left_join(spans, ranked, by = group)
    missing <- ranks[[i]]$missing
    spans <- dplyr::mutate(spans, !!name := dplyr::case_when(is.na(.data[[group]]) ~ !!missing,
                                                             TRUE ~ .data[[name]]))
  }
  spans
}

first_of_each <- function(stretches, keys) {
  by_key <- dbplyr::window_order(dplyr::group_by(stretches, dplyr::across(dplyr::all_of(keys))),
                                 .data$start)
  dplyr::filter(dplyr::ungroup(dplyr::mutate(by_key, nth = dplyr::row_number())), .data$nth == 1L)
}

# The place of each value of the columns of a group among its values, so that a database need not
# know how they are ordered here: tables (value, rank), and the rank of a missing value.
put_ranks <- function(x, groups) {
  columns <- lapply(groups$values, function(values) sort_unique(values))
  ranks <- lapply(columns, function(values) {
    put <- put_table(engine_of(x)$source$con,
                     tibble::tibble(value = values[!is.na(values)],
                                    rank = which(!is.na(values))))
    c(put, list(missing = match(NA, values), values = values))
  })
  stats::setNames(ranks, sprintf("rank_%d", seq_along(ranks)))
}

sort_unique <- function(values) {
  slice_all(list(values), code_values(list(values))$rows)[[1]]
}

# Keys by group and cohort, and who is there by group, cohort and period.
cells_of_cohorts <- function(found, groups, ranks, size) {
  line <- function(found) {
    own <- Map(function(rank, name) ranks[[name]]$values[found[[name]]], ranks, names(ranks))
    named <- stats::setNames(own, names(numbered_names("group", groups$names)))
    (places_of_groups(c(found["cohort"], named), groups) - 1L) * size + found$cohort
  }
  sizes <- integer(size * groups$size)
  sizes[line(found$size)] <- as.integer(found$size$keys)
  active <- matrix(0, size + 1L, size * groups$size)
  active[cbind(found$active$place, line(found$active))] <- found$active$by
  list(size = sizes, active = as.integer(summed_up(active)))
}
