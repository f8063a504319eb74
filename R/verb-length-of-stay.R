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
#' @param confidence The confidence level of the interval, between 0 and 1.
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
#' length_of_stay(staff, unit = "years")
#' @export
length_of_stay <- function(x, group = NULL, unit = "months", confidence = 0.95) {
  check_spans_class(x, "length_of_stay")
  if (in_database(x)) refuse_in_database("{.fn length_of_stay}")
  check_choice(unit, names(age_units), "unit")
  if (!rlang::is_scalar_double(confidence) || is.na(confidence) || confidence <= 0 ||
      confidence >= 1) {
    ridge_abort(paste("{arg_name('confidence')} must be between 0 and 1, not",
                      "{.val {describe(confidence)}}."),
                "argument", arg = "confidence", value = confidence)
  }
  need_package("survival", "Estimating how long they stay")
  group <- pick_groups(x, rlang::enquo(group), stay_columns, "length_of_stay")
  answer_stays(x, new_question("length_of_stay", list(group = group)))
}

stay_columns <- c("age", "at_risk", "ended", "share", "lower", "upper", "median")
age_units <- c(days = 1, weeks = 7, months = 30.4375, years = 365.25)

answer_stays <- function(x, question) {
  asked <- question$arguments
  groups <- groups_of(x, asked$group)
  stays <- first_stays(x, groups, age_units[[asked$unit]])
  lines <- lapply(seq_len(groups$size) - 1L, function(code) {
    stay_curve(stays[stays$group == code, ], asked$confidence)
  })
  rows <- vapply(lines, nrow, 1L)
  columns <- c(slice_all(groups$values, rep(seq_len(groups$size), rows)),
               as.list(do.call(rbind, lines)))
  new_result(columns, question, x, describe_stays(x, asked, stays), values = stay_columns,
             groups = groups$names)
}

# For each key its first stay: how long, whether it has ended, and its group. Without a
# key each record is one.
first_stays <- function(x, groups, unit) {
  timeline <- timeline_of(x)
  until <- about(x)$as_of_stop
  stays <- if (has_key(x)) first_stretches(x, groups) else record_stays(x, groups)
  stays <- stays[stays$start < until, ]
  ended <- stays$stop <= until & !is_never(stays$stop, timeline)
  length <- (pmin(stays$stop, until) - stays$start) / ticks_in_day(timeline)
  data.frame(age = length / unit, ended = ended, group = stays$group)
}

record_stays <- function(x, groups) {
  stays <- data.frame(record_ticks(x), group = codes_of(x, groups$names))
  stays[stays$stop > stays$start, ]
}

# The group is that of the record with which the key first started, of several that start
# at once the lowest.
first_stretches <- function(x, groups) {
  key <- about(x)$names$key
  found <- stretches_of(x, key, 0)
  first <- which(!duplicated(found$line))
  starts <- found$start[first]
  ticks <- record_ticks(x)
  keys <- match(codes_of(x, key), found$line[first])
  at <- which(ticks$start == starts[keys] & ticks$stop > ticks$start)
  codes <- codes_of(x, groups$names)[at]
  lowest <- order(keys[at], codes)
  home <- codes[lowest][!duplicated(keys[at][lowest])]
  data.frame(start = starts, stop = found$stop[first], group = home)
}

stay_curve <- function(stays, confidence) {
  if (nrow(stays) == 0) {
    return(data.frame(age = integer(), at_risk = integer(), ended = integer(), share = double(),
                      lower = double(), upper = double(), median = double()))
  }
  fit <- survival::survfit(survival::Surv(stays$age, stays$ended) ~ 1, conf.int = confidence)
  ages <- seq.int(0L, floor(max(stays$age)))
  at <- summary(fit, times = ages, extend = TRUE)
  data.frame(age = ages, at_risk = as.integer(at$n.risk), ended = as.integer(at$n.event),
             share = at$surv, lower = at$lower, upper = at$upper,
             median = unname(summary(fit)$table["median"]))
}

describe_stays <- function(x, asked, stays) {
  of <- if (has_key(x)) counted_words(x, "keys") else "records"
  by <- if (length(asked$group)) paste0(group_words(asked$group), " of the first start") else ""
  percent <- format(100 * asked$confidence)
  sentence_of(
    paste0("Still there: share of ", of, " by age in ", asked$unit, by),
    paste0("product-limit estimator with its ", percent, "% interval"), "until the first break",
    paste(format_number(sum(!stays$ended)), "of", format_number(nrow(stays)), "not yet ended"),
    last_day_words(x), as_of_words(x), aside_words(x))
}

