# Which columns a result is broken down by.

# The group columns, each of plain values and with a name that the result leaves free.
pick_groups <- function(x, quo, results, verb) {
  names <- pick_plain_columns(x, quo, "group")
  check_free_names(names, results, verb, "group")
  if (length(names) > 0) report_twins(groups_of(x, names)$values, names, "Groups by")
  names
}

# By group and start: each level holds until the next one, the last for ever where it is not 0.
steps_of_changes <- function(group, start, level) {
  last <- c(group[-1] != group[-length(group)], TRUE)[seq_along(group)]
  stop <- c(start[-1], NA)[seq_along(start)]
  stop[last] <- never(day_timeline())
  there <- !last | level > 0
  list(start = start[there], stop = stop[there], group = group[there], level = level[there])
}
