# What a window hides is still known: the periods before it that its own are compared with
# are asked of the records, as far back as these go.

# The result with the periods before its window that it is compared with; itself where it has
# them, where its records are not at hand, or where its rows were chosen.
with_base <- function(result, against, x = records_of_handle(about(result)$records)) {
  made <- about(result)
  against <- group_said(made, against)
  from <- if (is_whole(result) && !is.null(x)) base_from(made, against, facts_of(x))
  if (is.null(from)) {
    return(result)
  }
  question <- made$question
  days <- axis_days(made$axis)
  question$arguments[c("from", "to", "whole")] <- list(from, as_date(days[2]), NULL)
  if (is_hourly(made$axis)) question$arguments$to <- last_moment(made$axis)
  wider <- ask_again(question, x, NULL)
  if (axis_size(about(wider)$axis) > axis_size(made$axis)) wider else result
}

# The day (or moment) that the window would have to begin on: NULL where it need not.
base_from <- function(made, against, facts) {
  axis <- made$axis
  hides <- !is.null(axis) && axis_size(axis) > 0 && is.null(made$question$arguments$on) &&
    !is.null(facts$first) && facts$first_tick < axis$first[1]
  if (!hides || is.list(against) || identical(against, "total")) {
    return(NULL)
  }
  if (is_hourly(axis) && identical(against, "period_before")) {
    return(as_instant(max(axis$first[1] - 1, facts$first_tick), axis$timeline$tz))
  }
  first <- axis_days(axis)[1]
  wanted <- if (identical(against, "period_before")) first - 1L
  else if (identical(against, "year_before")) year_before_first(axis)
  else if (is_day(against)) as_single_day(against, "against", zone_of(axis$timeline))
  if (!is.null(wanted) && wanted < first) as_date(max(wanted, facts$first))
}

is_day <- function(against) {
  inherits(against, c("Date", "POSIXt")) ||
    rlang::is_string(against) && grepl("^[0-9]", against)
}

# A year of 53 weeks is the longest.
year_before_first <- function(axis) {
  if (is_hourly(axis)) {
    return(NULL)
  }
  first <- axis$first_day[1]
  if (axis$grain$unit == "own") first - 371L
  else if (axis$grain$unit == "week") first - 364L
  else add_months(first, -12L)
}

last_moment <- function(axis) {
  as_instant(axis$stop[axis_size(axis)] - 1, axis$timeline$tz)
}

# For the rows of a result those of the wider one.
rows_in_wider <- function(result, wider) {
  narrow <- about(result)$axis
  wide <- about(wider)$axis
  cells <- cells_of(result)
  place <- match(as.double(narrow$first), as.double(wide$first))
  (cells$line - 1L) * axis_size(wide) + place[cells$place]
}

against_words <- c("period_before", "year_before", "total")

# Where groups are those of one column, its value alone says which.
group_said <- function(made, against) {
  is_group <- length(made$groups) == 1 && rlang::is_string(against, line_names(made$lines))
  if (is_group && !against %in% against_words) {
    against <- stats::setNames(list(against), made$groups)
  }
  against
}
