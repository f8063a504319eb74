# The records of each key, or of the same values of other columns, in one part: by a hash of
# these they go to files of their own, of which none should be larger than a part may be. A file
# holds blocks, one for each part that was read, as R writes them.

most_files_together <- 256L

# list(count, part): what over_parts() goes through.
parts_together <- function(x, names, by) {
  engine <- engine_of(x)
  by_key <- identical(by, about(x)$names$key)
  if (length(engine$sizes) < 2 || by_key && engine$source$together) {
    return(list(count = length(engine$sizes), part = function(i) part_of(engine, i, names, by_key)))
  }
  names <- union(engine$needed, names)
  entry <- paste(c("together", by), collapse = "\r")
  held <- engine$kept[[entry]]
  if (is.null(held) || !all(names %in% held$names)) {
    engine$kept[[entry]] <- held <- bring_together(x, union(names, held$names), by)
  }
  how <- conventions_of(x)
  how$engine <- memory_engine()
  list(count = length(held$files), part = function(i) {
    read_together(held$files[i], held$blocks[i], how)
  })
}

bring_together <- function(x, names, by) {
  engine <- engine_of(x)
  settle_columns(engine$source, names)
  folder <- tempfile("together-")
  dir.create(folder)
  # It goes when nothing asks for it any more, at the latest with the session.
  held <- new.env(parent = emptyenv())
  reg.finalizer(held, function(held) unlink(folder, recursive = TRUE), onexit = TRUE)
  done <- FALSE
  on.exit(if (!done) unlink(folder, recursive = TRUE))
  held$names <- names
  held$files <- character()
  held$blocks <- integer()
  for (i in seq_along(engine$sizes)) {
    show_progress(paste("bringing keys together: part", i, "of", length(engine$sizes)))
    part <- part_of(engine, i, names)
    if (length(held$files) == 0) held$files <- files_together(part, engine, folder)
    met <- append_together(part, names, by, held$files)
    held$blocks <- if (length(held$blocks)) held$blocks + met else met
  }
  held$files <- held$files[held$blocks > 0L]
  held$blocks <- held$blocks[held$blocks > 0L]
  done <- TRUE
  held
}

# As many as leave each small enough, a record taking what one of the first part takes and its
# declaring some times that.
files_together <- function(part, engine, folder) {
  each <- as.double(utils::object.size(plain_tibble(part))) / max(1, nrow(part)) + 40
  wanted <- ceiling(sum(engine$sizes) * each * 4 / engine$source$memory)
  count <- min(max(wanted, 1), most_files_together)
  file.path(folder, sprintf("keys-%03d", seq_len(count)))
}

append_together <- function(part, names, by, files) {
  columns <- as.list(plain_tibble(part))[names]
  keys <- columns[by]
  at <- as.integer(hash_of_keys(unname(lapply(keys, plain_key)), nrow(part)) %% length(files)) + 1L
  order <- order(at, method = "radix")
  counts <- tabulate(at, length(files))
  for (i in which(counts > 0)) {
    rows <- order[sum(counts[seq_len(i - 1)]) + seq_len(counts[i])]
    block <- list(columns = lapply(columns, taken_at, rows), rows = about(part)$rows[rows])
    append_block(block, files[i])
  }
  as.integer(counts > 0)
}

# Days stay the whole numbers that they are.
taken_at <- function(column, rows) {
  if (is_plain_date(column)) .Date(values_at(unclass(column), rows))
  else vctrs::vec_slice(column, rows)
}

put_together <- function(columns) {
  if (all(vapply(columns, is_plain_date, NA))) .Date(vctrs::vec_c(!!!lapply(columns, unclass)))
  else vctrs::vec_c(!!!columns)
}

is_plain_date <- function(column) identical(attributes(column), list(class = "Date"))

# Factors of one value may have other codes in other files.
plain_key <- function(key) {
  if (is.factor(key)) as.character(key)
  else if (is.character(key)) enc2utf8(key) else as.double(unclass(key))
}

append_block <- function(block, path) {
  bytes <- serialize(block, NULL, xdr = FALSE)
  size <- if (file.exists(path)) file.size(path) else 0
  con <- file(path, "ab")
  failed <- tryCatch({
    writeBin(bytes, con)
    close(con)
    NULL
  }, error = conditionMessage, warning = conditionMessage)
  if (!is.null(failed) || file.size(path) != size + length(bytes)) {
    ridge_abort(
      c(paste("The records of each key cannot be brought together: {.file {dirname(path)}} takes",
              "no more than {format_size(file.size(path))} in a file."),
        i = "Make room there, or set TMPDIR to a folder with more."), "file", value = path)
  }
}

read_together <- function(path, count, how) {
  con <- file(path, "rb")
  on.exit(close(con))
  blocks <- lapply(seq_len(count), function(i) unserialize(con))
  columns <- lapply(stats::setNames(nm = names(blocks[[1]]$columns)), function(name) {
    put_together(lapply(blocks, function(block) block$columns[[name]]))
  })
  rows <- unlist(lapply(blocks, `[[`, "rows"))
  new_spans(tibble::new_tibble(columns, nrow = length(rows)), how, rows)
}
