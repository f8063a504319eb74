#' Periods across the top
#'
#' Lays a result out wide: a row for each group or record, a column for each
#' period, in order, labelled as in the figures. No period is lost because nothing
#' touches it: there it says 0.
#'
#' @param result A result of [active()], [allocate()], [time_in()], [movement()],
#'   [cohorts()] or of [scaffold()].
#' @param across What goes across the top: `"period"` (the default; for cohorts
#'   `"age"`), or a column of groups or keys; then the periods go down the side.
#' @param values The column of numbers to lay out; `NULL`: the verb's own.
#' @param totals `"none"`, `"rows"` (a last column `sum`), `"columns"` (a last
#'   line, told apart by the column `total`) or `"both"`. Only where a sum means
#'   something: amounts and time have one, levels of several periods have none.
#' @param label The form of the labels: see [periods()].
#' @return A tibble: the columns that name a row, then one per period: numbers in the
#'   unit of the result, 0 where nothing is, `NA` where an amount is missing or, of
#'   cohorts, not known yet. Sums leave `NA` out.
#' @section Errors:
#' A result that has no periods, a column that is not there, and totals that would
#' mean nothing are errors of class `ridge_error_argument`.
#' @examples
#' grants <- spans(demo_records("grants"), first_day, last_day, key = grant,
#'                 as_of = "2026-06-30")
#' wide <- allocate(subset(grants, funder == "Weather Fund"), amount, by = "quarter",
#'                  digits = 2, carry = c(first_day, last_day)) |>
#'   widen(totals = "both")
#' wide
#' @export
widen <- function(result, across = NULL, values = NULL, totals = "none", label = "code") {
  made <- check_wide(result)
  check_choice(totals, c("none", "rows", "columns", "both"), "totals")
  check_label(label)
  values <- check_choice(first_of(values, made$value[1]), made$value, "values")
  top <- first_of(made$top, "period")
  across <- check_choice(first_of(across, top), c(top, setdiff(made$ids, "row")), "across")
  ids <- intersect(c(made$ids, if (!is.null(result[["total"]])) "total"), names(result))
  plain <- plain_tibble(result)
  if (across == top) {
    heads <- wide_heads(made, top, plain, label)
    rows <- plain[ids]
  } else {
    heads <- group_heads(plain, across)
    rows <- plain[c(setdiff(ids, c(across, "total")), if (top == "period") c("period", "period_end") else top)]
  }
  check_wide_sums(made, values, totals, across)
  shape_wide(result, rows, heads, values, totals, across)
}

check_wide <- function(result) {
  if (!inherits(result, "ridge_result") || is.null(about(result)[["value"]]) || is.null(about(result)[["ids"]])) {
    ridge_abort(c("{.fn widen} lays out results by period, not {.val {describe(result)}}.",
                  i = "Give it what {.fn active}, {.fn allocate}, {.fn time_in}, {.fn movement} or {.fn cohorts} returned, with its rows and values as they were."), "argument")
  }
  about(result)
}

# Names of the columns, and the column of each row.
wide_heads <- function(made, top, plain, label) {
  if (top == "age") {
    ages <- sort(unique(plain$age))
    return(list(names = as.character(ages), at = match(plain$age, ages)))
  }
  if (is.null(made$axis)) {
    return(list(names = character(), at = integer()))
  }
  periods <- axis_columns(made$axis)$period
  list(names = axis_labels(made$axis, label), at = match(plain$period, periods))
}

group_heads <- function(plain, across) {
  coded <- code_values(as.list(plain[across]))
  names <- as.character(plain[[across]][coded$rows])
  names[is.na(names)] <- "(missing)"
  at <- coded$codes + 1L
  if (!is.null(plain[["total"]])) {
    at[plain$total] <- length(names) + 1L
    names <- c(names, "all")
    used <- sort(unique(at))
    names <- names[used]
    at <- match(at, used)
  }
  list(names = names, at = at)
}

# Sums over periods or over groups that would count the same thing twice.
check_wide_sums <- function(made, values, totals, across) {
  over <- c(rows = totals %in% c("rows", "both"), columns = totals %in% c("columns", "both"))
  top <- first_of(made$top, "period")
  if (across != top) names(over) <- rev(names(over))
  adds <- first_of(made$adds, c(periods = TRUE, groups = TRUE))
  if (is.function(adds)) adds <- adds(values)
  if (over[["rows"]] && !adds[["periods"]]) {
    ridge_abort(c("{.val {values}} of several {top}s cannot be added up: they are levels, not amounts.",
                  i = "Leave that total out, or ask for a coarser {.arg by}."), "argument")
  }
  if (over[["columns"]] && !adds[["groups"]]) {
    ridge_abort(c("{.val {values}} of several groups cannot be added up: a key may be in two of them.",
                  i = "Say {.code total = TRUE} in {.fn {made$verb}} for the line over all groups."), "argument")
  }
}

shape_wide <- function(result, rows, heads, values, totals, across) {
  made <- about(result)
  line <- if (ncol(rows) > 0) vctrs::vec_group_id(rows) else rep(1L, nrow(rows))
  first <- first_met(line)
  lines <- length(first)
  cells <- matrix(first_of(made$fill, 0), lines, length(heads$names))
  storage.mode(cells) <- if (is.integer(result[[values]])) "integer" else "double"
  cells[cbind(as.integer(line), heads$at)] <- result[[values]]
  columns <- c(as.list(vctrs::vec_slice(rows, first)), split_columns(cells, heads$names))
  ids <- rows[first, ]
  unit <- if (is.null(made$digits)) NULL else 10^made$digits
  add <- function(sums) if (is.null(unit)) sums else round(sums * unit) / unit
  counted <- if (is.null(ids[["total"]])) rep(TRUE, lines) else !ids$total
  apart <- heads$names != "all" | across == first_of(made$top, "period")
  if (totals %in% c("rows", "both")) columns$sum <- add(rowSums(cells[, apart, drop = FALSE], na.rm = TRUE))
  if (totals %in% c("columns", "both") && all(counted)) {
    bottom <- lapply(as.list(ids), function(column) column[NA_integer_])
    sums <- c(add(colSums(cells, na.rm = TRUE)), if (totals == "both") add(sum(cells[, apart], na.rm = TRUE)))
    columns <- Map(c_typed, columns, c(bottom, as.list(unname(sums))))
    columns <- append(columns, list(total = seq_len(lines + 1L) > lines), after = ncol(ids))
  }
  words <- sub("[.]$", paste0("; ", across, "s across."), made$conventions)
  new_result(columns, "widen", words, nrow = lines + (totals %in% c("columns", "both") && all(counted)),
             long = result, numbers = setdiff(names(columns), c(names(ids), "total")), values = values,
             source = made$source)
}

c_typed <- function(column, last) {
  if (is.integer(column) && (is.na(last) || abs(last) <= .Machine$integer.max)) c(column, as.integer(last))
  else if (is.numeric(column)) c(column, last)
  else vctrs::vec_c(column, last)
}

split_columns <- function(cells, names) {
  stats::setNames(lapply(seq_along(names), function(i) cells[, i]), make.unique(names, "_"))
}
