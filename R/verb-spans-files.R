# Declaring records in files, part by part: first what all of them prove of their columns, then
# each part by these conventions, with what cannot be used and what the records reach to.

declare_files <- function(source, columns, end_counts, means_open, told) {
  check_zone_given(told$tz)
  check_date_order(told$date_order)
  if (!is.null(told$days)) check_flag(told$days, "days")
  told$as_of <- in_iso_words(told$as_of, today(), "last")
  data <- source$columns
  names <- list(start = pick_one(data, columns$start, "start"),
                end = pick_end(data, columns$end),
                key = pick_columns(data, columns$key, "key"),
                weight = pick_one(data, columns$weight, "weight", optional = TRUE))
  told$reader <- "record_files"
  told$reading <- source$asked
  for (name in names$key) check_plain_column(data[[name]], name, "key")
  needed <- union(core_columns(names), if (!is.null(told$where)) where_columns(told$where))
  settle_columns(source, needed)
  what <- prove_roles(source, names, end_counts, means_open, told)
  declare <- part_declarer(names, means_open, told, what)
  met <- declare_parts(source, declare, needed, names)
  if (told$unusable != "find") {
    refuse_in_files(met, source, told$unusable)
    for (name in names(met$keys)) report_twins(met$keys, name, "Keys in")
  }
  new_files_spans(source, declare, needed, met, names, what, means_open, told)
}

# What starts and ends are is proven by all parts together: the texts and moments that tell it,
# one under the other, are read as the columns of one table would be.
prove_roles <- function(source, names, end_counts, means_open, told) {
  roles <- moment_columns(names)
  telling <- NULL
  if (!all(vapply(source$columns[roles], inherits, NA, "Date"))) {
    for (i in seq_along(source$pieces)) {
      show_progress(paste("proving dates: part", i, "of", length(source$pieces)))
      own <- lapply(as.list(piece_of(source, i, roles)$records), telling_values, told$tz)
      telling <- if (is.null(telling)) own else Map(join_telling, telling, own, roles)
    }
  }
  telling <- telling %||% lapply(as.list(source$columns[roles]), function(column) column[0])
  size <- max(0L, lengths(telling))
  table <- tibble::new_tibble(lapply(telling, `[`, seq_len(size)), nrow = size)
  read_columns(table, list(start = names$start, end = names$end, key = character()), end_counts,
               means_open, told)
}

most_telling_texts <- 5e6

join_telling <- function(before, own, name) {
  both <- unique(vctrs::vec_c(before, own))
  if (length(both) > most_telling_texts) {
    ridge_abort(c(paste("{.val {name}} has more than {format_number(most_telling_texts)} different",
                        "texts that are no dates of ISO 8601."),
                  i = "Write them as 2026-01-31 or 2026-01-31T08:15, or as Parquet."), "records",
                value = name)
  }
  both
}

# Of dates and moments that say what they are a few will do: the first ones, the extremes, and
# one that is not at midnight. Of all others each different one.
telling_values <- function(column, tz) {
  if (inherits(column, "IDate")) column <- as_date(unclass(column))
  if (is.factor(column)) column <- as.character(column)
  values <- unique(column)
  if (inherits(values, "POSIXct")) {
    return(a_few_moments(values, as.double(values), choose_zone(values, tz)))
  }
  if (!is.character(values)) {
    return(values)
  }
  iso <- read_iso_text(values)
  plain <- iso$kind %in% 1:3
  clocks <- iso$kind %in% 2:3
  seconds <- day_seconds * iso$day + iso$second
  zone <- tz %||% local_zone()
  seconds <- ifelse(iso$kind == 2L, instant_at(seconds, zone), seconds)
  c(values[!plain], utils::head(values[iso$kind == 1L], few_moments),
    a_few_moments(values[clocks], seconds[clocks], zone))
}

few_moments <- 200L

a_few_moments <- function(values, seconds, zone) {
  later <- which(local_seconds(seconds, zone) %% day_seconds != 0)[1]
  values[unique(c(seq_len(min(length(values), few_moments)), later[!is.na(later)]))]
}

