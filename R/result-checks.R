# What checks are made of: numbers that were worked out once more beside those of a result.

heading_check <- function(result, made) {
  cells <- cells_of(result)
  periods <- axis_columns(made$axis)
  own <- which(!is_total_line(made)[cells$line])
  expected <- c(lapply(periods, `[`, cells$place),
                if (made$total) list(total = is_total_line(made)[cells$line]))
  names <- intersect(names(expected), names(result))
  same <- Reduce(`&`, lapply(names, function(name) result[[name]] == expected[[name]]),
                 rep(TRUE, nrow(result)))
  for (name in intersect(names(made$lines), names(result))) {
    line <- made$lines[[name]][cells$line[own]]
    same[own] <- same[own] & vctrs::vec_equal(result[[name]][own], line, na_equal = TRUE)
  }
  list(tie("rows with the period and the group that they count", nrow(result), sum(same %in% TRUE)))
}

# The checks of a verb, before those that every result has.
source_checks <- function(result, x) {
  UseMethod("source_checks")
}

#' @export
source_checks.default <- function(result, x) {
  list()
}

# Sums of doubles may differ in their last digits, whole numbers may not.
tie <- function(check, expected, found, tolerance = NULL) {
  progress_goes_on()
  if (is.null(tolerance)) {
    whole <- expected == round(expected) && abs(expected) < 2^53 && found == round(found)
    tolerance <- if (whole %in% TRUE) 0 else 1e-9 * max(1, abs(expected))
  }
  list(check = check, expected = as.double(expected), found = as.double(found),
       tolerance = tolerance)
}

# Cells of a result against those worked out plainly: all of them, and their sum.
cell_checks <- function(what, expected, found, exact) {
  left <- !is.na(found)
  expected <- expected[left]
  found <- found[left]
  same <- if (exact) found == expected
  else abs(found - expected) <= 1e-9 * pmax(1, abs(expected))
  list(tie(paste0(what, ": cells as counted once more"), length(found), sum(same %in% TRUE)),
       tie(paste0(what, ": sum of all cells"), sum(expected), sum(found),
           if (!exact) 1e-9 * max(1, sum(abs(expected)))))
}

# Rows against those worked out plainly, in any order: each found row is one of those that
# are expected, and of a whole result all of them are found. Columns of `near` may differ
# in their last digits.
row_checks <- function(what, expected, found, whole, near = NULL) {
  progress_goes_on()
  exact <- setdiff(names(expected), near)
  plain <- function(table) as.data.frame(lapply(table[exact], as.double))
  at <- vctrs::vec_match(plain(found), plain(expected))
  same <- !is.na(at) & !duplicated(at)
  for (name in intersect(near, names(expected))) {
    there <- as.double(expected[[name]])[at]
    close <- abs(found[[name]] - there) <= 1e-9 * pmax(1, abs(there))
    same <- same & (close | is.na(found[[name]]) & is.na(there)) %in% TRUE
  }
  c(if (whole) list(tie(paste0(what, ": how many"), nrow(expected), nrow(found))),
    list(tie(paste0(what, ": as worked out once more"), nrow(found), sum(same))))
}

# What cannot be proven is said, never passed over.
not_proven <- function(what, why) {
  list(tie(paste0(what, unproven, why), 0, 0))
}

unproven <- ": not proven row by row, "

is_not_proven <- function(check) {
  grepl(unproven, check, fixed = TRUE)
}

# What names a row: the periods and groups of a table by period, and what is carried along
# with each record.
label_checks <- function(result, x) {
  made <- about(result)
  if (inherits(result, "ridge_by_period") && !is.null(made$axis)) {
    return(heading_check(result, made))
  }
  checks <- if (!is.null(made$axis) && all(c("period", "period_end") %in% names(result))) {
    last <- axis_columns(made$axis)$period_end[period_places(result$period, made$axis)]
    list(tie("rows with the end of their period", nrow(result), sum(result$period_end == last)))
  }
  carried <- intersect(carried_columns(made, x), names(result))
  if (length(carried) == 0 || !"row" %in% names(result)) {
    return(checks)
  }
  at <- match(result$row, about(x)$rows)
  same <- lapply(carried, function(name) {
    # A record that is gone from the list has no row in it.
    vctrs::vec_equal(result[[name]], plain_tibble(x)[[name]][at], na_equal = TRUE) |
      is.na(result$row)
  })
  c(checks, list(tie("rows with what their records hold", nrow(result), sum(Reduce(`&`, same)))))
}

carried_columns <- function(made, x) {
  question <- made$question
  whole <- question$verb == "roster" || question$verb == "consecutive"
  if (whole) names(x) else c(about(x)$names$key, question$arguments$carry)
}
