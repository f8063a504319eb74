#' Declare records that have a start and an end
#'
#' Says once what the records are and by which conventions they are read. All
#' verbs take the object that comes back. It is a tibble of the records, so
#' `filter()`, `subset()`, `arrange()` and `[` narrow and reorder it as usual and
#' the conventions stay; changing the start, end, key or weight makes it a plain
#' tibble again.
#'
#' @param data A data frame of records: one row each.
#' @param start,end The columns of starts and ends, by name. Date, POSIXct, or
#'   text in ISO 8601 form (`2026-03-17`, `2026-03-17T08:15`, with `Z` or an
#'   offset). All days or all instants. A missing end is a span that is still
#'   open. `end = NULL`: each record is one day. `end = NA`: all are still open.
#' @param key The column or columns that say whom or what a record belongs to,
#'   or `NULL`. A blank or missing key is a problem of its row.
#' @param weight A numeric column to sum (a share of full time, seats), or
#'   `NULL`. Each weight is 0 or more; a missing one is a problem of its row.
#' @param end_counts Does the last day count? `TRUE`, the default on days: from
#'   the 9th to the 23rd are 15 days. `FALSE`: 14, as for nights and loans. The
#'   end of an instant never counts.
#' @param open Dates that stand for "no end yet", such as
#'   `as.Date("9999-12-31")`, besides missing ones.
#' @param as_of The day the analysis speaks for: one date, by default today.
#' @param tz The time zone whose days count for instants. By default that of the
#'   start column, or the session's.
#' @param problems What to do with records that cannot be used: `"stop"`, or
#'   `"set_aside"` to keep them apart; see [set_aside()].
#' @return A spans object.
#' @section Errors:
#' A column that is not there is an error of class `ridge_error_column`, a wrong
#' argument of class `ridge_error_argument`, a column that holds no dates of
#' class `ridge_error_records`. Records without a start or key, with an
#' unreadable date, an end before the start or a year outside 1600 to 9999 are
#' errors of class `ridge_error_records`, unless set aside. So is an end more than 100 years
#' past `as_of` that `open` does not name; it is never set aside.
#' @examples
#' postings <- demo_records("postings")
#' staff <- spans(postings, first_day, last_day, key = observer, as_of = "2026-06-30")
#' staff
#' subset(staff, station == "Kestrel Gap")
#' @export
spans <- function(data, start, end, key = NULL, weight = NULL, end_counts = NULL, open = NULL,
                  as_of = Sys.Date(), tz = NULL, problems = "stop") {
  check_choice(problems, c("stop", "set_aside"), "problems")
  columns <- list(start = rlang::enquo(start), end = rlang::enquo(end), key = rlang::enquo(key),
                  weight = rlang::enquo(weight))
  declare_records(data, columns, end_counts, open, as_of, tz, problems)
}

# `problems` may also be "find": then an end that `open` should have named is set
# aside like the others.
declare_records <- function(data, columns, end_counts, open, as_of, tz, problems) {
  if (!is.data.frame(data)) {
    ridge_abort("{.arg data} must be a data frame, not {.val {describe(data)}}.", "argument")
  }
  if (!is.null(tz)) check_zone(tz)
  source <- source_of(data)
  data <- own_copy(data)
  names <- list(start = pick_one(data, columns$start, "start"),
                end = pick_end(data, columns$end),
                key = pick_columns(data, columns$key, "key"),
                weight = pick_one(data, columns$weight, "weight", optional = TRUE))
  for (name in names$key) check_plain_column(data[[name]], name, "key")
  what <- read_columns(data, names, open, as_of, tz, end_counts)
  far <- far_ends(what)
  if (problems != "find") refuse_far_ends(far, source)
  found <- rbind(find_problems(what), far)
  if (nrow(found) > 0 && problems == "stop") {
    refuse_problems(found, source)
  }
  declare_spans(data, names, what, found, source)
}

# The same by names, with the conventions of other spans.
declare_named <- function(data, names, end_counts, open, how) {
  by_name <- function(name) rlang::quo(tidyselect::all_of(!!name))
  end <- if (is.null(names$end) || is.na(names$end)) rlang::new_quosure(names$end) else by_name(names$end)
  columns <- list(start = by_name(names$start), end = end,
                  key = by_name(names$key), weight = by_name(names$weight))
  as_of <- if (is.null(how$tz)) as_date(how$as_of_day) else as_instant(how$as_of, how$tz)
  x <- declare_records(data, columns, end_counts, open, as_of, how$tz, "stop")
  amend_spans(x, as_of_day = how$as_of_day)
}

