#' Stretches without a break
#'
#' Which days in a row was there something? Joins the records of a line (a key,
#' or what `per` says) that overlap or follow each other without an uncovered day
#' between, and gives each stretch its start, end and length.
#'
#' With a `calendar` only working days between break a stretch: Friday and Monday
#' are consecutive, and so are the days around a holiday. A `tolerance` allows that
#' many missing (working) days; on instants it is in hours.
#'
#' @param x A [spans()] object; single dates are spans with `end = NULL`.
#' @param per The columns whose values each have stretches of their own: by
#'   default the key, or all records together where there is none. `NULL`: all
#'   together.
#' @param same Further columns whose values must stay equal within a stretch, or
#'   `NULL`.
#' @param tolerance How many uncovered days (working days with a calendar, hours
#'   on instants) do not break a stretch: a number of 0 or more.
#' @param calendar `NULL`, or [calendar_rules()] where only working days count.
#' @param longest `TRUE`: only the longest stretch of each line, the first of
#'   equal ones.
#' @param show `"stretches"`, or `"records"`: the records, each with the number of
#'   its stretch.
#' @param carry,carried Columns of the records to carry along: of the `"first"` record of each
#'   stretch, of the `"last"`, that which ends it, or of `"all"`, each value once, as text.
#' @param group `NULL`, or columns to total by: not the single stretches, but for each group how
#'   many its keys (or what `per` says) have within it, and how long they are.
#' @return A tibble: the columns of `per` and `same`, `start`, `end` (the last
#'   day), `days` from start to end (or `hours`), `working_days` with a calendar,
#'   `records` (integer), `open` (logical: still going on; `end` is then the as-of
#'   date, `NA` with length 0 where it has not begun by then). For records:
#'   `stretch`, the row of the stretch in the table of all stretches (`NA` for an
#'   empty span), `row`, and the records' columns. With `group`: the group columns,
#'   `stretches`, `days` (`hours`, `working_days`) in all and `longest`.
#' @section Errors:
#' A wrong argument is an error of class `ridge_error_argument`, a wrong column of
#' class `ridge_error_column`.
#' @examples
#' readings <- spans(demo_records("stake_readings"), read_on, NULL, key = stake)
#' consecutive(readings, longest = TRUE)
#' staff <- spans(demo_records("postings"), first_day, last_day, key = observer,
#'                as_of = "2026-06-30")
#' consecutive(staff, same = station)
#' @export
consecutive <- function(x, per, same = NULL, tolerance = 0, calendar = NULL, longest = FALSE,
                        show = "stretches", carry = NULL, carried = "first", group = NULL) {
  check_spans_class(x, "consecutive")
  check_flag(longest, "longest")
  check_choice(show, c("stretches", "records"), "show")
  check_choice(carried, c("first", "last", "all"), "carried")
  carry <- pick_columns(plain_tibble(x), rlang::enquo(carry), "carry")
  if (show == "records") {
    refuse_together("show", list(carry = if (length(carry)) carry),
                    "the records have all their columns")
  }
  tolerance <- check_amount(tolerance, "tolerance", whole = on_days(timeline_of(x)))
  told_per <- !missing(per)
  group <- pick_groups(x, rlang::enquo(group), c("stretches", "longest", stretch_columns),
                       "consecutive")
  check_range_totals(group, carry = if (length(carry)) carry,
                     show = if (show == "records") show)
  own <- pick_per(x, rlang::enquo(per))
  per <- union(group, own)
  same <- setdiff(pick_plain_columns(x, rlang::enquo(same), "same"), per)
  carry <- setdiff(carry, c(per, same))
  check_free_names(carry, stretch_columns, "consecutive", "carry")
  taken <- if (show == "stretches") stretch_columns else c("stretch", "row")
  check_free_names(if (show == "stretches") c(per, same) else names(x), taken, "consecutive")
  question <- new_question("consecutive", list(per = if (told_per) own, same = same,
                                                carry = carry, group = group), per = per)
  answer_consecutive(x, question)
}

stretch_columns <- c("start", "end", "days", "hours", "working_days", "records", "open", "stretch",
                     "row")

answer_consecutive <- function(x, question) {
  asked <- question$arguments
  if (asked$show == "records" && in_database(x)) {
    return(list_at_hand(x, question, answer_consecutive, names(x)))
  }
  table <- working_table(x, asked$calendar)
  far <- asked$tolerance * length_unit(timeline_of(x))$ticks
  all_carried <- length(asked$carry) && asked$carried == "all"
  found <- stretches_of(x, c(question$per, asked$same), far, table,
                        tags = asked$show == "records" || all_carried,
                        places = length(asked$carry) > 0)
  words <- describe_stretches(x, question)
  order <- stretch_order(found, length(asked$same))
  if (asked$show == "records") {
    return(tagged_records(x, question, found, order, words))
  }
  columns <- with_working_days(range_columns(found$start, found$stop, x), table)
  columns <- append(columns, list(records = found$records), after = length(columns) - 1L)
  columns <- c(line_values(found), columns, carried_along(x, asked, found))
  kept <- if (asked$longest) longest_rows(columns, found, length(question$per)) else order
  if (!is.null(kept)) columns <- slice_all(columns, kept)
  if (length(asked$group)) range_totals(question, x, columns, words, "stretches")
  else new_ranges(question, x, columns, words, names = c(question$per, asked$same),
                  values = "records")
}

# Of the first record of each stretch, of the one that ends it, or of all, each value once.
carried_along <- function(x, asked, found) {
  columns <- columns_of(x, asked$carry)
  if (asked$carried != "all") {
    return(slice_all(columns, if (asked$carried == "first") found$first else found$furthest))
  }
  lapply(columns, function(values) {
    member <- found$tag[found$tag > 0L]
    values <- vctrs::vec_slice(values, found$order[found$tag > 0L])
    kept <- !duplicated(vctrs::data_frame(member = member, value = values)) & !is.na(values)
    text_of_each(as.character(values)[kept], member[kept], seq_along(found$start))
  })
}

