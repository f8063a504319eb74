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
#' @param count What active in a period means: `"any_day"` (the default),
#'   `"first_day"`, `"last_day"` or `"every_day"` of it; see [active()].
#' @param returns `TRUE`: one who comes back is active again. `FALSE`: only the time
#'   before the first break counts.
#' @param from,to The first and last cohort shown, by a day in it; `NULL`: all.
#' @param calendar Where weeks and years start: see [calendar_rules()].
#' @return A tibble: the group columns, `cohort` (the first day of its period),
#'   `age` (0, 1, 2, ...), `period` (the first day), `size`, `active` (integer) and
#'   `retained` (active by size, `NA` where that is 0).
#' @section Errors:
#' A grain of hours or a table of periods, and wrong arguments, are errors of class
#' `ridge_error_argument`; a result too large to hold is of class
#' `ridge_error_size`.
#' @seealso [lasting()] for the share still there by age over all cohorts.
#' @examples
#' staff <- spans(demo_records("postings"), first_day, last_day, key = observer,
#'                as_of = "2026-06-30")
#' left <- cohorts(staff, by = "quarter", from = "2025-01-01")
#' left
#' widen(left)
#' @export
cohorts <- function(x, by = NULL, group = NULL, count = "any_day", returns = TRUE, from = NULL, to = NULL,
                    calendar = calendar_rules()) {
  UseMethod("cohorts")
}

#' @export
cohorts.default <- function(x, ...) {
  check_spans_class(x, "cohorts")
}

cohort_columns <- c("cohort", "age", "period", "size", "active", "retained")

#' @export
cohorts.ridge_spans <- function(x, by = NULL, group = NULL, count = "any_day", returns = TRUE, from = NULL, to = NULL,
                                calendar = calendar_rules()) {
  check_spans_class(x, "cohorts")
  check_choice(count, count_rules[1:4], "count")
  check_flag(returns, "returns")
  groups <- group_codes(x, pick_groups(x, rlang::enquo(group), cohort_columns))
  grain <- resolve_by(rlang::enquo(by), x, "month")
  if (grain$unit %in% c("hour", "own")) {
    ridge_abort(c("{.fn cohorts} needs a grain of a day or more, so that all ages are alike.", i = "Say {.code by = \"month\"}, for one."), "argument")
  }
  axis <- cohort_axis(x, grain, check_calendar(calendar))
  shown <- shown_cohorts(axis, from, to, about(x)$tz)
  size <- if (is.null(axis)) 0 else axis_size(axis)
  check_fits(as.double(size) * size * groups$size, 16, "This table", "Choose a coarser `by` or fewer groups.")
  columns <- if (is.null(axis)) no_cohorts(groups) else cohort_rows(x, axis, groups, count, returns, shown)
  new_result(columns, "cohorts", describe_cohorts(x, grain, groups, count, returns), axis = axis, groups = groups$names, source = x,
             top = "age", ids = c(groups$names, "cohort", "size"), value = c("retained", "active"), fill = NA,
             adds = c(periods = FALSE, groups = FALSE), rule = count, returns = returns, shown = shown)
}

# The periods from the first start to the as-of date; NULL where nobody started by then.
cohort_axis <- function(x, grain, calendar) {
  facts <- span_facts(x)
  last <- about(x)$as_of_day
  if (is.null(facts$first) || facts$first > last) {
    return(NULL)
  }
  make_axis(grain, facts$first, last, calendar, about(x)$tz)
}

shown_cohorts <- function(axis, from, to, tz) {
  from <- if (!is.null(from)) as_single_day(from, "from", zone_of(tz))
  to <- if (!is.null(to)) as_single_day(to, "to", zone_of(tz))
  if (!is.null(from) && !is.null(to) && from > to) {
    refuse_window(list(from = from, to = to), list(from = from, to = to))
  }
  if (is.null(axis)) {
    return(NULL)
  }
  which(axis$last_day >= first_of(from, -Inf) & axis$first_day <= first_of(to, Inf))
}

