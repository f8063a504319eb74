# What a build keeps beside the almanac, so that the next edition can be compared with it: of the
# records what the questions use, of other numbers what was told, and the findings.

kept_folder <- function(almanac) {
  path <- almanac$file$whole
  file.path(dirname(path), paste0(sub("[.][^.]*$", "", basename(path)), "-kept"))
}

kept_days <- function(folder) {
  names <- list.files(folder, "^[0-9]{4}-[0-9]{2}-[0-9]{2}$")
  sort(names[!is.na(as.Date(names, optional = TRUE))], method = "radix")
}

# The last one that speaks for an earlier day; NULL where there is none.
edition_before <- function(almanac, day) {
  folder <- kept_folder(almanac)
  days <- kept_days(folder)
  before <- utils::tail(days[days < format(as_date(day))], 1)
  told <- file.path(folder, before, "kept.json")
  if (length(before) && file.exists(told)) {
    c(jsonlite::fromJSON(told, simplifyVector = FALSE),
      list(day = before, folder = file.path(folder, before)))
  }
}

keep_edition <- function(edition) {
  folder <- kept_folder(edition$almanac)
  most <- edition$almanac$keep_editions
  if (most > 0) {
    dir.create(folder, showWarnings = FALSE)
    target <- file.path(folder, format(as_date(edition$day)))
    aside <- tempfile(paste0(".ridge-", Sys.getpid(), "-"), folder)
    on.exit(unlink(aside, recursive = TRUE))
    sweep_editions(folder)
    if (!dir.create(aside)) refuse_write(folder, "nothing can be kept there")
    fill_kept(edition, aside)
    put_folder(aside, target)
  }
  days <- kept_days(folder)
  unlink(file.path(folder, utils::head(days, max(0, length(days) - most))), recursive = TRUE)
}

fill_kept <- function(edition, folder) {
  answers <- edition_answers(edition)
  compared <- Filter(function(answer) can_restate(edition$session, answer), answers)
  names <- unique(vapply(compared, function(answer) answer$question$records, ""))
  records <- lapply(stats::setNames(nm = names), function(name) {
    used <- unlist(lapply(compared, function(answer) {
      if (answer$question$records == name) about(answer$result)$question$arguments$group
    }))
    put_kept_records(edition$session$records[[name]], unique(used), file.path(folder, name))
  })
  told <- Filter(function(answer) tells_numbers(edition$session, answer), answers)
  for (answer in told) {
    nanoparquet::write_parquet(told_numbers(answer$result),
                               kept_path(folder, "told", answer$question$name))
  }
  for (answer in answers[vapply(answers, function(one) one$question$command == "check", NA)]) {
    nanoparquet::write_parquet(kept_findings(answer$result),
                               kept_path(folder, "findings", answer$question$records))
  }
  told <- list(as_of = format(as_date(edition$day)), almanacridge = edition$version,
               records = records)
  put_text(jsonlite::toJSON(told, auto_unbox = TRUE, null = "null", pretty = TRUE),
           file.path(folder, "kept.json"))
}

kept_path <- function(folder, what, name) {
  file.path(folder, paste0(what, "-", file_word(name), ".parquet"))
}

# The columns of the key, start, end, weight and groups, and how they were declared. Ends that mean
# "open" are kept as none.
put_kept_records <- function(x, groups, path) {
  how <- about(x)
  roles <- how$names
  end <- if (has_end_column(roles)) roles$end
  columns <- columns_of(x, unique(c(roles$key, roles$start, end, roles$weight, groups)))
  if (!is.null(end)) {
    columns[[end]][is_never(record_ticks(x)$stop, how$timeline)] <- NA
  }
  factors <- vapply(columns, is.factor, NA)
  columns[factors] <- lapply(columns[factors], as.character)
  file <- paste0(dirname(path), "/records-", file_word(basename(path)), ".parquet")
  nanoparquet::write_parquet(as.data.frame(columns, optional = TRUE), file)
  list(file = basename(file), start = roles$start, end = end, one_day = is.null(roles$end),
       key = I(as.character(roles$key)), weight = roles$weight, end_counts = how$end_counts,
       tz = how$timeline$tz, as_of = format(as_date(how$as_of_day)))
}

kept_records <- function(before, name) {
  how <- before$records[[name]]
  if (is.null(how)) {
    return(NULL)
  }
  data <- tibble::as_tibble(nanoparquet::read_parquet(file.path(before$folder, how$file)))
  moments <- Filter(function(column) inherits(data[[column]], "POSIXct"), names(data))
  data[moments] <- lapply(data[moments], function(column) as_instant(as.double(column), how$tz))
  key <- as.character(unlist(how$key))
  end <- if (!is.null(how$end)) by_names(how$end)
  else rlang::new_quosure(if (how$one_day) NULL else NA)
  rlang::inject(spans(data, start = !!by_names(how$start), end = !!end, key = !!by_names(key),
                      weight = !!by_names(how$weight), end_counts = how$end_counts,
                      as_of = how$as_of, tz = how$tz))
}

# What can be restated by cause. What lies in a database stays there, and is not kept.
can_restate <- function(session, answer) {
  result <- answer$result
  fits <- inherits(result, "ridge_active") && inherits(result, "ridge_by_period")
  fits && has_key(records_asked(session, answer$question$records)) &&
    !asks_database(session, answer$question) &&
    is.null(about(result)$question$arguments$on) && is.null(about(result)$question$arguments$less)
}

# Other numbers by period, of groups and of all, are compared as they were told.
tells_numbers <- function(session, answer) {
  result <- answer$result
  told <- c("ridge_movement", "ridge_allocate", "ridge_time_within",
            if (asks_database(session, answer$question)) "ridge_active")
  inherits(result, "ridge_by_period") && is.null(answer$question$told$against) &&
    any(class(result) %in% told) && nrow(result) > 0
}

told_numbers <- function(result) {
  made <- about(result)
  cells <- cells_of(result)
  numbers <- lapply(as.list(plain_tibble(result))[made$values], as.double)
  data.frame(c(list(line = line_labels(made)[cells$line],
                    period = format(period_reach(made$axis)$from[cells$place]),
                    label = period_labels(made)[cells$place],
                    last_day = as.integer(axis_last_days(made$axis)[cells$place])), numbers),
             check.names = FALSE)
}

axis_last_days <- function(axis) {
  if (is_hourly(axis)) day_of_tick(axis$first, axis$timeline) else axis$last_day
}

kept_findings <- function(found) {
  as.data.frame(lapply(as.list(plain_tibble(found))[c("finding", "severity", "key", "detail")],
                       as.character))
}
