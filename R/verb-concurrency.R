#' How many at once, change by change
#'
#' `concurrency()` gives the exact level as a step function: from which day (or
#' moment) to which how much is there, by group, from the first start to the last
#' end. `peaks()` says when it is fullest, or where it is above a capacity or below a
#' floor.
#'
#' A limit is a number; a column of the records that holds one value in each group; or a
#' table with the column `capacity` (or `floor`), the group columns, and `from` where it
#' changes: each row is valid from that day on. With a floor the level is looked at in every
#' group through the whole window, by default to the as-of date: also before the first record
#' of a group, behind the last, and in groups that only the table knows.
#'
#' @param x A [spans()] object.
#' @param group The columns to break the level down by, or `NULL`. A missing value
#'   is a group of its own.
#' @param of What is counted: `"keys"` (each key once; the default where there is
#'   a key), `"records"`, or `"weight"`, the sum of the weights.
#' @param from,to The first and last day shown, or `NULL`; they hide, never filter.
#' @param capacity,floor What the level should not be above, or below: see above. Without
#'   either `peaks()` gives the highest level of each group and when it was.
#' @param calendar `NULL`, or [calendar_rules()]: only working days are looked at, so that
#'   what is so on Friday and on Monday goes on.
#' @param less Those who are away, a [spans()] object with a key: see [active()].
#' @return A tibble of the group columns, `start`, `end` (the last day), `days` (or
#'   `hours`; with a calendar also `working_days`), `level` and `open` (it goes on; `end` is
#'   then the as-of date, `NA` with length 0 for a level that begins after it). Two rows that
#'   meet differ in level; 0 between records is shown. `level` is integer, double for weights.
#'
#'   With limits also `capacity` and `share` (level by capacity), `floor`, and `state`:
#'   `"above capacity"`, `"full"` (just at it), `"within"` or `"below floor"`. NA is no limit.
#'
#'   `peaks()`: with limits only the stretches above and below; `level` is the highest of a
#'   stretch above, the lowest of one below. With `show = "days"` a row for each group: its
#'   `days` (or `hours`) in all, `days_above`, `days_full` and `days_below`, the `highest` and
#'   `lowest` level and the mean `share` of the capacity. With a calendar they are working
#'   days.
#' @section Errors:
#' A wrong argument is an error of class `ridge_error_argument`, a wrong column of
#' class `ridge_error_column`.
#' @examples
#' loans <- spans(demo_records("instrument_loans"), lent_on, returned_on,
#'                key = instrument, end_counts = FALSE, as_of = "2026-06-30")
#' concurrency(loans, from = "2026-05-01")
#' peaks(loans)
#' peaks(loans, capacity = 11)
#' staff <- spans(demo_records("postings"), first_day, last_day, key = observer,
#'                as_of = "2026-06-30")
#' trips <- spans(demo_records("field_trips"), first_day, last_day, key = observer)
#' needed <- data.frame(station = c("Stonebow", "Whinfell"), floor = c(13, 25))
#' peaks(staff, group = station, floor = needed, less = trips, from = "2026-05-01")
#' @export
concurrency <- function(x, group = NULL, of = NULL, from = NULL, to = NULL, capacity = NULL,
                        floor = NULL, calendar = NULL, less = NULL) {
  check_spans_class(x, "concurrency")
  of <- choose_of(x, of)
  check_less(x, less, of, "concurrency")
  group <- pick_groups(x, rlang::enquo(group), step_columns, "concurrency")
  limits <- ask_limits(x, rlang::enquo(capacity), rlang::enquo(floor), group)
  question <- level_question("concurrency", x, group, limits)
  steps <- limited_steps(x, question)
  if (!is.null(calendar)) steps <- on_working_days(steps, question$table, x)
  steps <- joined_steps(steps, c("level", "capacity", "floor"))
  level_result(x, question, steps, "at once, change by change")
}

step_columns <- c("start", "end", "days", "hours", "working_days", "level", "open", "capacity",
                  "floor", "share", "state", "days_above", "days_full", "days_below", "hours_above",
                  "hours_full", "hours_below", "highest", "lowest")

# Both limits, checked, and how they are spelled.
ask_limits <- function(x, capacity, floor, group) {
  list(capacity = resolve_limit(x, capacity, "capacity", group),
       floor = resolve_limit(x, floor, "floor", group))
}

