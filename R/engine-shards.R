# Records in several tables of the same columns, each key wholly in one of them: the shards of a
# database spread over servers, or databases that have nothing to do with each other. Each is
# asked the same question where it lies, and only what they answer is added here.

# `shards` are spans objects, each of a table in a database.
shards_engine <- function(shards) {
  structure(list(shards = shards, facts = joined_facts(lapply(shards, facts_of)),
                 kept = new.env(parent = emptyenv())), class = c("ridge_shards", "ridge_database"))
}

# They are declared alike; how many records play no part is summed.
spans_in_shards <- function(shards) {
  how <- conventions_of(shards[[1]])
  for (name in intersect(counts_of_tables, names(how))) {
    how[[name]] <- sum(unlist(lapply(shards, function(shard) about(shard)[[name]])))
  }
  how$engine <- shards_engine(shards)
  new_spans(plain_tibble(shards[[1]]), how, integer())
}

counts_of_tables <- c("left_out", "unseen", "dropped", "aside_count")

in_shards <- function(x) {
  inherits(engine_of(x), "ridge_shards")
}

# f() of each shard, put together by add().
over_shards <- function(x, f, add = `+`, ...) {
  Reduce(add, lapply(engine_of(x)$shards, f, ...))
}

# Two tables may name other days as their first and last; what of them is empty knows none.
joined_facts <- function(all) {
  joined <- function(name, f) {
    values <- unlist(lapply(all, `[[`, name))
    if (length(values) > 0) f(values)
  }
  facts <- list(records = joined("records", sum), open = joined("open", sum),
                empty = joined("empty", sum), keys = joined("keys", sum))
  c(facts, list(first = joined("first", min), last = joined("last", max),
                last_known = joined("last_known", max), first_tick = joined("first_tick", min),
                stop_tick = joined("stop_tick", max)))
}

# Sums of numbers that are whole by a scale come out the same however they are added.
whole_by <- function(sum, scale) {
  round(sum * scale) / scale
}

weight_scale <- function(x, of) {
  if (of != "weight") return(1)
  max(vapply(engine_of(x)$shards, function(shard) engine_of(shard)$source$scale, 0))
}

refuse_of_shards <- function(x, what) {
  if (in_shards(x)) {
    ridge_abort(c(paste(what, "is not answered over several tables yet."),
                  i = "Ask it of each table by itself."), "engine", value = what)
  }
}

# Of what lies in one table each. Other partitions than keys may be spread over all.
check_in_one_shard <- function(x, per) {
  if (!has_key(x) || !all(about(x)$names$key %in% per)) {
    refuse_of_shards(x, "A question about other partitions than those of the key")
  }
}

#' @export
facts_of.ridge_shards <- function(x) {
  engine_of(x)$facts
}

#' @export
groups_of.ridge_shards <- function(x, names) {
  if (length(names) == 0) {
    return(list(names = names, codes = NULL, size = 1L, values = list()))
  }
  values <- over_shards(x, function(shard) groups_of(shard, names)$values, values_of_both)
  list(names = names, codes = NULL, size = vctrs::vec_size(values[[1]]), values = values)
}

#' @export
levels_of.ridge_shards <- function(x, axis, groups, rule, of, values = NULL, ...) {
  if (is.null(axis)) {
    if (!is.null(values)) refuse_of_shards(x, "A limit of each record")
    return(changes_in_shards(x, groups, of))
  }
  if (!is.null(values)) {
    return(over_amounts(x, values, function(shard, own) {
      levels_of(shard, axis, groups, rule, of, own)
    }))
  }
  if (!is_average(rule) && !adds_up(rule)) return(peak_in_shards(x, axis, groups, of))
  sum <- over_shards(x, function(shard) levels_of(shard, axis, groups, rule, of))
  days <- if (is_average(rule)) rep(axis$stop - axis$first, groups$size) else 1
  if (is.integer(sum)) sum else whole_by(sum, weight_scale(x, of) * days)
}

# What changes in each, change by change.
changes_in_shards <- function(x, groups, of) {
  scale <- weight_scale(x, of)
  steps <- lapply(engine_of(x)$shards, function(shard) levels_of(shard, NULL, groups, NULL, of))
  all <- do.call(rbind, lapply(steps, function(steps) {
    units <- round(steps$level * scale)
    data.frame(group = rep(steps$group, 2), at = c(steps$start, steps$stop),
               by = c(units, -units))
  }))
  all <- all[!is_never(all$at, day_timeline()), ]
  places <- code_values(all[c("group", "at")])
  by <- as.vector(rowsum(all$by, places$codes, reorder = TRUE))
  changed <- which(by != 0)
  group <- all$group[places$rows][changed]
  start <- as.integer(all$at[places$rows][changed])
  level <- unlist(tapply(by[changed], group, cumsum, simplify = FALSE), use.names = FALSE)
  steps_of_changes(group, start, if (of == "weight") level / scale else as.integer(level))
}

