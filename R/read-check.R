severities <- c("error", "warning", "note")

finding_severity <- c(
  "missing start" = "error", "unreadable start" = "error", "unreadable end" = "error",
  "impossible year" = "error", "end before start" = "error", "missing key" = "error",
  "unusable weight" = "error", "far end" = "error", "open and ended" = "error",
  "duplicate record" = "warning", "overlapping records" = "warning", "several open" = "warning",
  "implausible year" = "warning", "key spelled two ways" = "warning",
  "label spelled two ways" = "warning", "in two lists" = "note",
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
#' end more than 100 years ahead that `means_open` does not name; after
#' [bind_spans()], a key that is still open in one list and has ended in another.
#'
#' Warnings: records equal in every column, records of a key that overlap, more
#' than one open record of a key, a date more than ten years and more than three
#' times the spread of the middle half of the dates away from it, and a key, or a label of
#' another column, that differs from another only in case, spaces, hyphens or accents.
#'
#' Notes: empty spans, starts after the as-of date, and records that
#' [bind_spans()] found in two lists.
#'
#' Of [record_files()] rows are counted on through the files, and the detail names the file and
#' the row there. A column of more than 5 million different texts is not searched for spellings.
#'
#' Of a table in a database, which needs `row`, records that a finding can be of are chosen there
#' and looked at here, with the ones beside which it is one. Records are equal there where all
#' columns but `row` are, and spellings differ in case, spaces, hyphens and underscores, but not in
#' accents; capitals are those that its `LOWER()` knows. Several tables, each with the records of
#' its own keys, are looked at as one where one database holds them.
#'
#' @param x A data frame of records, [record_files()], a table in a database or a list of them, or
#'   a [spans()] object, of which also those set aside are listed.
#' @param start,end,key,weight,end_counts,means_open,as_of,tz,date_order,days,where,row For a data
#'   frame, files or a table in a database: as in [spans()].
#' @param ... Not used.
#' @return A tibble with one row per finding, worst first: `finding`,
#'   `severity` (`"error"`, `"warning"` or `"note"`), `row` in the source, `key`
#'   (text), `column` and `value` at fault (text, `NA` where it is the record as a
#'   whole) and `detail` in words. `summary()` of it has a row per finding, with
#'   `records` and a first example; `autoplot()` draws it.
#' @section Errors:
#' As in [spans()], but for records that cannot be used, which are findings. More than 5 million
#' findings that several parts of files come to are an error of class `ridge_error_size`. A table
#' in a database without `row` is one of class `ridge_error_engine`, as are several tables without
#' a key, or in several databases.
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
                                   means_open = NULL, as_of = Sys.Date(), tz = NULL,
                                   date_order = NULL, days = NULL, where = NULL, row = NULL, ...) {
  columns <- list(start = rlang::enquo(start), end = rlang::enquo(end), key = rlang::enquo(key),
                  weight = rlang::enquo(weight), row = rlang::enquo(row))
  told <- list(data = rlang::as_label(rlang::enexpr(x)), as_of = as_of, tz = tz,
               date_order = date_order, unusable = "find", days = days,
               where = where_text(rlang::enquo(where), column_names(x)))
  found_in(x, columns, end_counts, means_open, told)
}

#' @rdname check_spans
#' @export
check_spans.ridge_files <- check_spans.data.frame

#' @rdname check_spans
#' @export
check_spans.tbl_lazy <- check_spans.data.frame

#' @rdname check_spans
#' @export
check_spans.list <- check_spans.data.frame

# What was set aside of a table in a database is looked at, and forgotten.
found_in <- function(data, columns, end_counts, means_open, told) {
  if (!is_elsewhere_table(data)) {
    if (!is.object(data)) check_spans_class(data, "check_spans")
    if (!rlang::quo_is_null(columns$row)) refuse_row_named()
    declare <- if (inherits(data, "ridge_files")) declare_files else declare_records
    return(check_spans(declare(data, columns, end_counts, means_open, told)))
  }
  declare <- if (is_list_of_tables(data)) declare_tables else declare_table
  x <- declare(data, columns, end_counts, means_open, told)
  on.exit(forget_aside(x))
  check_row_named(about(x)$names)
  check_spans(x)
}

