#' Lengths of time as words, as a running clock, as parts
#'
#' `elapsed_text()` says a length of time in words ("11 days 6 hours"), as a
#' running clock (`42:15:00`) or in ISO 8601 (`P11DT6H`). `elapsed_parts()` splits
#' it into columns. `elapsed_number()` reads ISO 8601 durations.
#'
#' @param x Numbers in `unit`, such as [elapsed()] gives; negative ones keep their
#'   sign, missing ones stay missing. For `elapsed_number()` text such as
#'   `"P1DT2H30M"`.
#' @param unit The unit of the numbers: `"seconds"` to `"weeks"`.
#' @param parts How many parts the words have at the most; `NULL`: as many as there are,
#'   to the second. The last one is rounded, and where that loses something the words
#'   begin with "about"; parts of 0 are left out.
#' @param digits How many decimal digits the last part has, 0 to 6.
#' @param largest The largest unit that is used: `"hours"` gives "270 hours".
#' @param day_hours How many hours make a day, 7 of which make a week: 24, another
#'   number, or a calendar: the hours of its working day, and of its week.
#' @param form `"words"`, `"clock"` (hours, minutes and seconds) or `"iso"`.
#' @return `elapsed_text()`: text. `elapsed_parts()`: a tibble with `days`, `hours`,
#'   `minutes` (whole numbers) and `seconds` (to the microsecond), which add up to the
#'   length. `elapsed_number()`: numbers, NA where the text is missing.
#' @section Errors:
#' A wrong argument is an error of class `ridge_error_argument`; text that is no
#' duration, or one of months or years, which have no fixed length, is of class
#' `ridge_error_records` and names its row.
#' @examples
#' elapsed_text(c(270, 30.25, 2 / 3), "hours")
#' elapsed_text(18.25, "hours", parts = 1, digits = 2, largest = "hours")
#' elapsed_text(93.5, "hours", day_hours = calendar_rules(hours = c("09:00", "17:30")))
#' elapsed_text(42.25, "hours", form = "clock")
#' elapsed_parts(c(366, -0.51), "hours")
#' elapsed_number(c("P1DT2H30M", "PT90S"), "minutes")
#' @export
elapsed_text <- function(x, unit = "hours", parts = NULL, digits = 0, largest = "days",
                         day_hours = 24, form = "words") {
  seconds <- seconds_given(x, unit, day_hours)
  check_choice(form, c("words", "clock", "iso"), "form")
  check_choice(largest, names(time_units), "largest")
  check_amount(digits, "digits", whole = TRUE, most = 6)
  if (!is.null(parts) && check_amount(parts, "parts", whole = TRUE) < 1) {
    ridge_abort("{arg_name('parts')} must be 1 or more.", "argument", arg = "parts", value = parts)
  }
  sizes <- vapply(names(time_units), unit_seconds, 0, day_hours)
  text <- switch(form, clock = clock_text(abs(seconds), digits),
                 iso = iso_text(abs(seconds), sizes[["days"]] == day_seconds),
                 words = in_words(abs(seconds), rev(sizes[seq_len(match(largest, names(sizes)))]),
                                  parts, digits, unit))
  text <- ifelse(seconds < 0 & grepl("[1-9]", text), sub("^(about )?", "\\1-", text), text)
  replace(text, is.na(seconds), NA)
}

seconds_given <- function(x, unit, day_hours) {
  if (!is.numeric(x) && !all(is.na(x))) {
    ridge_abort(c("{arg_name('x')} must be numbers, not {.val {describe(x)}}.",
                  i = "{.fn elapsed} gives them."), "argument", arg = "x", value = x)
  }
  as.double(x) * unit_seconds(unit, day_hours)
}

