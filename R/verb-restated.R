#' Why a number is another one than last time
#'
#' Compares two exports of the same list, taken at two times: for each period and group the
#' number as it was told before, as it is now, and the difference split by cause. The causes
#' are applied to the earlier list one after the other, in the order of their columns, and
#' each is what the number changes by then: so they always add up to the difference.
#'
#' Records are the same that have the same key and start, or the same values in the columns
#' of `match`. Of several that share these, those alike in all are the same; what is left
#' pairs by end, group and weight, and the line says how many there are. A start that was
#' corrected can be told from a record that came and another that went only by `match`.
#'
#' @param x A [spans()] object: the list as it is now; of a table in a database one that was told
#'   its `row`, as `earlier` then is of another table there.
#' @param earlier The list as it was, a [spans()] object declared alike, with its own as-of
#'   date.
#' @param by A grain such as `"month"` (the default), a multiple such as `"2 weeks"`, or a
#'   table of periods: see [periods()].
#' @param group The columns to break the numbers down by, or `NULL`.
#' @param rule,of What is counted, and when: see [active()].
#' @param match The columns that say which records are the same, such as the number that a
#'   system gives them; by default the key and the start.
#' @param from,to The first and last day of the window, or `NULL`: from the first start to
#'   the as-of date of the earlier list, as later periods had not been told yet.
#' @param whole A grain to widen the window to, such as `"year"`.
#' @param calendar Where weeks and years start: see [calendar_rules()].
#' @param total With groups: also the line over all groups?
#' @param show `"counts"`, or `"records"`: the records that changed, each with its cause, what
#'   it was and what it is.
#' @param label Adds the column `label` in this form: see [periods()].
#' @return A tibble: the group columns, `total` if asked for, `period`, `period_end`, `label`
#'   if asked for, `before`, `now`, `difference`, and what of it is due to records `added`
#'   (they came late) and `removed`, and to a `start_changed` and `key_changed` (with
#'   `match`), `end_changed`, `group_changed` (with `group`) and `weight_changed` (with
#'   `of = "weight"`). Never NA.
#'
#'   With `show = "records"`: the key, `cause`, `column` (which one changed; NA for a record
#'   that came or went), `was` and `is` (text; an end that is missing is "open"), `row` (in
#'   the list now) and `row_before` (in the earlier one). One row for each change.
#' @section Errors:
#' A wrong argument, lists that are not declared alike, and an earlier list with a later
#' as-of date are errors of class `ridge_error_argument`, a wrong column one of class
#' `ridge_error_column`; of tables in a database, `rule = "peak_day"`, lists in two places and one
#' without a `row` are of class `ridge_error_engine`.
#' @examples
#' staff <- spans(demo_records("postings"), first_day, last_day, key = observer,
#'                as_of = "2026-06-30")
#' may <- spans(demo_records("postings_may"), first_day, last_day, key = observer,
#'              as_of = "2026-05-31")
#' told <- restated(staff, may, from = "2026-01-01")
#' told
#' summary(told)
#' restated(staff, may, group = station, show = "records")
#' @export
restated <- function(x, earlier, by = "month", group = NULL, rule = "any_day", of = NULL,
                     match = NULL, from = NULL, to = NULL, whole = NULL,
                     calendar = calendar_rules(), total = FALSE, show = "counts", label = NULL) {
  check_spans_class(x, "restated")
  if (missing(earlier)) {
    ridge_abort(c("{arg_name('earlier')} must be the list as it was, declared with {.fn spans}.",
                  i = "Say {.code restated(now, earlier)}."), "argument", arg = "earlier")
  }
  check_choice(show, c("counts", "records"), "show")
  of <- choose_of(x, of)
  check_flag(total, "total")
  check_label(label)
  check_rule(rule)
  group <- pick_groups(x, rlang::enquo(group), restated_columns, "restated")
  match <- pick_match(x, rlang::enquo(match))
  check_same_list(x, earlier, c(group, match), of)
  if (show == "records") {
    told <- list(by = if (!missing(by)) by, rule = if (!missing(rule)) rule, from = from, to = to,
                 whole = whole, total = if (total) total, label = label)
    refuse_together("show", told, "it lists every change")
    return(list_restated(x, earlier, new_question("restated", list(group = group, match = match))))
  }
  by <- rlang::enquo(by)
  axis <- ask_axis(earlier, resolve_by(by, x), facts_of_both(x, earlier), from, to, whole,
                   calendar, until = "as_of")
  by <- rlang::eval_tidy(by)
  question <- new_question("restated", list(group = group, match = match), axis = axis)
  answer_restated(x, earlier, question)
}