#' @export
sentences.ridge_length_of_stay <- function(object) {
  made <- about(object)
  rows <- which(object$age == 0)
  groups <- intersect(made$groups, names(object))
  names <- if (length(groups)) paste0(line_names(plain_tibble(object)[rows, groups]), ": ") else ""
  middle <- object$median[rows]
  sentence_case(ifelse(is.na(middle), paste0(names, "more than half are still there."),
                       paste0(names, "half have ended by ", format_plain(middle, 1), " ",
                              made$question$arguments$unit, ".")))
}

# At every age: how many were there, how many have ended, and the share that is left.
#' @export
source_checks.ridge_length_of_stay <- function(result, x) {
  made <- about(result)
  if (!all(made$groups %in% names(result))) {
    return(not_proven("shares", "the columns that name its rows are gone"))
  }
  partition <- plain_partition(plain_tibble(x)[made$groups])
  stays <- plain_stays(x, partition$of, age_units[[made$question$arguments$unit]])
  by_line <- split(stays, factor(stays$line, seq_len(partition$size)))
  expected <- do.call(rbind, lapply(seq_along(by_line), function(line) {
    plain_curve(by_line[[line]], line, made$question$arguments$confidence)
  }))
  found <- data.frame(line = line_of_row(result, partition$values, made$groups), age = result$age,
                      at_risk = result$at_risk, ended = result$ended,
                      as.data.frame(result)[c("share", "lower", "upper", "median")])
  row_checks("shares", expected %||% found[0, ], found, is_whole(result),
             near = c("share", "lower", "upper", "median"))
}

plain_stays <- function(x, line, unit) {
  plain <- plain_records(x)
  first <- plain_union(plain, if (has_key(x)) plain$key else seq_len(nrow(plain)))
  first <- first[!duplicated(first$id), ]
  at <- match(if (has_key(x)) plain$key else seq_len(nrow(plain)), first$id)
  home <- which(plain$start == first$start[at] & plain$stop > plain$start)
  home <- home[order(line[home])]
  until <- about(x)$as_of_stop
  age <- (pmin(first$stop, until) - first$start) / ticks_in_day(timeline_of(x)) / unit
  stays <- data.frame(line = line[home][match(first$id, first$id[at][home])], age = age,
                      ended = first$stop <= until)
  stays[first$start < until, ]
}

# The product of the shares that outlive each end, the ends of one age together.
plain_curve <- function(stays, line, confidence) {
  if (nrow(stays) == 0) {
    return(NULL)
  }
  all <- sort(stays$age)
  over <- sort(stays$age[stays$ended])
  ends <- unique(round(over, 9))
  below <- function(ages, sorted) as.double(findInterval(ages, sorted, left.open = TRUE))
  before <- function(ages) below(ages - 1e-9, all)
  ended <- below(ends + 1e-8, over) - below(ends - 1e-8, over)
  there <- nrow(stays) - before(ends)
  left <- cumprod(1 - ended / there)
  # The interval of the logarithm, by the usual sum of ended / (there * left).
  width <- stats::qnorm((1 + confidence) / 2) * sqrt(cumsum(ended / (there * (there - ended))))
  bound <- function(sign) ifelse(left > 0, pmin(left * exp(sign * width), 1), NA)
  ages <- seq(0, floor(max(stays$age)))
  upto <- findInterval(ages + 1e-9, ends)
  data.frame(line = line, age = ages, at_risk = nrow(stays) - before(ages),
             ended = diff(c(0, c(0, cumsum(ended))[upto + 1])), share = c(1, left)[upto + 1],
             lower = c(1, bound(-1))[upto + 1], upper = c(1, bound(1))[upto + 1],
             median = plain_median(ends, left))
}

# Where half is left, or between there and the next end where exactly half is.
plain_median <- function(ends, left) {
  below <- ends[left < 0.5 - 1e-9]
  half <- ends[abs(left - 0.5) <= 1e-9]
  if (length(half) > 0) mean(c(half[1], below[1]), na.rm = TRUE) else below[1]
}