# A tibble of its own: without groups, keys by reference or classes of others.
own_copy <- function(data) {
  by_reference <- inherits(data, "data.table")
  data <- plain_tibble(data)
  if (by_reference) {
    data[] <- lapply(data, rlang::duplicate)
  }
  data
}

pick_columns <- function(data, quo, arg) {
  tryCatch(
    names(data)[tidyselect::eval_select(quo, data, allow_rename = FALSE)],
    error = function(cnd) refuse_columns(data, quo, arg, cnd)
  )
}

refuse_columns <- function(data, quo, arg, cnd) {
  wanted <- missing_name(cnd)
  if (is.null(wanted)) {
    wanted <- gsub("^[\"`]|[\"`]$", "", rlang::as_label(rlang::quo_get_expr(quo)))
  }
  if (length(names(data)) == 0) {
    ridge_abort("{.arg {arg}}: the records have no columns.", "column")
  }
  check_column(data, wanted, arg)
  ridge_abort("{.arg {arg}}: {conditionMessage(cnd)}", "column")
}

# The column that the selection looked for, where it says so.
missing_name <- function(cnd) {
  while (!is.null(cnd)) {
    if (rlang::is_character(cnd$i)) return(cnd$i[1])
    cnd <- cnd$parent
  }
}

pick_one <- function(data, quo, arg, optional = FALSE) {
  if (rlang::quo_is_missing(quo)) {
    ridge_abort("{.arg {arg}} must name a column of the records: {.val {names(data)}}.", "argument")
  }
  picked <- pick_columns(data, quo, arg)
  if (length(picked) > 1 || (length(picked) == 0 && !optional)) {
    ridge_abort("{.arg {arg}} must name one column, not {length(picked)}.", "argument")
  }
  if (length(picked) == 0) NULL else picked
}

# The column's name; NULL for one-day records, NA where all are still open.
pick_end <- function(data, quo) {
  if (rlang::quo_is_missing(quo)) {
    ridge_abort(c("{.arg end} must name a column of the records: {.val {names(data)}}.",
                  i = "{.code end = NULL} makes each record one day, {.code end = NA} leaves all of them open."),
                "argument")
  }
  expr <- rlang::quo_get_expr(quo)
  if (is.null(expr)) {
    return(NULL)
  }
  if (rlang::is_scalar_atomic(expr) && is.na(expr)) {
    return(NA_character_)
  }
  pick_one(data, quo, "end")
}

# Everything that checking and indexing needs, from the columns as they came.
read_columns <- function(data, names, open, as_of, tz, end_counts) {
  start <- read_moments(data[[names$start]], names$start, tz)
  end <- read_ends(data, names, start, tz)
  on_instants <- start$on == "instants" || (start$on == "blank" && end$on == "instants")
  check_same_kind(start, end, names)
  tz <- if (on_instants) choose_zone(start$values, tz)
  end_counts <- choose_end_counts(end_counts, on_instants)
  start$days <- moment_days(start$values, tz)
  end$days <- moment_days(end$values, tz)
  open <- open_days(open, zone_of(tz))
  end$as_given <- end$values
  end$values[end$days %in% open] <- NA
  end$days[is.na(end$values)] <- NA
  weight <- if (!is.null(names$weight)) check_weight(data[[names$weight]], names$weight)
  keys <- stats::setNames(lapply(names$key, function(name) data[[name]]), names$key)
  orders <- c(stats::setNames(start$order, if (length(start$order)) names$start),
              stats::setNames(end$order, if (length(end$order)) names$end))
  list(names = names, start = start, end = end, orders = orders[!duplicated(names(orders))], keys = keys, weight = weight, tz = tz, open = open,
       raw = list(start = data[[names$start]],
                  end = if (rlang::is_string(names$end)) data[[names$end]]),
       end_counts = end_counts, as_of_day = as_single_day(as_of, "as_of", zone_of(tz)),
       as_of = as_of_moment(as_of, tz),
       ticks = if (on_instants) list(start = as.double(start$values), end = as.double(end$values))
       else list(start = start$days, end = end$days))
}

