# Ranges worked out once more, row by row: stretches, what lies between them, pairs,
# levels and slices, in plain vectors. Nothing here uses the kernels, or what they use.

# Numbers that order rows by line, then by value, also those of another table.
plain_places <- function(line, value, known) {
  line * (length(known) + 1) + match(value, known)
}

# Pieces of a line that touch, or miss no more than `far` between, as one.
plain_stretches <- function(plain, line, far = 0, worked = NULL) {
  union <- plain_union(plain, line)
  n <- nrow(union)
  from <- union$stop[-n]
  to <- union$start[-1]
  missed <- if (is.null(worked)) to - from else plain_worked(from, to, worked)
  joined <- c(FALSE, union$id[-n] == union$id[-1] & missed <= far)[seq_len(n)]
  last <- c(which(!joined)[-1] - 1L, n)[seq_len(sum(!joined))]
  data.frame(line = union$id[!joined], start = union$start[!joined], stop = union$stop[last])
}

plain_worked <- function(from, to, worked) {
  findInterval(to - 0.5, worked) - findInterval(from - 0.5, worked)
}

# The stretch that each record lies in; an empty one lies in none.
plain_stretch_of <- function(plain, line, stretches) {
  known <- sort(unique(c(plain$start, stretches$start)))
  at <- findInterval(plain_places(line, plain$start, known),
                     plain_places(stretches$line, stretches$start, known))
  ifelse(plain$stop > plain$start, at, NA)
}

# What no piece of a line covers, with where the piece before stops and the one behind
# starts; at the edges of a window there is none.
plain_between <- function(plain, line, lines, window = NULL, edges = FALSE) {
  pieces <- plain_union(plain, line)
  n <- nrow(pieces)
  same <- pieces$id[-1] == pieces$id[-n]
  between <- data.frame(line = pieces$id[-1], start = pieces$stop[-n], stop = pieces$start[-1],
                        before = pieces$stop[-n], after = pieces$start[-1])
  between <- vctrs::vec_slice(between, same)
  if (edges) between <- rbind(between, plain_edges(pieces, lines, window))
  if (!is.null(window)) {
    between$start <- pmax(between$start, window$first)
    between$stop <- pmin(between$stop, window$stop)
    between <- vctrs::vec_slice(between, between$start < between$stop)
  }
  between
}

plain_edges <- function(pieces, lines, window) {
  first <- which(!duplicated(pieces$id))
  last <- which(!duplicated(pieces$id, fromLast = TRUE))
  none <- setdiff(seq_len(lines), pieces$id)
  edge <- function(line, start, stop, before, after) {
    data.frame(line = line, start = start, stop = stop, before = before, after = after)
  }
  rep_len_of <- function(value, rows) rep(value, length(rows))
  rbind(edge(pieces$id[first], rep_len_of(window$first, first), pieces$start[first],
             rep_len_of(NA, first), pieces$start[first]),
        edge(pieces$id[last], pieces$stop[last], rep_len_of(window$stop, last), pieces$stop[last],
             rep_len_of(NA, last)),
        edge(none, rep_len_of(window$first, none), rep_len_of(window$stop, none),
             rep_len_of(NA, none), rep_len_of(NA, none)))
}

# How many records of one table start within each of another (or of the same), and from
# which place on, both by line and start.
plain_starting_within <- function(from, to, after) {
  known <- sort(unique(c(from$start, from$stop, to$start)))
  starts <- plain_places(to$line, to$start, known)
  first <- findInterval(plain_places(from$line, from$start, known), starts, left.open = !after)
  last <- findInterval(plain_places(from$line, from$stop, known), starts, left.open = TRUE)
  list(first = first + 1, count = pmax(last - first, 0))
}

plain_by_start <- function(plain, line) {
  known <- data.frame(plain[c("start", "stop")], line = line, record = seq_along(line))
  known <- vctrs::vec_slice(known, known$stop > known$start)
  vctrs::vec_slice(known, order(known$line, known$start))
}

# Every pair of records of one line that have something in common; of two tables those of
# both. NULL where there are more than `most`.
plain_pairs <- function(a, b = NULL, most = Inf) {
  within <- plain_starting_within(a, b %||% a, after = !is.null(b))
  if (is.null(b)) {
    own <- seq_len(nrow(a))
    # Those behind it, also of those that start with it.
    within$count <- within$first - 1 + within$count - own
    within$first <- own + 1
  }
  turned <- if (!is.null(b)) plain_starting_within(b, a, after = FALSE)
  if (sum(within$count) + sum(turned$count) > most) {
    return(NULL)
  }
  listed <- function(found) {
    list(rep(seq_along(found$count), found$count), sequence(found$count, found$first))
  }
  one <- listed(within)
  other <- if (!is.null(b)) listed(turned) else list(integer(), integer())
  b <- b %||% a
  i <- c(one[[1]], other[[2]])
  j <- c(one[[2]], other[[1]])
  data.frame(line = a$line[i], a = a$record[i], b = b$record[j],
             start = pmax(a$start[i], b$start[j]), stop = pmin(a$stop[i], b$stop[j]))
}

