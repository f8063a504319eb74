# Does a result about records in a database tie to its source? A second, plainer question counts
# each cell once more.

checks_in_database <- function(result, x) {
  made <- about(result)
  asked <- made$question$arguments
  plain <- made$question$verb == "active" && asked$show == "counts" && adds_up(asked$rule) &&
    length(made$question$then) == 0
  if (!plain) {
    return(not_proven("rows", "a database answers this in one way only"))
  }
  if (nrow(result) == 0) {
    return(list())
  }
  cells <- cell_matrix(result, "active")
  own <- !is_total_line(made)
  counted <- function(names) {
    plain_levels_in_database(x, made$axis, groups_of(x, names), asked$rule, asked$of)
  }
  exact <- asked$of != "weight" && !is_average(asked$rule)
  c(if (any(!is.na(cells[, own]))) {
    cell_checks(if (length(made$groups)) "active, group lines" else "active",
                counted(made$groups), cells[, own, drop = FALSE], exact)
  }, if (any(!is.na(cells[, !own]))) {
    cell_checks("active, line over all groups", counted(character()),
                cells[, !own, drop = FALSE], exact)
  }, heading_check(result, made))
}
