# Which columns a result is broken down by.

# The group columns, each of plain values and with a name that the result leaves free.
pick_groups <- function(x, quo, results, verb) {
  names <- pick_plain_columns(x, quo, "group")
  check_free_names(names, results, verb, "group")
  if (length(names) > 0) report_twins(groups_of(x, names)$values, names, "Groups by")
  names
}
