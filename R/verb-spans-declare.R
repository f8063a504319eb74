# From columns as they came to declared records: what the columns are, which records cannot be
# used, and by which conventions the others are kept.

# Groups of a table play no part: who made them means something by it.
explain_groups <- function(data) {
  names <- setdiff(names(attr(data, "groups")), ".rows")
  cli::cli_inform(c("!" = paste(
    "{.arg data} is grouped by {.val {names}}, which plays no part here. To break a result down",
    "say {.code group = {names[1]}} in the verb; to say whom records belong to,",
    "{.code key = {names[1]}} here.")))
}

# `told$unusable` may also be "find": then an end that `means_open` should have named is
# set aside like the others. With `told$without_key` keys have to be there, and play no further
# part.
declare_records <- function(data, columns, end_counts, means_open, told) {
  if (!is.data.frame(data)) {
    ridge_abort("{arg_name('data')} must be a data frame, not {.val {describe(data)}}.",
                "argument", arg = "data", value = data)
  }
  if (inherits(data, "grouped_df")) explain_groups(data)
  show_progress("declaring the records")
  check_zone_given(told$tz)
  check_date_order(told$date_order)
  if (!is.null(told$days)) check_flag(told$days, "days")
  told$as_of <- in_iso_words(told$as_of, today(), "last")
  source <- source_of(data)
  told$orders <- source$orders
  data <- own_copy(data, isTRUE(source$utf8))
  names <- list(start = pick_one(data, columns$start, "start"),
                end = pick_end(data, columns$end),
                key = pick_columns(data, columns$key, "key"),
                weight = pick_one(data, columns$weight, "weight", optional = TRUE))
  apart <- without_intervals(data, names)
  data <- apart$data
  names <- apart$names
  for (name in names$key) check_plain_column(data[[name]], name, "key")
  # What is set aside stays as it came.
  dated <- with_plain_dates(data, names)
  sound <- if (is.null(told$where)) sound_columns(dated, names, end_counts, means_open, told)
  if (!is.null(sound)) {
    told$means_open <- means_open
    return(declare_spans(data, names, sound, find_nothing(), source, told))
  }
  what <- read_columns(data, names, end_counts, means_open, told)
  if (!is.null(told$where)) {
    told$orders[names(what$orders)] <- what$orders
    chosen <- choose_where(with_source(data, source), told$where, proven_roles(data, what))
    source <- source_of(chosen)
    data <- plain_tibble(chosen)
    what <- read_columns(data, names, end_counts, means_open, told)
  }
  far <- far_ends(what)
  if (told$unusable != "find") refuse_far_ends(far, source)
  found <- rbind(find_unusable(what), far)
  if (nrow(found) > 0 && told$unusable == "stop") {
    refuse_unusable(found, source)
  }
  told$means_open <- means_open
  declare_spans(data, names, what, found, source, told)
}

# The records with their starts and ends as the dates that they were proven to be.
proven_roles <- function(data, what) {
  names <- what$names
  data[[names$start]] <- what$start$values
  if (has_end_column(names)) data[[names$end]] <- what$end$values
  data
}

# A column of intervals with a start and a length in seconds, as a package for dates makes
# them, becomes one of starts and one of ends.
without_intervals <- function(data, roles) {
  name <- roles$start
  column <- data[[name]]
  if (!inherits(column, "Interval") || is.null(attr(column, "start"))) {
    return(list(data = data, names = roles))
  }
  if (!identical(roles$end, name)) {
    ridge_abort(c("Column {.val {name}} holds intervals, which have ends of their own.",
                  i = "Name it as {arg_name('end')} too."), "argument", arg = "end")
  }
  tz <- attr(column, "tzone") %||% "UTC"
  start <- as.double(attr(column, "start"))
  roles[c("start", "end")] <- paste0(name, c("_start", "_end"))
  data[[roles$start]] <- as_instant(start, tz)
  data[[roles$end]] <- as_instant(start + as.double(unclass(column)), tz)
  list(data = data[setdiff(names(data), name)], names = roles)
}

# The same by names, with the conventions of other spans.
declare_named <- function(data, names, end_counts, means_open, how) {
  by_name <- function(name) rlang::quo(tidyselect::all_of(!!name))
  no_end <- is.null(names$end) || is.na(names$end)
  columns <- list(start = by_name(names$start),
                  end = if (no_end) rlang::new_quosure(names$end) else by_name(names$end),
                  key = by_name(names$key), weight = by_name(names$weight))
  told <- utils::modifyList(how$told, list(as_of = as_date(how$as_of_day), unusable = "stop"))
  told["tz"] <- list(how$timeline$tz)
  x <- declare_records(data, columns, end_counts, means_open, told)
  amend_spans(x, as_of_day = how$as_of_day, as_of_stop = how$as_of_stop, told = how$told)
}

