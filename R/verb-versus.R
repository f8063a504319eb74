#' Against another period, or another group
#'
#' Puts beside each value of a result the one it is compared with, their difference
#' and what percent of the base that is.
#'
#' The base is looked up among the periods of the result: where it has none there,
#' `base_label` says "no base" and the numbers are `NA`. To compare the first year of
#' a window with the year before, ask for a window that begins a year earlier.
#'
#' @param result A result of [active()], [movement()], [allocate()] or [time_in()]
#'   by group or in all.
#' @param base What to compare with: `"previous"` (the period before, the default);
#'   `"year_before"`, the same period a year before (of days the same date, of weeks
#'   that 52 weeks before); a date: the period that holds it; or, to compare groups, a
#'   named list with the value of each group column, such as
#'   `list(station = "Whinfell")`; `"total"`: the line over all groups.
#' @param values The column that is compared; `NULL`: the verb's own.
#' @return A tibble: the group columns, `total` where it was there, `period`,
#'   `period_end`, the value, `base_label`, `base`, `difference` (value less base) and
#'   `percent` (100 times difference by base, `NA` where the base is 0).
#' @section Errors:
#' A base that no period or group of the result has is an error of class
#' `ridge_error_argument`.
#' @examples
#' staff <- spans(demo_records("postings"), first_day, last_day, key = observer,
#'                as_of = "2026-06-30")
#' quarters <- active(staff, by = "quarter", from = "2025-01-01", to = "2026-06-30")
#' versus(quarters, "year_before")
#' halves <- active(staff, by = "6 months", group = station, from = "2025-07-01",
#'                  to = "2026-06-30")
#' versus(halves, list(station = "Whinfell"))
#' @export
versus <- function(result, base = "previous", values = NULL) {
  made <- check_comparable(result)
  values <- check_choice(first_of(values, made$value[1]), made$value, "values")
  plain <- plain_tibble(result)
  size <- if (is.null(made$axis)) 0L else axis_size(made$axis)
  found <- if (nrow(plain) == 0) list(at = integer(), words = "nothing to compare") else find_base(plain, made, base, size)
  value <- plain[[values]]
  other <- value[found$at]
  difference <- if (is.null(made[["digits"]])) value - other else round(value - other, made$digits)
  columns <- c(as.list(plain[setdiff(names(plain), setdiff(made$value, values))]),
               list(base_label = ifelse(is.na(found$at), "no base", found$labels), base = other, difference = difference,
                    percent = ifelse(is.na(other) | other == 0, NA_real_, 100 * difference / other)))
  missing <- sum(is.na(found$at))
  words <- sub("[.]$", paste0("; ", values, " compared with ", found$words,
                              if (missing > 0) paste0(", ", count_of(missing, "row"), " without a base"), "."), made$conventions)
  new_result(columns, "versus", words, axis = made$axis, groups = made$groups, source = made$source, long = result, values = values,
             base = base, label = made$label, value = c("difference", "percent", "base", values), ids = made$ids, fill = NA,
             adds = c(periods = FALSE, groups = FALSE))
}

check_comparable <- function(result) {
  made <- if (inherits(result, "ridge_result")) about(result)
  if (is.null(made) || !(made$verb %in% c("active", "movement", "allocate", "time_in")) || isFALSE(made[["to_totals"]])) {
    ridge_abort(c("{.fn versus} compares results by period and group, not {.val {describe(result)}}.",
                  i = "Give it what {.fn active}, {.fn movement} or, with {.arg group} or {.arg total}, {.fn allocate} or {.fn time_in} returned."), "argument")
  }
  made
}

# The row of each row's base, how it is named, and what the base is in words.
find_base <- function(plain, made, base, size) {
  place <- rep_len(seq_len(size), nrow(plain))
  line <- (seq_len(nrow(plain)) - 1L) %/% size
  if (is.list(base) || identical(base, "total")) {
    return(group_base(plain, made, base, place, size))
  }
  at <- if (inherits(base, c("Date", "POSIXt")) || rlang::is_string(base) && grepl("^[0-9]", base)) {
    day <- as_single_day(base, "base", zone_of(made$axis$tz))
    rep(base_place(made$axis, day, base), size)
  } else {
    check_choice(base, c("previous", "year_before", "total"), "base")
    if (base == "previous") c(NA_integer_, seq_len(size - 1L)) else year_before(made$axis)
  }
  labels <- axis_labels(made$axis, "code")[at]
  words <- if (identical(base, "previous")) "the period before" else if (identical(base, "year_before")) "the same period a year before" else labels[1]
  list(at = line * size + at[place], labels = labels[place], words = words)
}

base_place <- function(axis, day, base) {
  days <- if (is_hourly(axis)) civil_day(axis$first, axis$tz) else axis$first_day
  last <- if (is_hourly(axis)) days else axis$last_day
  at <- which(days <= day & last >= day)[1]
  if (is.na(at)) {
    ridge_abort(c("{.arg base}: no period of the result holds {format(as_date(day))}.",
                  i = "They run from {format(as_date(days[1]))} to {format(as_date(last[length(last)]))}."), "argument")
  }
  at
}

# The place of the period that began a year before: on the same day of that year,
# of weeks 52 weeks earlier.
year_before <- function(axis) {
  if (is_hourly(axis) || axis$grain$unit == "own") {
    ridge_abort(c("{.code base = \"year_before\"} needs periods of a grain of a day or more.", i = "Say {.val previous}, or a date."), "argument")
  }
  first <- axis$first_day
  earlier <- if (axis$grain$unit == "week") first - 364L else add_months(first, rep(-12L, length(first)))
  # 29 February has no such day a year before.
  gone <- axis$grain$unit != "week" & civil_dates(as.integer(earlier))$day != civil_dates(first)$day
  ifelse(gone, NA_integer_, match(earlier, first))
}

group_base <- function(plain, made, base, place, size) {
  lines <- plain[seq.int(1, nrow(plain), by = size), ]
  total <- if (is.null(lines[["total"]])) rep(FALSE, nrow(lines)) else lines$total
  if (identical(base, "total")) {
    if (!any(total)) ridge_abort(c("{.code base = \"total\"} needs the line over all groups.", i = "Say {.code total = TRUE} in {.fn {made$verb}}."), "argument")
    return(list(at = (which(total) - 1L) * size + place, labels = "all groups", words = "the line over all groups"))
  }
  if (length(made$groups) == 0 || !setequal(names(base), made$groups)) {
    ridge_abort(c("{.arg base} must name a value for each group column: {.val {made$groups}}.",
                  i = "Such as {.code list(station = \"Whinfell\")}."), "argument")
  }
  met <- !total
  for (name in made$groups) {
    value <- base[[name]]
    met <- met & (if (is.na(value)) is.na(lines[[name]]) else as.character(lines[[name]]) %in% as.character(value))
  }
  if (!any(met)) {
    known <- unique(do.call(paste, c(unname(lapply(as.list(lines[!total, made$groups]), as.character)), sep = ", ")))
    ridge_abort(c("{.arg base}: there is no group {.val {paste(unlist(base), collapse = ', ')}}.", i = "Groups are {.val {utils::head(known, 20)}}."), "argument")
  }
  name <- paste(vapply(base, function(value) if (is.na(value)) "(missing)" else as.character(value), ""), collapse = ", ")
  list(at = (which(met)[1] - 1L) * size + place, labels = name, words = name)
}
