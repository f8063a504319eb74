# Records in files larger than memory, part by part. A part is declared like any records, and
# the engine of memory answers about it; what it keeps is added to what the parts before left.
# The spans object itself holds no record: its columns only say of which kind they are.

# `source` gives the parts, see piece_of() and settle_columns(); `declare` makes spans of the
# records of one; `facts` are those of all.
parts_engine <- function(source, declare, needed, sizes, facts) {
  structure(list(source = source, declare = declare, needed = needed, sizes = sizes,
                 facts = facts, kept = new.env(parent = emptyenv())), class = "ridge_parts")
}

# list(records, trimmed): the records of part i, in these columns.
piece_of <- function(source, i, names) {
  UseMethod("piece_of")
}

# Has to be asked before columns are first read: what kind each of them is in all parts.
settle_columns <- function(source, names) {
  UseMethod("settle_columns")
}

# Part i as a spans object in memory, with the columns that were declared and these; without a
# key where that plays no part, as records need not be put in its order then.
part_of <- function(engine, i, names, keyed = FALSE) {
  piece <- piece_of(engine$source, i, union(engine$needed, names))
  before <- sum(engine$sizes[seq_len(i - 1L)])
  engine$declare(piece, before, keyed)
}

# f(part, i) of each part, put together by add(). Parts are those of the source or, where
# records of a key have to be together, those that were brought together; they go to the workers
# of a plan, where there is one.
over_parts <- function(x, names, together, f, add) {
  engine <- engine_of(x)
  settle_columns(engine$source, names)
  parts <- if (together && has_key(x)) parts_together(x, names)
  else list(count = length(engine$sizes), part = function(i) part_of(engine, i, names))
  if (has_workers() && parts$count > 1) sum_on_workers(parts, f, add)
  else sum_parts(seq_len(parts$count), parts$part, f, add, parts$count)
}

sum_parts <- function(places, part, f, add, count) {
  sum <- NULL
  for (i in places) {
    show_progress(paste("part", i, "of", count))
    found <- f(part(i), i)
    sum <- if (is.null(sum)) found else add(sum, found)
  }
  sum
}

# An answer that a kernel gathers: ask(part, how) keeps what each part comes to, and is asked of
# no records to add two of them, and to finish.
gathered <- function(x, names, together, ask) {
  none <- no_part(x)
  how <- function(kept, keep, n = 0) list(threads = threads_for(n), parts = kept, keep = keep)
  kept <- over_parts(x, names, together, function(part, i) ask(part, how(NULL, TRUE, nrow(part))),
                     function(a, b) ask(none, how(list(a, b), TRUE)))
  ask(none, how(list(kept), FALSE))
}

# A part that knows how far all records reach, so that it is asked about the same periods.
among_all <- function(part, x) {
  own <- facts_of(part)
  all <- facts_of(x)
  reach <- c("first", "last", "last_known", "first_tick", "stop_tick")
  store <- cache_store(about(part)$cache)
  store$facts <- replace_all(own, all[intersect(reach, names(all))])
  part
}

# Records of which each part is changed by f() when it is asked.
changed_parts <- function(x, f) {
  engine <- engine_of(x)
  declare <- engine$declare
  engine$declare <- function(piece, before, keyed) f(declare(piece, before, keyed))
  engine$kept <- new.env(parent = emptyenv())
  x <- amend_spans(x, engine = engine)
  met <- over_parts(x, NULL, FALSE, function(part, i) {
    index <- memory_index(part)
    list(extent = span_extent(index$start, index$stop), records = nrow(part),
         unseen = about(part)$unseen, last = no_part(part))
  }, function(a, b) {
    list(extent = joined_extents(a$extent, b$extent), records = a$records + b$records,
         unseen = sum(a$unseen, b$unseen), last = b$last)
  })
  how <- conventions_of(met$last)
  facts <- facts_of_extent(met$extent, NULL, met$last, met$records)
  facts$weight_scale <- engine$facts$weight_scale
  engine$facts <- facts
  how$names$key <- about(x)$names$key
  kept <- c("names", "means_open", "as_of_day", "as_of_stop", "told")
  how <- c(how[kept], list(engine = engine, unseen = met$unseen))
  core <- as.list(plain_tibble(met$last))
  columns <- replace_all(as.list(plain_tibble(x)), core[core_columns(how$names)])
  new_spans(tibble::new_tibble(columns, nrow = 0L), replace_all(conventions_of(x), how), integer())
}

replace_all <- function(list, by) {
  list[names(by)] <- by
  list
}

# What the spans of two parts reach to.
joined_extents <- function(a, b) {
  if (is.null(a)) {
    return(b)
  }
  list(open = a$open + b$open, empty = a$empty + b$empty, first = min(a$first, b$first),
       last_start = max(a$last_start, b$last_start), last_stop = max(a$last_stop, b$last_stop))
}

# The same records, none of them.
no_part <- function(x) {
  conventions <- conventions_of(x)
  conventions$engine <- memory_engine()
  columns <- lapply(as.list(plain_tibble(x)), function(column) column[0])
  new_spans(tibble::new_tibble(columns, nrow = 0L), conventions, integer())
}

#' @export
facts_of.ridge_parts <- function(x) {
  engine_of(x)$facts
}

#' @export
groups_of.ridge_parts <- function(x, names) {
  if (length(names) == 0) {
    return(list(names = names, codes = NULL, size = 1L, values = list()))
  }
  kept <- engine_of(x)$kept
  entry <- paste(c("group", names), collapse = "\r")
  if (is.null(kept[[entry]])) kept[[entry]] <- find_groups(x, names)
  kept[[entry]]
}

find_groups <- function(x, names) {
  values <- over_parts(x, names, FALSE, function(part, i) {
    own <- columns_of(part, names)
    slice_all(own, code_values(own)$rows)
  }, function(a, b) {
    both <- Map(vctrs::vec_c, a, b)
    slice_all(both, code_values(both)$rows)
  })
  list(names = names, codes = NULL, size = vctrs::vec_size(values[[1]]), values = values)
}

# The groups of all records, with the codes of those of a part.
groups_in_part <- function(part, groups) {
  if (length(groups$names) == 0) {
    return(groups)
  }
  own <- columns_of(part, groups$names)
  coded <- code_values(own)
  at <- vctrs::vec_match(tibble::new_tibble(slice_all(own, coded$rows), nrow = coded$size),
                         tibble::new_tibble(groups$values, nrow = groups$size)) - 1L
  groups$codes <- in_index_order(at[coded$codes + 1L], memory_index(part))
  groups
}

# What needs records one by one is not answered.

#' @export
codes_of.ridge_parts <- function(x, names) {
  refuse_in_parts("This question")
}

#' @export
flow_rows_of.ridge_parts <- function(x, axis, groups, of, returns) {
  refuse_in_parts(arg_set("show", "records"))
}

#' @export
minus_of.ridge_parts <- function(x, less) {
  refuse_in_parts(arg_name("less"))
}

#' @export
restated_of.ridge_parts <- function(x, earlier, axis, asked) {
  refuse_in_parts("What was restated")
}

#' @export
slices_of.ridge_parts <- function(x, axis, rule, of, columns) {
  refuse_in_parts("A scaffold")
}

#' @export
pairs_of.ridge_parts <- function(x, y, per, differing, least, way_out) {
  refuse_in_parts("A list of pairs")
}

#' @export
reach_of.ridge_parts <- function(x) {
  refuse_in_parts("This question")
}
