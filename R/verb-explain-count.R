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
  met <- record_conditions(record_ticks(x), when, timeline_of(x))
  words <- sentence_of(paste0("Counted: ", counted_words(x, asked$of), ", active ", when$words),
                       usual_words(x))
  # Records of one key may make up a whole period together.
  together <- asked$of == "keys" && when$rule == "every_day" && !when$single
  covering <- if (together) covering_keys(x, when)
  if (asked$show == "records") {
    return(new_records(question, x, not_counted(x, met, when, asked$of, covering), words,
                       values = "row"))
  }
  new_result(count_steps(x, met, asked$of, covering), question, x, words, values = "number")
}

count_steps <- function(x, met, of, covering) {
  begun <- shown_moment(met$begun_by, timeline_of(x))
  ends <- ends_shown(x, met)
  empty <- met$empty & !met$ended
  later <- !met$ended & !met$open & !met$empty
  words <- c("all records", paste("started by", begun),
             paste("of those, already ended", ends$ended),
             "of those started, empty: they cover nothing", "of those started, still open",
             paste("of those started, ending", ends$ending),
             "active: still open or ending later")
  by_itself <- list(rep(TRUE, nrow(x)), met$started, met$ended, empty, met$open, later, met$active)
  so_far <- c(by_itself[1:2], lapply(by_itself[3:7], `&`, met$started))
  shown <- c(TRUE, TRUE, TRUE, any(met$started & empty), TRUE, TRUE, TRUE)
  last <- last_steps(x, met, of, covering)
  count <- function(conditions) vapply(conditions[shown], function(met) as.double(sum(met)), 0)
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
last_steps <- function(x, met, of, covering) {
  if (of == "records") {
    return(NULL)
  }
  if (of == "weight") {
    weight <- record_weights(x)
    return(list(step = paste("sum of their", about(x)$names$weight),
                number = exact_sum(weight[met$active], weight),
                by_itself = exact_sum(weight, weight)))
  }
  keys <- codes_of(x, about(x)$names$key)
  distinct <- function(keys) length(unique(keys))
  together <- length(covering)
  list(step = c("of those, distinct keys",
                if (!is.null(covering)) "keys whose records together cover every day"),
       number = c(distinct(keys[met$active]), if (!is.null(covering)) together),
       by_itself = c(distinct(keys), if (!is.null(covering)) together))
}

# In the fixed point of all weights, so that no residue of floating point shows.
exact_sum <- function(values, weights) {
  scale <- fixed_scale(weights)
  sum(round(values * scale)) / scale
}

# Codes of the keys whose records cover the whole period together.
covering_keys <- function(x, when) {
  whole <- stretches_of(x, about(x)$names$key, 0)
  unique(whole$line[whole$start <= when$first & whole$stop >= when$stop])
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

#' @export
source_checks.ridge_explain_count <- function(result, x) {
  made <- about(result)
  asked <- made$question$arguments
  when <- made$question$when
  if (asked$show == "records" || !is_whole(result)) {
    return(list())
  }
  expected <- plain_level(plain_records(x), when$first, when$stop, when$rule, asked$of,
                          timeline_of(x))
  list(tie(paste("active", when$words), expected, result$number[nrow(result)]))
}
