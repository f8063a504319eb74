# The source looked at once more, in plain vectors and sums: what results must
# tie to. Nothing here uses the kernels, or what they use.

# While many questions are asked about the same records, what is worked out of them is kept from
# one to the next, as long as it does not take too much room.
keep_worked_out <- function(code) {
  worked_out$kept <- list()
  on.exit(worked_out$kept <- NULL)
  force(code)
}

worked_out <- new.env(parent = emptyenv())
most_worked_out <- 5e8

worked_out_once <- function(of, code) {
  if (is.null(worked_out$kept)) {
    return(code)
  }
  # The same vectors are known by their place, so that this takes no time.
  for (kept in worked_out$kept) if (identical(kept$of, of)) return(kept$value)
  value <- code
  kept <- c(list(list(of = of, value = value, size = as.double(utils::object.size(value)))),
            worked_out$kept)
  worked_out$kept <- kept[cumsum(vapply(kept, `[[`, 0, "size")) <= most_worked_out]
  value
}

# One row per record: half-open ticks (days or seconds), the key and the weight.
plain_records <- function(x) {
  progress_goes_on()
  worked_out_once(list(x), as_plain_records(x))
}

as_plain_records <- function(x) {
  how <- about(x)
  columns <- plain_tibble(x)
  ticks <- record_ticks(x)
  stop <- as.double(ticks$stop)
  stop[is_never(ticks$stop, how$timeline)] <- Inf
  key <- how$names$key
  vctrs::data_frame(
    start = as.double(ticks$start), stop = stop,
    key = if (length(key)) as.integer(vctrs::vec_group_id(columns[key])) else seq_len(nrow(x)),
    weight = if (is.null(how$names$weight)) rep(1, nrow(x)) else record_weights(x)
  )
}

# The sorted values of some columns, the missing ones last, and which of them each row has.
plain_partition <- function(columns) {
  if (length(columns) == 0) {
    return(list(values = columns, of = rep(1L, nrow(columns)), size = min(nrow(columns), 1L)))
  }
  worked_out_once(list(columns), as_plain_partition(columns))
}

as_plain_partition <- function(columns) {
  id <- as.integer(vctrs::vec_group_id(columns))
  rows <- integer(max(0L, id))
  rows[rev(id)] <- rev(seq_along(id))
  values <- vctrs::vec_slice(columns, rows)
  order <- sort_rows(as.list(values))
  list(values = vctrs::vec_slice(values, order), of = order(order)[id], size = length(rows))
}

# Which line of a result each record is in, from 1: lines are in the sorted order of
# their values, the missing ones last.
plain_lines <- function(x, names) {
  plain_partition(plain_tibble(x)[names])$of
}

# The same with open records ending when the as-of date does.
plain_lengths <- function(x) {
  ended_by_as_of(plain_records(x), x)
}

ended_by_as_of <- function(plain, x) {
  plain$stop[is.infinite(plain$stop)] <- about(x)$as_of_stop
  plain$stop <- pmax(plain$stop, plain$start)
  plain
}

# Records of one id that touch or overlap as one. Stops are compared as steps from the
# first, by their rank where they are no whole numbers, so that one running maximum does
# for all ids.
plain_union <- function(plain, id) {
  worked_out_once(list(plain$start, plain$stop, id), as_plain_union(plain, id))
}

as_plain_union <- function(plain, id) {
  kept <- which(plain$stop > plain$start)
  kept <- kept[order(id[kept], plain$start[kept])]
  start <- plain$start[kept]
  stop <- plain$stop[kept]
  id <- id[kept]
  first <- c(TRUE, id[-1] != id[-length(id)])[seq_along(id)]
  reached <- furthest_so_far(stop, cumsum(first))
  new <- c(TRUE, start[-1] > reached[-length(reached)])[seq_along(id)] | first
  last <- c(which(new)[-1] - 1L, length(id))[seq_len(sum(new))]
  vctrs::data_frame(id = id[new], start = start[new], stop = reached[last], row = kept[new])
}

furthest_so_far <- function(stop, number) {
  if (length(stop) == 0) {
    return(stop)
  }
  finite <- is.finite(stop)
  low <- min(stop)
  top <- max(stop[finite], if (is.finite(low)) low else 0) + 1
  if (is.infinite(low) || any(stop[finite] != round(stop[finite]))) {
    ranks <- sort(unique(stop))
    step <- number * (length(ranks) + 1)
    return(ranks[cummax(match(stop, ranks) + step) - step])
  }
  step <- number * (top - low + 1)
  stop[!finite] <- top
  reached <- cummax(stop + step) - step
  reached[reached == top] <- Inf
  reached
}

