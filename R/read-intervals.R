#' Starts and ends from ISO 8601 intervals
#'
#' Reads `2026-01-01/2026-03-31`, `2026-01-01/P3M` (a duration), `P3M/2026-03-31`
#' and `2026-01-01/..` (open); with clocks too. The end may leave out what it
#' shares with the start: `2026-01-01/31`.
#'
#' On days both dates are in the interval, so that `2026-01-01/P3M` ends on 31
#' March. A duration in months ends on the same day of the month, or the last one
#' where that month has no such day, which is no longer in the interval. Instants
#' end at their end.
#'
#' @param text A character vector or factor; blank and `NA` are missing.
#' @param tz The time zone of clocks without an offset; by default the session's.
#' @return A tibble of `start` and `end`: Date, or POSIXct where there are
#'   clocks. `end` is `NA` where the interval is open, both are where the text is
#'   blank.
#' @section Errors:
#' A text that is no interval, one without a start, and dates mixed with
#' date-times are errors of class `ridge_error_records`.
#' @examples
#' read_intervals(c("2026-01-01/2026-03-31", "2026-01-01/P3M", "2026-01-01/.."))
#' read_intervals("2026-03-28T22:00/PT8H", tz = "Europe/Vienna")
#' @export
read_intervals <- function(text, tz = NULL) {
  check_zone_given(tz)
  if (!is.character(text) && !is.factor(text) && !all(is.na(text))) {
    ridge_abort("{arg_name('text')} must be text, not {.val {describe(text)}}.", "argument",
                arg = "text", value = text)
  }
  text <- as.character(text)
  distinct <- unique(text)
  read <- interval_moments(distinct, zone_given(tz))
  if (length(read$bad) > 0) {
    wrong <- which(text %in% distinct[read$bad])
    n <- length(wrong)
    first <- utils::head(wrong, 3)
    ridge_abort(
      c(paste("{n} text{?s} cannot be read as {?an interval/intervals}: {.val {text[first]}}",
              "({cli::qty(length(first))}place{?s} {first})."),
        i = paste("Write a start and an end or a duration, as in 2026-01-01/2026-03-31,",
                  "2026-01-01/P3M or 2026-01-01/..")),
      "records", row = first, value = text[first])
  }
  at <- match(text, distinct)
  tibble::tibble(start = read$start[at], end = read$end[at])
}

interval_moments <- function(text, tz) {
  blank <- is_blank(text)
  split <- strsplit(trimws(ifelse(blank, "", text)), "/", fixed = TRUE)
  two <- lengths(split) == 2
  left <- ifelse(two, vapply(split, function(p) p[1], ""), NA)
  right <- complete_end(left, ifelse(two, vapply(split, function(p) p[length(p)][1], ""), NA))
  start <- read_iso_text(left)
  end <- read_iso_text(right)
  timed <- any(start$kind %in% 2:3 | end$kind %in% 2:3)
  timeline <- if (timed) instant_timeline(tz) else day_timeline()
  ticks <- list(start = iso_ticks(start, timed, tz),
                end = after_last(iso_ticks(end, timed, tz), timeline))
  ticks <- with_durations(ticks, left, right, timed, tz)
  open <- right %in% ".."
  closed <- !is.na(ticks$end) & ticks$end >= after_last(ticks$start, timeline)
  good <- two & !is.na(ticks$start) & (open | closed)
  mixed <- timed & (start$kind == 1L | end$kind == 1L)
  list(start = as_moments(ticks$start, timeline), end = last_of(ticks$end, timeline),
       bad = which((!good | mixed) & !blank))
}

# "31" after "2026-01-01" is 2026-01-31.
complete_end <- function(left, right) {
  short <- !is.na(right) & grepl("^[0-9][-0-9:T]*$", right) & nchar(right) < nchar(left)
  ifelse(short, paste0(substr(left, 1, nchar(left) - nchar(right)), right), right)
}

iso_ticks <- function(read, timed, tz) {
  if (!timed) {
    return(ifelse(read$kind == 1L, read$day, NA))
  }
  clock <- day_seconds * read$day + read$second
  ifelse(read$kind == 3L, clock, ifelse(read$kind == 2L, instant_at(clock, tz), NA))
}

# An end is its start and a duration; a start is its end less one.
with_durations <- function(ticks, left, right, timed, tz) {
  after <- iso_durations(ifelse(is.na(right), "", right))
  before <- iso_durations(ifelse(is.na(left), "", left))
  moved <- function(from, length, sign) {
    at <- which(!is.na(from) & !is.na(length$days))
    to <- rep(NA_real_, length(from))
    to[at] <- move_moments(from[at], sign * length$months[at], sign * length$days[at],
                           sign * length$seconds[at], timed, tz)
    to
  }
  list(start = ifelse(is.na(ticks$start), moved(ticks$end, before, -1), ticks$start),
       end = ifelse(is.na(ticks$end), moved(ticks$start, after, 1), ticks$end))
}

# Months and days by the calendar, then the time that passes.
move_moments <- function(from, months, days, seconds, timed, tz) {
  if (!timed) {
    return(ifelse(seconds == 0 & days == round(days), add_months(from, months) + days, NA))
  }
  local <- local_seconds(from, tz)
  day <- add_months(as.integer(local %/% day_seconds), months)
  instant_at(day_seconds * (day + days) + local %% day_seconds, tz) + seconds
}

# Do all texts of a column, blanks aside, look like intervals?
all_intervals <- function(column) {
  form <- "^ *([0-9]{4}-?[0-9]{2}|P[0-9T]|[.]{2})[^/]*/([0-9]|P[0-9T]|[.]{2})[^/]*$"
  look <- a_few(column)
  if (length(look) == 0 || !all(grepl(form, look))) {
    return(FALSE)
  }
  known <- unique(column)
  length(interval_moments(known[!is_blank_text(known)], "UTC")$bad) == 0
}

split_intervals <- function(records, name, tz) {
  read <- read_intervals(records[[name]], tz)
  names <- paste0(name, c("_start", "_end"))
  taken <- intersect(names, names(records))
  if (length(taken) > 0) {
    ridge_abort(c(paste("Column {.val {name}} holds intervals, and there is a column",
                        "{.val {taken[1]}} already."),
                  i = "Rename one of them."), "column")
  }
  records[names] <- read
  at <- match(name, names(records))
  rest <- setdiff(names(records)[-seq_len(at)], names)
  records[c(names(records)[seq_len(at)], names, rest)]
}
