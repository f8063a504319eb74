# A scaffold of records in a database is a table that stays there: its days and its periods are
# kept beside it until the connection is closed. No row of it is fetched.

slices_in_database <- function(x, axis, asked) {
  if (in_shards(x)) check_one_database(x, "A scaffold")
  source <- source_asked(x)
  rows <- if (in_shards(x)) over_shards(x, slices_in_sql, dplyr::union_all, axis, asked)
  else slices_in_sql(x, axis, asked)
  # As one statement of steps: nested in each other they are deeper than some databases follow.
  answered(dplyr::tbl(source$con, in_steps(rows, source$writer)), "The rows of the scaffold")
}

slices_in_sql <- function(x, axis, asked) {
  source <- engine_of(x)$source
  if (asked$every_period && asked$of == "records") check_row_named(source$names)
  all <- all_periods(axis)
  source <- with_further_days(source, c(all$first, all$stop))
  days <- put_days(source, places_of_both(all, source, asked$rule))$table
  periods <- put_table(source$con, periods_as_held(axis, all, source, asked$label))$table
  own <- c(row = source$names$row, numbered_names("key", about(x)$names$key),
           numbered_names("carried", asked$carry))
  if (asked$of == "keys") own <- own[names(own) != "row"]
  spans <- with_numbers_of_days(source, own, days, c(from = "from", any_from = "any_from"),
                                c(to = "to", any_to = "any_to"))
  refuse_changed(x, spans)
  there <- dplyr::filter(spans, .data$start < .data$stop)
  rows <- if (asked$of == "keys") rows_of_keys_in_sql(x, there, days, periods, length(all$first))
  else rows_of_records_in_sql(source$con, there, periods, length(all$first))
  if (asked$every_period) every_period_in_sql(spans, rows, periods, own)
  else dated_rows_in_sql(source, rows, days, own, asked$label)
}

# In which of all periods a day is, by the rule and by any day.
places_of_both <- function(all, source, rule) {
  places <- places_on(all, counts_last_day(source))
  at <- places_of_rule(rule)
  function(number) {
    found <- places(number)
    list(from = found[[at[["from"]]]], to = found[[at[["to"]]]], any_from = found$from_any,
         any_to = found$to_any)
  }
}

# All periods, those before the ones that are shown too, with their dates as the records have them.
periods_as_held <- function(axis, all, source, label) {
  size <- length(all$first)
  place <- seq_len(size)
  shown <- place > all$from & place <= all$to
  as_held <- if (source$kinds[["start"]] == "texts") function(day) format(as_date(day)) else as_date
  columns <- list(place = place, shown = as.integer(shown), opens = all$first, closes = all$stop,
                  period = as_held(all$first), period_end = as_held(all$stop - 1L))
  if (!is.null(label)) {
    columns$label <- replace(rep(NA_character_, size), shown, axis_columns(axis, label)$label)
  }
  tibble::new_tibble(columns, nrow = size)
}

# Spans with the periods between two places; one without an end goes on behind all of them.
in_their_periods <- function(con, spans, periods, from, to, size) {
  side <- sides_in_sql(con)
  last <- lapply(stats::setNames(nm = unique(c("to", to))), function(place) {
    rlang::expr(dplyr::case_when(.data$stop == !!never(day_timeline()) ~ !!size,
                                 TRUE ~ .data[[!!place]]))
  })
  spans <- dplyr::mutate(spans, !!!last)
  rows <- dplyr::inner_join(spans, periods, sql_on = dbplyr::build_sql(
    side("RHS", "place"), " BETWEEN ", side("LHS", from), " AND ", side("LHS", to), con = con))
  dplyr::mutate(rows, since = dplyr::case_when(.data$start > .data$opens ~ .data$start,
                                               TRUE ~ .data$opens),
                until = dplyr::case_when(.data$stop < .data$closes ~ .data$stop,
                                         TRUE ~ .data$closes))
}

rows_of_records_in_sql <- function(con, spans, periods, size) {
  rows <- in_their_periods(con, spans, periods, "from", "to", size)
  rows <- dplyr::mutate(rows, nth = .data$place - .data$from + 1L, days = .data$until - .data$since)
  dplyr::filter(rows, .data$shown == 1L)
}

