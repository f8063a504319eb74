# What records in a database answer about partitions.

# Runs without a break of the spans with the same values of `by`: a new one begins where a span
# starts more than `far` days behind all before it. `piece` is the start of the run that is the
# latest by then. What lies between may be measured otherwise than in days, by two columns that grow
# with them.
stretches_in_sql <- function(x, spans, by, far = 0L, measured = c("start", "stop"),
                             records = quote(dplyr::n())) {
  con <- engine_of(x)$source$con
  by_start <- dplyr::group_by(spans, dplyr::across(dplyr::all_of(by)))
  by_start <- dbplyr::window_order(by_start, .data$start, .data$stop)
  reached <- dplyr::mutate(dbplyr::window_frame(by_start, -Inf, -1),
                           before = max(.data[[!!measured[2]]], na.rm = TRUE))
  begun <- dplyr::mutate(dplyr::ungroup(reached), begun = dplyr::case_when(
    .data[[!!measured[1]]] - !!far <= .data$before ~ NA_integer_, TRUE ~ .data$start))
  latest <- dbplyr::win_over(dbplyr::build_sql("MAX(", dbplyr::ident("begun"), ")", con = con),
                             partition = if (length(by)) dbplyr::ident(by),
                             order = dbplyr::ident(c("start", "stop")), frame = c(-Inf, 0),
                             con = con)
  pieces <- dplyr::mutate(begun, piece = !!latest)
  pieces <- dplyr::group_by(pieces, dplyr::across(dplyr::all_of(c(by, "piece"))))
  pieces <- dplyr::summarise(pieces, stop = max(.data$stop, na.rm = TRUE), records = !!records)
  dplyr::rename(dplyr::ungroup(pieces), start = "piece")
}

#' @export
stretches_of.ridge_database <- function(x, names, far, table = NULL, between = FALSE, tags = FALSE,
                                        places = FALSE) {
  if (between) refuse_in_database("A question about gaps")
  if (tags || places) refuse_in_database("A question about each record of a stretch")
  columns <- numbered_names("line", names)
  worked <- if (!is.null(table)) worked_in_database(x, table)
  found <- with_days(engine_of(x)$source, columns, more = worked$more, at_start = worked$at_start,
                     at_end = worked$at_end, f = function(spans, days) {
    # One of an unknown day, which came in later, makes it fewer than none, so that all is asked at
    # once.
    unknown <- quote(is.na(.data$start) | is.na(.data$stop))
    there <- dplyr::filter(spans, .data$start < .data$stop | !!unknown)
    if (!is.null(table)) there <- with_open_worked(there)
    measured <- if (is.null(table)) c("start", "stop") else c("worked_start", "worked_stop")
    unknown <- rlang::expr(max(dplyr::case_when(!!unknown ~ 1L, TRUE ~ 0L), na.rm = TRUE))
    records <- rlang::expr(dplyr::case_when((!!unknown) == 1L ~ -1L, TRUE ~ dplyr::n()))
    fetched(x, stretches_in_sql(x, there, names(columns), as.integer(far), measured, records),
            "The stretches")
  })
  declared <- facts_of(x)$records - facts_of(x)$empty
  if (sum(found$records) != declared || any(found$records < 0)) refuse_as_changed()
  if (others_set_aside(engine_of(x)$source)) refuse_as_changed()
  values <- stats::setNames(found[names(columns)], names)
  coded <- if (length(names) > 0) code_values(values)
  else list(codes = integer(length(found$start)), rows = seq_len(length(found$start) > 0))
  order <- order(coded$codes, found$start)
  whole <- function(column) as.integer(column)[order]
  list(start = whole(found$start), stop = whole(found$stop), line = coded$codes[order],
       records = whole(found$records), first = integer(), furthest = integer(), tag = integer(),
       lines = list(names = names, values = slice_all(values, coded$rows)), order = integer(),
       covered = seq_along(coded$rows) - 1L)
}

# How many working days lie before the start and the stop of each span.
worked_in_database <- function(x, table) {
  worked <- measure_in_days(NULL, spread_over(table))$edge
  ends <- counts_last_day(engine_of(x)$source)
  list(more = function(number) {
    list(worked_before = worked(number), worked_through = worked(number + ends))
  }, at_start = c(worked_start = "worked_before"), at_end = c(worked_stop = "worked_through"))
}

with_open_worked <- function(spans) {
  dplyr::mutate(spans, worked_stop = dplyr::case_when(
    .data$stop == !!never(day_timeline()) ~ .data$stop, TRUE ~ .data$worked_stop))
}