#' @export
check_spans.ridge_spans <- function(x, ...) {
  check_spans_class(x, "check_spans")
  known <- if (in_database(x)) known_in_database(x) else known_of_all(x)
  # Records that are equal in every column have the same key.
  together <- if (has_key(x)) about(x)$names$key else names(x)
  suspects <- suspects_of(x, known)
  found <- over_records(suspects, names(x), together, function(part, i) findings_in(part, known),
                        join_findings)
  found <- rbind(unusable_findings(x), found)
  found$detail <- told_with_lists(x, found, told_with_files(x, found))
  found$severity <- unname(finding_severity[found$finding])
  order <- order(match(found$severity, severities), match(found$finding, names(finding_severity)),
                 found$row)
  found <- found[order, finding_columns]
  question <- structure(list(verb = "check_spans", arguments = list(), then = list()),
                        class = "ridge_question")
  new_result(as.list(found), question, x, check_words(x, found, known),
             values = c("finding", "row"), class = "ridge_findings", checked = checked_of(x))
}

# Of records in a database those that findings can be of, each with the ones beside which it is
# one; all of them elsewhere. A number that tells records apart is not a column of theirs.
suspects_of <- function(x, known) {
  how <- about(x)
  columns <- setdiff(names(x), how$names$row)
  unusual <- lapply(known$spellings, function(texts) setdiff(texts$shared, texts$usual))
  others <- setdiff(columns, moment_columns(how$names))
  records_behind(x, list(kind = "suspect", per = how$names$key, others = others,
                         as_of_stop = how$as_of_stop, plausible = plausible_days(known$middle),
                         texts = Filter(length, unusual)), columns)
}

findings_in <- function(x, known) {
  used <- used_records(x)
  rbind(duplicate_findings(x, used), overlap_findings(x, used), open_findings(used),
        year_findings(x, used, known$middle), spelling_findings(x, used, known$spellings),
        list_findings(x, used), empty_findings(used), future_findings(x, used))
}

most_findings <- 5e6

join_findings <- function(a, b) {
  found <- rbind(a, b)
  if (NROW(found) > most_findings) {
    kinds <- sort(table(found$finding), decreasing = TRUE)
    most <- names(kinds)[1]
    ridge_abort(c(paste("There are more than {format_number(most_findings)} findings;",
                        "{format_number(kinds[[1]])} of those seen are {.val {most}}."),
                  i = "Mend that first, or check fewer files at a time."), "size", value = most)
  }
  found
}

# How many records were looked at.
checked_of <- function(x) {
  facts_of(x)$records + aside_count(x)
}

finding_columns <- c("finding", "severity", "row", "key", "column", "value", "detail")

# The records in their own order, with what the findings speak of.
used_records <- function(x) {
  how <- about(x)
  ticks <- record_ticks(x)
  list(row = how$rows, start = ticks$start, stop = ticks$stop,
       open = is_never(ticks$stop, how$timeline),
       key = if (has_key(x)) codes_of(x, how$names$key),
       text = key_text(plain_tibble(x), how$names$key), timeline = how$timeline,
       names = how$names)
}

key_text <- function(table, names) {
  if (length(names) == 0 || nrow(table) == 0) {
    return(rep(NA_character_, nrow(table)))
  }
  parts <- lapply(as.list(table)[names], as.character)
  text <- do.call(paste, c(unname(parts), sep = " / "))
  ifelse(Reduce(`&`, lapply(parts, is.na)), NA, text)
}