# What is counted, each with its line: records, or the union of each key's in a line.
plain_units <- function(plain, line, of) {
  worked_out_once(list(plain, line, of), as_plain_units(plain, line, of))
}

as_plain_units <- function(plain, line, of) {
  if (of == "keys") {
    pair <- (line - 1) * max(1, plain$key) + plain$key
    union <- as_plain_union(plain, pair)
    return(vctrs::data_frame(line = line[union$row], id = union$id, start = union$start,
                      stop = union$stop, weight = rep(1, nrow(union))))
  }
  kept <- which(plain$stop > plain$start)
  weight <- if (of == "weight") plain$weight[kept] else rep(1, length(kept))
  vctrs::data_frame(line = line[kept], id = kept, start = plain$start[kept],
                    stop = plain$stop[kept], weight = weight)
}

# Sums of values by the number of their line.
plain_sums <- function(values, line, lines) {
  sums <- numeric(lines)
  found <- rowsum(values, as.integer(line), reorder = FALSE)
  sums[as.integer(rownames(found))] <- found
  sums
}

# Sums of values by period and line, as a matrix.
plain_cells <- function(values, place, line, periods, lines) {
  cell <- (line - 1L) * as.integer(periods) + as.integer(place)
  if (all(abs(values) == 1)) {
    count <- function(sign) tabulate(cell[values == sign], periods * lines)
    return(matrix(as.double(count(1) - count(-1)), periods, lines))
  }
  matrix(plain_sums(values, cell, periods * lines), periods, lines)
}

# The same of spans, of which `part(rows, place)` lies in the period at this place: each in the
# first period that it touches, then each that goes on in the next.
plain_parts <- function(spans, line, lines, periods, part) {
  real <- which(periods$first < periods$stop)
  size <- length(periods$first)
  at <- findInterval(spans$start, periods$stop[real]) + 1
  to <- findInterval(spans$stop, periods$first[real], left.open = TRUE)
  cells <- numeric(size * lines)
  rows <- which(spans$stop > spans$start & at <= to)
  at <- at[rows]
  while (length(rows) > 0) {
    place <- real[at]
    found <- rowsum(part(rows, place), as.integer((line[rows] - 1) * size + place), reorder = FALSE)
    cell <- as.integer(rownames(found))
    cells[cell] <- cells[cell] + found
    goes_on <- at < to[rows]
    rows <- rows[goes_on]
    at <- at[goes_on] + 1
  }
  matrix(cells, size, lines)
}

# The level in every period of every line, by a rule.
plain_levels <- function(plain, line, lines, periods, rule, of, timeline) {
  # What ends before the first period or starts after the last is in none.
  near <- which(plain$stop >= min(periods$first) & plain$start <= max(periods$stop))
  units <- plain_units(vctrs::vec_slice(plain, near), line[near], of)
  levels <- if (is_average(rule)) plain_means(units, lines, periods)
  else if (active_rules[[rule]]$chooses) plain_met(units, lines, periods, rule, timeline)
  else plain_peaks(units, lines, periods)
  levels[periods$first >= periods$stop, ] <- 0
  levels
}

# From the first period that is met by what begins, to the last that it is not over in;
# a unit of a key that comes again in the same period is met once.
plain_met <- function(units, lines, periods, rule, timeline) {
  at <- deciding_ticks(rule, periods$first, periods$stop, timeline)
  from <- findInterval(units$start, at$begun_by, left.open = TRUE) + 1
  to <- findInterval(units$stop, at$over_by, left.open = TRUE)
  size <- length(periods$first)
  known <- which(from <= to)
  if (length(known) > 1) {
    again <- c(FALSE, units$id[known][-1] == units$id[known][-length(known)])
    number <- cumsum(!again) * (size + 2)
    reached <- cummax(to[known] + number) - number
    met <- c(0, reached[-length(known)])
    from[known[again]] <- pmax(from[known[again]], met[again] + 1)
    known <- known[from[known] <= to[known]]
  }
  weight <- units$weight[known]
  change <- plain_cells(c(weight, -weight), c(from[known], to[known] + 1),
                        rep(units$line[known], 2), size + 1, lines)
  running <- matrix(apply(change, 2, cumsum), size + 1, lines)
  running[seq_len(size), , drop = FALSE]
}

# Time within each period, of what it has.
plain_means <- function(units, lines, periods) {
  spent <- plain_parts(units, units$line, lines, periods, function(rows, place) {
    within <- pmin(units$stop[rows], periods$stop[place]) -
      pmax(units$start[rows], periods$first[place])
    within * units$weight[rows]
  })
  spent / (periods$stop - periods$first)
}

