# A question is a verb with all its arguments, checked, as plain data: columns by their
# names, grains and dates as they were given. It can be spelled, asked again, and put to
# any engine.

# `columns` are the arguments that name columns, by name; the others are taken from the
# verb that calls, as they stand there.
new_question <- function(verb, columns = list(), ..., frame = rlang::caller_env(),
                         asked = rlang::caller_fn()) {
  show_progress(verb_name(verb), frame)
  names <- setdiff(names(formals(asked)), c("x", "..."))
  arguments <- lapply(stats::setNames(names, names), function(name) {
    value <- if (name %in% names(columns)) columns[[name]] else get(name, frame)
    if (inherits(value, "ridge_spans")) held_records(value) else value
  })
  x <- if (exists("x", frame, inherits = FALSE)) get("x", frame)
  base <- if (inherits(x, "ridge_spans")) about(x)$as_of_day else today()
  structure(list(verb = verb, arguments = arguments, columns = names(columns), ...,
                 said = said_in_words(arguments, base), then = list()), class = "ridge_question")
}

# Records that a question is also about: a handle, so that they are not saved with it.
held_records <- function(x) {
  structure(list(handle = records_handle(x)), class = "ridge_held_records")
}

# They themselves; NULL where there are none.
spans_asked <- function(arguments, arg) {
  held <- arguments[[arg]]
  if (!inherits(held, "ridge_held_records")) {
    return(held)
  }
  x <- records_of_handle(held$handle)
  if (is.null(x)) {
    ridge_abort(c("The records of {arg_name(arg)} are not in this session.",
                  i = "Ask the question again."), "argument", arg = arg)
  }
  x
}

# The question put to records once more, and the steps taken behind it.
ask_again <- function(question, x, steps = question$then) {
  arguments <- told_arguments(question$verb, question$arguments)
  held <- Filter(function(name) inherits(arguments[[name]], "ridge_held_records"), names(arguments))
  for (name in held) arguments[[name]] <- spans_asked(arguments, name)
  named <- intersect(names(arguments), question$columns)
  arguments[named] <- lapply(arguments[named], by_names)
  answer <- rlang::inject(verb_named(question$verb)(x, !!!arguments))
  for (step in steps) {
    answer <- rlang::inject(verb_named(step$verb)(answer, !!!step$arguments))
  }
  answer
}

by_names <- function(names) {
  rlang::new_quosure(rlang::expr(tidyselect::all_of(!!names)), topenv())
}

# A further step that was taken with the answer: it is spelled behind the question.
and_then <- function(question, verb, arguments) {
  question$then <- c(question$then, list(list(verb = verb, arguments = arguments)))
  question
}

# The arguments that are not what the verb has by default.
told_arguments <- function(verb, arguments) {
  method <- paste0(verb, ".ridge_spans")
  asked <- if (exists(method, topenv())) verb_named(method) else verb_named(verb)
  standard <- formals(asked)
  told <- vapply(names(arguments), function(name) {
    default <- standard[[name]]
    value <- arguments[[name]]
    if (rlang::is_missing(default)) !is.null(value)
    else if (is.null(default)) length(value) > 0
    else !identical(value, eval(default, environment(asked)))
  }, NA)
  arguments[told]
}

verb_named <- function(verb) {
  get(verb, envir = topenv())
}

# `by` names a grain; a column there belongs to `group`.
resolve_by <- function(quo, x) {
  expr <- rlang::quo_get_expr(quo)
  value <- tryCatch(rlang::eval_tidy(quo), error = function(cnd) {
    if (rlang::is_symbol(expr) && rlang::as_string(expr) %in% names(x)) {
      refuse_by_column(rlang::as_string(expr))
    }
    stop(cnd)
  })
  if (rlang::is_string(value) && value %in% names(x) && !grain_like(value)) {
    refuse_by_column(value)
  }
  as_grain(value)
}

grain_like <- function(text) {
  sub("s$", "", text) %in% grain_units
}

refuse_by_column <- function(name) {
  ridge_abort(
    c("{arg_name('by')} names a grain such as {.val month}, and {.val {name}} is a column.",
      i = paste("Say {in_r(paste0('`group = ', name, '`'), arg_set('group', name))} to break the",
                "result down by it.")),
    "argument", arg = "by", value = name)
}

# The grain, window and calendar of a verb by period as an axis, NULL where there is
# nothing to show. `until` is where it ends unless `to` says otherwise: at what the
# records know of, or at the as-of date.
ask_axis <- function(x, grain, facts, from, to, whole, calendar, reach = "window",
                     until = "known") {
  check_calendar(calendar)
  timeline <- timeline_of(x)
  if (grain$unit == "hour" && on_days(timeline)) {
    ridge_abort(c("{arg_set('by', 'hour')} needs spans on instants; these are on days.",
                  i = "Use {.val day} or more, or declare columns that hold times."), "argument",
                arg = "by", value = "hour")
  }
  if (until == "as_of" && !is.null(facts$first)) {
    facts$last <- max(about(x)$as_of_day, facts$first)
    facts$stop_tick <- max(about(x)$as_of_stop, tick_after(facts$first_tick, timeline))
  }
  window <- resolve_window(from, to, whole, calendar, facts, timeline, about(x)$as_of_day)
  hours <- hour_window(window, from, to, whole, facts, timeline)
  window_axis(grain, window, calendar, timeline, hours, facts, reach)
}

# How many of the periods shown begin after the as-of date.
after_as_of_words <- function(axis, x) {
  if (is.null(axis)) {
    return(NULL)
  }
  n <- sum(axis$first >= about(x)$as_of_stop)
  if (n > 0) paste(count_of(n, "period"), if (n == 1) "lies" else "lie", "after the as-of date")
}
