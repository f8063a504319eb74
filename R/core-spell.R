# A question spelled in R, on one line or, where that is long, an argument to a line.

spell_in_r <- function(question, x) {
  steps <- c(spell_records(x),
             spell_call(question$verb, told_arguments(question$verb, question$arguments),
                        question$columns),
             vapply(question$then, function(step) {
               spell_call(step$verb, told_arguments(step$verb, step$arguments), character())
             }, ""))
  paste(steps, collapse = " |>\n  ")
}

# Where the records come from, how they were declared, and what was known.
spell_records <- function(x) {
  told <- about(x)$told
  if (!is.null(about(x)$lists)) {
    return(c(spell_lists(about(x)$lists), spell_seen(told)))
  }
  data <- if (is.null(told$reading)) told$data
  else spell_call(reader_of(told), reading_arguments(told), character())
  c(paste(c(data, spell_call("spans", declared_arguments(x), record_columns)),
          collapse = " |>\n  "), spell_seen(told))
}

# Lists that were bound as one, each as it was declared.
spell_lists <- function(lists) {
  spelled <- vapply(lists, function(list) {
    gsub("\n *", " ", paste(spell_records(list), collapse = " |> "))
  }, "")
  names <- vapply(names(lists), function(name) rlang::expr_text(as.name(name)), "")
  paste0("bind_spans(\n  ", paste(names, "=", spelled, collapse = ",\n  "), "\n)")
}

spell_seen <- function(told) {
  vapply(told$seen_on, function(date) spell_call("as_seen_on", list(date), character()), "")
}

# By which function files were read.
reader_of <- function(told) {
  told$reader %||% "read_records"
}

# The path by its place, then what is not as usual.
reading_arguments <- function(told) {
  arguments <- told_arguments(reader_of(told), told$reading)
  for (name in intersect(c("keep", "leave_out"), names(arguments))) {
    arguments[[name]] <- as.list(arguments[[name]])
  }
  names(arguments)[names(arguments) == "path"] <- ""
  arguments
}

record_columns <- c("start", "end", "key", "weight", "row")

# What was said when the records were declared; the as-of date always.
declared_arguments <- function(x) {
  how <- about(x)
  told <- how$told
  end <- if (is.null(how$names$end)) list(end = NULL) else list(end = how$names$end)
  usual <- on_days(how$timeline)
  said <- c(list(start = how$names$start), end, list(key = how$names$key, weight = how$names$weight,
            end_counts = if (how$end_counts != usual) how$end_counts, means_open = told$means_open),
            list(as_of = told$as_of, tz = told$tz, date_order = told$date_order,
                 days = told$days, where = told$where, row = how$names$row,
                 unusable = if (identical(told$unusable, "set_aside")) "set_aside"))
  keep <- vapply(names(said), function(name) name == "end" || length(said[[name]]) > 0, NA)
  said <- said[keep]
  names(said)[names(said) %in% c("start", "end")] <- ""
  said
}

spell_call <- function(verb, arguments, columns) {
  names <- names(arguments) %||% rep("", length(arguments))
  # The first two columns of spans() come by place.
  by_place <- verb == "spans" & names == ""
  values <- lapply(seq_along(arguments), function(i) {
    if (names[i] %in% columns || by_place[i]) spell_columns(arguments[[i]])
    else spell_argument(arguments[[i]])
  })
  shown <- ifelse(names == "", unlist(values), paste(names, "=", unlist(values)))
  paste0(verb, "(", paste(shown, collapse = ", "), ")")
}

spell_columns <- function(names) {
  if (is.null(names) || length(names) == 0) {
    return("NULL")
  }
  if (anyNA(names)) {
    return("NA")
  }
  shown <- vapply(names, function(name) {
    if (make.names(name) == name) name else paste0("`", gsub("`", "\\\\`", name), "`")
  }, "")
  if (length(shown) == 1) shown else paste0("c(", paste(shown, collapse = ", "), ")")
}

spell_argument <- function(value) {
  if (inherits(value, "ridge_calendar")) {
    return(spell_call("calendar_rules", calendar_arguments(value), character()))
  }
  if (inherits(value, "ridge_own_periods") && !is.null(value$how)) {
    return(spell_call("own_periods", spelled_week_years(value$how), character()))
  }
  if (inherits(value, "ridge_own_periods")) {
    return(spell_call("own_periods", list(as_date(value$first), as_date(max(value$stop) - 1L),
                                          labels = value$labels), character()))
  }
  if (inherits(value, "ridge_held_records")) {
    return(paste(spell_records(spans_asked(list(y = value), "y")), collapse = " |> "))
  }
  if (inherits(value, "POSIXt")) {
    tz <- attr(value, "tzone")[1]
    return(spell_call("as.POSIXct", list(format(value, "%Y-%m-%d %H:%M:%OS"), tz = tz),
                      character()))
  }
  spell_value(value)
}

spelled_week_years <- function(how) {
  how$ends_on <- weekday_names[how$ends_on]
  how$month <- month.name[how$month]
  if (how$extra_week == length(week_patterns[[how$pattern]])) how$extra_week <- NULL
  how[lengths(how) > 0]
}

# What a calendar has beside the usual.
calendar_arguments <- function(calendar) {
  usual <- calendar_rules()
  every_year <- sprintf("%02d-%02d", calendar$every_year %/% 100L, calendar$every_year %% 100L)
  told <- list(
    weekend = weekday_names[calendar$weekend], holidays = format(as_date(calendar$holidays)),
    every_year = every_year, hours = calendar_hours(calendar$hours),
    week_starts = weekday_names[calendar$week_starts],
      year_starts = month.name[calendar$year_starts],
    tz = calendar$tz)
  same <- vapply(names(told), function(name) identical(calendar[[name]], usual[[name]]), NA)
  if (length(told$weekend) == 0) told["weekend"] <- list(NULL)
  told[!same]
}

# Hours by weekday as they were given.
calendar_hours <- function(hours) {
  shown <- lapply(hours, function(pairs) {
    if (!is.null(pairs)) sprintf("%02d:%02d", as.integer(pairs %/% hour_seconds),
                                 as.integer(pairs %% hour_seconds %/% 60))
  })
  names(shown) <- weekday_names[seq_along(shown)]
  shown <- Filter(Negate(is.null), shown)
  if (length(unique(shown)) == 1) shown[[1]] else shown
}
