# The commands of amounts and of time.

command_allocate <- function(given) {
  amount <- amount_given(given)
  x <- read_spans(given)
  result <- allocate(x, !!amount, by = grain_given(given), group = tidyselect::all_of(given$group),
                     digits = number_given(given, "digits"), basis = first_of(given$basis, "day"),
                     spread = first_of(given$spread, "even"), keep = given$rule, carry = tidyselect::all_of(given$carry),
                     until_as_of = isTRUE(given$until_as_of), total = isTRUE(given$total),
                     show = first_of(given$show, "amounts"), from = given$from, to = given$to, whole = given$whole,
                     calendar = calendar_given(given), label = given$label)
  hand_over(result, given)
}

command_time_in <- function(given) {
  x <- read_spans(given)
  result <- time_in(x, by = grain_given(given), group = tidyselect::all_of(given$group), unit = first_of(given$unit, "hours"),
                    calendar = calendar_given(given), bands = if (!is.null(given$bands)) lapply(given$bands, clock_words),
                    carry = tidyselect::all_of(given$carry), total = isTRUE(given$total), day_hours = day_hours_given(given),
                    from = given$from, to = given$to, whole = given$whole, label = given$label)
  hand_over(result, given)
}

day_hours_given <- function(given) {
  if (identical(given$day_hours, "working")) calendar_given(given) else number_given(given, "day-hours", 24)
}

command_elapsed <- function(given) {
  x <- read_spans(given)
  # Working hours leave no doubt that working time is meant.
  given$working <- isTRUE(given$working) || !is.null(hours_given(given))
  result <- elapsed(x, unit = given$unit, calendar = working_calendar(given), day_hours = day_hours_given(given))
  hand_over(result, given, target = number_given(given, "target"))
}

with_text <- function(result) {
  made <- about(result)
  tibble::add_column(tibble::as_tibble(result), text = elapsed_text(result[[made$value]], made$unit, day_hours = made$day_hours))
}

command_working_days <- function(given) {
  x <- read_spans(given)
  hand_over(working_days(x, calendar = calendar_given(given)), given)
}
