#' Periods across the top
#'
#' Lays a result out wide: a row for each group or record, a column for each
#' period, in order, labelled as in the figures. No period is lost because nothing
#' touches it: there it says 0.
#'
#' @param result A result of [active()], [allocate()], [time_within()], [movement()],
#'   [cohorts()] or of [scaffold()].
#' @param across What goes across the top: `"period"` (the default; for cohorts
#'   `"age"`), or a column of groups or keys; then the periods go down the side.
#' @param values The column of numbers to lay out; `NULL`: the verb's own.
#' @param sums `"none"`, `"rows"` (a last column `sum`), `"columns"` (a last
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
#'   widen(sums = "both")
#' wide
#' @export
widen <- function(result, across = NULL, values = NULL, sums = "none", label = "code") {
  check_wide(result)
  check_choice(sums, c("none", "rows", "columns", "both"), "sums")
  check_label(label)
  made <- about(result)
  values <- check_choice(values %||% wide_values(made)[1], wide_values(made), "values")
  top <- if (inherits(result, "ridge_cohorts")) "age" else "period"
  ids <- intersect(c(wide_ids(result), if (isTRUE(made$total)) "total"), names(result))
  across <- check_choice(across %||% top, c(top, setdiff(ids, c("row", "total"))), "across")
  plain <- plain_tibble(result)
  heads <- if (across == top) wide_heads(result, top, label) else group_heads(plain, across)
  beside <- if (across == top) ids
  else c(setdiff(ids, c(across, "total")), if (top == "period") c("period", "period_end") else top)
  check_wide_sums(made, values, sums, across, top)
  shape_wide(result, plain[beside], heads, values, sums, across, top)
}

check_wide <- function(result) {
  fits <- inherits(result, c("ridge_by_period", "ridge_cohorts")) ||
    inherits(result, "ridge_records") && !is.null(about(result)$axis)
  fits <- fits && !is_listed(result)
  if (!fits) {
    ridge_abort(
      c(in_r("{.fn widen} lays out results by period, not {.val {describe(result)}}.",
             "{.code --wide} lays out results by period, and this table is none."),
        i = in_r(paste("Give it what {.fn active}, {.fn allocate}, {.fn time_within},",
                       "{.fn movement} or {.fn cohorts} returned, with its values as they were."),
                 "Leave it out, or ask for numbers by period.")),
      "argument", arg = "result", value = result)
  }
}

# The numbers that can be laid out, the verb's own first.
wide_values <- function(made) {
  setdiff(unique(c(made$main, made$values)), c("cohort", "age"))
}

# The columns that name a row.
wide_ids <- function(result) {
  made <- about(result)
  if (inherits(result, "ridge_cohorts")) c(made$groups, "cohort", "size")
  else made$groups %||% made$ids
}

# Names of the columns, and the column of each row. Of a result whose rows were chosen
# only what is left goes across.
wide_heads <- function(result, top, label) {
  made <- about(result)
  if (top == "age") {
    ages <- sort(unique(result$age))
    return(list(names = as.character(ages), at = match(result$age, ages)))
  }
  if (is.null(made$axis)) {
    return(list(names = character(), at = integer()))
  }
  place <- if (inherits(result, "ridge_by_period")) cells_of(result)$place
  else period_places(result$period, made$axis)
  shown <- if (is_whole(result)) seq_len(axis_size(made$axis)) else sort(unique(place))
  list(names = axis_labels(axis_part(made$axis, shown), label), at = match(place, shown))
}

group_heads <- function(plain, across) {
  coded <- code_values(as.list(plain[across]))
  names <- as.character(plain[[across]][coded$rows])
  names[is.na(names)] <- "(missing)"
  at <- coded$codes + 1L
  if (!is.null(plain[["total"]])) {
    at[plain$total] <- length(names) + 1L
    names <- c(names, "All")
    used <- sort(unique(at))
    names <- names[used]
    at <- match(at, used)
  }
  list(names = names, at = at)
}

# Sums over periods or over groups that would count the same thing twice.
check_wide_sums <- function(made, values, sums, across, top) {
  over <- c(rows = sums %in% c("rows", "both"), columns = sums %in% c("columns", "both"))
  if (across != top) names(over) <- rev(names(over))
  if (over[["rows"]] && !may_add(made, values, "periods")) {
    ridge_abort(
      c("{.val {values}} of several {top}s cannot be added up: they are levels, not amounts.",
        i = "Leave that sum out, or ask for a coarser {arg_name('by')}."), "argument", arg = "sums")
  }
  if (over[["columns"]] && !may_add(made, values, "groups")) {
    ridge_abort(
      c("{.val {values}} of several groups cannot be added up: a key may be in two of them.",
        i = "Say {arg_set('total', TRUE)} for the line over all groups."), "argument", arg = "sums")
  }
}

