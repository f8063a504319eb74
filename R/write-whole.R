# A file is written beside its place and moved there when it is whole: until then the
# file that was there is untouched, and whoever reads it never sees a part.

write_whole <- function(path, format, write) {
  target <- place_of(path)
  aside <- place_beside(target, format)
  on.exit(unlink(aside))
  reason <- create_file(aside)
  if (!nzchar(reason)) reason <- written(aside, write) %||% flaw_of(aside, format)
  if (!nzchar(reason)) reason <- put_in_place(aside, target)
  if (nzchar(reason)) refuse_write(path, reason)
  invisible(path)
}

# Where a link leads to; the file it names stays a link.
place_of <- function(path) {
  path <- path.expand(path)
  if (nzchar(Sys.readlink(path))) normalizePath(path, mustWork = FALSE) else path
}

# A name of its own for each process and each try. What cannot be replaced, such as a
# pipe or a device, is written to when all is there.
place_beside <- function(target, format) {
  folder <- if (file_kind(target) == "other") tempdir() else dirname(target)
  sweep_parts(folder)
  tempfile(paste0(".ridge-", Sys.getpid(), "-"), folder, paste0(".", format))
}

# What a process that was killed has left behind; no table takes a day to write.
sweep_parts <- function(folder) {
  parts <- list.files(folder, "^[.]ridge-[0-9]+-[0-9a-f]+[.][a-z]+$", all.files = TRUE,
                      full.names = TRUE)
  unlink(parts[file.mtime(parts) < Sys.time() - as.difftime(1, units = "days")])
}

# Why it could not be written: NULL where nothing was said against it.
written <- function(aside, write) {
  said <- NULL
  failed <- tryCatch(withCallingHandlers({
    write(aside)
    NULL
  }, warning = function(cnd) {
    said <<- c(said, conditionMessage(cnd))
    invokeRestart("muffleWarning")
  }), error = function(cnd) {
    if (inherits(cnd, "ridge_error")) rlang::cnd_signal(cnd)
    c(said, conditionMessage(cnd))[1]
  })
  if (!is.null(failed)) first_of(refused_append(aside), failed)
}

first_of <- function(...) {
  Find(nzchar, c(...)) %||% ""
}

flaw_of <- function(aside, format) {
  flushed <- flush_file(aside)
  if (nzchar(flushed)) {
    return(flushed)
  }
  if (is_complete(aside, format)) ""
  else first_of(refused_append(aside), "the file did not become complete")
}

put_in_place <- function(aside, target) {
  if (file_kind(target) == "other") {
    return(copy_onto(aside, target))
  }
  if (file.exists(target)) Sys.chmod(aside, file.mode(target), use_umask = FALSE)
  move_file(aside, target)
}

refuse_write <- function(path, reason) {
  was_there <- file_kind(path.expand(path)) == "file"
  ridge_abort(c("{.file {path}} cannot be written: {reason}.",
                i = if (was_there) "The file that was there is untouched.",
                i = "Check the disk and your rights there."), "file", value = path)
}

# A table, and a figure, end with what their format ends with, and are as long as they
# say themselves.
is_complete <- function(path, format) {
  size <- file.size(path)
  check <- switch(format, png = complete_png, xlsx = complete_zip, parquet = complete_parquet,
                  svg = ends_with("</svg>"), pdf = ends_with("%%EOF"), NULL)
  if (is.null(check)) return(TRUE)
  con <- file(path, "rb")
  on.exit(close(con))
  isTRUE(check(con, size))
}

ends_with <- function(words) {
  function(con, size) {
    tail <- bytes_at(con, max(0, size - 64), 64)
    grepl(words, rawToChar(tail[tail != 0]), fixed = TRUE, useBytes = TRUE)
  }
}

# Pieces, each with its length before it, up to the last.
complete_png <- function(con, size) {
  at <- 8
  while (at + 12 <= size) {
    head <- bytes_at(con, at, 8)
    at <- at + 12 + whole_number(head[1:4], big_end = TRUE)
    if (identical(head[5:8], charToRaw("IEND"))) return(at == size)
  }
  FALSE
}

# The list of parts stands where the end says, right before it.
complete_zip <- function(con, size) {
  tail <- bytes_at(con, size - 22, 22)
  length(tail) == 22 && identical(tail[1:4], as.raw(c(0x50, 0x4b, 5, 6))) &&
    whole_number(tail[13:16]) + whole_number(tail[17:20]) + 22 == size
}
