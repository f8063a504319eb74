# Times of day as people write them, in seconds from midnight.

# Only the distinct clocks are read.
clock_seconds <- function(clock, arg) {
  if (inherits(clock, "difftime")) {
    seconds <- as.numeric(clock, units = "secs")
    return(refuse_clocks(ifelse(seconds >= 0 & seconds <= day_seconds, seconds, NA), clock, arg))
  }
  if (inherits(clock, "ITime")) {
    return(as.double(clock))
  }
  if (!is.numeric(clock) && !is.character(clock) && !is.factor(clock) && !all(is.na(clock))) {
    ridge_abort("{arg_name(arg)} must be clocks as text or numbers, not {.val {describe(clock)}}.",
                "argument", arg = arg, value = clock)
  }
  distinct <- unique(clock)
  read <- if (is.numeric(distinct)) number_seconds(distinct)
  else text_seconds(as.character(distinct))
  refuse_clocks(read[match(clock, distinct)], clock, arg)
}

refuse_clocks <- function(seconds, clock, arg) {
  blank <- is.na(clock) | is_blank(if (is.factor(clock)) as.character(clock) else clock)
  wrong <- which(is.na(seconds) & !blank)
  if (length(wrong) > 0) {
    first <- utils::head(wrong, 5)
    n <- length(wrong)
    seen <- as.character(clock[first])
    ridge_abort(
      c(paste("{arg_name(arg)}: {n} value{?s} {?is/are} no time of day: {.val {seen}}",
              "({cli::qty(length(first))}row{?s} {first})."),
        i = "Write them as 6:30, 0630 or 6:30 PM, from 0:00 to 24:00."), "records", arg = arg,
      row = first, value = seen)
  }
  seconds
}

hours_and_minutes <- function(hour, minute, second = 0) {
  good <- minute < 60 & second < 60 & (hour < 24 | (hour == 24 & minute == 0 & second == 0))
  ifelse(good, hour_seconds * hour + 60 * minute + second, NA)
}

# 630 is 06:30; 0.78125 is 18:45; 18.45 is 18:45, where a table lost the text.
number_seconds <- function(number) {
  whole <- number == round(number)
  hundredths <- round(100 * number)
  dotted <- abs(100 * number - hundredths) < 1e-6
  seconds <- ifelse(number > 0 & number < 1, round(day_seconds * number),
    ifelse(number < 0 | number > 2400, NA,
      ifelse(whole, hours_and_minutes(number %/% 100, number %% 100),
        ifelse(dotted, hours_and_minutes(hundredths %/% 100, hundredths %% 100), NA))))
  as.double(seconds)
}

clock_pattern <- paste("^([0-9]{1,2})(?:[:.h]([0-9]{2})(?:[:.]([0-9]{2}(?:[.,][0-9]+)?))?)?",
                       "*(am|pm|a[.]m[.]|p[.]m[.])?$")

text_seconds <- function(text) {
  text <- tolower(trimws(text))
  plain <- grepl("^[0-9]{1,4}$", text) | grepl("^0?[.][0-9]+$", text)
  seconds <- rep(NA_real_, length(text))
  seconds[plain] <- number_seconds(as.double(text[plain]))
  worded <- which(!plain & grepl(clock_pattern, text, perl = TRUE))
  part <- function(i) sub(clock_pattern, paste0("\\", i), text[worded], perl = TRUE)
  number <- function(words) ifelse(nzchar(words), suppressWarnings(as.double(sub(",", ".", words))),
                                   0)
  half <- substr(part(4), 1, 1)
  hour <- number(part(1))
  hour <- ifelse(half == "", hour,
                 ifelse(hour < 1 | hour > 12, NA, hour %% 12 + 12 * (half == "p")))
  seconds[worded] <- hours_and_minutes(hour, number(part(2)), number(part(3)))
  seconds
}
