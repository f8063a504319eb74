# Who is behind the numbers of cohorts(): each key at each age that is known, active or not.

cohort_list <- function(x, question, words) {
  asked <- question$arguments
  axis <- question$axis
  groups <- groups_of(x, asked$group)
  members <- if (!is.null(axis)) cohort_members(x, axis, groups, asked$returns)
  chosen <- which(members$place %in% question$shown)
  known <- if (!is.null(axis)) known_periods(x, axis, asked$rule)
  ages <- pmax(known - members$place[chosen] + 1L, 1L)
  columns <- length(asked$group) + length(about(x)$names$key)
  check_fits(sum(ages), 8 * (6 + columns), "This list", coarser_by())
  met <- met_cells(members, chosen, ages, axis, asked$rule, timeline_of(x))
  member <- chosen[rep(seq_along(chosen), ages)]
  place <- members$place[member] + sequence(ages) - 1L
  day <- as_date(axis$days_ahead %||% integer())
  record <- members$record[member]
  columns <- c(slice_all(groups$values, members$line[member]),
               list(cohort = day[members$place[member]], age = sequence(ages) - 1L,
                    period = day[place]),
               slice_all(columns_of(x, about(x)$names$key), record),
               if (!has_key(x)) list(row = source_rows(x, record)),
               list(active = replace(met, place > known, NA)))
  new_records(question, x, columns, words, values = c("cohort", "age", "active"))
}

# How many of the periods a rule can know by the as-of date.
known_periods <- function(x, axis, rule) {
  last <- if (is_decided_late(rule)) axis$last_day else axis$first_day
  sum(last <= about(x)$as_of_day)
}

# Of each key the record that it started with, the line and the place of its cohort, and the
# stretches in which it is active; by line, cohort and key. A key that started in several
# groups at once is in the first of them.
cohort_members <- function(x, axis, groups, returns) {
  key <- about(x)$names$key
  found <- if (has_key(x)) stretches_of(x, key, 0) else own_ranges(x)
  code <- if (has_key(x)) codes_of(x, key) else seq_len(nrow(x)) - 1L
  line <- if (length(groups$names)) codes_of(x, groups$names) + 1L else rep(1L, nrow(x))
  ticks <- record_ticks(x)
  kept <- which(ticks$stop > ticks$start)
  kept <- kept[order(code[kept], ticks$start[kept], line[kept], kept)]
  record <- kept[!duplicated(code[kept])]
  place <- findInterval(ticks$start[record], axis$first)
  begun <- which(ticks$start[record] < about(x)$as_of_stop)
  record <- record[begun]
  order <- order(line[record], place[begun], code[record])
  record <- record[order]
  if (!returns) found <- lapply(found[c("start", "stop", "line")], `[`, !duplicated(found$line))
  list(record = record, line = line[record], place = place[begun][order], code = code[record],
       ranges = found)
}

# Whether the members are active, age by age.
met_cells <- function(members, chosen, ages, axis, rule, timeline) {
  active <- logical(sum(ages))
  ranges <- members$ranges
  met <- periods_met(ranges, axis, rule, timeline)
  range <- rep(seq_along(met$count), met$count)
  place <- met$places[sequence(met$count, met$from)]
  member <- match(ranges$line[range], members$code[chosen])
  age <- place - members$place[chosen][member]
  seen <- which(!is.na(member) & age >= 0 & age < ages[member])
  first <- cumsum(c(0, ages))
  active[first[member[seen]] + age[seen] + 1] <- TRUE
  active
}

cohort_row_sentence <- function(object) {
  first <- object$age == 0
  paste0(count_of(sum(first), "member"), " of ",
         count_of(length(unique(object$cohort[first])), "cohort"), ", ",
         count_of(nrow(object), "row"), ".")
}

# Every member at every age, and whether it is active then.
cohort_row_checks <- function(result, x) {
  made <- about(result)
  group <- made$question$arguments$group
  key <- about(x)$names$key
  if (is.null(made$axis) || !all(c(group, if (length(key)) key else "row") %in% names(result))) {
    return(not_proven("rows", "the columns that name them are gone"))
  }
  plain <- plain_records(x)
  values <- plain_tibble(x)
  at <- if (length(key)) vctrs::vec_match(plain_tibble(result)[key], values[key])
  else match(result$row, about(x)$rows)
  days <- made$axis$days_ahead
  found <- data.frame(id = plain$key[at],
                      line = line_of_row(result, plain_partition(values[group])$values, group),
                      cohort = match(as.integer(result$cohort), days), age = result$age,
                      place = match(as.integer(result$period), days), active = result$active)
  row_checks("members at each age", plain_member_rows(plain, x, made), found, is_whole(result))
}

plain_member_rows <- function(plain, x, made) {
  members <- plain_members(plain, plain_lines(x, made$question$arguments$group), x, made)
  own <- members$own[members$own$place %in% made$question$shown, ]
  rule <- made$question$arguments$rule
  known <- known_periods(x, made$axis, rule)
  ages <- pmax(known - own$place + 1, 1)
  place <- sequence(ages, own$place)
  id <- rep(own$key, ages)
  there <- plain_scaffold(members$union, members$union$id, made$axis, rule)
  active <- vctrs::vec_in(data.frame(id = as.double(id), place = as.double(place)),
                          data.frame(id = as.double(there$line), place = as.double(there$place)))
  data.frame(id = id, line = rep(own$line, ages), cohort = rep(own$place, ages),
             age = sequence(ages) - 1, place = place, active = ifelse(place > known, NA, active))
}

# Each key with the line and the place of its cohort, and the stretches that count.
plain_members <- function(plain, line, x, made) {
  size <- axis_size(made$axis)
  kept <- which(plain$stop > plain$start)
  kept <- kept[order(plain$key[kept], plain$start[kept], line[kept])]
  first <- kept[!duplicated(plain$key[kept])]
  place <- findInterval(plain$start[first], c(made$axis$first, made$axis$stop[size]))
  begun <- plain$start[first] < about(x)$as_of_stop & place > 0 & place <= size
  own <- data.frame(key = plain$key[first], line = line[first], place = place)[begun, ]
  union <- plain_union(plain, plain$key)
  if (!made$question$arguments$returns) union <- union[!duplicated(union$id), ]
  list(own = own, union = union)
}
