# What records in a database answer about partitions.

# Runs without a break of the spans with the same values of `by`: a new one begins where a span
# starts more than `far` days behind all before it. Spans that are alike are one, so that their
# order is always the same.
stretches_in_sql <- function(spans, by, far = 0L) {
  alike <- dplyr::group_by(dplyr::filter(spans, .data$start < .data$stop),
                           dplyr::across(dplyr::all_of(c(by, "start", "stop"))))
  alike <- dplyr::ungroup(dplyr::summarise(alike, records = dplyr::n()))
  by_start <- function(table) {
    table <- dplyr::group_by(table, dplyr::across(dplyr::all_of(by)))
    dbplyr::window_order(table, .data$start, .data$stop)
  }
  reached <- dplyr::mutate(dbplyr::window_frame(by_start(alike), -Inf, -1),
                           before = max(.data$stop, na.rm = TRUE))
  reached <- dplyr::mutate(dplyr::ungroup(reached), begins = dplyr::case_when(
    .data$start - .data$before <= !!far ~ 0L, TRUE ~ 1L))
  pieces <- dplyr::mutate(dbplyr::window_frame(by_start(reached), -Inf, 0),
                          piece = sum(.data$begins, na.rm = TRUE))
  pieces <- dplyr::group_by(dplyr::ungroup(pieces), dplyr::across(dplyr::all_of(c(by, "piece"))))
  dplyr::ungroup(dplyr::summarise(pieces, start = min(.data$start, na.rm = TRUE),
                                  stop = max(.data$stop, na.rm = TRUE),
                                  records = sum(.data$records, na.rm = TRUE)))
}

#' @export
stretches_of.ridge_database <- function(x, names, far, table = NULL, between = FALSE, tags = FALSE,
                                        places = FALSE) {
  if (!is.null(table)) refuse_in_database("A question about working days")
  if (between) refuse_in_database("A question about gaps")
  if (tags || places) refuse_in_database("A question about each record of a stretch")
  columns <- numbered_names("line", names)
  found <- with_days(engine_of(x)$source, columns, function(spans, days) {
    fetched(x, stretches_in_sql(spans, names(columns), as.integer(far)), "The stretches")
  })
  values <- stats::setNames(found[names(columns)], names)
  coded <- if (length(names) > 0) code_values(values)
  else list(codes = integer(length(found$start)), rows = integer())
  order <- order(coded$codes, found$start)
  whole <- function(column) as.integer(column)[order]
  list(start = whole(found$start), stop = whole(found$stop), line = coded$codes[order],
       records = whole(found$records), first = integer(), furthest = integer(), tag = integer(),
       lines = list(names = names, values = slice_all(values, coded$rows)), order = integer(),
       covered = sort(unique(coded$codes)))
}
