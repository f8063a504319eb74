severities <- c("error", "warning", "note")

finding_severity <- c(
  "missing start" = "error", "unreadable start" = "error", "unreadable end" = "error",
  "impossible year" = "error", "end before start" = "error", "missing key" = "error",
  "unusable weight" = "error", "far end" = "error", "here and left" = "error",
  "duplicate record" = "warning", "overlapping records" = "warning", "several open" = "warning",
  "implausible year" = "warning", "key spelled two ways" = "warning", "in two lists" = "note",
  "empty span" = "note", "future start" = "note"
)

#' What is wrong with the records
#'
#' Looks at every record and lists what whoever owns the data should look at:
#' what makes a record unusable (errors), what will be counted though it is
#' probably wrong (warnings), and what is only worth knowing (notes).
#'
#' Errors: a missing or unreadable start, an unreadable end, an end before its
#' start, a year outside 1600 to 9999, a missing key, a weight that is none, and an
#' end more than 100 years ahead that `open` does not name; after
#' [bind_spans()], a key that is still open in one list and has ended in another.
#'
#' Warnings: records equal in every column, records of a key that overlap, more
#' than one open record of a key, a date more than ten years and more than three
#' times the spread of the middle half of the dates away from it, and a key that
#' differs from another only in case, spaces, hyphens or accents.
#'
#' Notes: empty spans, starts after the as-of date, and records that
#' [bind_spans()] found in two lists.
#'
#' @param x A data frame of records, or a [spans()] object, of which also those
#'   set aside are listed.
#' @param start,end,key,weight,end_counts,open,as_of,tz For a data frame: as in
#'   [spans()].
#' @param ... Not used.
#' @return A tibble with one row per finding, worst first: `finding`,
#'   `severity` (`"error"`, `"warning"` or `"note"`), `row` in the source, `key`
#'   (text), `column` and `value` at fault (text, `NA` where it is the record as a
#'   whole) and `detail` in words. `summary()` of it has a row per finding, with
#'   `records` and a first example; `autoplot()` draws it.
#' @section Errors:
#' As in [spans()], but for records that cannot be used, which are findings.
#' @examples
#' messy <- data.frame(
#'   who = c("OB-1", "OB-1", "ob-1", NA, "OB-2"),
#'   from = c("2026-01-01", "2026-02-10", "2026-05-01", "2026-01-01", "2026-13-01"),
#'   to = c("2026-02-15", "", "2026-05-31", "2026-01-31", "2026-12-31")
#' )
#' found <- check_spans(messy, from, to, key = who, as_of = "2026-06-30")
#' found
#' summary(found)
#' @export
check_spans <- function(x, ...) {
  UseMethod("check_spans")
}

#' @export
check_spans.default <- function(x, ...) {
  check_spans_class(x, "check_spans")
}

#' @rdname check_spans
#' @export
check_spans.data.frame <- function(x, start, end, key = NULL, weight = NULL, end_counts = NULL,
                                   open = NULL, as_of = Sys.Date(), tz = NULL, ...) {
  columns <- list(start = rlang::enquo(start), end = rlang::enquo(end), key = rlang::enquo(key),
                  weight = rlang::enquo(weight))
  check_spans(declare_records(x, columns, end_counts, open, as_of, tz, "find"))
}

#' @export
check_spans.ridge_spans <- function(x, ...) {
  check_spans_class(x, "check_spans")
  used <- used_records(x)
  found <- rbind(
    problem_findings(x), duplicate_findings(x, used), overlap_findings(used), open_findings(used),
    year_findings(x, used), spelling_findings(x, used), list_findings(x, used), empty_findings(used),
    future_findings(x, used)
  )
  found$detail <- with_list_names(x, found)
  found$severity <- unname(finding_severity[found$finding])
  order <- order(match(found$severity, severities), match(found$finding, names(finding_severity)), found$row)
  found <- found[order, c("finding", "severity", "row", "key", "column", "value", "detail")]
  new_result(as.list(found), "findings", check_words(x, found), records = nrow(x) + nrow(about(x)$set_aside))
}

# The records in the order of the index, with what the findings speak of.
used_records <- function(x) {
  how <- about(x)
  index <- span_index(x)
  at <- if (is.null(index$order)) seq_len(nrow(x)) else index$order
  open <- is_open_stop(index$stop, how$tz)
  list(at = at, row = how$rows[at], start = index$start, stop = index$stop, open = open,
       key = index$key, text = key_text(plain_tibble(x), how$names$key)[at], tz = how$tz, names = how$names)
}

key_text <- function(table, names) {
  if (length(names) == 0 || nrow(table) == 0) {
    return(rep(NA_character_, nrow(table)))
  }
  parts <- lapply(as.list(table)[names], as.character)
  text <- do.call(paste, c(unname(parts), sep = " / "))
  ifelse(Reduce(`&`, lapply(parts, is.na)), NA, text)
}

finding_rows <- function(finding, rows, key, detail, column = NA_character_, value = NA_character_) {
  n <- length(rows)
  data.frame(finding = rep_len(finding, n), row = rows, key = key, column = rep_len(column, n),
             value = rep_len(value, n), detail = rep_len(detail, n))
}

problem_findings <- function(x) {
  problems <- about(x)$problems
  aside <- about(x)$set_aside
  keys <- key_text(aside, intersect(about(x)$names$key, names(aside)))[match(problems$row, aside$row)]
  finding_rows(problems$finding, problems$row, keys, trimws(problems$reason), problems$column,
               ifelse(problems$value == "blank", NA, problems$value))
}

