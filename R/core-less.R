# Those who are there less those who are away: of each key what its records cover and those
# of another table do not.

check_less <- function(x, less, of, verb) {
  if (is.null(less)) {
    return(invisible())
  }
  check_spans_class(less, verb)
  check_alike(timeline_of(x), timeline_of(less), "less")
  keys <- lengths(list(about(x)$names$key, about(less)$names$key))
  if (keys[1] == 0 || keys[1] != keys[2]) {
    ridge_abort(
      c("{arg_name('less')} takes away key by key, and both tables need a key of as many columns.",
        i = "Name them with {arg_name('key')}{in_r(' in spans()', '')}."), "argument", arg = "less")
  }
  for (i in seq_len(keys[1])) {
    names <- c(about(x)$names$key[i], about(less)$names$key[i])
    join_columns(vctrs::vec_ptype(x[[names[1]]]), vctrs::vec_ptype(less[[names[2]]]), names, "less")
  }
  if (!is.null(of) && of != "keys") {
    ridge_abort(c("{arg_name('less')} takes away from keys, not from {of}.",
                  i = "Leave {arg_name('of')} out."), "argument", arg = "of", value = of)
  }
}

less_words <- function(less) {
  if (!is.null(less)) {
    paste0("less ", count_of(nrow(less), "record"), " of the same ",
           and_list(about(less)$names$key), " that are away")
  }
}

# What is left of plain records, each with its line: in a line of a key all that it covers and
# the other table does not.
plain_less <- function(plain, line, x, less) {
  if (is.null(less)) {
    return(list(plain = plain, line = line))
  }
  away <- plain_records(less)
  keys <- list(plain_tibble(x)[about(x)$names$key], plain_tibble(less)[about(less)$names$key])
  away$key <- plain$key[vctrs::vec_match(stats::setNames(keys[[2]], names(keys[[1]])), keys[[1]])]
  away <- away[!is.na(away$key), ]
  pair <- (line - 1) * max(1, plain$key) + plain$key
  here <- plain_union(plain, pair)
  pairs <- unique(data.frame(pair = pair, key = plain$key, line = line))
  gone <- plain_union(away, away$key)
  meets <- merge(data.frame(key = gone$id, start = gone$start, stop = gone$stop), pairs, by = "key")
  at <- data.frame(pair = c(here$id, here$id, meets$pair, meets$pair),
                   at = c(here$start, here$stop, meets$start, meets$stop),
                   here = rep(c(1, -1, 0), c(nrow(here), nrow(here), 2 * nrow(meets))),
                   gone = rep(c(0, 1, -1), c(2 * nrow(here), nrow(meets), nrow(meets))))
  at <- at[order(at$pair, at$at), ]
  n <- nrow(at)
  last <- c(at$pair[-1] != at$pair[-n] | at$at[-1] != at$at[-n], TRUE)[seq_len(n)]
  state <- (cumsum(at$here) > 0 & cumsum(at$gone) == 0)[last]
  at <- at[last, ]
  from <- which(state)
  own <- match(at$pair[from], pairs$pair)
  list(plain = vctrs::data_frame(start = at$at[from], stop = at$at[from + 1L],
                                 key = pairs$key[own], weight = rep(1, length(from))),
       line = pairs$line[own])
}
