#' Against another period, or another group
#'
#' Puts beside each value of a result the one it is compared with, their difference
#' and what percent of that one it is.
#'
#' What it is compared with is looked up among the periods of the result. A period before
#' its window is asked of the records, as long as these are in the session and go back so
#' far, and the line says so. Where there is none, `against_label` says "nothing there" and
#' the numbers are `NA`.
#'
#' @param result A result of [active()], [movement()], [allocate()] or
#'   [time_within()] by group or in all.
#' @param against What to compare with: `"period_before"` (the default);
#'   `"year_before"`, the same period a year before (of days the same date, of weeks
#'   that 52 weeks before, of years by a pattern of [own_periods()] the one at the same
#'   place); a date: the period that holds it; a group such as
#'   `"Whinfell"`, where groups are of several columns a named list with the value of
#'   each, such as `list(station = "Whinfell", role = "trainee")`; `"total"`: the line
#'   over all groups.
#' @param values The column that is compared; `NULL`: the verb's own.
#' @return A tibble: the group columns, `total` where it was there, `period`,
#'   `period_end`, the value, `against_label`, `against`, `difference` (value less
#'   that) and `percent` (100 times difference by it, `NA` where it is 0).
#' @section Errors:
#' A period or group that the result does not have is an error of class
#' `ridge_error_argument`.
#' @examples
#' staff <- spans(demo_records("postings"), first_day, last_day, key = observer,
#'                as_of = "2026-06-30")
#' quarters <- active(staff, by = "quarter", from = "2025-01-01")
#' versus(quarters, "year_before")
#' halves <- active(staff, by = "6 months", group = station, from = "2025-07-01")
#' versus(halves, "Whinfell")
#' @export
versus <- function(result, against = "period_before", values = NULL) {
  check_comparable(result)
  made <- about(result)
  values <- check_choice(values %||% made$main, made$values, "values")
  found <- if (nrow(result) == 0) list(labels = character(), words = "nothing")
  else found_for(result, with_base(result, against), against, values)
  value <- result[[values]]
  other <- found$other %||% value
  digits <- made$question$arguments$digits
  difference <- if (is.null(digits)) value - other else round(value - other, digits)
  plain <- plain_tibble(result)
  columns <- c(
    as.list(plain[setdiff(names(plain), setdiff(made$values, values))]),
    list(against_label = as.character(ifelse(is.na(found$labels), "nothing there", found$labels)),
         against = other, difference = difference,
         percent = as.double(ifelse(is.na(other) | other == 0, NA, 100 * difference / other))))
  missing <- sum(is.na(found$labels))
  without <- if (missing > 0) paste0(", ", count_of(missing, "row"), " with nothing to compare")
  words <- sub("[.]$", paste0("; ", values, " compared with ", found$words, without, "."),
               made$conventions)
  compared(result, columns, words, values, against)
}

# The values that those of each row are compared with, how they are named, and the words.
found_for <- function(result, wider, against, values) {
  rows <- if (identical(wider, result)) seq_len(nrow(result)) else rows_in_wider(result, wider)
  found <- find_other(wider, against)
  since <- if (nrow(wider) > nrow(result)) {
    paste(", looked up from", format(as_date(axis_days(about(wider)$axis)[1])), "on")
  }
  at <- found$at[rows]
  list(other = wider[[values]][at], labels = ifelse(is.na(at), NA, found$labels[rows]),
       words = paste0(found$words, since))
}

# The same lines and periods with other measures.
compared <- function(result, columns, words, values, against) {
  made <- about(result)
  made$question <- and_then(made$question, "versus", list(against = against, values = values))
  made$conventions <- words
  made$values <- c(values, "against", "difference", "percent")
  made$main <- "difference"
  made$adds <- NULL
  made$fill <- NA
  tibble::new_tibble(columns, nrow = nrow(result), ridge = made,
                     class = c("ridge_versus", "ridge_by_period", "ridge_result"))
}

