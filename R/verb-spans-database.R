# Declaring records in a database: what the columns hold is looked at, the records are checked by
# one question, and what they reach to is asked by another. They stay where they are.

is_database_table <- function(data) {
  inherits(data, "tbl_lazy")
}

# What a lazy table does not say by itself, or is said better before.
refuse_told_of_table <- function(told) {
  way <- c(tz = "The dates of a database have no zone: leave it out.",
           date_order = "Dates in a database are dates, or texts like 2026-01-31: leave it out.",
           days = "Moments become days by a view, or with {.fn dplyr::mutate}: leave it out.")
  said <- names(way)[!vapply(told[names(way)], is.null, NA)]
  if (length(said) > 0) {
    ridge_abort(c("{arg_name(said[1])} plays no part for a table in a database.",
                  i = way[[said[1]]]), "argument", arg = said[1])
  }
}

declare_table <- function(data, columns, end_counts, means_open, told) {
  for (package in c("DBI", "dplyr", "dbplyr")) need_package(package, "A table in a database")
  told$as_of <- in_iso_words(told$as_of, today(), "last")
  in_one_state(dbplyr::remote_con(data))
  kinds <- answered(dplyr::collect(utils::head(data, 0L)), "Which columns there are")
  kinds <- tibble::new_tibble(as.list(kinds), nrow = 0L)
  names <- list(start = pick_one(kinds, columns$start, "start"), end = pick_end(kinds, columns$end),
                key = pick_columns(kinds, columns$key, "key"),
                weight = pick_one(kinds, columns$weight, "weight", optional = TRUE),
                row = pick_one(kinds, columns$row, "row", optional = TRUE))
  refuse_told_of_table(told)
  if (!is.null(names$weight)) as_numbers(kinds[[names$weight]], names$weight, "weight")
  for (name in names$key) check_plain_column(kinds[[name]], name, "key")
  as_of_day <- as_single_day(told$as_of, "as_of", "UTC", today())
  text_keys <- Filter(function(name) is.character(kinds[[name]]), names$key)
  con <- dbplyr::remote_con(data)
  source <- list(table = data, given = data, con = con, writer = writer_of(con), names = names,
                 text_keys = text_keys, end_counts = choose_end_counts(end_counts, day_timeline()))
  source$kinds <- kinds_in_database(source, kinds)
  source <- with_civil_days(source)
  kinds[names(source$midnight)] <- source$midnight
  source$open <- open_in_database(means_open, source)
  source <- chosen_by_where(source, kinds, told$where)
  source$days <- reach_in_database(source, as_of_day)
  if (diff(source$days) > most_days_told) source$named <- named_in_database(source)
  check_rows_in_database(source)
  finding <- told$unusable == "find"
  if (told$unusable != "stop") source <- set_aside_in_database(source, as_of_day, finding)
  if (!finding) check_in_database(source, as_of_day)
  told$means_open <- means_open
  source$scale <- scale_in_database(source)
  x <- database_spans(source, kinds, as_of_day, as_of_stop(told$as_of, day_timeline()), told)
  if (!finding) report_twins_in_database(x)
  x
}

# Only the records that meet a condition, and how many do not.
chosen_by_where <- function(source, kinds, where) {
  source$left_out <- 0L
  if (is.null(where)) return(source)
  condition <- parse_where(where, names(kinds))
  # Texts that are dates are compared as dates.
  columns <- as.list(kinds)
  texts <- names(Filter(is.character, columns[moment_columns(source$names)]))
  columns[texts] <- list(as_date(double()))
  meets_where(condition, columns, where)
  count <- function(table) {
    fetched_totals(source, table, "How many records there are", records = dplyr::n())
  }
  all <- count(source$table)$records
  source$table <- dplyr::filter(source$table, !!where_in_sql(condition, columns, where))
  source$left_out <- as.integer(all - count(source$table)$records)
  source
}

