# A workbook is a packed folder. Damage is found in it before the package that reads it is
# let near: each part must be where the list of parts says, and be what its sum says.

zip_parts <- function(plain, path) {
  bytes <- readBin(plain, "raw", file.size(plain))
  size <- length(bytes)
  number <- function(at, n) whole_number(bytes[at + seq_len(n)])
  damaged <- function() refuse_file(path, "it is damaged, or no workbook.", "a workbook")
  tail <- max(0, size - 66000)
  ends <- grepRaw(as.raw(c(0x50, 0x4b, 5, 6)), bytes, offset = tail + 1, all = TRUE, fixed = TRUE)
  if (length(ends) == 0 || max(ends) + 21 > size) damaged()
  end <- max(ends) - 1
  count <- number(end + 10, 2)
  at <- number(end + 16, 4)
  parts <- vector("list", count)
  for (i in seq_len(count)) {
    if (at + 46 > end || number(at, 4) != 0x02014b50) damaged()
    name_size <- number(at + 28, 2)
    name <- bytes[at + 46 + seq_len(name_size)]
    parts[[i]] <- list(
      name = rawToChar(name[name != 0]),
      packed = number(at + 10, 2) == 8, crc = bytes[at + 16 + 1:4], from = number(at + 20, 4),
      to = number(at + 24, 4), place = number(at + 42, 4))
    at <- at + 46 + name_size + number(at + 30, 2) + number(at + 32, 2)
  }
  refuse_unpacked(sum(vapply(parts, `[[`, 0, "to")), size, path)
  contents <- lapply(parts, part_content, bytes, damaged)
  names(contents) <- vapply(parts, `[[`, "", "name")
  contents
}

refuse_unpacked <- function(unpacked, packed, path) {
  free <- ps::ps_system_memory()$avail
  if (3 * unpacked > free) {
    ridge_abort(c(paste("{.file {path}} is {format_size(packed)} packed and",
                        "{format_size(unpacked)} unpacked; {format_size(free)} are free."),
                  i = "Cut it into several files."), "size", value = unpacked)
  }
}

# The bytes of a part, unpacked and held against their sum: what packs single files does
# both, given the head and the end that such a file has.
part_content <- function(part, bytes, damaged) {
  size <- length(bytes)
  if (part$place + 30 > size) damaged()
  number <- function(at, n) whole_number(bytes[at + seq_len(n)])
  from <- part$place + 30 + number(part$place + 26, 2) + number(part$place + 28, 2)
  if (number(part$place, 4) != 0x04034b50 || from + part$from > size) damaged()
  data <- bytes[from + seq_len(part$from)]
  if (part$to == 0) {
    return(raw())
  }
  if (!part$packed) {
    return(if (length(data) == part$to) data else damaged())
  }
  length_bytes <- as.raw(part$to %/% 256^(0:3) %% 256)
  whole <- c(as.raw(c(0x1f, 0x8b, 8, 0, 0, 0, 0, 0, 0, 3)), data, part$crc, length_bytes)
  # No packing is a thousand times smaller than what it holds.
  if (part$to > 1100 * part$from + 1000) damaged()
  con <- gzcon(rawConnection(whole))
  on.exit(close(con))
  content <- tryCatch(without_remarks(suppressWarnings(readBin(con, "raw", part$to))),
                      error = function(cnd) damaged())
  if (length(content) == part$to && content_crc(content) == whole_number(part$crc)) content
  else damaged()
}

# What is printed past all conditions goes nowhere.
without_remarks <- function(expr) {
  before <- sink.number(type = "message")
  nowhere <- file(nullfile(), "wt")
  sink(nowhere, type = "message")
  on.exit({
    if (before == 2) sink(type = "message") else sink(getConnection(before), type = "message")
    close(nowhere)
  })
  expr
}

# Bytes as a number, the lowest first.
whole_number <- function(bytes, big_end = FALSE) {
  sum(as.double(if (big_end) rev(bytes) else bytes) * 256^(seq_along(bytes) - 1))
}

bytes_at <- function(con, at, n) {
  seek(con, at)
  readBin(con, "raw", n)
}
