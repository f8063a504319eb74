# A column of starts or ends, read: days or instants, whatever it came as.
# `values` is Date or POSIXct with NA where blank; `bad` are the rows whose text
# is no date.

read_moments <- function(column, name, tz, date_order = NULL) {
  if (inherits(column, "POSIXlt")) {
    column <- as.POSIXct(column)
  }
  if (inherits(column, c("Date", "POSIXct"))) {
    on <- if (inherits(column, "Date")) "days" else "instants"
    bad <- if (on == "days") no_whole_days(column) else which(is.infinite(as.double(column)))
    if (length(bad) > 0) column[bad] <- NA
    return(list(on = on, values = column, bad = bad))
  }
  if (is.logical(column) && all(is.na(column))) {
    return(list(on = "blank", values = as_date(rep(NA, length(column))), bad = integer()))
  }
  if (is.character(column) || is.factor(column)) {
    return(read_text_moments(column, name, tz, date_order))
  }
  if (is.numeric(column) && isTRUE(date_order %in% number_orders)) {
    return(read_text_moments(number_text(column), name, tz, date_order))
  }
  refuse_moments(column, name)
}

number_text <- function(numbers) {
  ifelse(is.na(numbers), NA, format(numbers, digits = 15, scientific = FALSE, trim = TRUE))
}

refuse_moments <- function(column, name) {
  seen <- utils::head(column[!is.na(column)], 1)
  ridge_abort(
    c(paste("Column {.val {name}} must hold dates, not {.cls {class(column)[1]}} such as",
            "{.val {format(seen)}}."),
      i = paste("Write them as 2026-01-31; serial numbers of a workbook are dates with",
                "{arg_set('date_order', 'days_1900')}.")),
    "records", value = seen)
}

# Only the distinct texts are read.
read_text_moments <- function(column, name, tz, date_order = NULL) {
  texts <- if (is.factor(column)) levels(column) else unique(column)
  at <- if (is.factor(column)) as.integer(column) else match(column, texts)
  read <- read_moment_texts(texts, name, date_order)
  blank <- read$kind == 0L
  bad <- read$kind == 4L
  timed <- read$kind %in% 2:3
  if (any(timed)) {
    check_one_kind(texts, timed, read$kind == 1L, name)
    tz <- tz %||% local_zone()
    clock <- day_seconds * read$day + read$second
    seconds <- ifelse(read$kind == 3L, clock, instant_at(clock, tz))
    values <- as_instant(ifelse(timed, seconds, NA)[at], tz)
  } else {
    values <- as_date(ifelse(read$kind == 1L, read$day, NA)[at])
  }
  on <- if (any(timed)) "instants" else if (any(read$kind == 1L)) "days" else "blank"
  list(on = on, values = values, bad = which(bad[at] %in% TRUE), order = read$order)
}

check_one_kind <- function(texts, timed, dated, name) {
  if (!any(dated)) {
    return(invisible())
  }
  seen <- c(texts[dated][1], texts[timed][1])
  ridge_abort(c(paste("Column {.val {name}} holds dates ({.val {seen[1]}}) and date-times",
                      "({.val {seen[2]}})."),
                i = "Give every value a time, or none."), "records", value = seen)
}