# Keys by key and start; without a key each record is one, by start.
cohort_index <- function(x, groups) {
  index <- span_index(x)
  if (!is.null(index$key)) {
    return(c(index[c("start", "stop", "key")], list(group = groups$codes)))
  }
  list(start = index$start, stop = index$stop, key = seq_along(index$start) - 1L, group = groups$codes)
}

cohort_rows <- function(x, axis, groups, count, returns, shown) {
  periods <- axis_size(axis)
  index <- cohort_index(x, groups)
  until <- as_of_stop(about(x))
  found <- count_cohorts(index$start, index$stop, axis$first, axis$stop, index$key, index$group, groups$size, count, returns, until)
  sizes <- matrix(found$size, nrow = periods)
  shown <- shown[shown <= max(which(rowSums(sizes) > 0), 0L)]
  ages <- if (length(shown)) 0:(periods - min(shown)) else integer()
  lines <- length(shown) * groups$size
  group <- rep(seq_len(groups$size), each = length(ages) * length(shown))
  cohort <- rep(rep.int(shown, groups$size), each = length(ages))
  age <- rep.int(ages, lines)
  period <- cohort + age
  line <- cohort + periods * (group - 1L)
  counted <- found$active[period + (periods + 1) * (line - 1)]
  counted[period > periods] <- NA
  size <- found$size[line]
  # Ages past the as-of date have a period too: it is only not known yet.
  all <- make_axis(axis$grain, axis$first_day[1], axis$last_day[periods] + (axis$last_day[periods] - axis$first_day[1]) + 400L, axis$calendar, axis$tz)
  day <- as_date(all$first_day)
  c(lapply(groups$values, vctrs::vec_slice, group),
    list(cohort = day[cohort], age = age, period = day[period], size = size, active = counted,
         retained = replace(counted / size, size == 0, NA)))
}

no_cohorts <- function(groups) {
  day <- as_date(double())
  c(lapply(groups$values, vctrs::vec_slice, integer()),
    list(cohort = day, age = integer(), period = day, size = integer(), active = integer(), retained = double()))
}

describe_cohorts <- function(x, grain, groups, count, returns) {
  key <- about(x)$names$key
  of <- if (length(key)) paste0("keys (", and_list(key), ")") else "records"
  per <- if (length(groups$names)) paste(" per", and_list(groups$names), "of the first start") else ""
  words <- c(paste0("Cohorts: ", of, " by the ", grain$name, " of their first start", per), rule_words(count, grain$name, !is.null(about(x)$tz)),
             if (returns) "a return counts as active again" else "only the time before the first break counts",
             "NA is not known yet", usual_words(x))
  paste0(paste(words, collapse = "; "), ".")
}

#' How long they stay
#'
#' The share still there by age, over all cohorts: the product-limit estimator, with
#' its interval, where open spans count as not yet ended (censored) on the as-of
#' date. The estimator is that of the recommended package survival.
#'
#' A key stays from its first start to the end before its first break of a day or
#' more (without a key each record is one). Ends after the as-of date are not known
#' yet, and starts after it play no part.
#'
#' @param x A [spans()] object.
#' @param group The columns to break the keys down by, or `NULL`: those of the record
#'   with which a key first started.
#' @param unit The unit of age: `"days"`, `"weeks"`, `"months"` (of 30.4375 days) or
#'   `"years"` (of 365.25 days).
#' @param level The level of the interval, between 0 and 1.
#' @return A tibble, one row per group and whole age: the group columns, `age`,
#'   `at_risk` (how many are known to be that old), `ended` (how many ended up to that
#'   age, since the one before), `share`, `lower`, `upper` and `median`: the age by
#'   which half have ended, `NA` where that is not yet so.
#' @section Errors:
#' A wrong argument is an error of class `ridge_error_argument`; without the package
#' survival an error of class `ridge_error_file` says so.
#' @examples
#' staff <- spans(demo_records("postings"), first_day, last_day, key = observer,
#'                as_of = "2026-06-30")
#' lasting(staff, unit = "years")
#' @export
lasting <- function(x, group = NULL, unit = "months", level = 0.95) {
  UseMethod("lasting")
}

