# The pieces of a line of conventions, the same words in every result.

last_day_words <- function(x) {
  how <- about(x)
  if (!on_days(how$timeline)) paste("times of", how$timeline$tz)
  else if (is.null(how$names$end)) "each record is one day"
  else last_day_told(how$end_counts)
}

order_used_words <- function(x) {
  orders <- about(x)$orders
  if (length(orders) > 0) paste(names(orders), "read as", order_words[orders])
}

open_words <- function(facts) {
  if (facts$open == 0) "no open spans" else count_open(facts$open, "counted as having no end")
}

count_open <- function(n, rest) {
  paste(count_of(n, "open span"), rest)
}

empty_words <- function(n) {
  if (n > 0) paste(count_of(n, "empty span"), if (n == 1) "counts nowhere" else "count nowhere")
}

as_of_words <- function(x) {
  unseen <- about(x)$unseen %||% 0
  later <- if (unseen > 0) paste0(" (", count_of(unseen, "record"), " not begun by then)")
  paste0("as of ", format(as_date(about(x)$as_of_day)), later)
}

aside_words <- function(x) {
  n <- aside_count(x)
  aside <- if (n == 0) "none set aside" else paste(count_of(n, "record"), "set aside")
  left_out <- about(x)$left_out
  trimmed <- about(x)$trimmed %||% 0
  where <- about(x)$where
  paste(c(aside, if (left_out > 0) paste(format_number(left_out), "left out"),
          if (length(where)) paste("only where", where),
          if (trimmed > 0) paste("outer spaces trimmed in", count_of(trimmed, "cell"))),
        collapse = "; ")
}

midnight_words <- function(x) {
  switch(about(x)$midnight %||% "", midnight = "date-times at midnight taken for dates",
         clock = "date-times taken for dates")
}

# Where open spans count as having no end.
usual_words <- function(x) {
  facts <- facts_of(x)
  paste(c(last_day_words(x), order_used_words(x), midnight_words(x), open_words(facts),
          empty_words(facts$empty), as_of_words(x), aside_words(x)), collapse = "; ")
}

# Where lengths are asked for, so that they run through the as-of date.
usual_lengths <- function(x) {
  paste(c(last_day_words(x), order_used_words(x), midnight_words(x),
          empty_words(facts_of(x)$empty), as_of_words(x), aside_words(x)), collapse = "; ")
}

open_length_words <- function(x) {
  open <- facts_of(x)$open
  if (open > 0) count_open(open, "running through the as-of date") else "no open spans"
}

counted_words <- function(x, of) {
  switch(of, keys = paste("keys", paste0("(", and_list(about(x)$names$key), ")")),
         records = "records", weight = paste("sum of", about(x)$names$weight))
}

group_words <- function(names) {
  if (length(names)) paste(" by", and_list(names)) else ""
}

# The partitions that are looked at one by one.
per_words <- function(names) {
  if (length(names) == 0) "over all records" else paste("per", and_list(names))
}

shown_words <- function(window) {
  if (!is.null(window)) {
    paste("from", format(as_date(window$from)), "to", format(as_date(window$to)))
  }
}

day_words <- function(unit, day_hours) {
  if (unit %in% c("days", "weeks")) {
    paste("a day is", format(unit_seconds("days", day_hours) / hour_seconds), "hours")
  }
}

# What the vertical axis of a figure is called.
measure_title <- function(x, of) {
  if (of == "keys") paste0(and_list(about(x)$names$key), ", each counted once")
  else counted_words(x, of)
}