# A function that declares the records of a part, what cannot be used set aside.
part_declarer <- function(names, means_open, told, what) {
  by_name <- function(name) rlang::quo(tidyselect::all_of(!!name))
  no_end <- is.null(names$end) || is.na(names$end)
  columns <- list(start = by_name(names$start),
                  end = if (no_end) rlang::new_quosure(names$end) else by_name(names$end),
                  key = by_name(names$key), weight = by_name(names$weight))
  told <- utils::modifyList(told, list(unusable = "find", days = !is.null(what$midnight)))
  if (!on_days(what$timeline)) told$tz <- what$timeline$tz
  orders <- what$orders
  end_counts <- what$end_counts
  function(piece, before, keyed) {
    records <- piece$records
    told$without_key <- !keyed
    source <- list(rows = rows_behind(before, nrow(records)), left_out = 0L,
                   trimmed = piece$trimmed, orders = orders)
    x <- suppressMessages(declare_records(with_source(records, source), columns,
                                          if (on_days(what$timeline)) end_counts, means_open,
                                          told))
    if (on_days(timeline_of(x)) == on_days(what$timeline)) x else on_timeline(x, what$timeline)
  }
}

# Rows are counted on from part to part, as integers as long as they are.
rows_behind <- function(before, n) {
  if (n == 0) {
    return(integer())
  }
  seq(before + 1, before + n)
}

# A part without a record that could be used does not know what starts and ends are.
on_timeline <- function(x, timeline) {
  how <- conventions_of(x)
  how$timeline <- timeline
  columns <- as.list(plain_tibble(x))
  roles <- c(how$names$start, if (has_end_column(how$names)) how$names$end)
  columns[roles] <- list(blank_moments(0, timeline))
  new_spans(tibble::new_tibble(columns, nrow = 0L), how, about(x)$rows)
}

# What all parts come to.
declare_parts <- function(source, declare, needed, names) {
  met <- list(sizes = integer(), records = 0, left_out = 0, trimmed = 0, weights = NULL,
              hashes = double(), keys = list())
  for (i in seq_along(source$pieces)) {
    show_progress(paste("declaring part", i, "of", length(source$pieces)))
    piece <- piece_of(source, i, needed)
    x <- declare(piece, sum(as.double(met$sizes)), source$together)
    index <- memory_index(x)
    met$extent <- joined_extents(met$extent, index$extent)
    how <- about(x)
    met$sizes <- c(met$sizes, nrow(piece$records))
    met$records <- met$records + nrow(x)
    met$left_out <- met$left_out + how$left_out
    met$trimmed <- met$trimmed + piece$trimmed
    met$aside <- vctrs::vec_rbind(met$aside, how$aside)
    met$unusable <- rbind(met$unusable, how$unusable)
    if (!is.null(names$weight)) met$weights <- rbind(met$weights, number_digits(record_weights(x)))
    met["keys"] <- list(more_keys(met$keys, as.list(plain_tibble(x))[names$key]))
    if (source$together) met$hashes <- check_together(met$hashes, index, source, i, names)
    met$kind <- how
    met$columns <- lapply(as.list(plain_tibble(x)), function(column) column[0])
  }
  met
}

# More keys than this are not counted where records are declared.
most_known_keys <- 1e6

# The distinct keys of all parts; NULL: too many, or none are declared.
more_keys <- function(known, own) {
  if (is.null(known) || length(own) == 0) {
    return(NULL)
  }
  own <- slice_all(own, code_values(own)$rows)
  both <- if (length(known) > 0) Map(vctrs::vec_c, known, own) else own
  both <- slice_all(both, code_values(both)$rows)
  if (vctrs::vec_size(both[[1]]) <= most_known_keys) both
}

# Each key in one file only: what was said has to hold.
check_together <- function(hashes, index, source, i, names) {
  own <- hash_of_keys(unname(lapply(index$key_values, plain_key)), index$keys)
  again <- which(own %in% hashes)[1]
  if (!is.na(again)) {
    value <- line_names(slice_all(index$key_values, again))
    ridge_abort(
      c(paste("{.val {value}} in {.file {source$pieces[[i]]$file}} is in an earlier file too, and",
              "{arg_set('together', TRUE)} says that each key lies in one."),
        i = "Leave {arg_name('together')} out."), "records", arg = "together", value = value)
  }
  c(hashes, own)
}