# Of starts and of ends: "dates", "texts" that are dates of ISO 8601, or "moments".
kinds_in_database <- function(source, kinds) {
  names <- source$names
  of <- c(start = names$start, end = if (has_end_column(names)) names$end else names$start)
  vapply(of, function(name) {
    some <- dplyr::transmute(source$table, value = .data[[!!name]])
    some <- dplyr::filter(some, !is.na(.data$value))
    value <- fetched(source, utils::head(some, 1L), paste("What", name, "holds"))$value
    if (is.character(value) || length(value) == 0 && is.character(kinds[[name]])) "texts"
    else if (length(value) == 0 || inherits(value, "Date")) "dates"
    else if (inherits(value, "POSIXct")) "moments"
    else refuse_no_days(name, value)
  }, "")
}

refuse_no_days <- function(name, value) {
  ridge_abort(
    c("Column {.val {name}} holds no dates, but values like {.val {describe(value)}}.",
      i = "Make days of them by a view: dates, or texts like 2026-01-31."), "records",
    arg = name, value = value)
}

# Moments that are all at midnight are days, as in memory.
with_civil_days <- function(source) {
  sides <- names(source$kinds)[source$kinds == "moments"]
  named <- unique(unlist(source$names[intersect(sides, names(source$names))], use.names = FALSE))
  for (name in setdiff(named, NA)) {
    moments <- dplyr::transmute(source$table, moment = .data[[!!name]])
    later <- utils::head(dplyr::filter(moments, .data$moment != as.Date(.data$moment)), 1L)
    found <- fetched(source, later, paste("Is", name, "at midnight throughout?"))$moment
    if (length(found) > 0) refuse_no_days(name, found)
    source$table <- dplyr::mutate(source$table, !!name := as.Date(.data[[!!name]]))
    source$midnight[[name]] <- as_date(double())
  }
  source$kinds[sides] <- "dates"
  source
}

# Values of the column of ends that mean open, as it would have them.
open_in_database <- function(means_open, source) {
  values <- means_open[!is.na(means_open)]
  if (length(values) == 0) return(NULL)
  in_text <- source$kinds[["end"]] == "texts"
  texts <- if (in_text && is.character(values)) values[read_iso_text(values)$kind != 1L]
  if (length(texts)) report_unmet(texts, texts_of_ends(source, texts))
  dates <- if (length(texts)) setdiff(values, texts) else values
  days <- if (length(dates)) as_date(as_days(dates, "means_open", "UTC", "dates"))
  if (in_text) c(texts, format(days)) else days
}

# Which of these texts ends say.
texts_of_ends <- function(source, texts) {
  ends <- dplyr::transmute(source$table, end = .data[[!!source$names$end]])
  fetched(source, dplyr::distinct(dplyr::filter(ends, .data$end %in% !!texts)),
          "Which of them ends say")$end
}

# Those of them that are days.
open_days_in_database <- function(values) {
  days <- if (is.character(values)) days_of_texts(values) else as.integer(values)
  if (any(!is.na(days))) as.integer(days[!is.na(days)])
}

# From the first to the last day that the table of days has to have. Ends that are too far ahead
# are not in it, and found by that.
reach_in_database <- function(source, as_of_day) {
  spans <- named_records(source, NULL)
  if (is.null(source$names$end)) {
    spans <- dplyr::mutate(spans, end_given = .data$start_given, is_open = 0L)
  }
  start <- day_if(quote(.data$start_given), source$kinds[["start"]])
  end <- day_if(quote(.data$end_given), source$kinds[["end"]], quote(.data$is_open == 0L))
  found <- fetched_totals(
    source, spans, "How far the days reach",
    first_start = min(!!start, na.rm = TRUE), last_start = max(!!start, na.rm = TRUE),
    first_end = min(!!end, na.rm = TRUE), last_end = max(!!end, na.rm = TRUE))
  starts <- c(day_in_database(found$first_start, 1L, 1L),
              day_in_database(found$last_start, 12L, 31L))
  ends <- c(day_in_database(found$first_end, 1L, 1L), day_in_database(found$last_end, 12L, 31L))
  all <- c(starts, pmin(ends, as_of_day + most_days_ahead))
  all <- all[!is.na(all)]
  if (length(all) == 0) c(as_of_day, as_of_day)
  else pmin(pmax(range(all), all_years()[1]), all_years()[2])
}

