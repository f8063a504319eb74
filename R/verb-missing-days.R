#' @rdname gaps
#' @export
missing_days <- function(x, per, calendar = NULL, expected = NULL, from = NULL, to = NULL,
                         group = NULL) {
  check_spans_class(x, "missing_days")
  told_per <- !missing(per)
  group <- pick_groups(x, rlang::enquo(group), c("missing", "expected"), "missing_days")
  own <- pick_per(x, rlang::enquo(per))
  per <- union(group, own)
  check_free_names(per, c("day", "row_before", "row_after"), "missing_days")
  need_days(timeline_of(x), "Missing days need")
  if (!is.null(calendar)) {
    check_calendar(calendar)
    refuse_together("calendar", list(expected = expected), "both say which days are expected")
  }
  window <- ask_window(x, from, to, needed = TRUE)
  columns <- list(per = if (told_per) own, group = group)
  answer_missing_days(x, new_question("missing_days", columns, per = per, window = window))
}

answer_missing_days <- function(x, question) {
  asked <- question$arguments
  here <- records_beside_gaps(x, question, 0, edges = TRUE)
  found <- gap_ranges(here, question, 0, NULL, edges = TRUE)
  days <- expected_days(question$window, asked$calendar, asked$expected)
  first <- findInterval(found$start - 1L, days)
  count <- findInterval(found$stop - 1L, days) - first
  if (length(asked$group)) {
    return(missing_totals(question, x, found, count, length(days)))
  }
  check_fits(sum(as.double(count)), 8 * (length(question$per) + 3), "This list",
             "Choose a narrower window, or ask for the gaps.")
  gap <- rep(seq_along(count), count)
  columns <- c(slice_all(line_values(found), gap),
               list(day = as_date(days[sequence(count, first + 1L)]),
                    row_before = source_rows(here, found$before[gap]),
                    row_after = source_rows(here, found$after[gap])))
  new_result(columns, question, x, describe_missing(x, question), values = "day")
}

# Every partition of a group is expected to have a record on every day.
missing_totals <- function(question, x, found, count, days) {
  group <- question$arguments$group
  lines <- groups_of(x, group)
  parts <- groups_of(x, question$per)$values[group]
  of_part <- factor(group_places(parts, lines$values), seq_len(lines$size))
  of_gap <- factor(group_places(line_values(found)[group], lines$values), seq_len(lines$size))
  columns <- list(missing = over_groups(count, of_gap, sum),
                  expected = over_groups(rep(days, length(of_part)), of_part, sum))
  new_group_totals(question, x, lines, columns, describe_missing(x, question))
}

expected_days <- function(window, calendar, expected) {
  if (is.null(window)) {
    return(integer())
  }
  days <- if (is.null(expected)) window$from:window$to
  else sort(unique(as_days(expected, "expected", call_for = "dates")))
  if (is.null(calendar)) days else days[is_working_day(days, calendar)]
}

describe_missing <- function(x, question) {
  asked <- question$arguments
  which <- if (!is.null(asked$expected)) "your expected days"
  else if (is.null(asked$calendar)) "every day" else calendar_words(asked$calendar)
  sentence_of(paste("Days without a record", per_words(question$per)), paste("expected:", which),
              shown_words(question$window), no_gap_words(x), usual_lengths(x))
}

#' @export
records_once_more.ridge_missing_days <- function(result, x) {
  records_at_edges(result, x, edges = TRUE)
}

# Every day of the gaps that is expected.
#' @export
source_checks.ridge_missing_days <- function(result, x) {
  question <- about(result)$question
  asked <- question$arguments
  named_by <- if (length(asked$group)) asked$group else question$per
  if (!all(named_by %in% names(result))) {
    return(not_proven("missing days", "the columns that name its rows are gone"))
  }
  plain <- plain_records(x)
  partition <- plain_partition(plain_tibble(x)[question$per])
  window <- question$window
  between <- if (!is.null(window)) plain_between(plain, partition$of, partition$size, window, TRUE)
  days <- as.double(expected_days(window, asked$calendar, asked$expected))
  first <- findInterval(between$start - 0.5, days)
  count <- findInterval(between$stop - 0.5, days) - first
  if (length(asked$group)) {
    return(missing_total_checks(result, x, partition$values, between$line, count, length(days)))
  }
  expected <- data.frame(line = rep(between$line, count), day = days[sequence(count, first + 1)],
                         before = rep(between$before, count), after = rep(between$after, count))
  found <- data.frame(line = line_of_row(result, partition$values, question$per),
                      day = as.double(result$day))
  more <- neighbours(result, plain, about(x)$rows)
  if (!is.null(more)) found[names(more)] <- more
  row_checks("missing days", expected[names(found)], found, is_whole(result))
}

missing_total_checks <- function(result, x, parts, line, count, days) {
  group <- about(result)$groups
  plain <- plain_partition(plain_tibble(x)[group])
  of <- line_of_row(parts, plain$values, group)
  at <- line_of_row(result, plain$values, group)
  missing <- as.vector(tapply(count, factor(of[line], seq_len(plain$size)), sum, default = 0))
  expected <- as.double(tabulate(of, plain$size)) * days
  c(cell_checks("missing days", missing[at], result$missing, TRUE),
    cell_checks("expected days", expected[at], result$expected, TRUE))
}
