#' Of those who started together, who is left
#'
#' A row for each cohort (the keys whose first start lies in the same period) and
#' each age (periods since): how many it had, how many are active then, and which
#' share that is.
#'
#' Cohorts run from the first start to the last, never past the as-of date; empty
#' ones are there with size 0. Ages make a rectangle. A cell whose period begins
#' after the as-of date is not yet known: `active` and `retained` are `NA`, not 0.
#' A key belongs to the cohort, and the group, of its first start. Where no key was
#' declared each record is one.
#'
#' @param x A [spans()] object.
#' @param by A grain such as `"month"` (the default) or `"quarter"`.
#' @param group The columns to break the cohorts down by, or `NULL`: those of the
#'   record with which a key first started.
#' @param rule What active in a period means: `"any_day"` (the default),
#'   `"first_day"`, `"last_day"` or `"every_day"` of it; see [active()].
#' @param returns `TRUE`: one who comes back is active again. `FALSE`: only the time
#'   before the first break counts.
#' @param from,to The first and last cohort shown, by a day in it; `NULL`: all.
#' @param calendar Where weeks and years start: see [calendar_rules()].
#' @param show `"counts"`, or `"records"`: a row for each key of a cohort at each age that
#'   has begun, to see who is still there and who is not.
#' @return A tibble: the group columns, `cohort` (the first day of its period),
#'   `age` (0, 1, 2, ...), `period` (the first day), `size`, `active` (integer) and
#'   `retained` (active by size, `NA` where that is 0).
#'
#'   With `show = "records"`: the group columns, `cohort`, `age`, `period`, the key (without
#'   one `row`, that of the record in the source) and `active`, logical, `NA` where it is not
#'   yet known.
#' @section Errors:
#' A grain of hours, periods of your own without a pattern of [own_periods()], and wrong
#' arguments, are errors of class
#' `ridge_error_argument`; a result too large to hold is of class
#' `ridge_error_size`.
#' @seealso [length_of_stay()] for the share still there by age over all cohorts.
#' @examples
#' staff <- spans(demo_records("postings"), first_day, last_day, key = observer,
#'                as_of = "2026-06-30")
#' left <- cohorts(staff, by = "quarter", from = "2025-01-01")
#' left
#' widen(left)
#' who <- cohorts(staff, by = "year", from = "2025-01-01", show = "records")
#' subset(who, age == 1 & !active)
#' @export
cohorts <- function(x, by = "month", group = NULL, rule = "any_day", returns = TRUE, from = NULL,
                    to = NULL, calendar = calendar_rules(), show = "counts") {
  check_spans_class(x, "cohorts")
  check_choice(show, c("counts", "records"), "show")
  check_rule(rule, choosing = TRUE)
  check_flag(returns, "returns")
  group <- pick_groups(x, rlang::enquo(group), cohort_columns, "cohorts")
  by <- rlang::enquo(by)
  grain <- resolve_by(by, x)
  by <- rlang::eval_tidy(by)
  if (grain$unit == "hour" || grain$unit == "own" && is.null(grain$table$how)) {
    ridge_abort(c(paste("{verb_name('cohorts')} needs a grain of a day or more, or years by a",
                        "pattern, so that all ages are alike."),
                  i = "Say {arg_set('by', 'month')}, for one."), "argument", arg = "by")
  }
  axis <- cohort_axis(x, grain, check_calendar(calendar))
  shown <- shown_cohorts(axis, from, to, timeline_of(x), about(x)$as_of_day)
  question <- new_question("cohorts", list(group = group), axis = axis, shown = shown)
  if (show == "counts") {
    return(answer_cohorts(x, question))
  }
  check_free_names(about(x)$names$key, c(cohort_columns, "row"), "cohorts")
  list_at_hand(x, question, function(x, question) {
    cohort_list(x, question, describe_cohorts(x, question))
  })
}

cohort_columns <- c("cohort", "age", "period", "size", "active", "retained")

# The periods from the first start to the as-of date, and after them as many as ages can
# reach; NULL where nobody started by then.
cohort_axis <- function(x, grain, calendar) {
  first <- facts_of(x)$first
  last <- about(x)$as_of_day
  if (is.null(first) || first > last) {
    return(NULL)
  }
  if (grain$unit == "own") {
    grain$table <- further_years(grain$table, last + (last - first) + 400L)
    check_covered(grain$table, first)
    period <- 100L
  } else {
    rule <- grain_rule(grain, calendar)
    period <- if (rule$in_months) 31L * rule$size else rule$size
  }
  all <- make_axis(grain, first, last + (last - first) + 3L * period, calendar, timeline_of(x))
  axis <- axis_part(all, all$first_day <= last)
  axis$days_ahead <- all$first_day
  axis
}

