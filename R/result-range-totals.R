# Ranges as totals by group: how many, how long in all, and the longest. The partitions within
# each group have ranges of their own, so a group has what those have; one without any has 0.

# `found` are the columns of ranges, with those of the group.
range_totals <- function(question, x, found, conventions, counted) {
  group <- question$arguments$group
  lines <- groups_of(x, group)
  length <- total_length_name(found)
  line <- factor(group_places(found[group], lines$values), seq_len(lines$size))
  values <- found[[length]]
  columns <- stats::setNames(list(tabulate(line, lines$size), over_groups(values, line, sum),
                                  over_groups(values, line, max)), c(counted, length, "longest"))
  new_group_totals(question, x, lines, columns, conventions, "ridge_range_totals")
}

new_group_totals <- function(question, x, lines, columns, conventions, class = NULL) {
  group <- question$arguments$group
  conventions <- sub("[.]$", paste0("; totals by ", and_list(group), "."), conventions)
  new_result(c(lines$values, columns), question, x, conventions, values = names(columns),
             class = class, groups = group)
}

# A value of each line, 0 where it has none: an integer as long as all of them fit into one.
over_groups <- function(values, line, f) {
  total <- as.vector(tapply(as.double(values), line, f, default = 0))
  if (is.integer(values) && all(total <= .Machine$integer.max)) as.integer(total) else total
}

total_length_name <- function(columns) {
  intersect(c("working_days", "days", "hours"), names(columns))[1]
}

# Columns that a total by group does not go with.
check_range_totals <- function(group, ...) {
  if (length(group)) {
    refuse_together("group", list(...), "the totals of groups have no single record's columns")
  }
}

# The totals of ranges that were worked out plainly: the group of each, and its length.
range_total_checks <- function(what, result, x, of, length) {
  group <- about(result)$groups
  if (!all(group %in% names(result))) {
    return(not_proven(what, "the columns that name its groups are gone"))
  }
  plain <- plain_partition(plain_tibble(x)[group])
  line <- factor(of, seq_len(plain$size))
  expected <- data.frame(line = seq_len(plain$size), count = tabulate(line, plain$size),
                         total = as.vector(tapply(length, line, sum, default = 0)),
                         longest = as.vector(tapply(length, line, max, default = 0)))
  values <- about(result)$values
  found <- as.data.frame(lapply(plain_tibble(result)[values], as.double))
  names(found) <- c("count", "total", "longest")
  found <- data.frame(line = line_of_row(result, plain$values, group), found)
  row_checks(what, expected, found, is_whole(result), near = c("total", "longest"))
}
