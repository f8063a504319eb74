# What the columns of a file are, by their values: moments, clocks, numbers, labels, codes.

# Each column of the records with its kind and what is known of it.
look_at_columns <- function(records, told) {
  columns <- lapply(names(records), function(name) {
    look_at_column(records[[name]], name, told)
  })
  stats::setNames(columns, names(records))
}

look_at_column <- function(column, name, told) {
  blank <- is_blank(column)
  known <- column[!blank]
  seen <- list(name = name, n = length(column), blank = sum(blank), kind = "other",
               distinct = length(unique(known)), values = column)
  if (length(known) == 0) {
    return(utils::modifyList(seen, list(kind = "blank")))
  }
  moments <- look_at_moments(column, name, told)
  if (!is.null(moments)) {
    return(utils::modifyList(seen, moments))
  }
  if (are_clocks(known)) seen$kind <- "clock"
  else if (is.numeric(known)) seen <- look_at_numbers(seen, known)
  else if (is.character(known) || is.factor(known)) {
    seen <- look_at_labels(seen, as.character(known))
  }
  seen
}

# Moments, with texts among them that say "open" and ends that lie out of reach.
look_at_moments <- function(column, name, told) {
  if (inherits(column, "IDate")) column <- as_date(unclass(column))
  if (is.character(column) && all_intervals(column)) {
    return(list(kind = "intervals"))
  }
  words <- character()
  if (is.character(column)) {
    texts <- unique(column[!is_blank_text(column)])
    form <- read_date_text(tolower(texts), month_words())$form
    dated <- form %in% 1:2
    share <- mean(column[!is_blank_text(column)] %in% texts[dated])
    words <- texts[!dated]
    # A few words that come again stand for something; other texts are no dates at all.
    if (!any(dated) || length(words) > 3 || share < 0.2) {
      return(NULL)
    }
    column[column %in% words] <- NA
  } else if (!inherits(column, c("Date", "POSIXct"))) {
    return(NULL)
  }
  read <- read_moments(column, name, told$tz, told$date_order)
  if (length(read$bad) > 0.05 * length(column)) {
    return(NULL)
  }
  days <- if (inherits(read$values, "Date")) read$values
  else as.Date(read$values, tz = attr(read$values, "tzone")[1] %||% "UTC")
  known <- days[!is.na(days)]
  far <- unique(known[known > as.Date("2200-01-01")])
  list(kind = "moment", on = read$on, order = read$order, days = days,
       ticks = as.double(read$values), words = words, far = far, bad = length(read$bad))
}

are_clocks <- function(known) {
  texts <- trimws(as.character(a_few(known)))
  form <- "^([01]?[0-9]|2[0-4])[:.h][0-5][0-9]( ?[ap]m)?$|^([01]?[0-9]|2[0-4])[0-5][0-9]$"
  with_mark <- grepl("[:.h]", texts)
  # Whole numbers alone are clocks only where they go up to 2359 in minutes.
  numbers <- is.numeric(known)
  fits <- if (numbers) clock_numbers(known) else any(with_mark)
  fits && all(grepl(form, tolower(texts)))
}

clock_numbers <- function(known) {
  all(known == round(known)) && all(known >= 0 & known < 2400) && all(known %% 100 < 60) &&
    length(unique(known)) > 5 && max(known) > 1200
}

look_at_numbers <- function(seen, known) {
  whole <- all(known == round(known))
  share <- all(known > 0 & known <= 1) && !all(known == 1)
  seen$kind <- if (share) "share" else if (whole && seen$distinct == seen$n) "code" else "number"
  seen$whole <- whole
  seen
}

# Codes have letters and digits of one form; labels come again.
look_at_labels <- function(seen, known) {
  coded <- mean(grepl("^[A-Za-z]{0,5}[-_. /]?[0-9]{1,12}[A-Za-z]?$", a_few(known)))
  seen$coded <- coded
  seen$kind <- if (coded > 0.9) "code"
  else if (seen$distinct <= max(20, 0.05 * seen$n) && seen$distinct < 0.7 * seen$n) "label"
  else "text"
  seen
}