# A column of days, without those that do not meet a condition, and texts that can be none.
day_if <- function(day, kind, condition = NULL) {
  conditions <- c(condition, if (kind == "texts") {
    rlang::exprs((!!day) >= "1600-01-01", (!!day) <= "9999-12-31")
  })
  if (length(conditions) == 0) return(day)
  all <- Reduce(function(a, b) rlang::expr((!!a) & (!!b)), conditions)
  rlang::expr(dplyr::case_when(!!all ~ !!day))
}

# Of some centuries the table of days has all days: so many are put there in a moment.
most_days_told <- 73050L

# The days on which a record starts or ends.
named_in_database <- function(source) {
  spans <- named_records(source, NULL)
  columns <- intersect(c("start_given", "end_given"), colnames(spans))
  days <- lapply(columns, function(column) {
    given <- dplyr::distinct(dplyr::transmute(spans, day = .data[[!!column]]))
    given <- fetched(source, given, "Which days are named, as they lie centuries apart")$day
    if (is.character(given)) days_of_texts(given) else as.integer(unclass(as.Date(given)))
  })
  days <- unlist(days)
  days[which(days >= all_years()[1] & days <= all_years()[2])]
}

# The day of a date; of a text that is none a day of the year that it begins with.
day_in_database <- function(value, month, day) {
  if (!is.character(value)) return(suppressWarnings(as.integer(unclass(as.Date(value)))))
  year <- suppressWarnings(as.integer(substr(value, 1, 4)))
  iso_days(value, 1L) %||% if (is.na(year)) NA_integer_ else day_numbers(year, month, day)
}

# By how much weights are whole numbers, so that their sums come out exact in any order: NULL
# where there are none.
scale_in_database <- function(source) {
  name <- source$names$weight
  if (is.null(name)) return(NULL)
  # One of them for all, as databases look no further than the first that holds.
  whole <- lapply(0:9, function(places) {
    scale <- 10^places
    rlang::expr(round(.data$weight * !!scale) / !!scale == .data$weight ~ !!places)
  })
  places <- rlang::expr(dplyr::case_when(is.na(.data$weight) ~ 0L, !!!whole, TRUE ~ 10L))
  weights <- dplyr::transmute(source$table, weight = .data[[!!name]])
  found <- fetched_totals(source, weights, "How many decimal places weights have",
                          places = max(!!places, na.rm = TRUE),
                          all = sum(.data$weight, na.rm = TRUE))
  scale <- if (is.na(found$places)) 1 else if (found$places > 9) NA else 10^found$places
  # Sums of weights times days have to be exact as well.
  if (is.na(scale) || isTRUE(found$all * scale * 1e5 > 2^53)) {
    ridge_abort(
      c("Weights in {.val {name}} have more digits than are summed exactly in a database.",
        i = "Round them to nine decimal places or fewer, by a view or {.fn dplyr::mutate}."),
      "records", arg = "weight")
  }
  scale
}

database_spans <- function(source, kinds, as_of_day, stop, told) {
  timeline <- day_timeline()
  days <- blank_moments(0, timeline)
  columns <- as.list(kinds)
  columns[moment_columns(source$names)] <- list(days)
  open <- open_days_in_database(source$open)
  conventions <- list(
    names = source$names, timeline = timeline, end_counts = source$end_counts, means_open = open,
    as_of_day = as_of_day, as_of_stop = stop,
    aside = source$aside %||% reasons_with_rows(tibble::new_tibble(columns, nrow = 0L),
                                                find_nothing(), list(rows = integer())),
    aside_count = source$aside_count,
    midnight = if (length(source$midnight)) "midnight", unusable = find_nothing(),
    left_out = source$left_out, where = told$where, given = NULL,
    dropped = 0, trimmed = 0, told = told)
  shape <- new_spans(tibble::new_tibble(columns, nrow = 0L),
                     c(conventions, list(engine = memory_engine())), integer())
  conventions$engine <- database_engine(source, facts_in_database(source, shape))
  new_spans(tibble::new_tibble(columns, nrow = 0L), conventions, integer())
}

