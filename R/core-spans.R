# The type of declared records: a tibble with an attribute `ridge` that holds the
# conventions, the row that each record has in its source, the columns that were
# checked (to see whether they still are the same) and a cache.

new_spans <- function(data, conventions, rows, store = NULL) {
  core <- core_columns(conventions$names)
  cache <- new.env(parent = emptyenv())
  x <- tibble::new_tibble(as.list(data), nrow = nrow(data),
                          ridge = c(conventions, list(rows = rows, held = as.list(data)[core],
                                                      cache = cache)),
                          class = "ridge_spans")
  # What is worked out only once, and the records themselves for the results that are
  # made of them, are held weakly: so they live as long, and are saved with neither.
  if (!is.null(store)) cache$store <- rlang::new_weakref(cache, store)
  records_handle(x)
  x
}

about <- function(x) {
  attr(x, "ridge", exact = TRUE)
}

core_columns <- function(names) {
  unique(c(moment_columns(names), names$key, names$weight))
}

# The columns of starts and ends.
moment_columns <- function(names) {
  unique(c(names$start, if (has_end_column(names)) names$end))
}

# How many records were set aside: in a database they are only counted.
aside_count <- function(x) {
  about(x)$aside_count %||% nrow(about(x)$aside)
}

conventions_of <- function(x) {
  kept <- about(x)
  kept[setdiff(names(kept), c("rows", "held", "cache"))]
}

# The same records with other conventions, or rows of the source.
amend_spans <- function(x, ..., rows = about(x)$rows) {
  how <- conventions_of(x)
  changed <- list(...)
  how[names(changed)] <- changed
  amended <- new_spans(plain_tibble(x), how, rows)
  # Starts and stops are the same unless something is changed that tells them.
  telling <- c("names", "timeline", "end_counts", "means_open")
  if (!any(telling %in% names(changed))) {
    store <- cache_store(about(x)$cache)
    for (known in c("index", "chosen")) cached(amended, known, store[[known]])
  }
  amended
}

# What is worked out once for these records.
cached <- function(x, name, value) {
  store <- cache_store(about(x)$cache)
  if (is.null(store[[name]])) {
    store[[name]] <- value
  }
  store[[name]]
}

cache_store <- function(cache) {
  store <- if (!is.null(cache$store)) rlang::wref_value(cache$store)
  if (is.null(store)) {
    store <- new.env(parent = emptyenv())
    cache$store <- rlang::new_weakref(cache, store)
  }
  store
}

# A handle on the records that a result can keep: it is not saved with it. Records that
# were saved and read back take hold of themselves again. They are held in an environment,
# because a weak reference copies what is none.
records_handle <- function(x) {
  cache <- about(x)$cache
  if (is.null(records_of_handle(cache))) {
    held <- new.env(parent = emptyenv())
    held$records <- x
    cache$records <- rlang::new_weakref(cache, held)
  }
  cache
}

records_of_handle <- function(handle) {
  held <- if (!is.null(handle$records)) rlang::wref_value(handle$records)
  held$records
}

# With them made ready to be asked, for as long as the frame is there.
check_spans_class <- function(x, verb, frame = parent.frame()) {
  if (!inherits(x, "ridge_spans")) {
    ridge_abort(
      c("{.fn {verb}} asks about records declared with {.fn spans}, not {.val {describe(x)}}.",
        i = paste("Say {.code spans(data, first_day, last_day) |> {verb}()}; changing the values",
                  "of a start, end or key needs {.fn spans} again.")),
      "argument", arg = "x", value = x)
  }
  make_ready(about(x)$engine, frame)
  changed <- changed_columns(x)
  if (length(changed) > 0) {
    ridge_abort(
      c("The records were changed after {.fn spans}: {.val {changed}} {?is/are} not as declared.",
        i = "Declare them again with {.fn spans}."), "records", arg = "x", value = changed)
  }
  x
}

# What records of an engine need before they are asked about, until the frame ends.
make_ready <- function(engine, frame) {
  UseMethod("make_ready")
}

#' @export
make_ready.default <- function(engine, frame) invisible()

# Columns that were declared and are not what they were: by ways that no method
# here sees, such as rbind().
changed_columns <- function(x) {
  held <- about(x)$held
  names(held)[!vapply(names(held), function(name) same_column(x[[name]], held[[name]]), NA)]
}

same_column <- function(column, held) {
  rlang::is_reference(column, held) || identical(column, held)
}

timeline_of <- function(x) {
  about(x)$timeline
}

has_key <- function(x) {
  length(about(x)$names$key) > 0
}

# Records in files larger than memory are not at hand: see engine-parts.R.
in_parts <- function(x) {
  inherits(about(x)$engine, "ridge_parts")
}

# Or in a database: see engine-database.R.
in_database <- function(x) {
  inherits(about(x)$engine, "ridge_database")
}

is_elsewhere <- function(x) {
  in_parts(x) || in_database(x)
}

refuse_elsewhere <- function(x, what) {
  if (in_parts(x)) refuse_in_parts(what)
  if (in_database(x)) refuse_in_database(what)
}

refuse_in_database <- function(what) {
  ridge_abort(
    c(paste(what, "is not answered in a database yet."),
      i = in_r(paste("Fetch the records with {.fn dplyr::collect}, or those that matter with",
                     "{.fn dplyr::filter} before, and declare them with {.fn spans}."),
               "Ask it of a file of these records.")), "engine", value = what)
}