check_comparable <- function(result) {
  verbs <- c("active", "movement", "allocate", "time_within")
  fits <- inherits(result, "ridge_by_period") && !inherits(result, "ridge_versus") &&
    about(result)$question$verb %in% verbs
  if (!fits) {
    ridge_abort(
      c("{verb_name('versus')} compares results by period and group: {describe(result)} is none.",
        i = in_r(paste("Give it what {.fn active}, {.fn movement} or, with {arg_name('group')}",
                       "or {arg_name('total')}, {.fn allocate} or {.fn time_within} returned."),
                 "Compare totals: say {arg_name('group')} or {arg_name('total')}.")),
      "argument", arg = "result", value = result)
  }
}

# The row that each row is compared with, how that is named, and what it is in words.
find_other <- function(result, against) {
  made <- about(result)
  cells <- cells_of(result)
  size <- axis_size(made$axis)
  against <- group_said(made, against)
  if (is.list(against) || identical(against, "total")) {
    line <- other_line(made, against)
    name <- line_labels(made)[line]
    words <- if (identical(against, "total")) "the line over all groups" else name
    return(list(at = match((line - 1L) * size + cells$place, rows_left(result)),
                labels = rep(name, nrow(result)), words = words))
  }
  other <- other_places(made$axis, against)
  labels <- axis_labels(made$axis, "code")[other]
  words <- switch(if (rlang::is_string(against)) against else "date",
                  period_before = "the period before",
                  year_before = year_before_words(made$axis, other), labels[1])
  at <- match((cells$line - 1L) * size + other[cells$place], rows_left(result))
  list(at = at, labels = labels[cells$place], words = words)
}

# A period of a year of 53 weeks may be compared with a shorter one, or a shorter with it.
year_before_words <- function(axis, other) {
  if (is.null(axis$own_year)) {
    return("the same period a year before")
  }
  weeks <- (axis$last_day - axis$first_day + 1L) / 7L
  uneven <- which(!is.na(other) & weeks != weeks[other])
  shown <- utils::head(uneven, 3)
  labels <- axis_labels(axis, "code")
  pairs <- sprintf("%s of %d weeks with %s of %d", labels[shown], weeks[shown],
                   labels[other[shown]], weeks[other[shown]])
  more <- if (length(uneven) > 3) sprintf(" and %d more", length(uneven) - 3)
  paste0("the period at the same place of the year before",
         if (length(uneven)) paste0(" (", paste(pairs, collapse = ", "), more, ")"))
}

# For each place of the axis the one that it is compared with.
other_places <- function(axis, against) {
  size <- axis_size(axis)
  if (is_day(against)) {
    return(rep(place_of_day(axis, as_single_day(against, "against", zone_of(axis$timeline))), size))
  }
  check_choice(against, against_words, "against")
  if (against == "period_before") c(NA_integer_, seq_len(size - 1L)) else year_before(axis)
}

place_of_day <- function(axis, day) {
  first <- if (is_hourly(axis)) day_of_tick(axis$first, axis$timeline) else axis$first_day
  last <- if (is_hourly(axis)) first else axis$last_day
  at <- which(first <= day & last >= day)[1]
  if (is.na(at)) {
    days <- format(as_date(c(day, first[1], last[length(last)])))
    ridge_abort(c("{arg_name('against')}: no period of the result holds {days[1]}.",
                  i = "They run from {days[2]} to {days[3]}."), "argument", arg = "against",
                value = days[1])
  }
  at
}

# The place of the period that began a year before: on the same day of that year,
# of weeks 52 weeks earlier.
year_before <- function(axis) {
  if (!is.null(axis$own_year)) {
    return(match(paste(axis$own_year - 1L, axis$own_nth), paste(axis$own_year, axis$own_nth)))
  }
  if (is_hourly(axis) || axis$grain$unit == "own") {
    ridge_abort(c(paste("{arg_set('against', 'year_before')} needs periods of a grain of a day or",
                        "more, or of years by a pattern."),
                  i = "Say {arg_set('against', 'period_before')}, or a date."), "argument",
                arg = "against")
  }
  first <- axis$first_day
  weekly <- axis$grain$unit == "week"
  earlier <- if (weekly) first - 364L else add_months(first, rep(-12L, length(first)))
  # 29 February has no such day a year before.
  gone <- !weekly & civil_dates(as.integer(earlier))$day != civil_dates(first)$day
  ifelse(gone, NA_integer_, match(earlier, first))
}

