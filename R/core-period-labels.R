# The columns of periods, and their labels: in English whatever the locale.

label_forms <- c("code", "name", "first_day", "last_day")

check_label <- function(label) {
  if (is.null(label)) NULL else check_choice(label, label_forms, "label")
}

# Labels of all periods of an axis, in English whatever the locale.
axis_labels <- function(axis, form) {
  if (is_hourly(axis)) {
    return(hour_labels(axis, form))
  }
  if (form == "first_day") {
    return(iso_day(axis$first_day))
  }
  if (form == "last_day") {
    return(iso_day(axis$last_day))
  }
  if (!is.null(axis$own_labels)) {
    return(axis$own_labels)
  }
  labeller <- if (form == "code") code_labels else name_labels
  labeller(axis, civil_dates(axis$first_day), civil_dates(axis$last_day))
}

# An hour that the clock shows twice in a night carries its offset.
hour_labels <- function(axis, form) {
  at <- as_moments(if (form == "last_day") axis$stop else axis$first, axis$timeline)
  shown <- format(at, "%Y-%m-%d %H:%M")
  if (form == "name") {
    lt <- as.POSIXlt(at)
    shown <- sprintf("%d %s %d %02d:%02d", lt$mday, month.abb[lt$mon + 1L], lt$year + 1900L,
                     lt$hour, lt$min)
  }
  twice <- shown %in% shown[duplicated(shown)]
  ifelse(twice, paste0(shown, format(at, " %z")), shown)
}

year_label <- function(year, year_starts) {
  if (year_starts == 1L) sprintf("%d", year) else sprintf("%d/%02d", year, (year + 1L) %% 100L)
}

quarter_number <- function(month, year_starts) {
  ((month - year_starts) %% 12L) %/% 3L + 1L
}

code_labels <- function(axis, first, last) {
  grain <- axis$grain
  starts <- axis$calendar$year_starts
  own_year <- first$year - (first$month < starts)
  single <- grain$size == 1L
  if (grain$unit == "day" && single) {
    return(iso_day(axis$first_day))
  }
  if (grain$unit == "week" && single && axis$calendar$week_starts == 1L) {
    return(iso_week(axis$first_day))
  }
  if (grain$unit == "month") {
    from <- sprintf("%04d-%02d", first$year, first$month)
    return(if (single) from else sprintf("%s to %04d-%02d", from, last$year, last$month))
  }
  if (grain$unit == "quarter") {
    from <- paste0(year_label(own_year, starts), "-Q", quarter_number(first$month, starts))
    to <- paste0(year_label(last$year - (last$month < starts), starts), "-Q",
                 quarter_number(last$month, starts))
    return(if (single) from else paste(from, "to", to))
  }
  if (grain$unit == "year") {
    return(year_labels(own_year, grain$size, starts))
  }
  paste(iso_day(axis$first_day), "to", iso_day(axis$last_day))
}

year_labels <- function(first_year, size, year_starts) {
  from <- year_label(first_year, year_starts)
  if (size == 1L) from else paste(from, "to", year_label(first_year + size - 1L, year_starts))
}

# The ISO week of a Monday; its year is that of its Thursday.
iso_week <- function(monday) {
  thursday <- civil_dates(monday + 3L)
  new_year <- day_numbers(thursday$year, rep(1L, length(monday)), rep(1L, length(monday)))
  sprintf("%04d-W%02d", thursday$year, (monday + 3L - new_year) %/% 7L + 1L)
}

name_labels <- function(axis, first, last) {
  grain <- axis$grain
  starts <- axis$calendar$year_starts
  own_year <- first$year - (first$month < starts)
  single <- grain$size == 1L
  if (grain$unit == "day" && single) {
    return(sprintf("%d %s %d", first$day, month.abb[first$month], first$year))
  }
  if (grain$unit == "week" && single) {
    return(sprintf("week of %d %s %d", first$day, month.abb[first$month], first$year))
  }
  if (grain$unit == "month" && single) {
    return(sprintf("%s %d", month.abb[first$month], first$year))
  }
  if (grain$unit == "quarter" && single) {
    return(paste0("Q", quarter_number(first$month, starts), " ", year_label(own_year, starts)))
  }
  if (grain$unit == "year") {
    return(year_labels(own_year, grain$size, starts))
  }
  in_months <- grain$unit %in% c("month", "quarter")
  range_names(first, last, with_days = !in_months)
}

range_names <- function(first, last, with_days) {
  from_day <- if (with_days) paste0(first$day, " ") else ""
  to_day <- if (with_days) paste0(last$day, " ") else ""
  from_year <- ifelse(first$year == last$year, "", paste0(" ", first$year))
  paste0(from_day, month.abb[first$month], from_year, " to ",
         to_day, month.abb[last$month], " ", last$year)
}

# The columns `period` and `period_end` (and `label`, where a form is asked for).
axis_columns <- function(axis, form = NULL) {
  if (is.null(axis)) {
    columns <- list(period = as_date(double()), period_end = as_date(double()))
  } else if (is_hourly(axis)) {
    columns <- list(period = as_moments(axis$first, axis$timeline),
                    period_end = as_moments(axis$stop, axis$timeline))
  } else {
    columns <- list(period = as_date(axis$first_day), period_end = as_date(axis$last_day))
  }
  if (!is.null(form)) {
    columns$label <- if (is.null(axis)) character() else axis_labels(axis, form)
  }
  columns
}

# The place of each period on an axis.
period_places <- function(period, axis) {
  match(as.double(period), as.double(axis_columns(axis)$period))
}