# The column's name; NULL for one-day records, NA where all are still open.
pick_end <- function(data, quo) {
  if (rlang::quo_is_missing(quo)) {
    ridge_abort(c("{arg_name('end')} must name a column of the records: {.val {names(data)}}.",
                  i = paste("{arg_set('end', NULL)} makes each record one day,",
                            "{arg_set('end', NA)} leaves all of them open.")),
                "argument", arg = "end")
  }
  expr <- rlang::quo_get_expr(quo)
  if (is.null(expr)) {
    return(NULL)
  }
  if (rlang::is_scalar_atomic(expr) && is.na(expr)) {
    return(NA_character_)
  }
  pick_one(data, quo, "end")
}

# Texts that are all dates of ISO 8601 become dates at once.
with_plain_dates <- function(data, names) {
  for (name in moment_columns(names)) {
    column <- data[[name]]
    days <- if (is.character(column)) iso_days(column, threads_for(length(column)))
    if (!is.null(days) && !all(is.na(days))) data[[name]] <- as_date(days)
  }
  data
}

# Everything that checking and indexing needs, from the columns as they came.
read_columns <- function(data, names, end_counts, means_open, told) {
  start <- read_moments(data[[names$start]], names$start, told$tz,
                        told$date_order %||% told$orders[[names$start]])
  open <- open_values(means_open, data, names, told$tz)
  end <- read_ends(data, names, start, open$texts, told)
  sides <- as_civil_days(start, end, told)
  start <- sides$start
  end <- sides$end
  on_instants <- start$on == "instants" || (start$on == "blank" && end$on == "instants")
  check_same_kind(start, end, names)
  timeline <- if (on_instants) instant_timeline(choose_zone(start$values, told$tz))
  else day_timeline()
  end_counts <- choose_end_counts(end_counts, timeline)
  start$days <- days_of(start$values, timeline)
  end$days <- days_of(end$values, timeline)
  end$as_given <- end$values
  end$values[end$days %in% open$days] <- NA
  end$days[is.na(end$values)] <- NA
  weight <- if (!is.null(names$weight)) as_numbers(data[[names$weight]], names$weight, "weight")
  as_of <- told$as_of
  list(names = names, start = start, end = end, orders = orders_used(start, end, names),
       keys = columns_named(data, names$key), weight = weight, timeline = timeline,
       means_open = open$days,
       raw = list(start = data[[names$start]],
                  end = if (rlang::is_string(names$end)) data[[names$end]]),
       midnight = sides$midnight, end_counts = end_counts,
       as_of_day = as_single_day(as_of, "as_of", zone_of(timeline), today()),
       as_of_stop = as_of_stop(as_of, timeline),
       ticks = if (on_instants) list(start = as.double(start$values), end = as.double(end$values))
       else list(start = start$days, end = end$days))
}

# The same of dates, keys and weights that are all as they should be, with the index of the
# records: at once, as nothing has to be found. NULL where something is not so, or might not be.
sound_columns <- function(data, names, end_counts, means_open, told) {
  if (!dates_alone(means_open)) {
    return(NULL)
  }
  timeline <- day_timeline()
  open <- open_values(means_open, data, names, told$tz)$days
  end_counts <- choose_end_counts(end_counts, timeline)
  as_of_day <- as_single_day(told$as_of, "as_of", zone_of(timeline), today())
  ticks <- day_ticks(data, names, end_counts, open, as_of_day + most_days_ahead)
  weight <- if (!is.null(names$weight)) as_numbers(data[[names$weight]], names$weight, "weight")
  if (is.null(ticks) || !is.null(weight) && !all(is.finite(weight) & weight >= 0)) {
    return(NULL)
  }
  keys <- columns_named(data, names$key)
  if (isTRUE(told$without_key)) {
    for (key in keys) if (any_blank(key)) return(NULL)
    keys <- list()
  }
  index <- build_index(ticks, keys)
  for (key in index$key_values) if (any_blank(key)) return(NULL)
  column <- function(name) if (rlang::is_string(name)) data[[name]]
  list(names = names, start = list(values = column(names$start)),
       end = list(as_given = column(names$end)), timeline = timeline, means_open = open,
       end_counts = end_counts, as_of_day = as_of_day,
       as_of_stop = as_of_stop(told$as_of, timeline),
       index = index)
}

dates_alone <- function(means_open) {
  is.null(means_open) || inherits(means_open, "Date") ||
    is.character(means_open) && all(read_iso_text(means_open[!is.na(means_open)])$kind == 1L)
}

columns_named <- function(data, names) {
  stats::setNames(lapply(names, function(name) data[[name]]), names)
}

orders_used <- function(start, end, names) {
  orders <- c(stats::setNames(start$order, if (length(start$order)) names$start),
              stats::setNames(end$order, if (length(end$order)) names$end))
  orders[!duplicated(names(orders))]
}

