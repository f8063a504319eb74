# What the verbs by period share: grain, window and axis, checked.

# `by` names a grain; a column there belongs to `group`.
resolve_by <- function(quo, x, default) {
  expr <- rlang::quo_get_expr(quo)
  value <- tryCatch(rlang::eval_tidy(quo), error = function(cnd) {
    if (rlang::is_symbol(expr) && rlang::as_string(expr) %in% names(x)) {
      refuse_by_column(rlang::as_string(expr))
    }
    stop(cnd)
  })
  if (is.null(value)) {
    value <- default
  }
  if (rlang::is_string(value) && value %in% names(x) && !grain_like(value)) {
    refuse_by_column(value)
  }
  as_grain(value)
}

grain_like <- function(text) {
  sub("s$", "", text) %in% grain_units
}

refuse_by_column <- function(name) {
  ridge_abort(c("{.arg by} names a grain such as {.val month}, and {.val {name}} is a column.",
                i = "Say {.code group = {name}} to break the result down by it."), "argument")
}

# The window of a spans object as an axis; NULL where there is nothing to show.
resolve_axis <- function(x, grain, from, to, whole, calendar) {
  check_calendar(calendar)
  how <- about(x)
  if (grain$unit == "hour" && is.null(how$tz)) {
    ridge_abort(c("{.arg by} = {.val hour} needs spans on instants; these are on days.",
                  i = "Use {.val day} or more, or declare columns that hold times."), "argument")
  }
  facts <- span_facts(x)
  window <- resolve_window(from, to, whole, calendar, facts, how$tz)
  hours <- if (!is.null(how$tz)) hour_window(window, from, to, whole, facts, how$tz)
  window_axis(grain, window, calendar, how$tz, hours)
}

# By hour a window is cut to the hours asked for: instants as they are, days whole.
hour_window <- function(window, from, to, whole, facts, tz) {
  if (is.null(window)) {
    return(NULL)
  }
  days <- day_starts(c(window$from, window$to + 1L), tz)
  # The hour that holds the last moment asked for is shown, so that moment counts.
  edge <- function(given, known, whole_day, beyond = 0) {
    if (!is.null(whole)) whole_day
    else if (inherits(given, "POSIXt")) as.numeric(given) + beyond
    else if (is.null(given)) known
    else whole_day
  }
  list(from = edge(from, facts$first_tick, days[1]), to = edge(to, facts$stop_tick, days[2], beyond = 1e-6))
}