shape_wide <- function(result, rows, heads, values, sums, across, top) {
  made <- about(result)
  line <- if (ncol(rows) > 0) vctrs::vec_group_id(rows) else rep(1L, nrow(rows))
  first <- first_met(line)
  fill <- if (inherits(result, "ridge_cohorts") || !is_whole(result)) NA else made$fill %||% 0
  cells <- matrix(fill, length(first), length(heads$names))
  storage.mode(cells) <- if (is.integer(result[[values]])) "integer" else "double"
  cells[cbind(as.integer(line), heads$at)] <- result[[values]]
  ids <- rows[first, ]
  columns <- c(as.list(ids), split_columns(cells, heads$names))
  columns <- with_sums(columns, ids, cells, heads$names != "All" | across == top, sums,
                       made$question$arguments$digits)
  question <- and_then(made$question, "widen", list(across = if (across != top) across,
                                                    values = values, sums = sums))
  words <- sub("[.]$", paste0("; ", across, "s across."), conventions(result))
  numbers <- setdiff(names(columns), c(names(ids), "total"))
  shaded <- inherits(result, "ridge_cohorts") && values == "retained"
  nrow <- if (length(columns)) vctrs::vec_size(columns[[1]]) else length(first)
  tibble::new_tibble(columns, nrow = nrow, class = c("ridge_widen", "ridge_result"),
                     ridge = list(question = question, conventions = words, values = numbers,
                                  all_rows = nrow, records = made$records,
                                  long_rows = made$rows, shaded = shaded))
}

# A last column `sum`, and a last line told apart by `total`. The column over all groups
# is in no sum.
with_sums <- function(columns, ids, cells, apart, sums, digits) {
  unit <- if (!is.null(digits)) 10^digits
  add <- function(sums) if (is.null(unit)) sums else round(sums * unit) / unit
  own <- cells[, apart, drop = FALSE]
  if (sums %in% c("rows", "both")) columns$sum <- add(rowSums(own, na.rm = TRUE))
  has_total <- !is.null(ids[["total"]]) && any(ids$total)
  if (!(sums %in% c("columns", "both")) || has_total) {
    return(columns)
  }
  bottom <- lapply(as.list(ids), function(column) column[NA_integer_])
  totals <- c(add(colSums(cells, na.rm = TRUE)),
              if (sums == "both") add(sum(own, na.rm = TRUE)))
  columns <- Map(c_typed, columns, c(bottom, as.list(unname(totals))))
  lines <- nrow(cells) + 1L
  append(columns, list(total = seq_len(lines) == lines), after = ncol(ids))
}

c_typed <- function(column, last) {
  whole <- is.integer(column) && (is.na(last) || abs(last) <= .Machine$integer.max)
  if (whole) c(column, as.integer(last))
  else if (is.numeric(column)) c(column, last) else vctrs::vec_c(column, last)
}

split_columns <- function(cells, names) {
  stats::setNames(lapply(seq_along(names), function(i) cells[, i]), make.unique(names, "_"))
}

# The question asked once more in its long form: each of its values stands in the wide form
# once, and sums are sums of what is beside or above them.
#' @export
source_checks.ridge_widen <- function(result, x) {
  made <- about(result)
  step <- utils::tail(made$question$then, 1)[[1]]$arguments
  long <- ask_again(made$question, x, utils::head(made$question$then, -1))
  if (!is.null(made$long_rows)) long <- long[made$long_rows, ]
  wide <- rlang::inject(widen(long, !!!step))
  added <- if ("total" %in% names(wide) && !"total" %in% names(long)) wide$total
  else rep(FALSE, nrow(wide))
  cells <- do.call(cbind, as.list(wide)[setdiff(about(wide)$values, "sum")])
  own <- if (!is.null(cells)) cells[!added, , drop = FALSE]
  listed <- function(values) sort(as.double(values[!is.na(values) & values != 0]))
  numbers <- function(table) as.double(unlist(as.list(table)[made$values]))
  left <- wide[rows_left(result), ]
  c(source_checks(long, x),
    cell_checks("cells of the wide form", numbers(left), numbers(result), TRUE),
    if ("total" %in% names(result)) {
      list(tie("lines over all", nrow(left), sum(left$total == result$total)))
    },
    cell_checks("values of the long form in the wide form", listed(long[[step$values]]),
                listed(own), TRUE),
    if ("sum" %in% names(wide) && !is.null(cells)) {
      beside <- own[, colnames(own) != "All", drop = FALSE]
      cell_checks("sums of rows", rowSums(beside, na.rm = TRUE), wide$sum[!added], FALSE)
    },
    if (any(added) && !is.null(cells)) {
      cell_checks("sums of columns", colSums(own, na.rm = TRUE), cells[added, ], FALSE)
    })
}
