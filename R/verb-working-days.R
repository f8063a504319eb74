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
#' @param date Dates to move: Date or ISO 8601 text. Or a [spans()] object, whose starts
#'   are moved: the civil days of its zone, where it is on instants.
#' @param days How many working days: whole numbers, as many as `date` or one for
#'   all; of a spans object also one of its columns. 0 is the date itself or, where that is
#'   no working day, the next one.
#' @return `working_days()`: whole numbers, NA where a date is missing; of a spans
#'   object a tibble with `row`, the key, `start`, `end`, `days`, `open`,
#'   `working_days`. `move_working_days()`: Dates, NA where a date or number is; of a spans
#'   object a tibble with `row`, the key, `start` and `due`, the day it was moved to.
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
#' faults <- spans(demo_records("faults"), reported, mended, key = fault,
#'                 as_of = "2026-06-30", tz = "Europe/Vienna")
#' move_working_days(faults, 10, closed)
#' @export
working_days <- function(start, end, calendar = calendar_rules()) {
  UseMethod("working_days")
}

#' @export
working_days.default <- function(start, end, calendar = calendar_rules()) {
  check_calendar(calendar)
  pair <- paired(list(start = plain_days(start, "start"), end = plain_days(end, "end")))
  start <- pair$start
  end <- pair$end
  some <- unique(round(seq(1, length(start), length.out = min(length(start), 1000))))
  counted <- count_working(start, end, calendar, widened(day_extent(start[some], end[some])))
  if (!counted$inside) {
    counted <- count_working(start, end, calendar, check_years(day_extent(start, end), "start"))
  }
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

count_working <- function(start, end, calendar, extent) {
  from <- floor(extent[1])
  before <- working_days_before(from, floor(extent[2]) + 1, calendar)
  working_between_days(start, end, before, from)
}

# The calendar may come in the place that is that of the ends for vectors.
#' @export
working_days.ridge_spans <- function(start, end = NULL, calendar = calendar_rules()) {
  x <- start
  check_spans_class(x, "working_days")
  if (inherits(end, "ridge_calendar")) calendar <- end
  else if (!is.null(end)) {
    ridge_abort("{arg_name('end')} plays no part: the records have ends of their own.", "argument",
                arg = "end")
  }
  question <- new_question("working_days", asked = working_days.ridge_spans)
  question$arguments <- list(calendar = check_calendar(calendar))
  columns <- with_working_days(record_lengths(x, "working_days"), working_table(x, calendar))
  columns <- c(columns[names(columns) != "working_days"], columns["working_days"])
  words <- sentence_of(paste("Lengths of", count_of(nrow(x), "record"), "in",
                             calendar_words(calendar)), open_length_words(x), usual_lengths(x))
  new_records(question, x, columns, words, values = "working_days", nrow = nrow(x))
}

#' @export
source_checks.ridge_working_days <- function(result, x) {
  plain <- plain_lengths(x)
  if (nrow(plain) == 0) {
    return(list())
  }
  worked <- plain_working_days(plain, about(result)$question$arguments$calendar)
  expected <- plain_worked(plain$start, plain$stop, worked)
  c(cell_checks("working days", expected[rows_left(result)], result$working_days, TRUE),
    record_row_checks(result, x))
}

#' @rdname working_days
#' @export
move_working_days <- function(date, days, calendar = calendar_rules()) {
  UseMethod("move_working_days")
}

#' @export
move_working_days.default <- function(date, days, calendar = calendar_rules()) {
  check_calendar(calendar)
  as_date(days_moved(as.double(plain_days(date, "date")), days, calendar))
}

#' @export
move_working_days.ridge_spans <- function(date, days, calendar = calendar_rules()) {
  x <- date
  check_spans_class(x, "move_working_days")
  check_calendar(calendar)
  quo <- rlang::enquo(days)
  arg <- in_r("days", "after")
  column <- if (names_a_column(quo, x)) pick_columns(plain_tibble(x), quo, arg)
  number <- if (is.null(column)) rlang::eval_tidy(quo) else as_numbers(x[[column]], column, arg)
  days <- number
  question <- new_question("move_working_days", asked = move_working_days.ridge_spans)
  question$arguments <- list(days = column %||% number, calendar = calendar)
  if (!is.null(column)) question$columns <- "days"
  key <- about(x)$names$key
  check_free_names(key, c("row", "start", "due"), "move_working_days")
  ticks <- record_ticks(x)$start
  columns <- c(list(row = about(x)$rows), columns_of(x, key),
               range_columns(ticks, ticks, x)["start"],
               list(due = as_date(days_moved(start_days(x), number, calendar))))
  words <- sentence_of(paste("Due:", moved_words(column, number), "after the start of",
                             count_of(nrow(x), "record")), calendar_words(calendar),
                       usual_lengths(x))
  new_records(question, x, columns, words, values = "due", nrow = nrow(x))
}

start_days <- function(x) {
  as.double(day_of_tick(record_ticks(x)$start, timeline_of(x)))
}

moved_words <- function(column, number) {
  if (!is.null(column)) paste("as many working days as", column, "says")
  else if (length(number) == 1) count_of(number, "working day")
  else "working days"
}

#' @export
source_checks.ridge_move_working_days <- function(result, x) {
  asked <- about(result)$question$arguments
  from <- start_days(x)
  days <- if (is.character(asked$days)) as_numbers(x[[asked$days]], asked$days, "days")
  else rep_len(asked$days, nrow(x))
  due <- as.double(result$due)
  left <- rows_left(result)
  # Counted back: so many working days lie behind the start, through the day that it is due on.
  steps <- seq_along(due)[!is.na(due)]
  counted <- vapply(steps, function(i) {
    between <- seq(min(from[left[i]], due[i]), max(from[left[i]], due[i]))
    working <- between[is_working_day(as.integer(between), asked$calendar)]
    if (days[left[i]] >= 0) sum(working > from[left[i]]) else -sum(working < from[left[i]])
  }, 0)
  free <- !is_working_day(as.integer(from[left[steps]]), asked$calendar)
  expected <- days[left[steps]] + (days[left[steps]] == 0 & free)
  starts <- as.double(record_ticks(x)$start)[left]
  c(cell_checks("working days to the due day", expected, counted, TRUE),
    if ("start" %in% names(result)) cell_checks("starts", starts, as.double(result$start), TRUE),
    list(tie("due days that are no working days", 0,
             sum(!is_working_day(as.integer(due[steps]), asked$calendar))),
         tie("records", nrow(x), about(result)$all_rows)))
}

# Days moved by so many working days; NA where either is missing.
days_moved <- function(from, days, calendar) {
  arg <- in_r("days", "after")
  wrong <- if (is.numeric(days)) which(days != round(days) | abs(days) > 1e6)
  if (!is.numeric(days) || length(wrong) > 0) {
    value <- if (length(wrong) > 0) days[wrong[1]] else days
    ridge_abort(paste("{arg_name(arg)} must be whole numbers of working days, not",
                      "{.val {describe(value)}}."),
                "argument", arg = arg, value = value)
  }
  pair <- paired(list(date = from, days = days))
  known <- which(!is.na(pair$date) & !is.na(pair$days))
  moved <- rep(NA_real_, length(pair$date))
  if (length(known) > 0) {
    check_years(pair$date[known], "date")
    moved[known] <- moved_days(pair$date[known], pair$days[known], calendar)
  }
  moved
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
      ridge_abort(
        c(paste("The calendar has no working day that far away, within the years {first_year} to",
                "{last_year}."),
          i = "Look at its {arg_name('weekend')} and {arg_name('every_year')}."), "argument",
        arg = "calendar")
    }
    room <- 4 * room + 400
  }
}
