#' @rdname gaps
#' @export
missing_days <- function(x, per, calendar = NULL, expected = NULL, from = NULL, to = NULL) {
  check_spans_class(x, "missing_days")
  told_per <- !missing(per)
  per <- pick_per(x, rlang::enquo(per))
  check_free_names(per, c("day", "row_before", "row_after"), "missing_days")
  need_days(timeline_of(x), "Missing days need")
  if (!is.null(calendar)) {
    check_calendar(calendar)
    refuse_together("calendar", list(expected = expected), "both say which days are expected")
  }
  window <- ask_window(x, from, to, needed = TRUE)
  answer_missing_days(x, new_question("missing_days", list(per = if (told_per) per), per = per,
                                      window = window))
}

answer_missing_days <- function(x, question) {
  asked <- question$arguments
  found <- gap_ranges(x, question, 0, NULL, edges = TRUE)
  days <- expected_days(question$window, asked$calendar, asked$expected)
  first <- findInterval(found$start - 1L, days)
  count <- findInterval(found$stop - 1L, days) - first
  check_fits(sum(as.double(count)), 8 * (length(question$per) + 3), "This list",
             "Choose a narrower window, or ask for the gaps.")
  gap <- rep(seq_along(count), count)
  columns <- c(slice_all(line_values(found), gap),
               list(day = as_date(days[sequence(count, first + 1L)]),
                    row_before = source_rows(x, found$before[gap]),
                    row_after = source_rows(x, found$after[gap])))
  new_result(columns, question, x, describe_missing(x, question), values = "day")
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

# Every day of the gaps that is expected.
#' @export
source_checks.ridge_missing_days <- function(result, x) {
  question <- about(result)$question
  asked <- question$arguments
  if (!all(question$per %in% names(result))) {
    return(not_proven("missing days", "the columns that name its rows are gone"))
  }
  plain <- plain_records(x)
  partition <- plain_partition(plain_tibble(x)[question$per])
  window <- question$window
  between <- if (!is.null(window)) plain_between(plain, partition$of, partition$size, window, TRUE)
  days <- as.double(expected_days(window, asked$calendar, asked$expected))
  first <- findInterval(between$start - 0.5, days)
  count <- findInterval(between$stop - 0.5, days) - first
  expected <- data.frame(line = rep(between$line, count), day = days[sequence(count, first + 1)],
                         before = rep(between$before, count), after = rep(between$after, count))
  found <- data.frame(line = line_of_row(result, partition$values, question$per),
                      day = as.double(result$day))
  more <- neighbours(result, plain, about(x)$rows)
  if (!is.null(more)) found[names(more)] <- more
  row_checks("missing days", expected[names(found)], found, is_whole(result))
}
