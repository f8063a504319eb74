# What records in parts answer about partitions: where these are the key, the records of each
# are brought together; other partitions may lie in any part, and are asked in memory only.

#' @export
stretches_of.ridge_parts <- function(x, names, far, table = NULL, between = FALSE, tags = FALSE,
                                     places = FALSE) {
  if (tags) refuse_in_parts("This question")
  key <- about(x)$names$key
  if (!has_key(x) || !all(key %in% names)) {
    refuse_in_parts(paste("A question about other partitions than those of the key"))
  }
  found <- over_parts(x, names, key, function(part, i) {
    own <- stretches_of(part, names, far, table, between, FALSE, places)
    rows <- intersect(c("first", "furthest", "before", "after"), names(own))
    own[rows] <- lapply(own[rows], function(at) source_places(part, at))
    list(own)
  }, c)
  in_order_of_lines(found, names, between)
}

# Places of records in all parts: their rows, counted through.
source_places <- function(part, at) {
  about(part)$rows[at]
}

# One table of the ranges of all parts, by the order of the values of their lines.
in_order_of_lines <- function(found, names, between) {
  values <- lapply(stats::setNames(names, names), function(name) {
    vctrs::vec_c(!!!lapply(found, function(own) own$lines$values[[name]]))
  })
  coded <- code_values(values)
  sizes <- vapply(found, function(own) vctrs::vec_size(own$lines$values[[1]]), 0L)
  before <- cumsum(c(0L, sizes))[seq_along(sizes)]
  columns <- c("start", "stop", "line", if (between) c("before", "after")
               else c("records", "first", "furthest"))
  all <- lapply(stats::setNames(columns, columns), function(name) {
    unlist(Map(function(own, before) {
      if (name == "line") coded$codes[before + own$line + 1L] else own[[name]]
    }, found, before))
  })
  if (!between && length(all$first) == 0) all[c("first", "furthest")] <- list(integer())
  rows <- order(all$line, all$start, method = "radix")
  some <- lengths(all) > 0
  all[some] <- lapply(all[some], `[`, rows)
  c(all, list(lines = list(names = names, values = slice_all(values, coded$rows)), tag = integer(),
              covered = seq_len(coded$size) - 1L))
}