# What means open as days and, in a column of text, as texts.
open_values <- function(means_open, data, names, tz) {
  values <- means_open[!is.na(means_open)]
  if (length(values) == 0) {
    return(list(days = integer(), texts = character()))
  }
  column <- if (has_end_column(names)) data[[names$end]]
  in_text <- is.character(column) || is.factor(column)
  texts <- if (in_text && is.character(values)) values[read_iso_text(values)$kind != 1L]
  dates <- if (length(texts)) setdiff(values, texts) else values
  report_unmet(texts, column)
  days <- if (length(dates)) as_days(dates, "means_open", tz %||% "UTC", "dates") else integer()
  list(days = days, texts = as.character(texts))
}

# A text that no end says is a slip; one that should be a date has to be written as one.
report_unmet <- function(texts, column) {
  unmet <- setdiff(as.character(texts), as.character(column))
  dated <- unmet[read_date_text(tolower(unmet), month_words())$form %in% 1:2]
  if (length(dated) > 0) refuse_date(dated[1], "means_open", "dates")
  if (length(unmet) > 0) {
    cli::cli_inform(c("!" = "{arg_name('means_open')}: no end says {.val {unmet}}."))
  }
}

read_ends <- function(data, names, start, open_texts, told) {
  if (is.null(names$end)) {
    if (start$on == "instants") {
      ridge_abort(
        c(paste("{arg_set('end', NULL)} makes each record one day, but {.val {names$start}}",
                "holds instants."),
          i = "Name the column of ends, or turn the starts into dates."), "argument", arg = "end")
    }
    return(start)
  }
  if (is.na(names$end)) {
    blank <- start$values
    blank[] <- NA
    return(list(on = "blank", values = blank, bad = integer()))
  }
  column <- data[[names$end]]
  if (length(open_texts)) column <- replace(as.character(column), column %in% open_texts, NA)
  end <- read_moments(column, names$end, told$tz,
                      told$date_order %||% told$orders[[names$end]])
  if (end$on == "blank" && start$on == "instants") {
    end$values <- as_instant(as.double(end$values), attr(start$values, "tzone"))
  }
  end
}

# Date-times that are all at midnight are dates; or all, where that was said.
as_civil_days <- function(start, end, told) {
  sides <- list(start = start, end = end)
  timed <- vapply(sides, function(side) side$on == "instants", NA)
  if (!any(timed) || isFALSE(told$days)) {
    return(c(sides, list(midnight = NULL)))
  }
  zones <- lapply(sides, function(side) choose_zone(side$values, told$tz))
  local <- Map(function(side, zone) local_seconds(as.double(side$values), zone), sides, zones)
  at_midnight <- all(unlist(local[timed]) %% day_seconds == 0, na.rm = TRUE) &&
    any(!is.na(unlist(local[timed])))
  if (!at_midnight && !isTRUE(told$days)) {
    return(c(sides, list(midnight = NULL)))
  }
  sides[timed] <- Map(function(side, seconds) {
    side$values <- as_date(seconds %/% day_seconds)
    side$on <- "days"
    side
  }, sides[timed], local[timed])
  sides$end$values <- as_date(as.double(unclass(sides$end$values)))
  c(sides, list(midnight = if (at_midnight) "midnight" else "clock"))
}

check_same_kind <- function(start, end, names) {
  kinds <- setdiff(c(start$on, end$on), "blank")
  if (length(kinds) == 2) {
    ridge_abort(c("{.val {names$start}} holds {start$on}, {.val {names$end}} holds {end$on}.",
                  i = "Make both dates, or both date-times."), "records", arg = "end")
  }
}

declare_spans <- function(data, names, what, found, source, told) {
  aside <- reasons_with_rows(data, found, source)
  if (isTRUE(told$without_key)) names$key <- character()
  columns <- as.list(data)
  columns[[names$start]] <- what$start$values
  if (has_end_column(names)) columns[[names$end]] <- what$end$as_given
  data <- tibble::new_tibble(columns, nrow = nrow(data))
  told$reading <- source$reading
  conventions <- list(
    names = names, timeline = what$timeline, end_counts = what$end_counts,
    means_open = what$means_open, as_of_day = what$as_of_day, as_of_stop = what$as_of_stop,
    aside = aside, unusable = unusable_in_source(found, source), left_out = source$left_out,
    where = source$where, given = length(source$rows) + source$left_out, dropped = 0,
    trimmed = source$trimmed %||% 0, midnight = what$midnight, orders = what$orders,
    engine = memory_engine(), told = told
  )
  rows <- source$rows
  if (nrow(aside) > 0) {
    used <- -unique(found$row)
    data <- data[used, ]
    rows <- rows[used]
  }
  x <- new_spans(data, conventions, rows)
  if (!is.null(what$index)) cached(x, "index", what$index)
  facts_of(x)
  if (told$unusable != "find") report_key_twins(x)
  x
}

# Among the distinct keys, which the index knows.
report_key_twins <- function(x) {
  for (name in about(x)$names$key) {
    groups <- groups_of(x, about(x)$names$key)
    report_twins(groups$values, name, "Keys in")
  }
}
