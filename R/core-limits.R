# Limits of a level: a capacity or a floor, as a number, as a column of the records, or as a
# table by group and from a day on. Once checked each is `values` (columns of the group, none
# where it is one for all), the tick that each is valid `from`, and the `limit`.

# list(limit, column): the limit, and the column that it was named by; NULL where none is.
resolve_limit <- function(x, quo, arg, group) {
  if (names_a_column(quo, x)) {
    name <- pick_columns(plain_tibble(x), quo, arg)
    refuse_elsewhere(x, arg_set(arg, name))
    return(list(limit = limit_of_column(x, name, arg, group), column = name))
  }
  value <- rlang::eval_tidy(quo)
  if (is.null(value)) {
    return(NULL)
  }
  if (is.data.frame(value)) {
    return(list(limit = limit_of_table(x, value, arg, group)))
  }
  if (!is.numeric(value)) {
    ridge_abort(
      c(paste("{arg_name(arg)} must be a number, a column of the records or a table, not",
              "{.val {describe(value)}}."),
        i = paste("A table has the column {.val {arg}}, the group columns, and {.val from} where",
                  "it changes.")),
      "argument", arg = arg, value = value)
  }
  list(limit = new_limit(list(), -Inf, check_amount(value, arg)))
}

names_a_column <- function(quo, x) {
  expr <- rlang::quo_get_expr(quo)
  rlang::is_symbol(expr) && rlang::as_string(expr) %in% names(x) ||
    rlang::is_call(expr, "all_of", ns = c("", "tidyselect"))
}

new_limit <- function(values, from, limit) {
  list(values = values, from = from, limit = as.double(limit))
}

# One value in each group: that of its records.
limit_of_column <- function(x, name, arg, group) {
  values <- as_numbers(x[[name]], name, arg)
  check_limits(values, arg, name)
  line <- if (length(group)) as.integer(vctrs::vec_group_id(plain_tibble(x)[group]))
  else rep(1L, nrow(x))
  first <- !duplicated(line)
  own <- values[first][line]
  other <- which(own != values | is.na(own) != is.na(values))[1]
  if (!is.na(other)) {
    where <- if (length(group)) paste0(" in ", line_names(slice_all(columns_of(x, group), other)))
    ridge_abort(
      c(paste("{arg_name(arg)}: column {.val {name}} has several values{where}, such as",
              "{format(own[other])} and {format(values[other])}."),
        i = "Give a table with one for each group, and {.val from} where it changes."), "column",
      arg = arg, value = name)
  }
  new_limit(slice_all(columns_of(x, group), which(first)), rep(-Inf, sum(first)), values[first])
}

limit_of_table <- function(x, table, arg, group) {
  table <- own_copy(table)
  check_column(table, arg, arg)
  by <- intersect(group, names(table))
  if (length(by) > 0) for (name in group) check_column(table, name, arg)
  limit <- as_numbers(table[[arg]], arg, arg)
  check_limits(limit, arg, arg)
  from <- if ("from" %in% names(table)) {
    first_ticks(as_days(table$from, arg, zone_of(timeline_of(x)), "dates"), timeline_of(x))
  } else rep(-Inf, nrow(table))
  for (name in by) {
    join_columns(vctrs::vec_ptype(x[[name]]), vctrs::vec_ptype(table[[name]]), c(name, name), arg)
  }
  again <- anyDuplicated(data.frame(c(as.list(table[by]), list(from))))
  if (again > 0) {
    ridge_abort(c(paste("{arg_name(arg)}: row {again} of the table gives a second limit for the",
                        "same group."),
                  i = "Leave one of them out, or say {.val from} which day each is valid."),
                "argument", arg = arg, row = again)
  }
  new_limit(as.list(table[by]), as.double(from), limit)
}

check_limits <- function(limit, arg, name) {
  wrong <- which(!is.na(limit) & (limit < 0 | is.infinite(limit)))[1]
  if (!is.na(wrong)) {
    ridge_abort(paste("{arg_name(arg)}: row {wrong} of {.val {name}} is {format(limit[wrong])}; it",
                      "must be 0 or more."), "argument", arg = arg, row = wrong,
                value = limit[wrong])
  }
}

limit_words <- function(limit, arg) {
  if (is.null(limit)) {
    return(NULL)
  }
  if (length(limit$limit) == 1) paste(arg, format(limit$limit)) else paste(arg, "of its own")
}

# The changes of a limit in each of some lines: list(line, at, limit), by line and tick. A
# line that it does not name has none.
limit_changes <- function(limit, values, lines) {
  own <- if (length(limit$values)) {
    vctrs::vec_match(tibble::as_tibble(limit$values),
                     tibble::as_tibble(values[names(limit$values)]))
  }
  rows <- seq_along(limit$limit)
  if (is.null(own)) {
    rows <- rep(rows, lines)
    own <- rep(seq_len(lines), each = length(limit$limit))
  }
  kept <- !is.na(own)
  order <- order(own[kept], limit$from[rows][kept])
  list(line = own[kept][order], at = limit$from[rows][kept][order],
       limit = limit$limit[rows][kept][order])
}

# Numbers that order changes and steps by line, then by tick.
line_places <- function(line, at, known) {
  line * (length(known) + 2) + ifelse(is.infinite(at) & at < 0, 0, match(at, known))
}

# The limit in force where steps start; NA where there is none.
limit_at <- function(changes, line, at) {
  known <- sort(unique(c(at, changes$at[is.finite(changes$at)])))
  place <- findInterval(line_places(line, at, known), line_places(changes$line, changes$at, known))
  hit <- place > 0
  hit[hit] <- changes$line[place[hit]] == line[hit]
  ifelse(hit, changes$limit[pmax(place, 1)], NA_real_)
}