facts_in_database <- function(source, shape) {
  keys <- numbered_names("key", source$names$key)
  never <- never(day_timeline())
  found <- with_days(source, keys, function(spans, days) {
    when <- function(condition) {
      rlang::expr(sum(dplyr::case_when(!!condition ~ 1L, TRUE ~ 0L), na.rm = TRUE))
    }
    there <- rlang::expr(.data$start < .data$stop)
    facts <- fetched_totals(
      source, spans, "What the records reach to", records = dplyr::n(),
      open = !!when(rlang::expr(.data$stop == !!never)),
      empty = !!when(rlang::expr(.data$start == .data$stop)),
      first = min(dplyr::case_when(!!there ~ .data$start), na.rm = TRUE),
      last_start = max(dplyr::case_when(!!there ~ .data$start), na.rm = TRUE),
      last_stop = max(dplyr::case_when(!!there & .data$stop < !!never ~ .data$stop), na.rm = TRUE))
    count <- if (length(keys)) {
      own <- dplyr::distinct(dplyr::select(spans, dplyr::all_of(names(keys))))
      fetched_totals(source, own, "How many keys there are", keys = dplyr::n())$keys
    }
    c(facts, list(keys = count))
  })
  # Of no record nothing is known.
  or_else <- function(value, none) if (is.na(value)) none else as.double(value)
  extent <- list(open = as.integer(or_else(found$open, 0)),
                 empty = as.integer(or_else(found$empty, 0)), first = or_else(found$first, Inf),
                 last_start = or_else(found$last_start, -Inf),
                 last_stop = or_else(found$last_stop, -Inf))
  facts_of_extent(extent, if (length(keys)) as.integer(found$keys), shape,
                  as.integer(found$records))
}

# The table without later starts, and with later ends open.
seen_in_database <- function(x, day, until, date) {
  source <- engine_of(x)$source
  names <- source$names
  as_held <- function(day, kind) if (kind == "texts") format(as_date(day)) else as_date(day)
  first_unseen <- as_held(until, source$kinds[["start"]])
  source$table <- dplyr::filter(source$table, .data[[!!names$start]] < !!first_unseen)
  if (has_end_column(names)) {
    last <- as_held(until - source$end_counts, source$kinds[["end"]])
    source$table <- dplyr::mutate(source$table, !!names$end := dplyr::case_when(
      .data[[!!names$end]] > !!last ~ NA, TRUE ~ .data[[!!names$end]]))
  }
  how <- conventions_of(x)
  how$as_of_day <- day
  how$as_of_stop <- until
  how$told$seen_on <- c(how$told$seen_on, list(date))
  shape <- new_spans(plain_tibble(x), how, integer())
  how$engine <- database_engine(source, facts_in_database(source, shape))
  gone <- facts_of(x)$records - how$engine$facts$records
  how$unseen <- (how$unseen %||% 0) + gone
  how$dropped <- how$dropped + gone
  new_spans(plain_tibble(x), how, integer())
}

# Keys that differ only in case or outer spaces: a few of them are fetched.
report_twins_in_database <- function(x) {
  source <- engine_of(x)$source
  for (name in source$names$key) {
    if (!is.character(x[[name]])) next
    keys <- dplyr::distinct(dplyr::transmute(source$table, key = .data[[!!name]]))
    folded <- dplyr::mutate(keys, folded = tolower(trimws(.data$key)))
    counted <- dplyr::summarise(dplyr::group_by(folded, .data$folded), keys = dplyr::n())
    twins <- dplyr::arrange(dplyr::filter(counted, .data$keys > 1L), .data$folded)
    few <- dplyr::semi_join(folded, utils::head(twins, 20L), by = "folded")
    found <- fetched(source, dplyr::select(few, "key"),
                     paste("Keys in", name, "that differ in case"))
    report_twins(stats::setNames(list(found$key), name), name, "Keys in")
  }
}
