# Declaring records in several tables: each is declared as one would be, and what no table can say
# by itself is looked at here.

is_list_of_tables <- function(data) {
  is.list(data) && !is.data.frame(data) && !is.object(data) && length(data) > 0 &&
    any(vapply(data, is_database_table, NA))
}

declare_tables <- function(data, columns, end_counts, means_open, told) {
  check_tables(data)
  shards <- lapply(seq_along(data), function(i) {
    rlang::try_fetch(declare_table(data[[i]], columns, end_counts, means_open, told),
                     ridge_error = function(cnd) {
      cnd$message <- paste0("Table ", i, " of ", length(data), ": ", cnd$message)
      rlang::cnd_signal(cnd)
    })
  })
  check_same_kinds(shards)
  check_keys_apart(shards)
  spans_in_shards(shards)
}

check_tables <- function(data) {
  odd <- which(!vapply(data, is_database_table, NA))
  if (length(odd) > 0) {
    ridge_abort(c(paste("{arg_name('data')} holds tables in databases and, as its element",
                        "{odd[1]}, {.val {describe(data[[odd[1]]])}}."),
                  i = "Name tables of databases only, by {.fn record_table}."), "argument",
                arg = "data", value = describe(data[[odd[1]]]))
  }
}

# Columns of one name hold the same kind of values.
check_same_kinds <- function(shards) {
  first <- plain_tibble(shards[[1]])
  for (i in seq_along(shards)) {
    own <- plain_tibble(shards[[i]])
    lacking <- c(setdiff(names(first), names(own)), setdiff(names(own), names(first)))
    kinds <- lapply(list(first, own), vapply, function(column) class(column)[1], "")
    other <- names(first)[!names(first) %in% lacking]
    other <- other[kinds[[1]][other] != kinds[[2]][other]]
    if (length(c(lacking, other)) > 0) {
      name <- c(lacking, other)[1]
      how <- if (length(lacking)) "is in one of them only"
      else paste("holds", kinds[[1]][name], "values there and", kinds[[2]][name], "values here")
      ridge_abort(c("Tables 1 and {i} have other columns: {.val {name}} {how}.",
                    i = "Bring them to the same columns by a view or {.fn dplyr::transmute}."),
                  "column", arg = "data", value = name)
    }
  }
}

most_keys_looked_for <- 100L

# A key that is in two tables would be counted twice. Some keys of each table are looked for in the
# others: those of tables that were not parted by the key are found with near certainty.
check_keys_apart <- function(shards) {
  keys <- about(shards[[1]])$names$key
  own <- numbered_names("key", keys)
  chosen <- function(source) {
    dplyr::distinct(dplyr::transmute(source$table, !!!lapply(own, rlang::sym)))
  }
  for (i in if (length(keys) > 0) seq_along(shards)) {
    source <- engine_of(shards[[i]])$source
    some <- fetched(source, utils::head(chosen(source), most_keys_looked_for), "Some of the keys")
    for (j in setdiff(seq_along(shards), i)) {
      other <- engine_of(shards[[j]])$source
      put <- put_table(other$con, tibble::new_tibble(some, nrow = length(some[[1]])))
      met <- dplyr::semi_join(chosen(other), put$table, by = names(own))
      found <- tryCatch(fetched(other, utils::head(met, 1L), "Are they in another table, too?"),
                        finally = put$drop())
      if (length(found[[1]]) > 0) refuse_shared(i, j, vapply(found, as.character, ""), keys)
    }
  }
}

refuse_shared <- function(i, j, key, names) {
  ridge_abort(
    c(paste("{and_list(names)} {.val {paste(key, collapse = ', ')}} is in table {i} and in table",
            "{j}: it would be counted twice."),
      i = "Part the records by their keys, so that all those of a key are in one table."),
    "records", arg = "key", value = unname(key))
}