# What concurrency() and peaks() ask; `frame` is where their arguments stand.
level_question <- function(verb, x, group, limits, frame = rlang::caller_env(),
                           asked = rlang::caller_fn()) {
  columns <- c(list(group = group), lapply(Filter(function(one) !is.null(one$column), limits),
                                           `[[`, "column"))
  calendar <- get("calendar", frame)
  floor <- !is.null(limits$floor)
  to <- get("to", frame) %||% if (floor) as_date(about(x)$as_of_day)
  window <- ask_window(x, get("from", frame), to, needed = floor)
  further <- unlist(window[c("from", "to")])
  new_question(verb, columns, window = window, limits = lapply(limits, `[[`, "limit"),
               table = working_table(x, calendar, further), frame = frame, asked = asked)
}

# The lines of the groups: those of the records, and those that only a floor knows.
level_lines <- function(x, question) {
  names <- question$arguments$group
  values <- groups_of(x, names)$values
  known <- question$limits$floor$values
  if (length(known) > 0) {
    values <- Map(vctrs::vec_c, values, known[names])
    values <- slice_all(values, code_values(values)$rows)
  }
  list(values = values, size = if (length(names)) vctrs::vec_size(values[[1]])
                               else as.integer(facts_of(x)$records > 0))
}

# list(start, stop, group, level), by group from 0 and start, within the window.
level_steps <- function(x, question, lines) {
  asked <- question$arguments
  less <- spans_asked(asked, "less")
  present <- if (is.null(less)) x else minus_of(x, less)
  own <- groups_of(present, asked$group)
  steps <- levels_of(present, NULL, own, NULL, asked$of)
  if (length(asked$group)) {
    steps$group <- vctrs::vec_match(tibble::as_tibble(own$values),
                                    tibble::as_tibble(lines$values))[steps$group + 1L] - 1L
  }
  if (!is.null(question$limits$floor)) steps <- fill_window(steps, lines$size, question$window, x)
  cut_to_window(steps, question$window)
}

# 0 from the first day of the window to the first step of each line, and behind its last.
fill_window <- function(steps, lines, window, x) {
  if (is.null(window)) {
    return(steps)
  }
  first <- match(seq_len(lines) - 1L, steps$group)
  last <- length(steps$group) + 1L - match(seq_len(lines) - 1L, rev(steps$group))
  none <- which(is.na(first)) - 1L
  some <- which(!is.na(first))
  before <- pmin(window$first, steps$start[first[some]])
  behind <- pmax(window$stop, steps$stop[last[some]])
  zero <- steps$level[0][rep(NA_integer_, length(none) + 2L * length(some))]
  zero[] <- 0L
  whole <- function(edge) rep(edge, length(none))
  all <- list(start = c(steps$start, before, steps$stop[last[some]], whole(window$first)),
              stop = c(steps$stop, steps$start[first[some]], behind, whole(window$stop)),
              group = c(steps$group, some - 1L, some - 1L, none), level = c(steps$level, zero))
  kept <- which(all$start < all$stop & all$start < window$stop)
  lapply(all, `[`, kept[order(all$group[kept], all$start[kept])])
}

# Steps cut where a limit changes, with the limits, the share of the capacity and the state.
limited_steps <- function(x, question) {
  lines <- level_lines(x, question)
  steps <- level_steps(x, question, lines)
  limits <- Filter(Negate(is.null), question$limits)
  changes <- lapply(limits, limit_changes, lines$values, lines$size)
  for (one in changes) steps <- cut_steps(steps, one)
  for (name in names(changes)) {
    steps[[name]] <- limit_at(changes[[name]], steps$group + 1L, steps$start)
  }
  c(steps, list(lines = lines))
}