refuse_in_parts <- function(what) {
  ridge_abort(
    c(paste(what, "asks about each record, and these lie in files larger than memory."),
      i = in_r(paste("Answer it part by part into files with {.fn write_parts}, or read fewer",
                     "records with {.fn read_records}."),
               paste("Answer it part by part into files with {.code --out FOLDER/}, or name the",
                     "files, where they fit in memory: {.code FOLDER/*.csv}."))), "engine",
    value = what)
}

# Starts and stops in ticks, in the order of the records, from the columns alone.
record_ticks <- function(x) {
  ticks_and_extent(x)[c("start", "stop")]
}

# The same with what they reach to.
ticks_and_extent <- function(x) {
  column_ticks(columns_of(x, moment_columns(about(x)$names)), about(x))
}

# Those of a few of the records.
ticks_at <- function(x, places) {
  columns <- columns_of(x, moment_columns(about(x)$names))
  column_ticks(slice_all(columns, places), about(x))[c("start", "stop")]
}

column_ticks <- function(columns, how) {
  days <- if (on_days(how$timeline)) day_ticks(columns, how$names, how$end_counts, how$means_open)
  days %||% any_ticks(columns, how)
}

any_ticks <- function(columns, how) {
  start <- ticks_of(columns[[how$names$start]], how$timeline)
  with_extent(list(start = start, stop = record_stops(columns, how, start)))
}

with_extent <- function(ticks) {
  ticks$extent <- span_extent(ticks$start, ticks$stop, threads_for(length(ticks$start)))
  ticks
}

# The ticks of columns of sound dates and their extent, in one pass; NULL where they are anything
# else. Ends may lie as far ahead as `last_end`.
day_ticks <- function(data, names, end_counts, means_open, last_end = all_years()[2]) {
  start <- data[[names$start]]
  end <- if (is.null(names$end)) start else if (!is.na(names$end)) data[[names$end]]
  if (!inherits(start, "Date") || !inherits(end, "Date")) {
    return(NULL)
  }
  behind <- if (is.null(names$end)) 1L else as.integer(end_counts)
  years <- all_years()
  day_spans(start, end, as.integer(means_open), behind, years[1], years[2],
            min(last_end, years[2]), threads_for(length(start)))
}

record_stops <- function(columns, how, start) {
  if (is.null(how$names$end)) {
    return(tick_after(start, how$timeline))
  }
  if (is.na(how$names$end)) {
    return(rep(never(how$timeline), length(start)))
  }
  values <- columns[[how$names$end]]
  stop <- stops_of(values, how$timeline, how$end_counts)
  stop[is.na(stop)] <- never(how$timeline)
  if (length(how$means_open) > 0) {
    stop[days_of(values, how$timeline) %in% how$means_open] <- never(how$timeline)
  }
  stop
}

# What an open span runs through where its length is asked for; one that begins later
# has none.
through_as_of <- function(ticks, x) {
  open <- is_never(ticks$stop, timeline_of(x))
  if (any(open)) {
    ticks$stop[open] <- pmax(ticks$start[open], about(x)$as_of_stop)
  }
  ticks
}

record_weights <- function(x) {
  refuse_elsewhere(x, "This question")
  name <- about(x)$names$weight
  as_numbers(x[[name]], name, "weight")
}

# The records' columns of these names, as a list.
columns_of <- function(x, names) {
  if (length(names) > 0) refuse_elsewhere(x, "This question")
  as.list(plain_tibble(x))[names]
}

# Columns that records of bound lists have beside their own.
bound_columns <- c("source", "source_row")

own_columns <- function(x) {
  as.list(plain_tibble(x))[setdiff(names(x), if (!is.null(about(x)$lists)) bound_columns)]
}

choose_of <- function(x, of) {
  if (is.null(of)) {
    return(if (has_key(x)) "keys" else "records")
  }
  check_choice(of, c("keys", "records", "weight"), "of")
  if (of == "keys" && !has_key(x)) {
    ridge_abort(c("{arg_set('of', 'keys')} needs a key, and none was declared.",
                  i = "Name it with {arg_name('key')}, or count {arg_set('of', 'records')}."),
                "argument", arg = "of", value = of)
  }
  if (of == "weight" && is.null(about(x)$names$weight)) {
    ridge_abort(c("{arg_set('of', 'weight')} needs a weight column, and none was declared.",
                  i = "Name it with {arg_name('weight')}."), "argument", arg = "of", value = of)
  }
  of
}

# Whose records are looked at one by one: the key, other columns, or all together.
pick_per <- function(x, quo, arg = "per") {
  if (rlang::quo_is_missing(quo)) about(x)$names$key else pick_plain_columns(x, quo, arg)
}

pick_plain_columns <- function(x, quo, arg) {
  plain <- plain_tibble(x)
  names <- pick_columns(plain, quo, arg)
  for (name in names) check_plain_column(plain[[name]], name, arg)
  names
}

# Further columns of the records to carry along, without the key.
pick_carried <- function(x, quo, results, verb) {
  key <- about(x)$names$key
  carry <- setdiff(pick_columns(plain_tibble(x), quo, "carry"), key)
  check_free_names(c(carry, key), results, verb, "carry")
  carry
}
