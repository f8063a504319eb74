# How long it took by group and by period: count, median, mean, 90th percentile, longest, how
# many are still open, and how many ended within a target.

elapsed_columns <- c("ended", "median", "mean", "percentile_90", "longest", "still_open",
                     "within", "share_within")

elapsed_by_group <- function(x, question, words) {
  asked <- question$arguments
  axis <- question$axis
  groups <- groups_of(x, asked$group)
  size <- if (is.null(asked$by)) 1L else if (is.null(axis)) 0L else axis_size(axis)
  check_lines_fit(groups, FALSE, axis, length(elapsed_columns), "This table")
  each <- lengths_of(x, groups, axis, asked$calendar, asked$by_start)
  value <- each$value / unit_seconds(asked$unit, asked$day_hours)
  open <- is.na(value)
  each$cell <- (each$line - 1L) * size + if (size > 0) each$place else NA_integer_
  numbers <- length_numbers(value, replace(each$cell, open, NA), size * groups$size, asked$within)
  still <- still_open(each, open, groups$size, size, asked)
  numbers <- append(numbers, list(still_open = still), after = 5L)
  if (is.null(asked$by)) {
    columns <- c(slice_all(groups$values, seq_len(groups$size)), numbers)
    return(new_result(columns, question, x, words, values = names(numbers),
                      nrow = length(still), groups = groups$names, lines = groups$values,
                      line_count = groups$size, timeline = timeline_of(x)))
  }
  counts <- names(numbers) %in% c("ended", "within")
  measures <- Map(function(values, adds) new_measure(values, adds, adds), numbers, counts)
  new_by_period(question, x, groups, measures, words, main = "median",
                title = elapsed_title(asked))
}

elapsed_title <- function(asked) {
  paste0(if (!is.null(asked$calendar)) "working ", asked$unit)
}

# Numbers of the lengths in each cell; those without a cell are left out.
length_numbers <- function(value, cell, cells, within) {
  kept <- which(!is.na(cell))
  kept <- kept[order(cell[kept], value[kept])]
  value <- value[kept]
  cell <- cell[kept]
  count <- tabulate(cell, cells)
  first <- cumsum(c(0L, count))[seq_len(cells)]
  # Between two lengths by their distance: the quantile of type 7.
  percentile <- function(share) {
    at <- first + 1 + share * (count - 1)
    low <- pmax(floor(at), 1)
    high <- pmin(low + 1, first + count)
    result <- value[low] + (at - low) * (value[pmax(high, 1)] - value[low])
    replace(result, count == 0L, NA)
  }
  sums <- rowsum(c(value, numeric(cells)), c(cell, seq_len(cells)))[, 1]
  numbers <- list(ended = count, median = percentile(0.5),
                  mean = unname(ifelse(count > 0L, sums / count, NA_real_)),
                  percentile_90 = percentile(0.9), longest = percentile(1))
  if (is.null(within)) {
    return(numbers)
  }
  met <- tabulate(cell[value <= within], cells)
  c(numbers, list(within = met, share_within = ifelse(count > 0L, met / count, NA_real_)))
}

# Open in all; of those that started in a period; or at the end of each period.
still_open <- function(each, open, lines, size, asked) {
  if (is.null(asked$by) || asked$by_start || size == 0) {
    return(tabulate(each$cell[open], size * lines))
  }
  by_end_of <- function(place) {
    counted <- tabulate((each$line - 1L) * (size + 1L) + place, (size + 1L) * lines)
    matrix(apply(matrix(counted, size + 1L, lines), 2, cumsum), size + 1L, lines)
  }
  left <- by_end_of(each$from) - by_end_of(each$till)
  as.integer(left[seq_len(size), ])
}

elapsed_group_words <- function(asked) {
  paste0("Elapsed", group_words(asked$group), if (!is.null(asked$by)) {
    paste(" by", as_grain(asked$by)$name, if (asked$by_start) "of the start" else "of the end")
  }, ": ", elapsed_title(asked), " of records that ended")
}

elapsed_group_sentences <- function(object) {
  made <- about(object)
  asked <- made$question$arguments
  unit <- elapsed_title(asked)
  all <- sum(object$ended)
  known <- which(object$ended > 0)
  name <- function(i) {
    line <- if (length(made$groups)) {
      line_names(slice_all(as.list(plain_tibble(object))[made$groups], i))
    }
    period <- if (!is.null(made$axis)) period_labels(made)[cells_of(object)$place[i]]
    paste(c(line, period), collapse = ", ")
  }
  worst <- known[which.max(object$median[known])]
  best <- known[which.min(object$median[known])]
  last <- if (is.null(made$axis) || asked$by_start) rep(TRUE, nrow(object))
  else cells_of(object)$place == max(cells_of(object)$place)
  c(paste0(count_of(all, "record"), " ended."),
    if (length(known) > 1) {
      paste0("The median was longest with ", format_plain(object$median[worst], 1), " ", unit, " (",
             name(worst), "), shortest with ", format_plain(object$median[best], 1), " (",
             name(best), ").")
    },
    if (!is.null(asked$within) && all > 0) {
      paste0("Within ", format_plain(asked$within, 1), " ", unit, " were ",
             as_percent(sum(object$within) / all), ".")
    },
    paste0(format_number(sum(object$still_open[last])),
           if (sum(object$still_open[last]) == 1) " is" else " are", " still open."))
}

# Every number, from the lengths of each cell by themselves.
elapsed_group_checks <- function(result, x, length_of_each) {
  made <- about(result)
  asked <- made$question$arguments
  plain <- plain_records(x)
  open <- is.infinite(plain$stop)
  line <- plain_lines(x, asked$group)
  size <- if (is.null(made$axis)) 1L else axis_size(made$axis)
  at <- if (is.null(asked$by)) rep(1L, nrow(plain))
  else place_within(if (asked$by_start) plain$start
                    else pmax(plain$start, tick_before(plain$stop, made$timeline)), made$axis)
  cells <- factor((line - 1) * size + at, seq_len(size * made$line_count))
  ended <- split(length_of_each[!open], cells[!open])
  each <- function(f) vapply(ended, function(values) {
    if (length(values)) as.double(f(values)) else NA_real_
  }, 0, USE.NAMES = FALSE)
  still <- if (is.null(asked$by) || asked$by_start) tabulate(as.integer(cells[open]),
                                                            nlevels(cells))
  else unlist(lapply(seq_len(made$line_count), function(own) {
    vapply(made$axis$stop, function(end) {
      sum(line == own & plain$start < end & plain$stop > end)
    }, 0)
  }))
  expected <- list(ended = lengths(ended), median = each(stats::median), mean = each(mean),
                   percentile_90 = each(function(values) stats::quantile(values, 0.9, type = 7)),
                   longest = each(max), still_open = still,
                   within = each(function(values) sum(values <= asked$within)),
                   share_within = each(function(values) mean(values <= asked$within)))
  expected$within[lengths(ended) == 0] <- 0
  rows <- rows_left(result)
  unlist(lapply(intersect(names(expected), names(result)), function(name) {
    there <- unname(expected[[name]])[rows]
    found <- result[[name]]
    same <- is.na(there) & is.na(found) | abs(there - found) <= 1e-9 * pmax(1, abs(there))
    list(tie(paste0(gsub("_", " ", name), ": cells as counted once more"), length(rows),
             sum(same %in% TRUE)))
  }), recursive = FALSE)
}

place_within <- function(at, axis) {
  place <- findInterval(at, axis$first)
  ifelse(place > 0 & at < c(axis$stop, 0)[pmax(place, 1)], place, NA)
}