finding_rows <- function(finding, rows, key, detail, column = NA_character_,
                         value = NA_character_) {
  n <- length(rows)
  data.frame(finding = rep_len(finding, n), row = rows, key = as.character(key),
             column = rep_len(column, n), value = rep_len(as.character(value), n),
             detail = rep_len(detail, n))
}

unusable_findings <- function(x) {
  set_aside <- if (in_database(x)) unusable_in_database(x)
  else list(found = about(x)$unusable, aside = about(x)$aside, rows = rows_aside(x))
  found <- set_aside$found
  names <- intersect(about(x)$names$key, names(set_aside$aside))
  keys <- key_text(set_aside$aside, names)[match(found$row, set_aside$rows)]
  finding_rows(found$finding, found$row, keys, trimws(found$reason), found$column,
               ifelse(found$value == "blank", NA, found$value))
}

# The rows of those set aside, in files counted through.
rows_aside <- function(x) {
  aside <- about(x)$aside
  if (in_parts(x)) rows_through_files(x, aside) else aside$row
}

duplicate_findings <- function(x, used) {
  columns <- tibble::new_tibble(own_columns(x), nrow = nrow(x))
  first <- if (nrow(x) > 0) vctrs::vec_duplicate_id(columns) else integer()
  again <- which(first != seq_along(first))
  finding_rows("duplicate record", used$row[again], used$text[again],
               sprintf("equal to row %s in every column", format_rows(used$row[first[again]])))
}

overlap_findings <- function(x, used) {
  if (is.null(used$key)) {
    return(NULL)
  }
  reach <- reach_of(x)
  meets <- used$start[reach$at] < used$stop[reach$before]
  at <- reach$at[meets]
  other <- reach$before[meets]
  stop <- pmin(used$stop[at], used$stop[other])
  length <- ifelse(is_never(stop, used$timeline), "without an end",
                   length_text(stop - used$start[at], used$timeline))
  finding_rows("overlapping records", used$row[at], used$text[at],
               sprintf("overlaps row %s from %s on: %s", format_rows(used$row[other]),
                       tick_text(used$start[at], used$timeline), length))
}

# Of the open records of a key all but the one that began first.
open_findings <- function(used) {
  if (is.null(used$key)) {
    return(NULL)
  }
  open <- which(used$open)
  open <- open[order(used$key[open], used$start[open])]
  first <- match(used$key[open], used$key[open])
  again <- which(first != seq_along(open))
  other <- used$row[open[first[again]]]
  finding_rows("several open", used$row[open[again]], used$text[open[again]],
               sprintf("open, and so is row %s of the same key", format_rows(other)))
}

# Far away from the middle half of all starts and ends.
year_findings <- function(x, used, middle) {
  if (is.null(middle)) {
    return(NULL)
  }
  days <- dates_in(x)
  plausible <- plausible_days(middle)
  range <- paste(format(as_date(middle)), collapse = " to ")
  far <- lapply(c("start", "end"), function(side) {
    at <- which(days[[side]] < plausible[1] | days[[side]] > plausible[2])
    finding_rows("implausible year", used$row[at], used$text[at],
                 sprintf("half of all dates are from %s", range), used$names[[side]],
                 format(as_date(days[[side]][at])))
  })
  do.call(rbind, far)
}

plausible_days <- function(middle) {
  if (!is.null(middle)) middle + c(-1, 1) * max(3653, 3 * diff(middle))
}

# Keys, and the labels of other columns, that are spelled in several ways.
spelling_findings <- function(x, used, spellings) {
  rows <- lapply(names(spellings), function(name) {
    values <- as.character(x[[name]])
    shared <- spellings[[name]]$shared
    usual <- spellings[[name]]$usual
    at <- which(values %in% shared[shared != usual])
    kind <- if (name %in% used$names$key) "key" else "label"
    finding_rows(paste(kind, "spelled two ways"), used$row[at], used$text[at],
                 sprintf("usually spelled \"%s\"", usual[match(values[at], shared)]), name,
                 values[at])
  })
  do.call(rbind, rows)
}