# The values of the partition of each range.
line_values <- function(found) {
  lapply(found$lines$values, values_at, found$line, from = 0L)
}

# By partition and start; what had to stay the same does not count. NULL: as found.
stretch_order <- function(found, same) {
  if (same > 0) {
    own <- partition_of_line(found, length(found$lines$names) - same)
    order(own, found$start, found$line)
  }
}

partition_of_line <- function(found, size) {
  if (size == 0) {
    return(integer(length(found$line)))
  }
  code_values(found$lines$values[seq_len(size)])$codes[found$line + 1L]
}

longest_rows <- function(columns, found, per) {
  length <- columns[[intersect(c("working_days", "days", "hours"), names(columns))[1]]]
  own <- partition_of_line(found, per)
  best <- order(own, -length, found$start, found$line)
  best[!duplicated(own[best])]
}

# The records, each with the number of its stretch in the table of all stretches.
tagged_records <- function(x, question, found, order, words) {
  place <- order(order %||% seq_along(found$start))
  number <- place[ifelse(found$tag == 0L, NA, found$tag)]
  ticks <- record_ticks(x)$start[found$order]
  columns <- c(list(stretch = number, row = source_rows(x, found$order)),
               slice_all(as.list(plain_tibble(x)), found$order))
  if (!is.null(order)) columns <- slice_all(columns, order(number, ticks))
  new_records(question, x, columns, words, values = "stretch")
}

describe_stretches <- function(x, question) {
  asked <- question$arguments
  unit <- if (!is.null(asked$calendar)) "working day" else length_unit(timeline_of(x))$one
  allowed <- if (asked$tolerance > 0) {
    paste("at most", count_of(asked$tolerance, paste("uncovered", unit)), "between")
  } else if (unit == "hour") "no time uncovered between" else paste("no uncovered", unit, "between")
  what <- paste(if (asked$longest) "Longest stretch" else "Stretches", per_words(question$per))
  sentence_of(what, if (length(asked$same)) paste("same", and_list(asked$same)), allowed,
              calendar_words(asked$calendar), open_length_words(x), usual_lengths(x))
}

# Every stretch, with how many records are in it; or which one each record is in.
#' @export
source_checks.ridge_consecutive <- function(result, x) {
  made <- about(result)
  question <- made$question
  asked <- question$arguments
  per <- c(question$per, asked$same)
  plain <- plain_records(x)
  partition <- plain_partition(plain_tibble(x)[per])
  worked <- worked_days(x, asked$calendar)
  far <- asked$tolerance * length_unit(timeline_of(x))$ticks
  stretches <- plain_stretches(plain, partition$of, far, worked)
  own <- plain_lines(x, question$per)[match(seq_len(partition$size), partition$of)]
  in_order <- order(own[stretches$line], stretches$start, stretches$line)
  of <- plain_stretch_of(plain, partition$of, stretches)
  if (asked$show == "records") {
    expected <- data.frame(row = seq_len(nrow(x)), stretch = match(of, in_order))
    found <- data.frame(row = match(result$row, about(x)$rows), stretch = result$stretch)
    return(row_checks("stretch of each record", expected, found, is_whole(result)))
  }
  expected <- plain_rows(stretches, x, worked)
  expected$records <- tabulate(of, nrow(stretches))
  if (asked$longest) {
    length <- expected$working_days %||% expected$length
    best <- order(own[expected$line], -length, expected$start, expected$line)
    expected <- expected[best[!duplicated(own[expected$line[best]])], ]
  }
  if (length(asked$group)) {
    of_group <- plain_lines(partition$values, asked$group)[expected$line]
    return(range_total_checks("stretches", result, x, of_group,
                              expected$working_days %||% expected$length))
  }
  c(range_checks("stretches", result, partition$values, per, expected,
                 data.frame(records = result$records)),
    carried_checks(result, x, partition, per, stretches, of))
}

# What is carried is of the first record, of one that ends the stretch, or of all.
carried_checks <- function(result, x, partition, per, stretches, of) {
  asked <- about(result)$question$arguments
  found <- found_rows(result, partition$values, per)
  carry <- intersect(asked$carry, names(result))
  if (is.null(found) || length(carry) == 0) {
    return(NULL)
  }
  at <- vctrs::vec_match(data.frame(line = as.double(found$line), start = found$start),
                         data.frame(line = as.double(stretches$line), start = stretches$start))
  plain <- plain_records(x)
  records <- split(seq_len(nrow(plain)), factor(of, seq_len(nrow(stretches))))
  holds <- function(rows, value, values) {
    rows <- rows[order(plain$start[rows], rows)]
    if (asked$carried == "all") {
      text <- unique(stats::na.omit(as.character(values[rows])))
      return(identical(as.character(value), if (length(text)) paste(text, collapse = "; ")
                       else NA_character_))
    }
    ends <- rows[plain$stop[rows] == max(plain$stop[rows])]
    own <- if (asked$carried == "first") rows[1] else ends
    any(vctrs::vec_equal(rep(value, length(own)), values[own], na_equal = TRUE))
  }
  same <- vapply(seq_len(nrow(result)), function(i) {
    all(vapply(carry, function(name) {
      !is.na(at[i]) && holds(records[[at[i]]], plain_tibble(result)[[name]][i],
                             plain_tibble(x)[[name]])
    }, NA))
  }, NA)
  list(tie("stretches with what their records hold", nrow(result), sum(same)))
}
