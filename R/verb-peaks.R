#' @rdname concurrency
#' @param show `"stretches"`, or `"days"`: for each group how many days are above the capacity,
#'   full, and below the floor.
#' @export
peaks <- function(x, group = NULL, of = NULL, capacity = NULL, floor = NULL, from = NULL,
                  to = NULL, calendar = NULL, less = NULL, show = "stretches") {
  check_spans_class(x, "peaks")
  of <- choose_of(x, of)
  check_less(x, less, of, "peaks")
  check_choice(show, c("stretches", "days"), "show")
  group <- pick_groups(x, rlang::enquo(group), step_columns, "peaks")
  limits <- ask_limits(x, rlang::enquo(capacity), rlang::enquo(floor), group)
  limited <- !is.null(limits$capacity) || !is.null(limits$floor)
  if (show == "days" && !limited) {
    ridge_abort(c("{arg_set('show', 'days')} says on how many days a limit is not kept.",
                  i = "Name {arg_name('capacity')}, {arg_name('floor')} or both."), "argument",
                arg = "show")
  }
  question <- level_question("peaks", x, group, limits)
  steps <- limited_steps(x, question)
  if (!is.null(calendar)) steps <- on_working_days(steps, question$table, x)
  if (show == "days") {
    return(limit_days(x, question, steps))
  }
  steps <- if (limited) outside_steps(steps) else highest_steps(steps)
  level_result(x, question, steps, if (limited) "outside their limits" else "the most at once")
}

highest_steps <- function(steps) {
  if (length(steps$level) == 0) {
    return(steps)
  }
  steps <- joined_steps(steps, "level")
  top <- tapply(steps$level, steps$group, max)
  chosen_steps(steps, which(steps$level == top[as.character(steps$group)]))
}

chosen_steps <- function(steps, rows) {
  fields <- setdiff(names(steps), "lines")
  steps[fields] <- lapply(steps[fields], `[`, rows)
  steps
}

# Steps above the capacity, or below the floor, that follow each other as one.
outside_steps <- function(steps) {
  side <- function(state, level) {
    kept <- chosen_steps(steps, which(level_states(steps) == state))
    joined_steps(kept, c("capacity", "floor"), level)
  }
  above <- side("above capacity", max)
  below <- side("below floor", min)
  fields <- setdiff(intersect(names(above), names(below)), "lines")
  both <- Map(c, above[fields], below[fields])
  order <- order(both$group, both$start)
  c(lapply(both, `[`, order), steps["lines"])
}

# A row for each group: on how many days the level is above, full and below.
limit_days <- function(x, question, steps) {
  timeline <- timeline_of(x)
  unit <- length_unit(timeline)
  steps$stop <- known_stops(steps, x)
  length <- if (!is.null(steps$ahead)) steps$behind - steps$ahead
  else (steps$stop - steps$start) / unit$ticks
  line <- factor(steps$group, seq_len(steps$lines$size) - 1L)
  sums <- function(values) as.vector(tapply(values, line, sum, default = 0))
  state <- level_states(steps)
  in_state <- function(name) sums(ifelse(state == name, length, 0))
  most <- function(choose) as.vector(tapply(steps$level, line, choose, default = NA))
  days <- function(values) if (on_days(timeline)) as.integer(values) else values
  capacity <- steps$capacity
  counted <- if (!is.null(capacity)) ifelse(is.na(capacity) | capacity == 0, 0, length)
  numbers <- c(list(days(sums(length))),
               if (!is.null(capacity)) list(days(in_state("above capacity")),
                                            days(in_state("full"))),
               if (!is.null(steps$floor)) list(days(in_state("below floor"))))
  names(numbers) <- c(unit$name, paste0(unit$name, c(
    if (!is.null(capacity)) c("_above", "_full"), if (!is.null(steps$floor)) "_below")))
  share <- if (!is.null(capacity)) {
    sum <- sums(ifelse(counted > 0, steps$level / capacity * length, 0)) / sums(counted)
    list(share = replace(sum, is.nan(sum), NA))
  }
  columns <- c(steps$lines$values, numbers, list(highest = most(max), lowest = most(min)), share)
  new_result(columns, question, x, describe_levels(x, question, "against their limits"),
             values = names(numbers), nrow = steps$lines$size, names = question$arguments$group,
             timeline = timeline)
}