#' @export
lasting.default <- function(x, ...) {
  check_spans_class(x, "lasting")
}

#' @export
lasting.ridge_spans <- function(x, group = NULL, unit = "months", level = 0.95) {
  check_spans_class(x, "lasting")
  check_choice(unit, names(age_units), "unit")
  if (!rlang::is_scalar_double(level) || is.na(level) || level <= 0 || level >= 1) {
    ridge_abort("{.arg level} must be between 0 and 1, not {.val {describe(level)}}.", "argument")
  }
  need_package("survival", "Estimating how long they stay")
  own <- c("age", "at_risk", "ended", "share", "lower", "upper", "median")
  groups <- group_codes(x, pick_groups(x, rlang::enquo(group), own))
  stays <- first_stays(x, groups, age_units[[unit]])
  lines <- lapply(seq_len(groups$size) - 1L, function(code) stay_curve(stays[stays$group == code, ], level))
  rows <- vapply(lines, nrow, 1L)
  columns <- c(lapply(groups$values, vctrs::vec_slice, rep(seq_len(groups$size), rows)), as.list(do.call(rbind, lines)))
  new_result(columns, "lasting", describe_lasting(x, groups, unit, level, stays), groups = groups$names, unit = unit, source = x,
             stays = stays)
}

age_units <- c(days = 1, weeks = 7, months = 30.4375, years = 365.25)

# For each key its first stay: how long, whether it has ended, and its group.
first_stays <- function(x, groups, unit) {
  how <- about(x)
  index <- cohort_index(x, groups)
  until <- as_of_stop(how)
  lines <- stretches_of(index$start, index$stop, index$key, 0, NULL, 0L, FALSE, TRUE)
  first <- which(!duplicated(lines$line) & lines$start < until)
  ended <- lines$stop[first] <= until & !is_open_stop(lines$stop[first], how$tz)
  length <- (pmin(lines$stop[first], until) - lines$start[first]) / if (is.null(how$tz)) 1 else 86400
  group <- if (is.null(index$group)) rep(0L, length(first)) else home_groups(index, lines$line[first])
  data.frame(age = length / unit, ended = ended, group = group)
}

# The group of each key's first record that is not empty; of several at once the lowest.
home_groups <- function(index, keys) {
  kept <- which(index$stop > index$start)
  order <- order(index$key[kept], index$start[kept], index$group[kept])
  kept <- kept[order]
  index$group[kept[match(keys, index$key[kept])]]
}

stay_curve <- function(stays, level) {
  if (nrow(stays) == 0) {
    return(data.frame(age = integer(), at_risk = integer(), ended = integer(), share = double(), lower = double(), upper = double(), median = double()))
  }
  fit <- survival::survfit(survival::Surv(stays$age, stays$ended) ~ 1, conf.int = level)
  ages <- seq.int(0L, floor(max(stays$age)))
  at <- summary(fit, times = ages, extend = TRUE)
  middle <- unname(summary(fit)$table["median"])
  data.frame(age = ages, at_risk = as.integer(at$n.risk), ended = as.integer(at$n.event), share = at$surv, lower = at$lower, upper = at$upper,
             median = middle)
}

describe_lasting <- function(x, groups, unit, level, stays) {
  key <- about(x)$names$key
  per <- if (length(groups$names)) paste(" per", and_list(groups$names), "of the first start") else ""
  words <- c(paste0("Still there: share of ", if (length(key)) paste0("keys (", and_list(key), ")") else "records", " by age in ", unit, per),
             paste0("product-limit estimator with its ", format(100 * level), "% interval"), "until the first break",
             paste(format_number(sum(!stays$ended)), "of", format_number(nrow(stays)), "not yet ended"), last_day_words(x), as_of_words(x), aside_words(x))
  paste0(paste(words, collapse = "; "), ".")
}