# A cohort before the first period would be in none.
check_covered <- function(table, first) {
  if (first < table$first[1]) {
    days <- format(as_date(c(table$first[1], first)))
    ridge_abort(c(paste("{arg_name('by')}: its periods begin on {days[1]}, the first record on",
                        "{days[2]}."),
                  i = in_r("Name earlier {.code years} in {.fn own_periods} too.",
                           "Let them begin earlier, with {.code --years} for one.")), "argument",
                arg = "by", value = days[1])
  }
}

shown_cohorts <- function(axis, from, to, timeline, base) {
  zone <- zone_of(timeline)
  from <- if (!is.null(from)) as_single_day(from, "from", zone, base, "first")
  to <- if (!is.null(to)) as_single_day(to, "to", zone, base, "last")
  if (!is.null(from) && !is.null(to) && from > to) {
    refuse_window(list(from = from, to = to), list(from = from, to = to))
  }
  if (!is.null(axis)) {
    which(axis$last_day >= (from %||% -Inf) & axis$first_day <= (to %||% Inf))
  }
}

answer_cohorts <- function(x, question) {
  axis <- question$axis
  groups <- groups_of(x, question$arguments$group)
  size <- if (is.null(axis)) 0 else axis_size(axis)
  # Each row has some ten columns, and they are made one by one.
  check_fits(as.double(size) * size * groups$size, 110, "This table",
             paste0("Choose a coarser ", arg_name("by"), " or fewer groups."))
  columns <- if (is.null(axis)) no_cohorts(groups) else cohort_rows(x, question, groups)
  new_result(columns, question, x, describe_cohorts(x, question),
             values = c("retained", "active", "size", "cohort", "age"), axis = axis,
             groups = groups$names, lines = groups$values, line_count = groups$size,
             timeline = timeline_of(x))
}

cohort_rows <- function(x, question, groups) {
  axis <- question$axis
  asked <- question$arguments
  periods <- axis_size(axis)
  found <- cohorts_of(x, axis, groups, asked$rule, asked$returns)
  sizes <- matrix(found$size, nrow = periods)
  shown <- question$shown[question$shown <= max(which(rowSums(sizes) > 0), 0L)]
  ages <- if (length(shown)) 0:(periods - min(shown)) else integer()
  group <- rep(seq_len(groups$size), each = length(ages) * length(shown))
  cohort <- rep(rep.int(shown, groups$size), each = length(ages))
  age <- rep.int(ages, length(shown) * groups$size)
  period <- cohort + age
  line <- cohort + periods * (group - 1L)
  counted <- found$active[period + (periods + 1) * (line - 1)]
  counted[period > known_periods(x, axis, asked$rule)] <- NA
  size <- found$size[line]
  # Ages past the as-of date have a period too: it is only not known yet.
  day <- as_date(axis$days_ahead)
  c(slice_all(groups$values, group),
    list(cohort = day[cohort], age = age, period = day[period], size = size, active = counted,
         retained = replace(counted / size, size == 0, NA)))
}

no_cohorts <- function(groups) {
  day <- as_date(double())
  c(slice_all(groups$values, integer()),
    list(cohort = day, age = integer(), period = day, size = integer(), active = integer(),
         retained = double()))
}

describe_cohorts <- function(x, question) {
  asked <- question$arguments
  grain <- as_grain(asked$by)$name
  by <- if (length(asked$group)) paste0(group_words(asked$group), " of the first start") else ""
  sentence_of(
    paste0(if (asked$show == "records") "Members of cohorts: " else "Cohorts: ",
           if (has_key(x)) counted_words(x, "keys") else "records", " by the ", grain,
           " of their first start", by),
    rule_words(asked$rule, grain, timeline_of(x)),
    if (asked$returns) "a return counts as active again"
    else "only the time before the first break counts",
    "NA is not known yet", usual_words(x))
}

