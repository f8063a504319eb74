# Answers that consist of records: those of a table in a database that an answer shows are chosen
# there and brought into memory, where the verb goes on with them. What all records reach to is
# told by the database.

#' @export
records_behind.ridge_database <- function(x, which, columns = character()) {
  source <- engine_of(x)$source
  if (!is.null(which$less)) refuse_in_database(arg_name("less"))
  check_row_named(source$names)
  declared <- core_columns(source$names[c("start", "end", "key")])
  names <- intersect(names(x), c(declared, columns))
  own <- numbered_names("column", c(source$names$row, names))
  inside <- function(names) names(own)[match(names, own)]
  found <- with_days(source, own, function(spans, days) {
    refuse_changed(x, spans)
    beside_others(x, which, function(others) {
      chosen <- chosen_in_sql(x, spans, which, inside, others)
      flags <- intersect(c("begins", "ends"), colnames(chosen))
      fetched(x, dplyr::select(chosen, dplyr::all_of(c(names(own), flags))),
              "The records of the answer")
    })
  })
  named <- match(names(found), names(own))
  names(found)[!is.na(named)] <- own[named[!is.na(named)]]
  brought_spans(x, found, names, list(after_gap = found$begins == 1L,
                                      before_gap = found$ends == 1L))
}

# With the spans of a second table of the same database, or with tables of texts, where there are
# some.
beside_others <- function(x, which, f) {
  if (length(which$texts) > 0) {
    put <- lapply(which$texts, function(texts) {
      put_table(engine_of(x)$source$con, tibble::tibble(text = texts))
    })
    on.exit(for (table in put) table$drop())
    return(f(lapply(put, `[[`, "table")))
  }
  if (is.null(which$with)) return(f(NULL))
  other <- engine_of(which$with)$source
  if (!identical(other$con, engine_of(x)$source$con)) {
    refuse_in_database("A question about tables in two places")
  }
  check_row_named(other$names)
  with_days(other, numbered_names("other", which$its), function(others, days) {
    refuse_changed(which$with, others)
    f(others)
  })
}

chosen_in_sql <- function(x, spans, which, inside, others) {
  per <- inside(which$per)
  row <- inside(engine_of(x)$source$names$row)
  # A key is never missing, and then databases join by its values.
  same <- same_partition(engine_of(x)$source$con, per, which$per %in% about(x)$names$key)
  switch(which$kind, all = spans, active = active_in_sql(spans, which$when),
         overlapping = overlapping_in_sql(x, spans, which, inside, others, same),
         beside_gaps = beside_gaps_in_sql(spans, which, per, row),
         meeting = meeting_in_sql(x, spans, same, row),
         at_edges = at_edges_in_sql(x, spans, same, which$edges),
         suspect = suspects_in_sql(spans, which, inside, others, row))
}

check_row_named <- function(names) {
  if (is.null(names$row)) {
    ridge_abort(
      c("This answer shows records, and nothing says which is which in a database.",
        i = "Name the column that numbers them: {in_r('`row = id` in spans()', '--row COLUMN')}."),
      "engine", arg = "row")
  }
}

# As they would have been declared in memory, in the order of their numbers.
brought_spans <- function(x, found, names, flags = NULL) {
  rows <- found[[engine_of(x)$source$names$row]]
  order <- order(rows)
  if (length(flags$after_gap)) flags <- lapply(flags, `[`, order) else flags <- NULL
  spans_at_hand(x, slice_all(found[names], order), names, rows[order], flags)
}

# Columns of records that were fetched, as a spans object in memory.
spans_at_hand <- function(x, columns, names, rows, flags = NULL) {
  source <- engine_of(x)$source
  for (name in moment_columns(source$names)) {
    kind <- source$kinds[[if (name == source$names$start) "start" else "end"]]
    columns[[name]] <- dates_from_database(columns[[name]], kind)
  }
  how <- conventions_of(x)
  how$engine <- memory_engine()
  how[names(flags)] <- flags
  if (!(how$names$weight %||% "") %in% names) how$names["weight"] <- list(NULL)
  if (!all(how$names$key %in% names)) how$names["key"] <- list(NULL)
  brought <- new_spans(tibble::new_tibble(columns, nrow = length(rows)), how, rows)
  cached(brought, "facts", facts_of(x))
  brought
}

# Texts that are no dates mean no end yet: others were refused before.
dates_from_database <- function(values, kind) {
  if (kind == "dates") return(as_date(as.double(unclass(as.Date(values)))))
  as_date(days_of_texts(as.character(values)))
}

