# What is told of records, wherever they are, said to spans() and the like.

# Which of the ways to say where records end were taken.
end_ways <- function(given) {
  ways <- c(end = !is.null(given$end) || !is.null(given$end_clock),
            one_day = isTRUE(given$one_day), all_open = isTRUE(given$all_open))
  names(ways)[ways]
}

check_one_end <- function(given, ways = end_ways(given)) {
  if (length(ways) > 1) refuse_end()
}

refuse_end <- function() {
  usage_abort(paste("Say one of {spelled('end', 'COLUMN')}, {spelled('one-day')} (there is no",
                    "end) and {spelled('all-open')} (all are still there)."))
}

# A column's name, NULL for one day, NA for all open.
end_given <- function(given) {
  ways <- end_ways(given)
  if (length(ways) == 0) refuse_end()
  switch(ways, end = given$end, one_day = NULL, all_open = NA)
}

declare_given <- function(ready, given, verb) {
  end <- if (rlang::is_string(ready$end)) by_names(ready$end) else rlang::new_quosure(ready$end)
  told <- only_given(given, c("end_counts", "means_open", "as_of", "tz", "date_order", "unusable",
                              "days"))
  # A name by itself is a label that takes no time to make.
  records <- ready$records
  rlang::inject(verb(records, start = !!by_names(ready$start), end = !!end,
                     key = !!by_names(given$key), weight = !!by_names(given$weight), !!!told))
}

write_aside <- function(table, path) {
  write_records(table, path)
  cli::cli_inform("Set aside: {path} ({count_of(nrow(table), 'record')})")
}
