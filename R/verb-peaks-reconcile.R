# What concurrency() and peaks() say, in words, and worked out once more in plain vectors.

#' @export
source_checks.ridge_concurrency <- function(result, x) {
  level_checks(result, x, function(segments) plain_joined_by(segments, c("level", "capacity",
                                                                         "floor")))
}

# Of all steps those that are highest in their group, or outside the limits.
#' @export
source_checks.ridge_peaks <- function(result, x) {
  asked <- about(result)$question$arguments
  if (asked$show == "days") {
    return(limit_day_checks(result, x))
  }
  level_checks(result, x, function(segments) {
    if (nrow(segments) == 0) return(segments)
    if (is.null(asked$capacity) && is.null(asked$floor)) {
      top <- stats::ave(segments$level, segments$line, FUN = max)
      return(plain_joined_by(segments[segments$level == top, ], "level"))
    }
    state <- plain_states(segments)
    above <- plain_joined_by(segments[state == "above capacity", ], c("capacity", "floor"))
    below <- plain_joined_by(segments[state == "below floor", ], c("capacity", "floor"), min)
    rbind(above, below)
  })
}

level_checks <- function(result, x, choose) {
  question <- about(result)$question
  asked <- question$arguments
  found <- plain_segments(x, question)
  steps <- choose(found$segments)
  worked <- worked_days(x, asked$calendar, unlist(question$window[c("first", "stop")]))
  expected <- plain_rows(steps, x, worked)
  expected$level <- steps$level
  expected$capacity <- steps$capacity
  expected$floor <- steps$floor
  expected$share <- ifelse(steps$capacity > 0, steps$level / steps$capacity, NA)
  expected$state <- match(plain_states(steps), level_state_names)
  columns <- plain_tibble(result)
  more <- as.list(columns[intersect(c("level", "capacity", "floor", "share"), names(columns))])
  if ("state" %in% names(columns)) more$state <- match(columns$state, level_state_names)
  range_checks("levels", result, found$values, asked$group, expected, more,
               near = intersect(c("level", "share"), names(more)))
}

level_state_names <- c("within", "full", "above capacity", "below floor")

plain_states <- function(steps) {
  above <- (steps$level > steps$capacity) %in% TRUE
  below <- (steps$level < steps$floor) %in% TRUE & !above
  full <- (steps$level == steps$capacity) %in% TRUE & !below
  ifelse(above, "above capacity", ifelse(below, "below floor", ifelse(full, "full", "within")))
}

# Pieces of each line in which neither the level nor a limit changes, with a calendar its
# working days; `nth` and `upto` are where they begin and end, in ticks or working days.
plain_segments <- function(x, question) {
  asked <- question$arguments
  values <- plain_tibble(x)[asked$group]
  own <- nrow(values)
  known <- question$limits$floor$values
  if (length(known) > 0) {
    values <- vctrs::vec_rbind(values, tibble::as_tibble(known)[asked$group])
  }
  partition <- plain_partition(values)
  left <- plain_less(plain_records(x), partition$of[seq_len(own)], x, spans_asked(asked, "less"))
  units <- plain_units(left$plain, left$line, asked$of)
  steps <- plain_steps(units, if (asked$of == "weight") 9)
  worked <- worked_days(x, asked$calendar, unlist(question$window[c("first", "stop")]))
  if (is.null(question$limits$capacity) && is.null(question$limits$floor) && is.null(worked)) {
    segments <- as.data.frame(cut_to_window(steps, question$window))
    segments[c("capacity", "floor")] <- rep(list(rep(NA_real_, nrow(segments))), 2)
    segments$nth <- segments$start
    segments$upto <- segments$stop
    return(list(values = partition$values, segments = segments))
  }
  limits <- lapply(question$limits, plain_limit, partition$values)
  pieces <- lapply(seq_len(partition$size), function(line) {
    plain_line_segments(steps[steps$line == line, ], line, lapply(limits, function(limit) {
      limit[which(limit$line == line), ]
    }), question$window, !is.null(limits$floor), worked, about(x)$as_of_stop)
  })
  none <- data.frame(line = integer(), start = numeric(), stop = numeric(), level = numeric(),
                     capacity = numeric(), floor = numeric(), nth = numeric(), upto = numeric())
  list(values = partition$values, segments = do.call(rbind, c(list(none), pieces)))
}