# From change to change how much is there, in each line from its first to its last.
plain_steps <- function(units, digits = NULL) {
  at <- c(units$start, units$stop)
  line <- rep(units$line, 2)
  change <- c(units$weight, -units$weight)
  order <- order(line, at)
  at <- at[order]
  line <- line[order]
  n <- length(at)
  last <- c(at[-1] != at[-n] | line[-1] != line[-n], TRUE)[seq_len(n)]
  level <- cumsum(change[order])
  if (!is.null(digits)) level <- round(level, digits)
  steps <- data.frame(line = line[last], start = at[last], level = level[last])
  steps$stop <- c(steps$start[-1], Inf)[seq_len(nrow(steps))]
  # The last change of a line ends it.
  ends <- c(steps$line[-1] != steps$line[-nrow(steps)], TRUE)[seq_len(nrow(steps))]
  begins <- c(TRUE, ends[-length(ends)])[seq_along(ends)]
  base <- c(0, steps$level)[which(begins)]
  steps$level <- steps$level - base[cumsum(begins)]
  plain_joined(vctrs::vec_slice(steps, !ends))
}

# Steps that meet as one where their levels are equal, or all of them.
plain_joined <- function(steps, equal = TRUE) {
  n <- nrow(steps)
  meets <- steps$line[-1] == steps$line[-n] & steps$start[-1] == steps$stop[-n]
  if (equal) meets <- meets & steps$level[-1] == steps$level[-n]
  piece <- cumsum(!c(FALSE, meets)[seq_len(n)])
  first <- !duplicated(piece)
  last <- !duplicated(piece, fromLast = TRUE)
  level <- if (equal) steps$level[first]
  else as.vector(tapply(steps$level, factor(piece, unique(piece)), max))
  data.frame(line = steps$line[first], start = steps$start[first], stop = steps$stop[last],
             level = as.double(level))
}

# Each span in each period that it touches: where it starts and stops in it.
plain_slices <- function(start, stop, periods) {
  real <- which(periods$first < periods$stop)
  from <- findInterval(start, periods$stop[real]) + 1
  to <- findInterval(stop, periods$first[real], left.open = TRUE)
  count <- ifelse(stop > start, pmax(to - from + 1, 0), 0)
  unit <- rep(seq_along(start), count)
  place <- real[sequence(count, from)]
  data.frame(unit = unit, place = place, start = pmax(start[unit], periods$first[place]),
             stop = pmin(stop[unit], periods$stop[place]))
}

# The slices of one line and period as one, from the first to the last tick, by line and
# period; `covered` counts the ticks that are there. No two of a line overlap.
plain_slices_of_lines <- function(slices, line, periods) {
  slices$line <- line[slices$unit]
  slices <- vctrs::vec_slice(slices, order(slices$line, slices$place, slices$start))
  cell <- slices$line * (length(periods$first) + 1) + slices$place
  last <- c(cell[-1] != cell[-length(cell)], TRUE)[seq_along(cell)]
  first <- c(TRUE, last[-length(last)])[seq_along(cell)]
  upto <- cumsum(slices$stop - slices$start)
  stop <- slices$stop[last]
  covered <- upto[last] - c(0, upto[last])[seq_len(sum(last))]
  slices <- vctrs::vec_slice(slices, first)
  slices$stop <- stop
  slices$covered <- covered
  slices
}

# Whether a slice counts in its period by a rule.
plain_slice_met <- function(slices, periods, rule) {
  first <- slices$start == periods$first[slices$place]
  last <- slices$stop == periods$stop[slices$place]
  whole <- periods$stop[slices$place] - periods$first[slices$place]
  switch(rule, any_day = rep(TRUE, nrow(slices)), first_day = first, last_day = last,
         every_day = slices$covered == whole)
}

# The slices that count by a rule, by line and period.
plain_scaffold <- function(plain, line, axis, rule) {
  spans <- if (anyDuplicated(line)) plain_union(plain, line)
  else data.frame(id = line, plain[c("start", "stop")])
  slices <- plain_slices_of_lines(plain_slices(spans$start, spans$stop, axis), spans$id, axis)
  vctrs::vec_slice(slices, plain_slice_met(slices, axis, rule))
}