#' @export
sentences.ridge_cohorts <- function(object) {
  if (is_listed(object)) {
    return(cohort_row_sentence(object))
  }
  known <- !is.na(object$retained)
  if (!any(known)) {
    return("No cohort that is shown has anybody in it.")
  }
  at <- min(3, max(object$age[known]))
  same <- which(known & object$age == at)
  started <- sum(object$size[object$age == 0])
  left <- sum(object$active[same]) / sum(object$size[same])
  cohorts <- length(unique(object$cohort[known]))
  named <- function(i) {
    paste0(cohort_labels(object, object$cohort[i]), " (", as_percent(object$retained[i]), " of ",
           object$size[i], ")")
  }
  c(paste0(format_plain(started, 0), " started in ", count_of(cohorts, "cohort"), "; at age ", at,
           ", ", as_percent(left), " of those known are left."),
    if (length(same) > 1) {
      paste0("At that age the best cohort is ", named(same[which.max(object$retained[same])]),
             ", the worst ", named(same[which.min(object$retained[same])]), ".")
    },
    loss_sentence(object, known))
}

as_percent <- function(share) {
  paste0(round(100 * share), " %")
}

# From which age to the next most are lost. A share of a handful says little: at least a
# tenth of all must still be known.
loss_sentence <- function(object, known) {
  lost <- tapply(object$active[known], object$age[known], sum)
  line <- line_names(plain_tibble(object)[intersect(c(about(object)$groups, "cohort"),
                                                    names(object))])
  before <- vapply(seq_len(max(object$age[known])), function(age) {
    there <- line[known & object$age == age]
    sum(object$active[known & object$age == age - 1 & line %in% there])
  }, 0)
  enough <- before >= 0.1 * sum(object$size[object$age == 0])
  drop <- if (length(before)) ifelse(enough, (before - lost[-1]) / before, NA)
  if (length(drop) == 0 || !any(is.finite(drop) & drop > 0)) {
    return(NULL)
  }
  worst <- which.max(ifelse(is.finite(drop), drop, -Inf))
  paste0("Most are lost from age ", worst - 1L, " to ", worst, " (in ",
         grain_plural(about(object)$axis), "): ", as_percent(drop[worst]), " of those still there.")
}

cohort_labels <- function(result, cohort) {
  axis <- about(result)$axis
  axis_labels(axis_part(axis, match(as.integer(cohort), axis$first_day)), "code")
}

#' @export
records_once_more.ridge_cohorts <- function(result, x) {
  if (facts_of(x)$records > most_brought) return(NULL)
  plain_records_counted(x, c(about(x)$names$key, about(result)$question$arguments$group))
}

# Sizes and cells, each worked out once more.
#' @export
source_checks.ridge_cohorts <- function(result, x) {
  if (nrow(result) == 0) {
    return(list())
  }
  made <- about(result)
  if (is_listed(result)) {
    return(cohort_row_checks(result, x))
  }
  cells <- plain_cohorts(x, made)
  at <- cbind(match(as.integer(result$period), made$axis$days_ahead),
              cohort_line(result, made))
  known <- which(!is.na(result$active))
  share <- ifelse(result$size > 0, result$active / result$size, NA)
  same <- is.na(share) & is.na(result$retained) | share == result$retained
  ages <- at[, 1] - match(as.integer(result$cohort), made$axis$days_ahead)
  at[which(at[, 1] > nrow(cells$active)), 1] <- NA
  c(cell_checks("sizes of the cohorts", cells$size[at[, 2]], result$size, TRUE),
    cell_checks("active", cells$active[at[known, , drop = FALSE]], result$active[known], TRUE),
    list(tie("retained = active / size", nrow(result), sum(same %in% TRUE)),
         tie("age = periods since the cohort", nrow(result), sum((ages == result$age) %in% TRUE))))
}

# Which group and cohort a row is of: all cohorts of the first group, then of the second.
cohort_line <- function(result, made) {
  group <- if (length(made$groups)) vctrs::vec_match(plain_tibble(result)[made$groups],
                                                     tibble::as_tibble(made$lines))
  else rep(1L, nrow(result))
  (group - 1L) * axis_size(made$axis) + match(as.integer(result$cohort), made$axis$first_day)
}

# Keys by the period and the group of their first start; later groups do not matter.
plain_cohorts <- function(x, made) {
  asked <- made$question$arguments
  size <- axis_size(made$axis)
  groups <- max(1L, made$line_count)
  plain <- plain_records(x)
  members <- plain_members(plain, plain_lines(x, made$groups), x, made)
  cell <- (members$own$line - 1) * size + members$own$place
  union <- members$union
  cohort <- cell[match(union$id, members$own$key)]
  known <- which(!is.na(cohort))
  used <- data.frame(start = union$start, stop = union$stop, key = union$id,
                     weight = rep(1, nrow(union)))
  ahead <- list(first = made$axis$first, stop = made$axis$stop)
  list(size = tabulate(cell, size * groups),
       active = plain_levels(used[known, ], cohort[known], size * groups, ahead, asked$rule,
                             "keys", made$timeline))
}
