# The commands of what moves, lasts and is compared.

command_movement <- function(given) {
  x <- read_spans(given)
  result <- movement(x, by = grain_given(given), group = tidyselect::all_of(given$group), of = given$of, returned = isTRUE(given$returned),
                     rates = isTRUE(given$rates), total = isTRUE(given$total), from = given$from, to = given$to, whole = given$whole,
                     calendar = calendar_given(given), label = given$label)
  hand_over(result, given, panels = first_of(given$panels, "groups"))
}

command_cohorts <- function(given) {
  x <- read_spans(given)
  if (isTRUE(given$lasting)) {
    refuse_unused(given, c("by", "count", "first_stay", "from", "to", "week_starts", "year_starts", "cells", "wide"), "lasting")
    return(hand_over(lasting(x, group = tidyselect::all_of(given$group), unit = first_of(given$unit, "months")), given))
  }
  refuse_unused(given, "unit", "lasting", without = TRUE)
  result <- cohorts(x, by = grain_given(given), group = tidyselect::all_of(given$group), count = first_of(given$count, "any_day"),
                    returns = !isTRUE(given$first_stay), from = given$from, to = given$to, calendar = calendar_given(given))
  hand_over(result, given, show = first_of(given$cells, "percent"))
}

# Options that would be passed over in silence.
refuse_unused <- function(given, options, beside, without = FALSE) {
  unused <- Filter(function(option) !is.null(given[[option]]), options)
  if (length(unused) > 0) {
    usage_abort("{.code --{gsub('_', '-', unused[1])}} plays no part {if (without) 'without' else 'with'} {.code --{beside}}.")
  }
}

command_versus <- function(given) {
  used <- list(active = c("count", "of"), movement = "of", allocate = c("amount", "digits"), `time-in` = character())
  what <- first_of(given$compare, "active")
  refuse_unused(given, setdiff(unlist(used), used[[what]]), paste("compare", what))
  x <- read_spans(given)
  total <- isTRUE(given$total)
  common <- list(by = grain_given(given), from = given$from, to = given$to, whole = given$whole, calendar = calendar_given(given), label = given$label)
  ask <- function(verb, ...) do.call(verb, c(list(x, ..., group = rlang::expr(tidyselect::all_of(!!given$group))), common))
  result <- switch(what,
    active = ask(active, count = given$count, of = given$of, total = total),
    movement = ask(movement, of = given$of, total = total),
    allocate = ask(allocate, amount = amount_given(given), digits = number_given(given, "digits"), total = total || length(given$group) == 0),
    `time-in` = ask(time_in, total = total || length(given$group) == 0))
  hand_over(versus(result, base_given(given), values = given$values), given)
}

amount_given <- function(given) {
  if (is.null(given$amount)) usage_abort("{.code --amount} must name the column of amounts.")
  rlang::expr(tidyselect::all_of(!!given$amount))
}

# Words and dates are bases of their own; else it names a value for each group.
base_given <- function(given) {
  base <- first_of(given$base, "previous")
  if (base %in% c("previous", "year_before", "total") || grepl("^[0-9]{4}-", base)) {
    return(base)
  }
  if (length(given$group) == 0) {
    usage_abort("{.code --base} takes previous, year_before, a date or, with {.code --group}, one of its values, not {.val {base}}.")
  }
  values <- split_words(base)
  if (length(values) != length(given$group)) {
    usage_abort("{.code --base} must give a value for each of {.val {given$group}}, not {.val {base}}.")
  }
  stats::setNames(as.list(values), given$group)
}