restated_columns <- c("period", "period_end", "label", "total", "before", "now", "difference",
                      "added", "removed", "start_changed", "end_changed", "key_changed",
                      "group_changed", "weight_changed")

# NULL: the key and the start.
pick_match <- function(x, quo) {
  names <- pick_plain_columns(x, quo, "match")
  if (length(names) > 0) {
    return(names)
  }
  if (!has_key(x)) {
    ridge_abort(
      c("Nothing says which records are the same: no key was declared.",
        i = paste("Name columns with {in_r('`match`', '--same-by')}, such as the number that a",
                  "system gives them.")),
      "argument", arg = "match")
  }
  NULL
}

# Two exports of one list: declared alike, with what is asked about, the earlier one first.
check_same_list <- function(x, earlier, columns, of) {
  check_spans_class(earlier, "restated")
  now <- about(x)
  was <- about(earlier)
  check_alike(now$timeline, was$timeline, "earlier")
  alike <- identical(now$names$key, was$names$key) && now$end_counts == was$end_counts &&
    identical(zone_of(now$timeline), zone_of(was$timeline)) &&
    (of != "weight" || identical(now$names$weight, was$names$weight))
  if (!alike) {
    ridge_abort(
      c(paste("{arg_name('earlier')} is declared otherwise than {arg_name('x')}: its key, weight,",
              "time zone and whether the last day counts must be the same."),
        i = "Declare both alike{in_r(' with spans()', '')}."), "argument", arg = "earlier")
  }
  for (name in unique(c(columns, now$names$key))) {
    check_column(earlier, name, "earlier")
    join_columns(vctrs::vec_ptype(x[[name]]), vctrs::vec_ptype(earlier[[name]]), c(name, name),
                 "earlier")
  }
  if (was$as_of_day > now$as_of_day) {
    days <- format(as_date(c(was$as_of_day, now$as_of_day)))
    ridge_abort(c(paste("{arg_name('earlier')} speaks for {days[1]}, which is later than the as-of",
                        "date of the other list ({days[2]})."),
                  i = "Name the later list first."), "argument", arg = "earlier", value = days[1])
  }
}

# What both lists reach to.
facts_of_both <- function(x, earlier) {
  facts <- lapply(list(x, earlier), facts_of)
  known <- Filter(function(one) !is.null(one$first), facts)
  field <- function(name, choose) choose(unlist(lapply(known, `[[`, name)))
  if (length(known) == 0) {
    return(facts[[1]])
  }
  list(first = field("first", min), last = field("last", max),
       last_known = field("last_known", max), first_tick = field("first_tick", min),
       stop_tick = field("stop_tick", max))
}

answer_restated <- function(x, earlier, question) {
  asked <- question$arguments
  axis <- question$axis
  found <- restated_of(x, earlier, axis, asked)
  check_lines_fit(found$lines, asked$total && length(asked$group) > 0, axis, 9, "This table")
  played <- causes_in_play(x, asked)
  scale <- if (asked$of == "weight" && !is_average(asked$rule)) scale_of_both(x, earlier)
  effects <- if (is.null(axis)) rep(list(numeric()), length(played)) else found$effects[played]
  names(effects) <- cause_columns(played)
  before <- found$before %||% numeric()
  now <- found$now %||% numeric()
  values <- c(list(before = before, now = now, difference = exact_difference(now, before, scale)),
              effects)
  if (asked$of != "weight" && !is_average(asked$rule)) values <- lapply(values, as.integer)
  measures <- lapply(values, new_measure, over_periods = FALSE, over_groups = asked$of != "keys")
  new_by_period(question, x, found$lines, measures, describe_restated(x, earlier, question, found),
                title = paste(measure_title(x, asked$of), "as told before and now"),
                total = asked$total, main = "difference",
                tally = list(causes = table(factor(found$changes$cause, restated_causes)),
                             late = found$late))
}

scale_of_both <- function(x, earlier) {
  if (in_database(x)) return(max(engine_of(x)$source$scale, engine_of(earlier)$source$scale))
  fixed_scale(c(record_weights(x), record_weights(earlier)))
}

# Which causes there can be: what records are matched by does not change.
causes_in_play <- function(x, asked) {
  names <- about(x)$names
  key <- length(names$key) > 0 && !is.null(asked$match) && !all(names$key %in% asked$match)
  start <- !is.null(asked$match) && !(names$start %in% asked$match)
  c("added", "removed", if (start) "start", "end", if (key) "key",
    if (length(asked$group)) "group", if (asked$of == "weight") "weight")
}

cause_columns <- function(causes) {
  alone <- causes %in% c("added", "removed")
  ifelse(alone, causes, paste0(causes, "_changed"))
}