# The line of a group, or of all groups.
other_line <- function(made, against) {
  if (identical(against, "total")) {
    if (!made$total) {
      ridge_abort(c("{arg_set('against', 'total')} needs the line over all groups.",
                    i = "Ask for it with {arg_set('total', TRUE)}."), "argument", arg = "against")
    }
    return(made$line_count)
  }
  if (length(made$groups) == 0 || !setequal(names(against), made$groups)) {
    ridge_abort(
      c("{arg_name('against')} must name a value for each group column: {.val {made$groups}}.",
        i = in_r("Such as {.code list(station = \"Whinfell\")}.", "Several with a comma between.")),
      "argument", arg = "against")
  }
  met <- Reduce(`&`, lapply(made$groups, function(name) {
    values <- made$lines[[name]]
    wanted <- against[[name]]
    if (is.na(wanted)) is.na(values) else as.character(values) %in% as.character(wanted)
  }))
  if (!any(met)) {
    wanted <- paste(unlist(against), collapse = ", ")
    known <- utils::head(line_names(made$lines), 20)
    ridge_abort(c("{arg_name('against')}: there is no group {.val {wanted}}.",
                  i = "Groups are {.val {known}}."), "argument", arg = "against", value = wanted)
  }
  which(met)[1]
}

#' @export
sentences.ridge_versus <- function(object) {
  known <- which(!is.na(object$difference))
  if (length(known) == 0) {
    return("No row has anything to be compared with.")
  }
  made <- about(object)
  cells <- cells_of(object)
  name <- function(i) {
    line <- if (length(made$groups)) paste0(line_labels(made)[cells$line[i]], ", ")
    paste0(line, period_labels(made)[cells$place[i]])
  }
  signed <- function(x) paste0(if (x > 0) "+", format_plain(x, if (x == round(x)) 0 else 2))
  most <- function(i, words) paste0("The most ", words, " is ", signed(object$difference[i]), " (",
                                    name(i), ").")
  difference <- object$difference[known]
  up <- known[which.max(difference)]
  down <- known[which.min(difference)]
  c(paste0("Of ", count_of(length(known), "value"), " compared, ", sum(difference > 0),
           " are above and ", sum(difference < 0), " below."),
    if (object$difference[up] > 0) most(up, "above"),
    if (object$difference[down] < 0) most(down, "below"))
}

# Every value as the question gives it, every value it is compared with as that of the
# period or group that is named beside it, and every difference.
#' @export
source_checks.ridge_versus <- function(result, x) {
  made <- about(result)
  value <- made$values[1]
  whole <- ask_again(made$question, x, NULL)
  long <- whole[rows_left(result), ]
  checks <- c(source_checks(long, x),
              cell_checks("values of the question", long[[value]], result[[value]], TRUE),
              cell_checks("differences", result[[value]] - result$against, result$difference,
                          FALSE),
              cell_checks("percents", 100 * result$difference / result$against, result$percent,
                          FALSE))
  if (!"against_label" %in% names(result)) {
    return(checks)
  }
  against <- utils::tail(made$question$then, 1)[[1]]$arguments$against
  wider <- with_base(whole, against, x)
  axis <- about(wider)$axis
  place <- match(result$against_label, axis_labels(axis, "code"))
  line <- cells_of(result)$line
  if (all(is.na(place))) {
    line <- match(result$against_label, line_labels(made))
    place <- match(as.double(made$axis$first), as.double(axis$first))[cells_of(result)$place]
  }
  other <- wider[[value]][(line - 1) * axis_size(axis) + place]
  c(checks, cell_checks("values compared with", other, result$against, TRUE))
}