# The most on a day of a period: of the levels that reach into it.
peak_in_shards <- function(x, axis, groups, of) {
  steps <- changes_in_shards(x, groups, of)
  size <- axis_size(axis)
  from <- 1L + findInterval(steps$start, axis$stop)
  to <- findInterval(steps$stop - 1L, axis$first)
  each <- pmax(to - from + 1L, 0L)
  place <- sequence(each, from)
  cell <- rep(steps$group, each) * size + place
  level <- rep(steps$level, each)
  peaks <- numeric(size * groups$size)
  most <- tapply(level, cell, max)
  peaks[as.integer(names(most))] <- as.vector(most)
  if (of == "weight") as.double(peaks) else as.integer(peaks)
}

#' @export
conditions_met.ridge_shards <- function(x, when, of, together) {
  scale <- weight_scale(x, of)
  all <- lapply(engine_of(x)$shards, conditions_met, when, of, together)
  bound <- c("started", "ended", "empty", "open", "active", "records")
  met <- all[[1]]
  met[bound] <- lapply(bound, function(name) unlist(lapply(all, `[[`, name)))
  for (name in c("counted", "all", "together")) {
    if (!is.null(met[[name]])) met[[name]] <- whole_by(sum(unlist(lapply(all, `[[`, name))), scale)
  }
  met
}

#' @export
records_behind.ridge_shards <- function(x, which, columns = character()) {
  if (!is.null(which$with)) refuse_of_shards(x, "A question about two lists")
  if (!which$kind %in% c("all", "active")) check_in_one_shard(x, which$per)
  joined_records(x, lapply(engine_of(x)$shards, records_behind, which, columns))
}

# Of records without a number of their own any that differ will do.
numbered_through <- function(all) {
  before <- 0L
  lapply(all, function(part) {
    rows <- before + seq_len(nrow(part))
    before <<- before + nrow(part)
    new_spans(plain_tibble(part), conventions_of(part), rows)
  })
}

# Records of all shards as one spans object in memory.
joined_records <- function(x, all) {
  rows <- unlist(lapply(all, function(part) about(part)$rows))
  twice <- rows[duplicated(rows)]
  if (length(twice) > 0) {
    ridge_abort(c(paste("{.val {about(x)$names$row}} does not tell the records of all tables",
                        "apart: {.val {twice[1]}} is in several."),
                  i = "Name a column whose numbers differ between the tables, too."), "records",
                arg = "row", value = twice[1])
  }
  order <- order(rows)
  columns <- do.call(vctrs::vec_rbind, lapply(all, plain_tibble))
  how <- conventions_of(all[[1]])
  for (name in intersect(counts_of_tables, names(how))) how[[name]] <- about(x)[[name]]
  for (flag in c("after_gap", "before_gap")) {
    flags <- unlist(lapply(all, function(part) about(part)[[flag]]))
    if (length(flags)) how[[flag]] <- flags[order]
  }
  brought <- new_spans(columns[order, ], how, rows[order])
  cached(brought, "facts", facts_of(x))
  brought
}

#' @export
lengths_of.ridge_shards <- function(x, groups, axis, calendar, by_start) {
  over_shards(x, function(shard) lengths_of(shard, groups, axis, calendar, by_start),
              function(a, b) Map(c, a, b))
}

#' @export
flows_of.ridge_shards <- function(x, axis, groups, of, total, returns, ...) {
  sum <- over_shards(x, function(shard) flows_of(shard, axis, groups, of, total, returns))
  whole_by(sum, weight_scale(x, of))
}

#' @export
cohorts_of.ridge_shards <- function(x, axis, groups, rule, returns, ...) {
  over_shards(x, function(shard) cohorts_of(shard, axis, groups, rule, returns),
              function(a, b) Map(`+`, a, b))
}

#' @export
spread_of.ridge_shards <- function(x, axis, values, over, per, groups = NULL, ...) {
  over_amounts(x, values, function(shard, own) spread_of(shard, axis, own, over, per, groups))
}

# f() of each shard and of how its own amounts are read, added.
over_amounts <- function(x, values, f) {
  shards <- engine_of(x)$shards
  Reduce(`+`, Map(f, shards, values$by_table %||% rep(list(NULL), length(shards))))
}

#' @export
stretches_of.ridge_shards <- function(x, names, far, table = NULL, between = FALSE, tags = FALSE,
                                      places = FALSE) {
  check_in_one_shard(x, names)
  found <- over_shards(x, function(shard) {
    list(stretches_of(shard, names, far, table, between, tags, places))
  }, c)
  in_order_of_lines(found, names, between)
}

first_table <- function(x) if (in_shards(x)) engine_of(x)$shards[[1]] else x

# The connection by which the records are asked; of several tables that of the first.
connection_of <- function(x) engine_of(first_table(x))$source$con

# What is asked of all tables in one statement.
check_one_database <- function(x, what) {
  at <- lapply(engine_of(x)$shards, connection_of)
  if (!all(vapply(at, identical, NA, at[[1]]))) {
    ridge_abort(c("{what} is not answered over tables in several databases.",
                  i = "Ask it of each table by itself."), "engine", value = what)
  }
}

forget_aside <- function(x) {
  for (shard in if (in_shards(x)) engine_of(x)$shards else list(x)) engine_of(shard)$source$forget()
}

aside_in_shards <- function(x) {
  check_one_database(x, "What is set aside")
  over_shards(x, function(shard) about(shard)$aside, dplyr::union_all)
}

#' @export
restated_of.ridge_shards <- function(x, earlier, axis, asked) {
  refuse_of_shards(x, "What was restated")
}
