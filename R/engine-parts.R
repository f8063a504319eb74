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
  before <- sum(as.double(engine$sizes[seq_len(i - 1L)]))
  engine$declare(piece, before, keyed)
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

# The groups of all records, with the codes of those of a part.
groups_in_part <- function(part, groups) {
  if (length(groups$names) == 0) {
    return(groups)
  }
  if (nrow(part) == 0) {
    return(replace_all(groups, list(codes = integer())))
  }
  own <- columns_of(part, groups$names)
  coded <- code_values(own)
  at <- vctrs::vec_match(tibble::new_tibble(slice_all(own, coded$rows), nrow = coded$size),
                         tibble::new_tibble(groups$values, nrow = groups$size)) - 1L
  groups$codes <- in_index_order(at[coded$codes + 1L], memory_index(part))
  groups
}

# What needs records one by one is not answered.