# The rows of a limit with the line that each is of.
plain_limit <- function(limit, values) {
  if (is.null(limit)) {
    return(NULL)
  }
  rows <- data.frame(from = limit$from, limit = limit$limit)
  if (length(limit$values) == 0) {
    lines <- rep(seq_len(max(1L, nrow(values))), each = nrow(rows))
    return(data.frame(line = lines, rows[rep(seq_len(nrow(rows)), length.out = length(lines)), ]))
  }
  table <- tibble::as_tibble(limit$values)
  data.frame(line = vctrs::vec_match(table, values[names(table)]), rows)
}

plain_line_segments <- function(steps, line, limits, window, filled, worked, until) {
  from <- if (filled) window$first else max(steps$start[1], window$first)
  to <- if (filled) window$stop else min(steps$stop[nrow(steps)], window$stop)
  if (!isTRUE(from < to)) {
    return(NULL)
  }
  changes <- unlist(lapply(limits, function(limit) limit$from))
  edges <- c(from, steps$start, steps$stop, changes, to)
  edges <- sort(unique(edges[edges >= from & edges <= to]))
  start <- edges[-length(edges)]
  stop <- edges[-1]
  if (!is.null(worked)) {
    days <- worked[worked >= from & worked < if (is.finite(to)) to else until]
    start <- days
    stop <- days + 1
  }
  at <- findInterval(start, steps$start)
  inside <- at > 0 & start < c(steps$stop, 0)[pmax(at, 1)]
  segments <- data.frame(line = rep(line, length(start)), start = start, stop = stop,
                         level = ifelse(inside, steps$level[pmax(at, 1)], 0))
  for (name in c("capacity", "floor")) {
    limit <- limits[[name]] %||% data.frame(from = numeric(), limit = numeric())
    limit <- limit[order(limit$from), ]
    segments[[name]] <- c(NA, limit$limit)[findInterval(start, limit$from) + 1]
  }
  # What goes on past the as-of date is open.
  endless <- !is.null(worked) && is.infinite(to) && length(start) > 0
  segments$nth <- if (is.null(worked)) start else match(start, worked)
  segments$upto <- if (is.null(worked)) stop else segments$nth + 1
  if (endless) segments <- open_last(segments, steps)
  segments
}

# The last working day stands for the step that never ends.
open_last <- function(segments, steps) {
  last <- segments$start >= steps$start[nrow(steps)]
  if (any(last)) segments$stop[max(which(last))] <- Inf
  segments
}

# Segments of a line that follow each other and are alike in some columns as one.
plain_joined_by <- function(segments, same, level = max) {
  n <- nrow(segments)
  meets <- segments$line[-1] == segments$line[-n] & segments$nth[-1] == segments$upto[-n]
  for (name in same) {
    meets <- meets & vctrs::vec_equal(segments[[name]][-1], segments[[name]][-n], na_equal = TRUE)
  }
  piece <- cumsum(!c(FALSE, meets)[seq_len(n)])
  joined <- segments[!duplicated(piece), ]
  joined$stop <- segments$stop[!duplicated(piece, fromLast = TRUE)]
  joined$level <- as.vector(tapply(segments$level, factor(piece, unique(piece)), level))
  joined
}