# Of all that cannot be used the first few, by file and row.
refuse_in_files <- function(met, source, unusable) {
  found <- met$unusable
  far <- found$finding == "far end"
  shown <- if (any(far)) found[far, ] else if (unusable == "stop") found
  if (is.null(shown) || nrow(shown) == 0) {
    return(invisible())
  }
  first <- utils::head(shown, 5)
  at <- place_in_files(first$row, source, met$sizes)
  lines <- sprintf("%s, row %s: \"%s\" %s%s.", escape_braces(at$file), format_number(at$row),
                   escape_braces(first$column), escape_braces(quoted(first$value)),
                   escape_braces(first$reason))
  more <- length(unique(shown$row)) - length(unique(first$row))
  lines <- c(lines, if (more > 0) paste("... and", format_number(more), "more."))
  of <- count_of(sum(as.double(met$sizes)), "record")
  n <- length(unique(shown$row))
  way <- if (any(far)) paste0("If that stands for no end yet, say ",
                              arg_set("means_open", substr(first$value[1], 1, 10)),
                              "; otherwise mend it.")
  else paste0("Mend them, or say ", arg_set("unusable", "set_aside"), " to keep them apart.")
  ridge_abort(c("{format_number(n)} of {of} cannot be used.",
                stats::setNames(lines, rep("x", length(lines))), i = open_hint(shown), i = way),
              "records", arg = if (any(far)) "means_open" else first$column[1],
              row = at$row, value = first$value)
}

# The file, and the row in it, of rows that are counted on through all files.
place_in_files <- function(rows, source, sizes) {
  files <- files_of_pieces(source)
  before <- rows_before(sizes)
  own <- before[match(files, files)]
  at <- findInterval(rows - 1, before)
  list(file = files[at], row = rows - own[at])
}

# And back: `placed` has a file and a row in it.
rows_through_files <- function(x, placed) {
  before <- rows_before(engine_of(x)$sizes)
  before[match(placed$file, files_of_pieces(engine_of(x)$source))] + placed$row
}

files_of_pieces <- function(source) {
  vapply(source$pieces, `[[`, "", "file")
}

# How many records there are before each part.
rows_before <- function(sizes) {
  cumsum(c(0, as.double(sizes)))[seq_along(sizes)]
}

new_files_spans <- function(source, declare, needed, met, names, what, means_open, told) {
  conventions <- list(
    names = names, timeline = what$timeline, end_counts = what$end_counts,
    means_open = met$kind$means_open, as_of_day = met$kind$as_of_day,
    as_of_stop = met$kind$as_of_stop,
    aside = with_files(met, source), unusable = met$unusable, left_out = met$left_out,
    where = met$kind$where, given = sum(as.double(met$sizes)), dropped = 0, trimmed = met$trimmed,
    midnight = what$midnight, orders = what$orders, told = told)
  columns <- replace_all(as.list(source$columns), met$columns[core_columns(names)])
  shape <- new_spans(tibble::new_tibble(columns, nrow = 0L),
                     c(conventions, list(engine = memory_engine())), integer())
  keys <- if (length(met$keys) > 0) vctrs::vec_size(met$keys[[1]])
  facts <- facts_of_extent(met$extent, keys, shape, met$records)
  if (!is.null(met$weights)) facts$weight_scale <- scale_of_numbers(met$weights)
  conventions$engine <- parts_engine(source, declare, needed, met$sizes, facts)
  new_spans(tibble::new_tibble(columns, nrow = 0L), conventions, integer())
}

# Those set aside, with the file that each is in and its row there.
with_files <- function(met, source) {
  aside <- met$aside
  at <- place_in_files(aside$row, source, met$sizes)
  aside$row <- as.integer(at$row)
  tibble::add_column(aside, file = at$file, .before = 1, .name_repair = "minimal")
}
