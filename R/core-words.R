# The pieces of a line of conventions, the same words in every result.

last_day_words <- function(x) {
  how <- about(x)
  if (!is.null(how$tz)) {
    return(paste("times of", how$tz))
  }
  if (is.null(how$names$end)) {
    return("each record is one day")
  }
  if (how$end_counts) "last day counted" else "last day not counted"
}

order_used_words <- function(x) {
  orders <- about(x)$orders
  if (length(orders) == 0) {
    return(NULL)
  }
  paste(names(orders), "read as", order_words[orders])
}

open_words <- function(facts) {
  if (facts$open == 0) "no open spans" else count_open(facts$open, "counted as having no end")
}

count_open <- function(n, rest) {
  paste(count_of(n, "open span"), rest)
}

empty_words <- function(n) {
  if (n == 0) {
    return(NULL)
  }
  paste(count_of(n, "empty span"), if (n == 1) "counts nowhere" else "count nowhere")
}

as_of_words <- function(x) {
  unseen <- first_of(about(x)$unseen, 0)
  paste0("as of ", format(as_date(about(x)$as_of_day)), if (unseen > 0) paste0(" (", count_of(unseen, "record"), " not begun by then)"))
}

aside_words <- function(x) {
  n <- nrow(about(x)$set_aside)
  aside <- if (n == 0) "none set aside" else paste(count_of(n, "record"), "set aside")
  left_out <- about(x)$left_out
  if (left_out == 0) aside else paste0(aside, "; ", format_number(left_out), " left out")
}

usual_words <- function(x) {
  facts <- span_facts(x)
  paste(c(last_day_words(x), open_words(facts), empty_words(facts$empty), as_of_words(x),
          aside_words(x)), collapse = "; ")
}

rule_words <- function(rule, grain, on_instants) {
  if (!on_instants && rule != "mean_day" && grain == "day") {
    return("active that day")
  }
  words <- if (on_instants) {
    c(any_day = "active at any moment of the %s", first_day = "active at the first moment of the %s",
      last_day = "active at the last moment of the %s", every_day = "active throughout the %s",
      mean_day = "the average over the time of the %s", peak_day = "the most at one moment of the %s")
  } else {
    c(any_day = "active on any day of the %s", first_day = "active on the first day of the %s",
      last_day = "active on the last day of the %s", every_day = "active on every day of the %s",
      mean_day = "the average over the days of the %s", peak_day = "the most on one day of the %s")
  }
  sprintf(words[[rule]], grain)
}

format_rows <- function(rows) {
  format(rows, trim = TRUE, scientific = FALSE)
}