duplicate_findings <- function(x, used) {
  columns <- plain_tibble(x)
  columns <- columns[setdiff(names(columns), bound_columns)]
  first <- if (nrow(x) > 0) vctrs::vec_duplicate_id(columns) else integer()
  again <- which(first != seq_along(first))
  finding_rows("duplicate record", about(x)$rows[again], key_text(columns, used$names$key)[again],
               sprintf("equal to row %s in every column", format_rows(about(x)$rows[first[again]])))
}

overlap_findings <- function(used) {
  if (is.null(used$key)) {
    return(NULL)
  }
  before <- reach_before(used$start, used$stop, used$key)
  at <- which(before > 0 & used$stop > used$start)
  at <- at[used$start[at] < used$stop[before[at]]]
  other <- before[at]
  stop <- pmin(used$stop[at], used$stop[other])
  length <- ifelse(is_open_stop(stop, used$tz), "without an end", length_words(stop - used$start[at], used$tz))
  finding_rows("overlapping records", used$row[at], used$text[at],
               sprintf("overlaps row %s from %s on: %s", format_rows(used$row[other]),
                       tick_text(used$start[at], used$tz), length))
}

tick_text <- function(ticks, tz) {
  if (is.null(tz)) format(as_date(ticks)) else format(as_instant(ticks, tz), "%Y-%m-%d %H:%M")
}

length_words <- function(ticks, tz) {
  if (is.null(tz)) sprintf("%d day%s", as.integer(ticks), ifelse(ticks == 1, "", "s"))
  else sprintf("%s hours", format(round(ticks / 3600, 2), trim = TRUE, drop0trailing = TRUE))
}

open_findings <- function(used) {
  if (is.null(used$key)) {
    return(NULL)
  }
  open <- which(used$open)
  first <- match(used$key[open], used$key[open])
  again <- which(first != seq_along(open))
  finding_rows("several open", used$row[open[again]], used$text[open[again]],
               sprintf("open, and so is row %s of the same key", format_rows(used$row[open[first[again]]])))
}

# Far away from the middle half of all starts and ends.
year_findings <- function(x, used) {
  days <- list(start = moment_days(x[[used$names$start]], used$tz),
               end = if (has_end_column(used$names)) moment_days(x[[used$names$end]], used$tz))
  days$end[days$end %in% about(x)$open] <- NA
  known <- unlist(days)
  if (all(is.na(known))) {
    return(NULL)
  }
  middle <- stats::quantile(known, c(0.25, 0.75), na.rm = TRUE, names = FALSE, type = 1)
  room <- max(3653, 3 * diff(middle))
  range <- paste(format(as_date(middle)), collapse = " to ")
  far <- lapply(c("start", "end"), function(side) {
    at <- which(days[[side]] < middle[1] - room | days[[side]] > middle[2] + room)
    finding_rows("implausible year", about(x)$rows[at], key_text(plain_tibble(x), used$names$key)[at],
                 sprintf("half of all dates are from %s", range), used$names[[side]],
                 format(as_date(days[[side]][at])))
  })
  do.call(rbind, far)
}

spelling_findings <- function(x, used) {
  names <- used$names$key
  text_keys <- Filter(function(name) is.character(x[[name]]) || is.factor(x[[name]]), names)
  rows <- lapply(text_keys, function(name) {
    values <- as.character(x[[name]])
    distinct <- unique(values)
    folded <- fold_text(distinct)
    shared <- distinct[folded %in% folded[duplicated(folded)]]
    if (length(shared) == 0) return(NULL)
    counts <- tabulate(match(values, shared), length(shared))
    order <- order(-counts, shared, method = "radix")
    usual <- shared[order][match(fold_text(shared), fold_text(shared[order]))]
    at <- which(values %in% shared[shared != usual])
    finding_rows("key spelled two ways", about(x)$rows[at], key_text(plain_tibble(x), names)[at],
                 sprintf("usually spelled \"%s\"", usual[match(values[at], shared)]), name, values[at])
  })
  do.call(rbind, rows)
}

empty_findings <- function(used) {
  at <- which(used$stop <= used$start)
  finding_rows("empty span", used$row[at], used$text[at],
               sprintf("starts and ends on %s, which does not count", tick_text(used$start[at], used$tz)))
}

future_findings <- function(x, used) {
  after <- if (is.null(used$tz)) about(x)$as_of_day + 1L else about(x)$as_of
  at <- which(used$start >= after)
  finding_rows("future start", used$row[at], used$text[at],
               sprintf("after the as-of date, %s", format(as_date(about(x)$as_of_day))),
               used$names$start, tick_text(used$start[at], used$tz))
}

check_words <- function(x, found) {
  counts <- table(factor(found$severity, severities))
  paste0("Checked: ", count_of(nrow(x) + nrow(about(x)$set_aside), "record"), "; ",
         count_of(counts[["error"]], "error"), ", ", count_of(counts[["warning"]], "warning"), ", ",
         count_of(counts[["note"]], "note"), "; ", last_day_words(x), "; ", as_of_words(x),
         if (about(x)$left_out > 0) paste0("; ", format_number(about(x)$left_out), " left out"), ".")
}

#' @export
summary.ridge_findings <- function(object, ...) {
  kinds <- unique(object$finding)
  first <- match(kinds, object$finding)
  value <- ifelse(is.na(object$value[first]), "", paste0("\"", object$value[first], "\" "))
  tibble::tibble(
    finding = kinds, severity = object$severity[first],
    records = vapply(kinds, function(kind) length(unique(object$row[object$finding == kind])), integer(1), USE.NAMES = FALSE),
    example = paste0("row ", format_rows(object$row[first]), ": ", value, object$detail[first])
  )
}
