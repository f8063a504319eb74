# The roster with one row for each key: its records that are active, folded.

roster_keys <- function(x, question) {
  when <- question$when
  group <- question$arguments$group
  key <- setdiff(about(x)$names$key, group)
  lines <- c(group, key)
  less <- spans_asked(question$arguments, "less")
  touching <- replace(when, "rule", rule_names()[1])
  here <- records_behind(x, list(kind = "active", when = touching, less = less), names(x))
  found <- stretches_of(if (is.null(less)) here else minus_of(here, less), lines, 0)
  present <- unique(found$line[record_conditions(found, when, timeline_of(x))$active])
  of_stretch <- slice_all(found$lines$values, present + 1L)
  values <- columns_of(here, lines)
  member <- vctrs::vec_match(tibble::as_tibble(values), tibble::as_tibble(of_stretch))
  ticks <- record_ticks(here)
  record <- which(touches(ticks, when) & !is.na(member))
  record <- record[order(member[record], ticks$start[record], record)]
  member <- member[record]
  first <- record[!duplicated(member)]
  order <- sort_rows(slice_all(values, first))
  columns <- c(slice_all(values, first),
               list(records = tabulate(member, length(first)),
                    rows = text_of_each(source_rows(here, record), member)),
               folded_columns(here, record, member, lines, when$single),
               key_lengths(here, record, member, when))
  words <- sentence_of(paste0("Active ", when$words, ": ", count_of(length(first), "key"), " (",
                              and_list(about(x)$names$key), "), the records of each folded"),
                       less_words(less), usual_words(x))
  new_records(question, x, slice_all(columns, order), words, values = "records")
}

touches <- function(ticks, when) {
  ticks$start < when$stop & ticks$stop > pmax(ticks$start, when$first)
}

# Of the records of a key: the first start, the last end, the sum of what weighs on one day,
# and of other columns the value, or, where any key has several, all of them as text.
folded_columns <- function(x, record, member, lines, single) {
  names <- about(x)$names
  ticks <- ticks_at(x, record)
  others <- columns_of(x, setdiff(names(x), lines))
  folded <- lapply(slice_all(others, record), fold_values, member)
  first <- !duplicated(member)
  last <- order(member, ticks$stop)
  last <- last[!duplicated(member[last], fromLast = TRUE)]
  folded[[names$start]] <- others[[names$start]][record[first]]
  if (has_end_column(names)) folded[[names$end]] <- others[[names$end]][record[last]]
  if (single && !is.null(names$weight)) {
    folded[[names$weight]] <- exact_sums(record_weights(x)[record], member)
  }
  folded
}

# By member from 1, in the fixed point of all of them.
exact_sums <- function(values, member) {
  scale <- fixed_scale(values)
  as.vector(rowsum(round(values * scale), member)) / scale
}

fold_values <- function(values, member) {
  first <- vctrs::vec_slice(values, match(member, member))
  if (all(vctrs::vec_equal(values, first, na_equal = TRUE))) {
    return(vctrs::vec_slice(values, !duplicated(member)))
  }
  kept <- !duplicated(vctrs::data_frame(member = member, value = values)) & !is.na(values)
  text_of_each(as.character(values)[kept], member[kept], unique(member))
}

# The days that the folded records of each key cover, each day once.
key_lengths <- function(x, record, member, when) {
  timeline <- timeline_of(x)
  ticks <- ticks_at(x, record)
  size <- length(unique(member))
  upto <- pmax(pmin(ticks$stop, when$through), ticks$start)
  from <- pmax(ticks$start, when$through)
  open <- is_never(ticks$stop, timeline)
  to <- pmax(ticks$stop, from)
  to[open] <- from[open]
  left <- covered_ticks(from, to, member - 1L, size)
  left[unique(member[open])] <- NA
  lengths_named(covered_ticks(ticks$start, upto, member - 1L, size), left, timeline)
}

