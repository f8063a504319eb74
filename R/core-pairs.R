# Two vectors of days, element by element.

# Day numbers as doubles. Dates are left as they are, which spares copies of long ones:
# kernels and comparisons take them so.
plain_days <- function(value, arg) {
  if (inherits(value, "Date")) {
    broken <- no_whole_days(value)
    if (length(broken) > 0) {
      seen <- shown_value(value[broken[1]])
      ridge_abort("{arg_name(arg)}: {.val {seen}} (place {broken[1]}) is no whole day.", "argument",
                  arg = arg, row = broken[1], value = seen)
    }
    return(if (is.double(value)) value else as.double(value))
  }
  days <- rep(NA_real_, length(value))
  known <- !is.na(value)
  if (any(known)) days[known] <- as_days(value[known], arg, call_for = "dates")
  days
}

# As many of each, or one for all.
paired <- function(pair) {
  sizes <- lengths(pair)
  if (sizes[[1]] == sizes[[2]]) {
    return(pair)
  }
  if (!any(sizes == 1)) {
    names <- vapply(names(pair), arg_name, "")
    ridge_abort(
      c("{names[1]} and {names[2]} must be as many, or one for all, not {sizes[1]} and {sizes[2]}.",
        i = "Take them from the same table."), "argument", arg = names(pair)[2])
  }
  vctrs::vec_recycle_common(!!!pair)
}

refuse_turned <- function(rows, start, end) {
  first <- utils::head(rows, 5)
  lines <- sprintf("Row %s: the end, %s, is before the start, %s.", format_rows(first),
                   format(end[first]), format(start[first]))
  n <- length(rows)
  ridge_abort(
    c("{n} end{?s} {?is/are} before {?its start/their starts}.",
      stats::setNames(lines, rep("x", length(lines))),
      i = "Mend {cli::qty(n)}{?it/them}, or exchange {arg_name('start')} and {arg_name('end')}."),
    "records", arg = "end", row = first, value = format(end[first]))
}
