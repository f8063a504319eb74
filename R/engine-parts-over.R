# Questions go over all parts of records in files, one after the other or on workers, and what
# each says is put together.

# f(part, i) of each part, put together by add(). Parts are those of the source or, where
# records with the same values of the columns `together` have to be in one, those that were
# brought together; they go to the workers of a plan, where there is one.
over_parts <- function(x, names, together, f, add) {
  engine <- engine_of(x)
  settle_columns(engine$source, names)
  parts <- if (length(together) > 0) parts_together(x, names, together)
  else list(count = length(engine$sizes), part = function(i) part_of(engine, i, names))
  if (parts$count == 0) f(no_part(x), 1L)
  else if (has_workers() && parts$count > 1) sum_on_workers(parts, f, add)
  else sum_parts(seq_len(parts$count), parts$part, f, add, parts$count)
}

# The same of records wherever they are: those in memory are one part.
over_records <- function(x, names, together, f, add) {
  if (in_parts(x)) over_parts(x, names, together, f, add) else f(x, 1L)
}

# The columns by which a question about keys, which this is or is not, needs records together.
together_for <- function(x, of_keys) {
  if (of_keys) about(x)$names$key
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

# Records of which each part is changed by f() when it is asked.
changed_parts <- function(x, f) {
  engine <- engine_of(x)
  declare <- engine$declare
  engine$declare <- function(piece, before, keyed) f(declare(piece, before, keyed))
  engine$kept <- new.env(parent = emptyenv())
  x <- amend_spans(x, engine = engine)
  met <- over_parts(x, NULL, NULL, function(part, i) {
    index <- memory_index(part)
    list(extent = index$extent, records = nrow(part),
         unseen = about(part)$unseen, dropped = about(part)$dropped, last = no_part(part))
  }, function(a, b) {
    list(extent = joined_extents(a$extent, b$extent), records = a$records + b$records,
         unseen = sum(a$unseen, b$unseen), dropped = a$dropped + b$dropped, last = b$last)
  })
  how <- conventions_of(met$last)
  facts <- facts_of_extent(met$extent, NULL, met$last, met$records)
  facts$weight_scale <- engine$facts$weight_scale
  engine$facts <- facts
  how$names$key <- about(x)$names$key
  kept <- c("names", "means_open", "as_of_day", "as_of_stop", "told")
  how <- c(how[kept], list(engine = engine, unseen = met$unseen, dropped = met$dropped))
  core <- as.list(plain_tibble(met$last))
  columns <- replace_all(as.list(plain_tibble(x)), core[core_columns(how$names)])
  new_spans(tibble::new_tibble(columns, nrow = 0L), replace_all(conventions_of(x), how), integer())
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

# The distinct values of two lists of columns, in order.
values_of_both <- function(a, b) {
  both <- Map(vctrs::vec_c, a, b)
  slice_all(both, code_values(both)$rows)
}

find_groups <- function(x, names) {
  values <- over_parts(x, names, NULL, function(part, i) {
    own <- columns_of(part, names)
    slice_all(own, code_values(own)$rows)
  }, values_of_both)
  list(names = names, codes = NULL, size = vctrs::vec_size(values[[1]]), values = values)
}

#' @export
conditions_met.ridge_parts <- function(x, when, of, together) {
  refuse_in_parts("This question")
}

# None are at hand: what is asked of each is refused.
#' @export
records_behind.ridge_parts <- function(x, which, columns = character()) x

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