# From the largest unit down: the first that is not 0 begins, `parts` follow each
# other, and what is rounded up fills the next larger one. What was rounded says so.
in_words <- function(seconds, sizes, parts, digits, unit) {
  names <- names(sizes)
  known <- ifelse(is.finite(seconds), seconds, 0)
  parts <- parts %||% length(sizes)
  begin <- first_unit(known, sizes)
  last <- pmin(begin + parts - 1, length(sizes))
  step <- sizes[last] / 10^digits
  rounded <- round(known / step) * step
  begin <- first_unit(rounded, sizes)
  last <- pmin(begin + parts - 1, last)
  text <- rep("", length(known))
  left <- rounded
  for (i in seq_along(sizes)) {
    ends <- i == last
    # A hair more, so that 3 days are not 2 and 24 hours.
    whole <- ifelse(ends, round(left / sizes[i], digits), floor(left / sizes[i] + 1e-9))
    used <- i >= begin & i <= last & whole > 0
    shown <- paste(format_plain(whole, digits),
                   ifelse(whole == 1, sub("s$", "", names[i]), names[i]))
    text <- ifelse(used, trimws(paste(text, shown)), text)
    left <- ifelse(used, left - whole * sizes[i], left)
  }
  text <- ifelse(text == "", paste("0", unit), text)
  # To the microsecond, which lengths hold.
  ifelse(round(abs(rounded - known), 6) > 0, paste("about", text), text)
}

# The place of the first unit that a length holds once; the last where none does.
first_unit <- function(seconds, sizes) {
  place <- rep(length(sizes), length(seconds))
  for (i in rev(seq_along(sizes))) place[seconds >= sizes[i] * (1 - 1e-12)] <- i
  place
}

clock_text <- function(seconds, digits) {
  seconds <- round(seconds, digits)
  width <- if (digits > 0) digits + 3 else 2
  paste0(formatC(seconds %/% hour_seconds, format = "f", digits = 0, width = 2, flag = "0"), ":",
         sprintf("%02d", as.integer(seconds %% hour_seconds %/% 60)), ":",
         formatC(seconds %% 60, format = "f", digits = digits, width = width, flag = "0"))
}

iso_text <- function(seconds, whole_days) {
  seconds <- round(seconds, 6)
  days <- if (whole_days) seconds %/% day_seconds else 0 * seconds
  rest <- seconds - day_seconds * days
  part <- function(value, sign, digits = 0) ifelse(value > 0,
      paste0(gsub(",", "", format_plain(value, digits)), sign), "")
  clock <- paste0(part(rest %/% hour_seconds, "H"), part(rest %% hour_seconds %/% 60, "M"),
                  part(round(rest %% 60, 6), "S", 6))
  text <- paste0("P", part(days, "D"), ifelse(clock == "", "", paste0("T", clock)))
  ifelse(text == "P", "PT0S", text)
}

#' @rdname elapsed_text
#' @export
elapsed_parts <- function(x, unit = "hours", day_hours = 24) {
  seconds <- round(seconds_given(x, unit, day_hours), 6)
  sign <- sign(seconds)
  left <- abs(seconds)
  day <- unit_seconds("days", day_hours)
  days <- floor(left / day + 1e-12)
  left <- round(left - days * day, 6)
  tibble::tibble(days = sign * days, hours = sign * (left %/% hour_seconds),
                 minutes = sign * (left %% hour_seconds %/% 60),
                 seconds = sign * round(left %% 60, 6))
}

#' @rdname elapsed_text
#' @export
elapsed_number <- function(x, unit = "hours", day_hours = 24) {
  x <- as.character(x)
  read <- iso_durations(x)
  wrong <- which(is.na(read$days) & !is.na(x))
  if (length(wrong) > 0) {
    ridge_abort(c("{.val {x[wrong[1]]}} (row {wrong[1]}) is no ISO 8601 duration.",
                  i = "Write it as {.val P1DT2H30M}."), "records", arg = "x", row = wrong[1],
                value = x[wrong[1]])
  }
  monthly <- which(read$months != 0)
  if (length(monthly) > 0) {
    row <- monthly[1]
    ridge_abort(
      c("{.val {x[row]}} (row {row}) has months or years, which have no fixed length.",
        i = "Read it with its start as an interval: see {.fn read_intervals}."), "records",
      arg = "x", row = row, value = x[row])
  }
  (read$days * unit_seconds("days", day_hours) + read$seconds) / unit_seconds(unit, day_hours)
}
