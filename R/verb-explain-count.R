#' @rdname roster
#' @export
explain_count <- function(x, on = NULL, rule = "any_day", of = NULL, show = "steps") {
  check_spans_class(x, "explain_count")
  check_choice(show, c("steps", "records"), "show")
  of <- choose_of(x, of)
  when <- roster_time(x, on, rule, missing(rule))
  if (show == "records") {
    check_free_names(about(x)$names$key, c("row", "start", "end", "reason"), "explain_count")
  }
  answer_explained(x, new_question("explain_count", when = when))
}

answer_explained <- function(x, question) {
  asked <- question$arguments
  when <- question$when
  words <- sentence_of(paste0("Counted: ", counted_words(x, asked$of), ", active ", when$words),
                       usual_words(x))
  # Records of one key may make up a whole period together.
  together <- asked$of == "keys" && when$rule == "every_day" && !when$single
  if (asked$show == "records") {
    here <- records_behind(x, list(kind = "all"))
    covering <- if (together) covering_keys(here, when)
    met <- record_conditions(record_ticks(here), when, timeline_of(x))
    return(new_records(question, x, not_counted(here, met, when, asked$of, covering), words,
                       values = "row"))
  }
  met <- conditions_met(x, when, asked$of, together)
  new_result(count_steps(x, met, asked$of), question, x, words, values = "number")
}

count_steps <- function(x, met, of) {
  begun <- shown_moment(met$begun_by, timeline_of(x))
  ends <- ends_shown(x, met)
  empty <- met$empty & !met$ended
  later <- !met$ended & !met$open & !met$empty
  words <- c("all records", paste("started by", begun),
             paste("of those, already ended", ends$ended),
             "of those started, empty: they cover nothing", "of those started, still open",
             paste("of those started, ending", ends$ending),
             "active: still open or ending later")
  all <- rep(TRUE, length(met$records))
  by_itself <- list(all, met$started, met$ended, empty, met$open, later, met$active)
  so_far <- c(by_itself[1:2], lapply(by_itself[3:7], `&`, met$started))
  shown <- c(TRUE, TRUE, TRUE, any(met$started & empty), TRUE, TRUE, TRUE)
  last <- last_steps(x, met, of)
  count <- function(conditions) {
    vapply(conditions[shown], function(chosen) as.double(sum(met$records[chosen])), 0)
  }
  table <- list(step = c(words[shown], last$step), number = c(count(so_far), last$number),
                by_itself = c(count(by_itself), last$by_itself))
  if (of != "weight") table[2:3] <- lapply(table[2:3], as.integer)
  table
}

ends_shown <- function(x, met) {
  timeline <- timeline_of(x)
  ends_beside(shown_moment(met$over_by, timeline), timeline, about(x)$end_counts)
}

shown_moment <- function(tick, timeline) {
  tick_text(round(tick), timeline)
}

# From active records to what is counted; the same over all records beside it.
last_steps <- function(x, met, of) {
  step <- switch(of, records = return(NULL), keys = "of those, distinct keys",
                 weight = paste("sum of their", about(x)$names$weight))
  list(step = c(step, if (!is.null(met$together)) "keys whose records together cover every day"),
       number = c(met$counted, met$together), by_itself = c(met$all, met$together))
}

# Each record that is not counted, with the reason.
not_counted <- function(x, met, when, of, covering) {
  timeline <- timeline_of(x)
  ticks <- record_ticks(x)
  reason <- reasons_not_active(x, met, timeline)
  if (of == "keys") {
    keys <- codes_of(x, about(x)$names$key)
    if (!is.null(covering)) {
      touching <- ticks$start < when$stop & ticks$stop > when$first & !met$empty
      reason[keys %in% covering & touching] <- NA
    }
    rows <- which(is.na(reason))
    again <- rows[duplicated(keys[rows])]
    first <- rows[match(keys[again], keys[rows])]
    reason[again] <- sprintf("its key is counted with row %s", format_rows(source_rows(x, first)))
  }
  at <- which(!is.na(reason))
  at <- at[order(source_rows(x, at))]
  ends <- range_columns(ticks$start, ticks$stop, x)[1:2]
  ends$end[is_never(ticks$stop, timeline)] <- NA
  slice_all(c(list(row = about(x)$rows), columns_of(x, about(x)$names$key), ends,
              list(reason = reason)), at)
}

reasons_not_active <- function(x, met, timeline) {
  begun <- shown_moment(met$begun_by, timeline)
  reason <- rep(NA_character_, nrow(x))
  reason[!met$active] <- paste("ended", ends_shown(x, met)$ended)
  reason[!met$started] <- paste("not started by", begun)
  reason[met$empty] <- "empty: it covers nothing"
  reason
}

# Every step; or every record that is not counted.
#' @export
source_checks.ridge_explain_count <- function(result, x) {
  made <- about(result)
  asked <- made$question$arguments
  when <- made$question$when
  plain <- plain_records(x)
  at <- deciding_ticks(when$rule, when$first, when$stop, timeline_of(x))
  is <- data.frame(started = plain$start <= at$begun_by, ended = plain$stop <= at$over_by,
                   empty = plain$stop <= plain$start, open = is.infinite(plain$stop))
  is$active <- is$started & !is$ended & !is$empty
  together <- asked$of == "keys" && when$rule == "every_day" && !when$single
  union <- if (together) plain_union(plain, plain$key)
  covering <- unique(union$id[union$start <= when$first & union$stop >= when$stop])
  if (asked$show == "records") {
    spare <- plain$start < when$stop & plain$stop > when$first & plain$stop > plain$start &
      plain$key %in% covering
    counted <- which(is$active | spare)
    if (asked$of == "keys") counted <- counted[!duplicated(plain$key[counted])]
    row <- setdiff(seq_len(nrow(plain)), counted)
    stop <- ifelse(is.finite(plain$stop), plain$stop, NA)
    expected <- data.frame(row = row, start = plain$start[row], stop = stop[row])
    found <- data.frame(row = match(result$row, about(x)$rows), start = as.double(result$start),
                        stop = as.double(result$end) + on_days(timeline_of(x)))
    return(row_checks("records not counted", expected, found, is_whole(result)))
  }
  steps <- plain_count_steps(is, plain, asked$of, if (together) length(covering))
  left <- rows_left(result)
  exact <- asked$of != "weight"
  c(cell_checks("steps", steps$number[left], result$number, exact),
    cell_checks("steps by themselves", steps$by_itself[left], result$by_itself, exact))
}

plain_count_steps <- function(is, plain, of, covering) {
  later <- !is$ended & !is$open & !is$empty
  empty <- is$empty & !is$ended
  own <- c(list(TRUE, is$started, is$ended), if (any(is$started & empty)) list(empty),
           list(is$open, later, is$active))
  count <- function(met) sum(met & !logical(nrow(is)))
  number <- c(nrow(is), vapply(own[-1], function(met) count(met & is$started), 0))
  by_itself <- c(nrow(is), vapply(own[-1], count, 0))
  last <- function(rows) switch(of, keys = length(unique(plain$key[rows])),
                                weight = sum(plain$weight[rows]))
  all <- seq_len(nrow(is))
  list(number = c(number, last(which(is$active)), covering),
       by_itself = c(by_itself, last(all), covering))
}