#' @export
conditions_met.ridge_database <- function(x, when, of, together) {
  at <- deciding_ticks(when$rule, when$first, when$stop, day_timeline())
  keys <- if (of == "keys") numbered_names("key", about(x)$names$key)
  found <- with_days(engine_of(x)$source, keys, function(spans, days) {
    refuse_changed(x, spans)
    asked <- conditions_in_sql(spans, at)
    how_many <- dplyr::group_by(asked, .data$started, .data$ended, .data$empty, .data$open)
    ways <- fetched(x, dplyr::summarise(how_many, records = dplyr::n(), .groups = "drop"),
                    "How many records meet which conditions")
    active <- dplyr::filter(asked, .data$active == 1L)
    count_keys <- function(spans, step) {
      own <- dplyr::distinct(dplyr::select(spans, dplyr::starts_with("key_")))
      fetched_totals(x, own, step, keys = dplyr::n())$keys
    }
    c(ways, list(keys = if (of == "keys") count_keys(active, "The keys of those that are active"),
                 together = if (together) count_keys(covering_in_sql(x, spans, when),
                                               "Keys that cover every day")))
  })
  is <- lapply(found[c("started", "ended", "empty", "open")], function(flag) flag == 1)
  is$active <- is$started & !is$ended & !is$empty
  sums <- if (of == "weight") weights_met(x, at)
  c(at, is, list(records = found$records, counted = found$keys %||% sums[1],
                 all = if (of == "keys") facts_of(x)$keys else sums[2], together = found$together))
}

# 1 where a record meets a condition.
conditions_in_sql <- function(spans, at) {
  flag <- function(condition) rlang::expr(dplyr::case_when(!!condition ~ 1L, TRUE ~ 0L))
  asked <- dplyr::mutate(spans, started = !!flag(rlang::expr(.data$start <= !!at$begun_by)),
                         ended = !!flag(rlang::expr(.data$stop <= !!at$over_by)),
                         empty = !!flag(rlang::expr(.data$stop <= .data$start)),
                         open = !!flag(rlang::expr(.data$stop == !!never(day_timeline()))))
  dplyr::mutate(asked, active = .data$started * (1L - .data$ended) * (1L - .data$empty))
}

covering_in_sql <- function(x, spans, when) {
  there <- dplyr::filter(spans, .data$start < .data$stop)
  keys <- names(numbered_names("key", about(x)$names$key))
  dplyr::filter(stretches_in_sql(x, there, keys), .data$start <= !!when$first,
                .data$stop >= !!when$stop)
}

# The weight of the records that are active, and of all.
weights_met <- function(x, at) {
  source <- engine_of(x)$source
  weight <- weight_in_units(x)
  found <- with_days(source, c(value = weight$name), function(spans, days) {
    met <- conditions_in_sql(weight$in_units(spans), at)
    met <- dplyr::mutate(met, by = dplyr::case_when(.data$active == 1L ~ .data$units))
    fetched_totals(x, met, "The sum of their weights", active = sum(.data$by, na.rm = TRUE),
                   all = sum(.data$units, na.rm = TRUE))
  })
  c(found$active, found$all) |> vapply(function(sum) if (is.na(sum)) 0 else sum / source$scale, 0)
}

# Records of which some day lies between two, by the dates themselves.
plain_records_between <- function(x, columns, first = NULL, last = NULL) {
  if (in_shards(x)) {
    return(joined_records(x, lapply(engine_of(x)$shards, plain_records_between, columns, first,
                                    last)))
  }
  source <- engine_of(x)$source
  names <- intersect(names(x), c(core_columns(source$names[c("start", "end", "key")]), columns))
  own <- numbered_names("column", c(source$names$row, names))
  spans <- named_records(source, own)
  as_held <- function(day, side) {
    if (source$kinds[[side]] == "texts") format(as_date(day)) else as_date(day)
  }
  if (!is.null(first)) {
    spans <- dplyr::filter(spans, .data$start_given <= !!as_held(last, "start"))
    if (is.null(source$names$end)) {
      spans <- dplyr::filter(spans, .data$start_given >= !!as_held(first, "start"))
    } else {
      spans <- dplyr::filter(spans, .data$is_open == 1L |
                               .data$end_given >= !!as_held(first, "end"))
    }
  }
  found <- fetched(x, dplyr::select(spans, dplyr::all_of(names(own))),
                   "The same, by the dates themselves")
  brought_spans(x, stats::setNames(found, own), names)
}

# Looking for the other one of each record takes too long where very many are of one partition.
can_be_paired <- function(x, per) {
  facts <- facts_of(x)
  by_key <- length(per) > 0 && all(per %in% about(x)$names$key) && facts$records <= 1e3 * facts$keys
  by_key || facts$records <= 2e4
}

# The same where records alike in the columns and in their days are counted there, and are as many
# here, in no order.
plain_records_counted <- function(x, columns) {
  if (in_shards(x)) {
    all <- lapply(engine_of(x)$shards, plain_records_counted, columns)
    return(joined_records(x, numbered_through(all)))
  }
  source <- engine_of(x)$source
  names <- intersect(names(x), c(core_columns(source$names[c("start", "end")]), columns))
  own <- numbered_names("column", names)
  alike <- dplyr::group_by(dplyr::transmute(source$table, !!!lapply(own, rlang::sym)),
                           dplyr::across(dplyr::all_of(names(own))))
  found <- fetched(x, dplyr::summarise(alike, records = dplyr::n(), .groups = "drop"),
                   "The same, by the dates themselves")
  each <- lapply(found[names(own)], rep, found$records)
  spans_at_hand(x, stats::setNames(each, names), names, seq_len(sum(found$records)))
}
