# What is wrong with records in a database. What findings have to know of all of them is counted
# there; records that cannot be used are looked at as they came.

known_in_database <- function(x) {
  if (in_shards(x)) check_one_database(x, "What is wrong with records")
  names <- setdiff(names(x)[vapply(plain_tibble(x), is.character, NA)], about(x)$names$row)
  spellings <- lapply(stats::setNames(names, names), function(name) {
    if (name %in% about(x)$names$key || few_labels(x, name)) spellings_in(twins_in_sql(x, name))
  })
  list(middle = middle_half(days_in_sql(x)), spellings = Filter(Negate(is.null), spellings))
}

# The texts of a column, of all tables.
texts_in_sql <- function(x, name) {
  if (in_shards(x)) return(over_shards(x, texts_in_sql, dplyr::union_all, name))
  texts <- dplyr::transmute(engine_of(x)$source$table, text = .data[[!!name]])
  dplyr::filter(texts, !is.na(.data$text))
}

# How often each day is a start or an end.
days_in_sql <- function(x) {
  if (in_shards(x)) return(over_shards(x, days_in_sql, function(a, b) Map(c, a, b)))
  found <- with_days(engine_of(x)$source, NULL, function(spans, days) {
    dated <- dplyr::transmute(spans, day = .data$start)
    if ("end_number" %in% colnames(spans)) {
      ended <- dplyr::filter(spans, .data$is_open == 0L)
      dated <- dplyr::union_all(dated, dplyr::transmute(ended, day = .data$end_number))
    }
    dated <- dplyr::group_by(dated, .data$day)
    fetched(x, dplyr::summarise(dated, records = dplyr::n(), .groups = "drop"),
            "How often each day is a start or an end")
  })
  list(values = as.double(found$day), counts = as.double(found$records))
}

# Texts of which there are as many as records name something each.
few_labels <- function(x, name) {
  labels <- dplyr::distinct(texts_in_sql(x, name))
  found <- fetched_totals(x, labels, paste("How many different texts", name, "has"),
                          labels = dplyr::n())
  found$labels <= max(20, facts_of(x)$records / 2)
}

# Those that differ from another in case, spaces and hyphens alone.
twins_in_sql <- function(x, name) {
  texts <- dplyr::group_by(texts_in_sql(x, name), .data$text)
  texts <- dplyr::summarise(texts, records = dplyr::n(), .groups = "drop")
  folded <- quote(.data$text)
  for (sign in c(" ", "-", "_")) folded <- rlang::call2("REPLACE", folded, sign, "")
  texts <- dplyr::group_by(dplyr::mutate(texts, folded = tolower(!!folded)), .data$folded)
  texts <- dplyr::ungroup(dplyr::mutate(texts, alike = dplyr::n()))
  texts <- dplyr::filter(texts, .data$alike > 1L)
  found <- fetched(x, dplyr::select(texts, "text", "records"),
                   paste("Texts of", name, "that differ in case, spaces or hyphens"))
  list(values = found$text, counts = as.double(found$records))
}

# What is wrong with those that were set aside: list(found, aside, rows).
unusable_in_database <- function(x) {
  if (in_shards(x)) {
    return(over_shards(x, unusable_in_database, function(a, b) {
      list(found = rbind(a$found, b$found), aside = vctrs::vec_rbind(a$aside, b$aside),
           rows = c(a$rows, b$rows))
    }))
  }
  source <- engine_of(x)$source
  if (is.null(source$aside)) {
    return(list(found = find_nothing(), aside = tibble::tibble(), rows = integer()))
  }
  check_row_named(source$names)
  aside <- fetched(x, source$aside, "The records that are set aside")
  columns <- stats::setNames(aside[-(1:2)], colnames(source$table))
  what <- read_from_database(x, columns)
  found <- rbind(find_unusable(what), far_ends(what))
  found$row <- aside$row[found$row]
  list(found = found, aside = tibble::new_tibble(columns, nrow = length(aside$row)),
       rows = aside$row)
}

# As read_columns() would have them, had they been read from a file of dates of ISO 8601.
read_from_database <- function(x, columns) {
  source <- engine_of(x)$source
  names <- about(x)$names
  side <- function(name, kind, open) {
    raw <- columns[[name]]
    days <- as.double(if (kind == "texts") days_of_texts(raw) else unclass(as.Date(raw)))
    bad <- which(!open(raw) & (is.na(days) | is.infinite(days)))
    days[open(raw) | seq_along(raw) %in% bad] <- NA
    list(values = replace(raw, open(raw), NA), days = days, bad = bad)
  }
  start <- side(names$start, source$kinds[["start"]], is_blank)
  end <- if (has_end_column(names)) {
    side(names$end, source$kinds[["end"]], function(raw) {
      is.na(raw) | raw %in% source$open | is.character(raw) & raw %in% ""
    })
  } else if (is.null(names$end)) start else list(days = NA_real_)
  list(names = names, start = start, end = end, keys = columns_named(columns, names$key),
       weight = if (!is.null(names$weight)) as.double(columns[[names$weight]]),
       raw = list(start = columns[[names$start]],
                  end = if (has_end_column(names)) columns[[names$end]]),
       ticks = list(start = start$days, end = end$days), as_of_day = about(x)$as_of_day)
}