empty_findings <- function(used) {
  at <- which(used$stop <= used$start)
  finding_rows("empty span", used$row[at], used$text[at],
               sprintf("starts and ends on %s, which does not count",
                       tick_text(used$start[at], used$timeline)))
}

future_findings <- function(x, used) {
  at <- which(used$start >= about(x)$as_of_stop)
  finding_rows("future start", used$row[at], used$text[at],
               sprintf("after the as-of date, %s", format(as_date(about(x)$as_of_day))),
               used$names$start, tick_text(used$start[at], used$timeline))
}

check_words <- function(x, found, known) {
  counts <- table(factor(found$severity, severities))
  of <- vapply(severities, function(kind) count_of(counts[[kind]], kind), "")
  left_out <- about(x)$left_out
  sentence_of(paste("Checked:", count_of(checked_of(x), "record")),
              paste(of, collapse = ", "), last_day_words(x), as_of_words(x),
              if (left_out > 0) paste(format_number(left_out), "left out"),
              unsearched_words(known$unsearched))
}

unsearched_words <- function(names) {
  if (length(names) > 0) {
    paste0("spellings of ", and_list(names), " not compared: more than ",
           format_number(most_spellings))
  }
}

#' @export
summary.ridge_findings <- function(object, ...) {
  kinds <- unique(object$finding)
  first <- match(kinds, object$finding)
  value <- ifelse(is.na(object$value[first]), "", paste0("\"", object$value[first], "\" "))
  records <- vapply(kinds, function(kind) {
    length(unique(object$row[object$finding == kind]))
  }, 1L, USE.NAMES = FALSE)
  tibble::tibble(finding = kinds, severity = object$severity[first], records = records,
                 example = paste0("row ", format_rows(object$row[first]), ": ", value,
                                  object$detail[first]))
}

# Open in one list and, over the same time, ended in another.
open_and_ended <- function(x, used = used_records(x)) {
  none <- data.frame(at = integer(), other = integer())
  if (is.null(about(x)$lists) || is.null(used$key)) {
    return(none)
  }
  open <- which(used$open)
  ended <- which(!used$open)
  # The last to end of each key in each list: if any reaches past the start, that one does.
  ended <- ended[order(-used$stop[ended])]
  pairs <- lapply(unique(x$source), function(list) {
    here <- open[x$source[open] != list]
    there <- ended[x$source[ended] == list]
    data.frame(at = here, other = there[match(used$key[here], used$key[there])])
  })
  pairs <- do.call(rbind, c(list(none), pairs))
  pairs <- pairs[which(used$stop[pairs$other] > used$start[pairs$at]), ]
  pairs <- pairs[order(pairs$at), ]
  pairs[!duplicated(pairs$at), ]
}

list_findings <- function(x, used) {
  pairs <- open_and_ended(x, used)
  other <- pairs$other
  last <- format(last_of(used$stop[other], used$timeline))
  finding_rows("open and ended", used$row[pairs$at], used$text[pairs$at],
               sprintf("still open, but ended on %s in \"%s\", row %s", last,
                       x[["source"]][other], format_rows(x[["source_row"]][other])))
}

# In several files a row is told with its file.
told_with_files <- function(x, found) {
  source <- if (in_parts(x)) engine_of(x)$source
  if (length(source$files) < 2) {
    return(found$detail)
  }
  at <- place_in_files(found$row, source, engine_of(x)$sizes)
  sprintf("%s [%s, row %s]", found$detail, basename(at$file), format_rows(at$row))
}

# In bound lists a row is told with its list.
told_with_lists <- function(x, found, detail) {
  if (is.null(about(x)$lists)) {
    return(detail)
  }
  at <- match(found$row, about(x)$rows)
  in_use <- !(found$finding %in% unique(about(x)$unusable$finding))
  named <- sprintf("%s [%s, row %s]", detail, x$source[at], format_rows(x$source_row[at]))
  ifelse(in_use, named, detail)
}