# The level at the first moment of each period, and after each change within it.
plain_peaks <- function(units, lines, periods) {
  size <- length(periods$first)
  at <- c(units$start, units$stop)
  change <- c(units$weight, -units$weight)
  line <- rep(units$line, 2)
  kept <- is.finite(at)
  order <- order(line[kept], at[kept])
  at <- at[kept][order]
  change <- change[kept][order]
  line <- line[kept][order]
  last <- c(at[-1] != at[-length(at)] | line[-1] != line[-length(line)], TRUE)[seq_along(at)]
  running <- cumsum(change)
  begins <- match(seq_len(lines), line)
  base <- c(0, running)[begins]
  level <- (running - base[line])[last]
  at <- at[last]
  line <- line[last]
  peaks <- plain_starting_level(at, line, level, lines, periods)
  place <- findInterval(at, periods$first)
  inside <- which(place > 0 & at < c(periods$stop, 0)[pmax(place, 1)])
  cell <- (line[inside] - 1) * size + place[inside]
  highest <- order(cell, -level[inside])
  highest <- highest[!duplicated(cell[highest])]
  peaks[cell[highest]] <- pmax(peaks[cell[highest]], level[inside][highest])
  matrix(pmax(peaks, 0), size, lines)
}

plain_starting_level <- function(at, line, level, lines, periods) {
  size <- length(periods$first)
  by_line <- split(seq_along(at), factor(line, seq_len(lines)))
  vapply(by_line, function(rows) {
    c(0, level[rows])[findInterval(periods$first, at[rows]) + 1]
  }, numeric(size))
}

# Opening, flows and closing of every line. A line is come into where the key (or record)
# comes from none, and moved into where it comes from another; so with leaving.
plain_flows <- function(plain, line, lines, axis, asked) {
  units <- plain_units(plain, line, asked$of)
  whole <- plain_units(plain, rep(1, nrow(plain)), asked$of)
  key <- if (asked$of == "keys") (units$id - 1) %% max(1, plain$key) + 1 else units$id
  same <- function(own, all) {
    vctrs::vec_match(data.frame(id = key, at = own), data.frame(id = whole$id, at = all))
  }
  comes <- same(units$start, whole$start)
  leaves <- same(units$stop, whole$stop)
  again <- duplicated(whole$id)[comes] & asked$returns
  left <- is.finite(units$stop)
  size <- axis_size(axis)
  flow <- function(chosen, at) {
    chosen <- which(chosen)
    place <- findInterval(at[chosen], c(axis$first, axis$stop[size]))
    shown <- place <= size
    plain_cells(units$weight[chosen][shown], place[shown] + 1, units$line[chosen][shown], size + 1,
                lines)
  }
  before <- function(at) tick_before(at, if (is.integer(axis$first)) day_timeline()
                                     else instant_timeline("UTC"))
  flows <- list(started = flow(!is.na(comes) & !again, units$start),
                returned = flow(!is.na(comes) & again, units$start),
                moved_in = flow(is.na(comes), units$start),
                ended = flow(left & !is.na(leaves), before(units$stop)),
                moved_out = flow(left & is.na(leaves), units$stop))
  net <- Reduce(`+`, flows[1:3]) - flows$ended - flows$moved_out
  level <- matrix(apply(net, 2, cumsum), size + 1, lines)
  shown <- lapply(flows, function(cells) cells[-1, , drop = FALSE])
  c(list(opening = level[-(size + 1), , drop = FALSE]), shown,
    list(net = net[-1, , drop = FALSE], closing = level[-1, , drop = FALSE]))
}

# Every working day from the first to the last that the records, and the days beside them,
# know.
plain_working_days <- function(plain, calendar, further = NULL) {
  known <- range(c(plain$start, plain$stop[is.finite(plain$stop)], further))
  days <- seq(known[1], known[2])
  days[is_working_day(as.integer(days), calendar)]
}

# How to tell the seconds between moments: all of them, or those in some stretches.
plain_time <- function(stretches) {
  if (is.null(stretches)) {
    return(function(from, to) pmax(to - from, 0))
  }
  lengths <- cumsum(c(0, stretches$close - stretches$open))
  upto <- function(at) {
    i <- findInterval(at, stretches$open)
    lengths[i + 1] - ifelse(i > 0, pmax(stretches$close[pmax(i, 1)] - at, 0), 0)
  }
  function(from, to) upto(pmax(from, to)) - upto(from)
}
