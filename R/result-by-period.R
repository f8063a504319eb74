# A result by period has a row for each line (a group, a key, all groups together) and
# period, lines under each other, each with all its periods in order. It knows its axis,
# what each line is, and of each of its measures whether it may be added up over periods
# and over groups.

new_measure <- function(values, over_periods, over_groups) {
  list(values = values, adds = c(periods = over_periods, groups = over_groups))
}

new_by_period <- function(question, x, groups, measures, conventions, title, total = FALSE,
                          main = names(measures)[1], ..., class = NULL) {
  axis <- question$axis
  size <- if (is.null(axis)) 0L else axis_size(axis)
  total <- total && length(groups$names) > 0
  lines <- groups$size + total
  places <- rep(seq_len(lines), each = size)
  in_all <- places > groups$size
  columns <- slice_all(groups$values, replace(places, in_all, NA))
  if (total) columns$total <- in_all
  label <- question$arguments$label
  columns <- c(columns, lapply(axis_columns(axis, label), vctrs::vec_rep, lines),
               lapply(measures, `[[`, "values"))
  new_result(columns, question, x, conventions, values = names(measures), nrow = lines * size,
             ..., class = c(class, "ridge_by_period"), axis = axis, groups = groups$names,
             lines = groups$values, line_count = lines, total = total, title = title, main = main,
             timeline = timeline_of(x), adds = lapply(measures, `[[`, "adds"))
}

# Refused before it is built.
check_lines_fit <- function(groups, total, axis, columns, what) {
  size <- if (is.null(axis)) 0L else axis_size(axis)
  check_fits(as.double(groups$size + total) * size, 8 * (columns + length(groups$names)), what,
             coarser_by(" or fewer groups"))
}

# For each row left its line and the place of its period, from 1.
cells_of <- function(result) {
  made <- about(result)
  size <- max(1L, if (is.null(made$axis)) 1L else axis_size(made$axis))
  at <- rows_left(result) - 1L
  list(line = at %/% size + 1L, place = at %% size + 1L)
}

# The values as a matrix of all periods and lines, missing where a row is not left.
cell_matrix <- function(result, value) {
  made <- about(result)
  cells <- matrix(NA_real_, if (is.null(made$axis)) 0L else axis_size(made$axis), made$line_count)
  cells[rows_left(result)] <- as.double(result[[value]])
  cells
}

is_total_line <- function(made) {
  seq_len(made$line_count) > made$line_count - made$total
}

# What each line is called.
line_labels <- function(made) {
  if (length(made$groups) == 0) {
    return(rep("All", made$line_count))
  }
  c(line_names(made$lines), if (made$total) "All")
}

period_labels <- function(made) {
  axis_labels(made$axis, made$question$arguments$label %||% "code")
}

# May a measure be added up over "periods" or "groups"?
may_add <- function(made, value, over) {
  isTRUE(made$adds[[value]][[over]])
}