read_ends <- function(data, names, start, tz) {
  if (is.null(names$end)) {
    if (start$on == "instants") {
      ridge_abort(c("{.code end = NULL} makes each record one day, but {.val {names$start}} holds instants.",
                    i = "Name the column of ends, or turn the starts into dates with {.fn as.Date}."),
                  "argument")
    }
    return(start)
  }
  if (is.na(names$end)) {
    blank <- start$values
    blank[] <- NA
    return(list(on = "blank", values = blank, bad = integer()))
  }
  end <- read_moments(data[[names$end]], names$end, tz)
  if (end$on == "blank" && start$on == "instants") {
    end$values <- as_instant(as.double(end$values), attr(start$values, "tzone"))
  }
  end
}

check_same_kind <- function(start, end, names) {
  kinds <- setdiff(c(start$on, end$on), "blank")
  if (length(kinds) == 2) {
    ridge_abort(c("{.val {names$start}} holds {start$on}, {.val {names$end}} holds {end$on}.",
                  i = "Make both dates, or both date-times."), "records")
  }
}

choose_zone <- function(values, tz) {
  if (!is.null(tz)) {
    return(tz)
  }
  tz <- attr(values, "tzone")[1]
  if (is.null(tz) || !nzchar(tz)) local_zone() else check_zone(tz)
}

choose_end_counts <- function(end_counts, on_instants) {
  if (is.null(end_counts)) {
    return(!on_instants)
  }
  check_flag(end_counts, "end_counts")
  if (end_counts && on_instants) {
    ridge_abort(c("{.code end_counts = TRUE} has no meaning for instants: a span ends at its end.",
                  i = "Leave {.arg end_counts} out, or turn the columns into dates with {.fn as.Date}."),
                "argument")
  }
  end_counts
}

check_weight <- function(weight, name) {
  if (!is.numeric(weight)) {
    ridge_abort("Column {.val {name}}, the {.arg weight}, must hold numbers. It holds {.cls {class(weight)[1]}}, such as {.val {describe(weight[1])}}.",
                "records")
  }
  as.double(weight)
}

moment_days <- function(values, tz) {
  if (is.null(tz)) whole_days(values) else civil_day(as.double(values), tz)
}

moment_ticks <- function(values, tz) {
  if (is.null(tz)) whole_days(values) else as.double(values)
}

# Dates beyond any calendar, infinite ones among them, are missing.
whole_days <- function(dates) {
  days <- unclass(dates)
  if (is.integer(days)) as.integer(days) else suppressWarnings(as.integer(floor(days)))
}

open_days <- function(open, tz) {
  if (length(open) == 0) integer() else as_days(open[!is.na(open)], "open", tz, "dates")
}

# The as-of date counts: on instants it runs to the end of that day.
as_of_moment <- function(as_of, tz) {
  if (is.null(tz)) {
    return(NULL)
  }
  if (inherits(as_of, "POSIXt")) {
    return(as.numeric(as_of))
  }
  day_starts(as_single_day(as_of, "as_of", tz) + 1L, tz)
}

declare_spans <- function(data, names, what, found, source) {
  aside <- reasons_with_rows(data, found, source)
  data[[names$start]] <- what$start$values
  if (has_end_column(names)) {
    data[[names$end]] <- what$end$as_given
  }
  conventions <- list(names = names, end_counts = what$end_counts, tz = what$tz,
                      open = what$open, as_of_day = what$as_of_day, as_of = what$as_of,
                      set_aside = aside, problems = problems_in_source(found, source),
                      left_out = source$left_out, given = length(source$rows) + source$left_out, dropped = 0,
                      orders = what$orders)
  rows <- source$rows
  if (nrow(aside) > 0) {
    used <- -unique(found$row)
    data <- data[used, ]
    rows <- rows[used]
  }
  x <- new_spans(data, conventions, rows)
  span_index(x)
  x
}

problems_in_source <- function(found, source) {
  found$row <- source$rows[found$row]
  found
}

has_end_column <- function(names) {
  rlang::is_string(names$end) && !is.na(names$end)
}

# The records set aside as they came, behind their row and the reasons.
reasons_with_rows <- function(data, found, source) {
  shown <- sprintf("%s %s%s", found$column, quoted(found$value), found$reason)
  reasons <- vapply(split(shown, found$row), paste, character(1), collapse = "; ")
  rows <- as.integer(names(reasons))
  columns <- lapply(as.list(data), function(column) column[rows])
  names(columns) <- make.unique(c("row", "reason", names(columns)), "_")[-(1:2)]
  tibble::new_tibble(c(list(row = source$rows[rows], reason = unname(reasons)), columns), nrow = length(rows))
}
