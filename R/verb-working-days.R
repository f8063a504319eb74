#' Count working days, or move a date by some
#'
#' `working_days()` counts the working days from one day through another, both
#' included. `move_working_days()` gives the day that lies so many working days
#' after a date, or before it. Each row takes the same short time however far
#' apart its days are.
#'
#' @param start The first days: Date or ISO 8601 text. Or a [spans()] object on
#'   days, whose open spans then run through the as-of date.
#' @param end The last days, which count: as many as `start`, or one for all.
#' @param calendar What is a working day: see [calendar_rules()]. Its hours play
#'   no part.
#' @param date Dates to move: Date or ISO 8601 text.
#' @param n How many working days: whole numbers, as many as `date` or one for
#'   all. 0 is the date itself or, where that is no working day, the next one.
#' @return `working_days()`: whole numbers, NA where a date is missing; of a spans
#'   object a tibble with `row`, the key, `start`, `end`, `days`, `open`,
#'   `working_days`. `move_working_days()`: Dates, NA where a date or number is.
#' @section Errors:
#' An end before its start is an error of class `ridge_error_records` that names
#' the rows; a wrong argument, or a calendar without a working day, is of class
#' `ridge_error_argument`.
#' @examples
#' closed <- calendar_rules(holidays = demo_records("closures"))
#' working_days("2026-03-02", "2026-03-17")
#' working_days("2025-12-22", "2026-01-05", closed)
#' move_working_days("2026-05-29", c(-1, 0, 1, 10), closed)
#' trips <- spans(demo_records("field_trips"), first_day, last_day, key = observer,
#'                as_of = "2026-06-30")
#' working_days(trips, calendar = closed)
#' @export
working_days <- function(start, end, calendar = calendar_rules()) {
  UseMethod("working_days")
}

#' @export
working_days.default <- function(start, end, calendar = calendar_rules()) {
  check_calendar(calendar)
  start <- plain_days(start, "start")
  end <- plain_days(end, "end")
  check_pairs(start, end)
  if (length(start) != length(end)) {
    size <- if (length(start) == 1) length(end) else length(start)
    start <- rep_len(start, size)
    end <- rep_len(end, size)
  }
  sampled <- unique(round(seq(1, length(start), length.out = min(length(start), 1000))))
  counted <- count_working(start, end, calendar, widened(day_extent(start[sampled], end[sampled])))
  if (!counted$inside) counted <- count_working(start, end, calendar, check_years(day_extent(start, end), "start"))
  if (counted$turned) refuse_turned(which(end < start), as_date(start), as_date(end))
  counted$days
}

# A table of the working days of some years is enough for most; a few rows tell
# which years these are.
widened <- function(extent) {
  years <- all_years()
  if (extent[1] > extent[2]) return(c(0, 0))
  pmin(pmax(extent + c(-800, 800), years[1]), years[2])
}

all_years <- function() {
  day_numbers(c(first_year, last_year), c(1L, 12L), c(1L, 31L))
}

count_working <- function(start, end, calendar, extent) {
  from <- floor(extent[1])
  working_between_days(start, end, working_days_before(from, floor(extent[2]) + 1, calendar), from)
}

#' @export
working_days.ridge_spans <- function(start, end, calendar = calendar_rules()) {
  x <- start
  check_spans_class(x, "working_days")
  check_calendar(calendar)
  table <- working_table(x, calendar)
  columns <- with_working_days(record_lengths(x, "working_days"), table)
  columns <- c(columns[names(columns) != "working_days"], columns["working_days"])
  words <- c(paste("Lengths of", count_of(nrow(x), "record"), "in", calendar_words(calendar)), open_length_words(x), usual_lengths(x))
  new_result(columns, "working_days", paste0(paste(words, collapse = "; "), "."), nrow = nrow(x), value = "working_days",
             source = x, calendar = calendar)
}

# Each record with its key and its length, in the order of the records.
record_lengths <- function(x, verb) {
  key <- about(x)$names$key
  check_free_names(key, c("row", "start", "end", "days", "hours", "open", "working_days"), verb)
  c(list(row = about(x)$rows), as.list(plain_tibble(x))[key],
    range_columns(own_ticks(x)$start, own_ticks(x)$stop, about(x)))
}

# Day numbers as doubles, which kernels and comparisons take as they are.
plain_days <- function(value, arg) {
  if (inherits(value, "Date")) {
    return(if (is.double(value)) value else as.double(value))
  }
  days <- rep(NA_real_, length(value))
  known <- !is.na(value)
  if (any(known)) days[known] <- as_days(value[known], arg, call_for = "dates")
  days
}

check_pairs <- function(start, end) {
  sizes <- c(length(start), length(end))
  if (sizes[1] != sizes[2] && !any(sizes == 1)) {
    ridge_abort(c("{.arg start} and {.arg end} must be as many, or one for all, not {sizes[1]} and {sizes[2]}.",
                  i = "Take them from the same table."), "argument")
  }
}

refuse_turned <- function(rows, start, end) {
  first <- utils::head(rows, 5)
  lines <- sprintf("Row %s: the end, %s, is before the start, %s.", format_rows(first), format(end[first]), format(start[first]))
  ridge_abort(c("{count_of(length(rows), 'end')} {cli::qty(length(rows))}{?is/are} before {?its start/their starts}.",
                stats::setNames(lines, rep("x", length(lines))), i = "Mend {cli::qty(length(rows))}{?it/them}, or exchange {.arg start} and {.arg end}."), "records")
}

#' @rdname working_days
#' @export
move_working_days <- function(date, n, calendar = calendar_rules()) {
  check_calendar(calendar)
  days <- floor(as.double(plain_days(date, "date")))
  if (!is.numeric(n) || any(n != round(n), na.rm = TRUE) || any(abs(n) > 1e6, na.rm = TRUE)) {
    ridge_abort("{.arg n} must be whole numbers of working days, not {.val {describe(n)}}.", "argument")
  }
  if (length(days) != length(n) && !any(c(length(days), length(n)) == 1)) {
    ridge_abort("{.arg n} must be one number, or as many as {.arg date}: {length(days)}, not {length(n)}.", "argument")
  }
  size <- if (length(days) == 0 || length(n) == 0) 0L else max(length(days), length(n))
  days <- rep_len(days, size)
  n <- rep_len(n, size)
  known <- which(!is.na(days) & !is.na(n))
  moved <- rep(NA_real_, size)
  if (length(known) > 0) {
    check_years(days[known], "date")
    moved[known] <- moved_days(days[known], n[known], calendar)
  }
  as_date(moved)
}

# The list of working days is made longer until it holds all that are asked for.
moved_days <- function(days, n, calendar) {
  room <- ceiling(14 * max(abs(n)) / max(1, 7 - length(calendar$weekend))) + 30
  years <- all_years()
  repeat {
    from <- max(years[1], min(days) - room)
    to <- min(years[2], max(days) + room)
    working <- seq.int(from, to)
    working <- working[is_working_day(as.integer(working), calendar)]
    # After a working day comes the next; from a free one the first is the next too.
    at <- ifelse(n > 0, findInterval(days, working), findInterval(days - 0.5, working) + 1) + n
    if (all(at >= 1 & at <= length(working))) {
      return(working[at])
    }
    if (from == years[1] && to == years[2]) {
      ridge_abort(c("The calendar has no working day that far away, within the years {first_year} to {last_year}.",
                    i = "Look at its {.arg weekend} and {.arg yearly}."), "argument")
    }
    room <- 4 * room + 400
  }
}