# What a key covers of the periods in which it is active, numbered from the first of them.
rows_of_keys_in_sql <- function(x, spans, days, periods, size) {
  source <- engine_of(x)$source
  ends <- counts_last_day(source)
  keys <- names(numbered_names("key", about(x)$names$key))
  pieces <- with_places(stretches_of_keys(x, spans, keys), days,
                        c(from = "from", any_from = "any_from"), c(to = "to", any_to = "any_to"),
                        ends)
  rows <- in_their_periods(source$con, pieces, periods, "any_from", "any_to", size)
  rows <- dplyr::mutate(rows, covered = .data$until - .data$since, met = dplyr::case_when(
    .data$place >= .data$from & .data$place <= .data$to ~ 1L, TRUE ~ 0L))
  rows <- dplyr::group_by(rows, dplyr::across(dplyr::all_of(c(keys, colnames(periods)))))
  rows <- dplyr::summarise(rows, since = min(.data$since, na.rm = TRUE),
                           until = max(.data$until, na.rm = TRUE),
                           days = sum(.data$covered, na.rm = TRUE),
                           met = max(.data$met, na.rm = TRUE), .groups = "drop")
  rows <- dplyr::group_by(dplyr::filter(rows, .data$met == 1L), dplyr::across(dplyr::all_of(keys)))
  rows <- dplyr::mutate(dbplyr::window_order(rows, .data$place), nth = dplyr::row_number())
  # That the number is asked about keeps what is hidden from being left out before it is counted.
  dplyr::filter(dplyr::ungroup(rows), .data$shown == 1L, .data$nth >= 1L)
}

# Slices with their dates, which the table of days knows, under the names that they are to have.
dated_rows_in_sql <- function(source, rows, days, own, label) {
  held <- if (source$kinds[["start"]] == "texts") "text" else "date"
  first <- dplyr::transmute(days, since = .data$number, first_shown = .data[[!!held]])
  last <- dplyr::transmute(days, until = .data$number + 1L, last_shown = .data[[!!held]])
  rows <- dplyr::left_join(dplyr::left_join(rows, first, by = "since"), last, by = "until")
  shown <- c(named_as_asked(own), nth = "nth", period = "period", period_end = "period_end",
             label = if (!is.null(label)) "label", start = "first_shown", end = "last_shown",
             days = "days")
  dplyr::transmute(rows, !!!rlang::syms(shown))
}

# Our names of columns by those of the table; what numbers the records is called "row".
named_as_asked <- function(own) {
  stats::setNames(names(own), replace(own, names(own) == "row", "row"))
}

# Each key, or record, in each period that is shown.
every_period_in_sql <- function(spans, rows, periods, own) {
  lines <- dplyr::distinct(dplyr::select(spans, dplyr::all_of(names(own))))
  periods <- dplyr::filter(periods, .data$shown == 1L)
  periods <- dplyr::select(periods, -c("shown", "opens", "closes"))
  cells <- dplyr::inner_join(lines, periods, sql_on = dbplyr::sql("1 = 1"))
  id <- if ("row" %in% names(own)) "row" else grep("^key_", names(own), value = TRUE)
  hits <- dplyr::transmute(rows, dplyr::across(dplyr::all_of(c(id, "place"))), hit = 1L)
  cells <- dplyr::left_join(cells, hits, by = c(id, "place"))
  cells <- dplyr::mutate(cells, present = !is.na(.data$hit))
  shown <- c(named_as_asked(own), stats::setNames(nm = setdiff(colnames(periods), "place")),
             present = "present")
  dplyr::transmute(cells, !!!rlang::syms(shown))
}

# How many rows a scaffold has in each period, and how many of them are `present`, or their `days`.
rows_by_period <- function(rows, x, counted) {
  class(rows) <- setdiff(class(rows), "ridge_lazy")
  value <- if (counted == "days") quote(.data$days)
  else rlang::expr(dplyr::case_when(.data$present ~ 1L, TRUE ~ 0L))
  by_period <- dplyr::group_by(dplyr::mutate(rows, value = !!value), .data$period)
  found <- fetched(x, dplyr::summarise(by_period, rows = dplyr::n(),
                                       value = sum(.data$value, na.rm = TRUE)),
                   "The rows of the scaffold, by period")
  found$period <- dates_from_database(found$period, source_asked(x)$kinds[["start"]])
  found
}