limit_day_checks <- function(result, x) {
  question <- about(result)$question
  asked <- question$arguments
  if (!all(asked$group %in% names(result))) {
    return(not_proven("days", "the columns that name its rows are gone"))
  }
  found <- plain_segments(x, question)
  segments <- found$segments
  unit <- length_unit(timeline_of(x))
  stop <- ifelse(is.infinite(segments$stop), pmax(about(x)$as_of_stop, segments$start),
                 segments$stop)
  length <- if (is.null(asked$calendar)) (stop - segments$start) / unit$ticks
  else rep(1, nrow(segments))
  line <- factor(segments$line, seq_len(nrow(found$values) %||% 1L))
  if (length(asked$group) == 0) line <- factor(segments$line, 1)
  state <- plain_states(segments)
  sums <- function(chosen) as.vector(tapply(length * chosen, line, sum, default = 0))
  counted <- (segments$capacity > 0) %in% TRUE
  weighed <- ifelse(counted, segments$level / segments$capacity, 0)
  most <- function(choose) as.vector(tapply(segments$level, line, choose, default = NA))
  expected <- data.frame(sums(TRUE), sums(state == "above capacity"), sums(state == "full"),
                         sums(state == "below floor"), most(max), most(min),
                         sums(weighed) / sums(counted))
  names(expected) <- c(unit$name, paste0(unit$name, c("_above", "_full", "_below")), "highest",
                       "lowest", "share")
  expected$share[is.nan(expected$share)] <- NA
  expected$line <- as.integer(levels(line))
  columns <- plain_tibble(result)
  own <- as.data.frame(columns[intersect(names(expected), names(columns))])
  own$line <- line_of_row(result, found$values, asked$group)
  row_checks("days by group", expected[names(own)], own, is_whole(result),
             near = setdiff(names(own), c("line", "highest", "lowest")[seq_len(
               if (asked$of == "weight") 1 else 3)]))
}

# On how many days a limit is not kept, and when it is worst.
limit_sentences <- function(object) {
  made <- about(object)
  unit <- length_unit(made$timeline)$name
  length <- if ("working_days" %in% names(object)) "working_days" else unit
  rows <- which(!is.na(object$end))
  told <- function(state, words, choose) {
    at <- rows[object$state[rows] == state]
    if (length(at) == 0) return(NULL)
    worst <- at[choose(object$level[at])]
    group <- if (length(made$names)) {
      paste0(line_names(slice_all(as.list(plain_tibble(object))[made$names], worst)), ", ")
    }
    limit <- if (state == "below floor") object$floor[worst] else object$capacity[worst]
    number <- function(x) format_plain(x, if (x == round(x)) 0 else 2)
    sum <- sum(object[[length]][at])
    days <- if (sum == 1) sub("s$", "", length) else length
    paste0(sentence_case(words), " on ", number(sum), " ", gsub("_", " ", days),
           if (length(made$names)) " of all groups", " in ", format_number(length(at)),
           if (length(at) == 1) " stretch" else " stretches", ", most ", group,
           format(object$start[worst]), ": ", number(object$level[worst]), " against ",
           number(limit), ".")
  }
  c(told("above capacity", "above capacity", which.max), told("below floor", "below the floor",
                                                              which.min))
}

#' @export
sentences.ridge_peaks <- function(object) {
  if (!"state" %in% names(object)) {
    return(day_sentences(object) %||% conventions(object))
  }
  limit_sentences(object) %||% "The limits are kept at all times."
}

# In which group it is most often; NULL where no days are counted.
day_sentences <- function(object) {
  made <- about(object)
  told <- function(what, words) {
    name <- intersect(paste0(c("days_", "hours_"), what), names(object))
    if (length(name) == 0) return(NULL)
    days <- object[[name]]
    where <- if (length(made$names)) {
      paste0("; most in ", line_names(slice_all(as.list(plain_tibble(object))[made$names],
                                                which.max(days))),
             " (", format_plain(max(days), 0), ")")
    }
    paste0(sentence_case(words), " on ", format_plain(sum(days), 0), " of ",
           format_plain(sum(object[[sub("_.*", "", name)]]), 0), " ", sub("_.*", "", name),
           if (sum(days) > 0) where, ".")
  }
  c(told("above", "above capacity"), told("full", "full"), told("below", "below the floor"))
}

#' @export
sentences.ridge_concurrency <- sentences.ridge_peaks