# Each step in pieces, at the changes that lie within it.
cut_steps <- function(steps, changes) {
  inner <- is.finite(changes$at)
  if (!any(inner)) {
    return(steps)
  }
  line <- changes$line[inner]
  at <- changes$at[inner]
  stop <- pmin(as.double(steps$stop), max(at) + 1)
  known <- sort(unique(c(at, as.double(steps$start), stop)))
  places <- line_places(line, at, known)
  from <- findInterval(line_places(steps$group + 1L, as.double(steps$start), known), places)
  to <- findInterval(line_places(steps$group + 1L, stop, known), places, left.open = TRUE)
  count <- pmax(to - from, 0L) + 1L
  step <- rep(seq_along(count), count)
  nth <- sequence(count)
  start <- steps$start[step]
  stop <- steps$stop[step]
  later <- nth > 1L
  start[later] <- at[from[step[later]] + nth[later] - 1L]
  earlier <- nth < count[step]
  stop[earlier] <- at[from[step[earlier]] + nth[earlier]]
  pieces <- lapply(steps, `[`, step)
  pieces[c("start", "stop")] <- list(start, stop)
  pieces
}

# Steps from their first to their last working day; those without one are gone.
on_working_days <- function(steps, table, x) {
  fields <- setdiff(names(steps), "lines")
  days <- which(diff(table$before) > 0) + table$origin - 1L
  through <- known_stops(steps, x)
  ahead <- table$before[steps$start - table$origin + 1L]
  behind <- table$before[through - table$origin + 1L]
  kept <- which(behind > ahead)
  steps[fields] <- lapply(steps[fields], `[`, kept)
  open <- is_never(steps$stop, timeline_of(x))
  steps$start <- days[ahead[kept] + 1L]
  steps$stop[!open] <- days[behind[kept]][!open] + 1L
  c(steps, list(ahead = ahead[kept], behind = behind[kept]))
}

# Steps of a line that follow each other and are alike in `same` as one.
joined_steps <- function(steps, same, level = NULL) {
  n <- length(steps$start)
  if (n == 0) {
    return(steps)
  }
  from <- steps$ahead %||% steps$start
  to <- steps$behind %||% steps$stop
  alike <- function(values) vctrs::vec_equal(values[-1], values[-n], na_equal = TRUE)
  goes_on <- steps$group[-1] == steps$group[-n] & from[-1] == to[-n]
  for (name in intersect(same, names(steps))) goes_on <- goes_on & alike(steps[[name]])
  first <- which(c(TRUE, !goes_on))
  last <- c(first[-1] - 1L, n)
  piece <- rep(seq_along(first), last - first + 1L)
  joined <- lapply(steps[setdiff(names(steps), c("lines", "ahead", "behind"))], `[`, first)
  joined$stop <- steps$stop[last]
  if (!is.null(level)) joined$level <- as.vector(tapply(steps$level, piece, level))
  c(joined, steps["lines"])
}

level_result <- function(x, question, steps, how) {
  asked <- question$arguments
  columns <- with_working_days(range_columns(steps$start, steps$stop, x), question$table)
  columns <- append(columns, c(list(level = steps$level), limit_columns(steps)),
                    after = length(columns) - 1L)
  columns <- c(slice_all(steps$lines$values, steps$group + 1L), columns)
  new_ranges(question, x, columns, describe_levels(x, question, how), names = asked$group,
             values = "level", title = measure_title(x, asked$of))
}

limit_columns <- function(steps) {
  if (is.null(steps$capacity) && is.null(steps$floor)) {
    return(NULL)
  }
  share <- if (!is.null(steps$capacity)) {
    replace(steps$level / steps$capacity, which(steps$capacity == 0), NA)
  }
  Filter(Negate(is.null), list(capacity = steps$capacity, share = share, floor = steps$floor,
                               state = level_states(steps)))
}

level_states <- function(steps) {
  none <- rep(NA_real_, length(steps$level))
  capacity <- steps$capacity %||% none
  floor <- steps$floor %||% none
  state <- rep("within", length(none))
  state[which(steps$level == capacity)] <- "full"
  state[which(steps$level < floor)] <- "below floor"
  state[which(steps$level > capacity)] <- "above capacity"
  state
}

describe_levels <- function(x, question, how) {
  asked <- question$arguments
  limits <- question$limits
  sentence_of(paste0("Counted: ", counted_words(x, asked$of), group_words(asked$group), ", ", how),
              less_words(spans_asked(asked, "less")), limit_words(limits$capacity, "a capacity"),
              limit_words(limits$floor, "a floor"),
              if (!is.null(asked$calendar)) "only working days are looked at",
              shown_words(question$window), usual_words(x))
}