# Each key once more, with what its records come to.
roster_key_checks <- function(result, x) {
  made <- about(result)
  when <- made$question$when
  names <- c(made$question$arguments$group, setdiff(about(x)$names$key,
                                                    made$question$arguments$group))
  if (!all(names %in% names(result))) {
    return(not_proven("keys", "the columns that name them are gone"))
  }
  plain <- plain_records(x)
  partition <- plain_partition(plain_tibble(x)[names])
  period <- list(first = when$first, stop = when$stop)
  left <- plain_less(plain, partition$of, x,
                     spans_asked(made$question$arguments, "less"))
  present <- unique(plain_scaffold(left$plain, left$line, period, when$rule)$line)
  record <- plain_slices(plain$start, plain$stop, period)$unit
  record <- record[partition$of[record] %in% present]
  line <- factor(partition$of[record], present)
  expected <- plain_folded(plain, record, line, when, x)
  found <- found_folded(result, partition, names, x, when$single)
  c(row_checks(paste("keys active", when$words), expected[names(found)], found, is_whole(result),
               near = intersect(c("so_far", "left", "weight"), names(found))),
    folded_checks(result, x, split(record, line), match(found$line, levels(line)), when$single))
}

# Other columns hold the value of the records, or name each of their values.
folded_checks <- function(result, x, records, at, single) {
  names <- about(x)$names
  own <- unlist(c(names[c("start", "end", "key")], if (single) names$weight,
                  about(result)$question$arguments$group))
  others <- setdiff(intersect(names(x), names(result)), own)
  start <- record_ticks(x)$start
  held <- function(name) {
    values <- plain_tibble(x)[[name]]
    vapply(seq_len(nrow(result)), function(i) {
      if (is.na(at[i])) return(FALSE)
      found <- plain_tibble(result)[[name]][i]
      rows <- records[[at[i]]]
      rows <- rows[order(start[rows], rows)]
      value <- unique(values[rows])
      text <- paste(value[!is.na(value)], collapse = "; ")
      if (length(value) == 1 && is.na(value)) is.na(found)
      else identical(as.character(found), text)
    }, NA)
  }
  if (length(others)) {
    same <- Reduce(`&`, lapply(others, held))
    list(tie("rows with what their records hold", nrow(result), sum(same)))
  }
}

plain_folded <- function(plain, record, line, when, x) {
  unit <- length_unit(timeline_of(x))$ticks
  union <- plain_union(vctrs::vec_slice(plain, record), as.integer(line))
  id <- factor(union$id, seq_len(nlevels(line)))
  sums <- function(values) as.vector(tapply(values, id, sum, default = 0)) / unit
  left <- sums(pmax(union$stop - pmax(when$through, union$start), 0))
  data.frame(line = as.integer(levels(line)), records = tabulate(line, nlevels(line)),
             start = as.vector(tapply(plain$start[record], line, min)),
             stop = as.vector(tapply(plain$stop[record], line, max)),
             weight = as.vector(tapply(plain$weight[record], line, sum)),
             so_far = sums(pmax(pmin(union$stop, when$through) - union$start, 0)),
             left = ifelse(is.finite(left), left, NA))
}

# What is left of it in a result.
found_folded <- function(result, partition, names, x, single) {
  how <- about(x)
  columns <- as.list(plain_tibble(result))
  lengths <- columns[paste0(length_unit(how$timeline)$name, c("_so_far", "_left"))]
  start <- columns[[how$names$start]]
  start <- if (!is.null(start)) ticks_of(start, how$timeline)
  stop <- if (has_end_column(how$names) && how$names$end %in% names(columns)) {
    record_stops(result, how, start)
  }
  if (!is.null(stop)) stop[is_never(stop, how$timeline)] <- Inf
  found <- list(line = line_of_row(result, partition$values, names), records = result$records,
                start = start, stop = stop,
                weight = if (single) columns[[how$names$weight %||% ""]],
                so_far = lengths[[1]], left = lengths[[2]])
  as.data.frame(Filter(Negate(is.null), found))
}