describe_restated <- function(x, earlier, question, found) {
  asked <- question$arguments
  how <- about(x)
  matched <- asked$match %||% c(how$names$key, how$names$start)
  told <- format(as_date(about(earlier)$as_of_day))
  sentence_of(
    paste0("Restated: ", counted_words(x, asked$of), group_words(asked$group),
           if (asked$show == "counts") {
             paste0(", ", rule_words(asked$rule, grain_name(question$axis), timeline_of(x)))
           }),
    paste0("told before from ", count_of(facts_of(earlier)$records, "record"), " as of ", told,
           ", now from ", format_number(facts_of(x)$records)),
    paste("the same where", and_list(matched), if (length(matched) > 1) "are" else "is"),
    if (found$alike > 0) {
      paste(count_of(found$alike, "record"), if (found$alike == 1) "shares" else "share",
            "these with another")
    },
    if (asked$show == "counts") {
      paste("causes in this order:", paste(gsub("_", " ", cause_columns(causes_in_play(x, asked))),
                                           collapse = ", "))
    },
    after_as_of_words(question$axis, earlier), usual_words(x))
}

# Every change of a record, with what it was and what it is.
list_restated <- function(x, earlier, question) {
  asked <- question$arguments
  found <- restated_of(x, earlier, NULL, asked)
  now <- found$records$now
  was <- found$records$was
  rows <- changed_values(now, was, found$changes, asked)
  key <- about(x)$names$key
  check_free_names(key, restated_row_columns, "restated")
  # That of the list now, where the record is in it.
  at <- rows$now_at
  at[is.na(at)] <- nrow(now) + rows$was_at[is.na(at)]
  of_key <- Map(function(own, its) vctrs::vec_slice(vctrs::vec_c(own, its), at),
                columns_of(now, key), columns_of(was, key))
  columns <- c(of_key, list(cause = rows$cause, column = rows$column, was = rows$was,
                            is = rows$is, row = source_rows(now, rows$now_at),
                            row_before = source_rows(was, rows$was_at)))
  order <- order(match(rows$cause, restated_causes), columns$row, columns$row_before,
                 match(rows$column, names(x)))
  words <- describe_restated(x, earlier, question, found)
  new_records(question, x, slice_all(columns, order), words,
              values = c("cause", "was", "is", "row", "row_before"))
}

restated_row_columns <- c("cause", "column", "was", "is", "row", "row_before")

# A row for each change, of groups and keys one for each column that changed.
changed_values <- function(x, earlier, changes, asked) {
  names <- about(x)$names
  columns <- list(start = names$start, end = names$end, key = names$key, group = asked$group,
                  weight = names$weight)
  pieces <- lapply(intersect(restated_causes, changes$cause), function(cause) {
    at <- which(changes$cause == cause)
    now <- changes$now[at]
    was <- changes$was[at]
    if (cause %in% c("added", "removed")) {
      return(change_rows(cause, NA_character_, span_texts(earlier, was), span_texts(x, now), now,
                         was))
    }
    do.call(rbind, lapply(columns[[cause]], function(name) {
      rows <- change_rows(cause, name, value_texts(earlier, name, was, cause),
                          value_texts(x, name, now, cause), now, was)
      if (cause %in% c("key", "group")) rows[rows$was != rows$is, ] else rows
    }))
  })
  do.call(rbind, c(list(change_rows(character(), character(), character(), character(), integer(),
                                    integer())), pieces))
}

change_rows <- function(cause, column, was, is, now, before) {
  data.frame(cause = rep_len(cause, length(now)), column = rep_len(column, length(now)), was = was,
             is = is, now_at = now, was_at = before)
}

# A record's span in words; none where there is no record.
span_texts <- function(x, at) {
  timeline <- timeline_of(x)
  ticks <- lapply(record_ticks(x), `[`, at)
  start <- tick_text(ticks$start, timeline)
  open <- is_never(ticks$stop, timeline)
  text <- ifelse(open, paste("from", start), paste(start, "to", end_texts(ticks$stop, timeline)))
  replace(text, is.na(at), NA)
}

end_texts <- function(stop, timeline) {
  open <- is_never(stop, timeline)
  stop[open] <- NA
  ifelse(open, "open", tick_text(stop - end_less(timeline), timeline))
}

value_texts <- function(x, name, at, cause) {
  timeline <- timeline_of(x)
  if (cause == "end") {
    return(end_texts(record_ticks(x)$stop[at], timeline))
  }
  if (cause == "start") {
    return(tick_text(record_ticks(x)$start[at], timeline))
  }
  line_names(list(x[[name]][at]))
}
