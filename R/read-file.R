# Files of records: are they there, and where are their bytes.

check_paths <- function(path) {
  if (!rlang::is_character(path) || length(path) == 0 || anyNA(path) || any(!nzchar(path))) {
    ridge_abort("{arg_name('path')} must name a file, or several, not {.val {describe(path)}}.",
                "argument", arg = "path")
  }
}

# Several files, and those that a pattern such as exports/*.csv stands for.
files_of <- function(path) {
  check_paths(path)
  unlist(lapply(path, function(one) {
    if (one == "-" || file.exists(one) || !grepl("[*?[]", one)) return(one)
    found <- sort(Sys.glob(one), method = "radix")
    if (length(found) == 0) {
      ridge_abort(c("No file is called as {.file {one}} says.",
                    i = "Check the folder and the names."),
                  "file", value = one)
    }
    found
  }))
}

check_file <- function(path) {
  kind <- if (path == "-") "other" else file_kind(path.expand(path))
  if (kind == "folder") {
    ridge_abort(c("{.file {path}} is a folder, not a file.",
                  i = "Name a file in it, or all of one kind: {.file {file.path(path, '*.csv')}}."),
                "file", value = path)
  }
  if (kind == "none") {
    ridge_abort(c("There is no file {.file {path}}.", i = "Check its name and folder."), "file",
                value = path)
  }
  if (kind == "file" && file.access(path, 4) != 0) {
    ridge_abort(c("{.file {path}} cannot be read: you have no right to.", i = "Ask for it."),
                "file", value = path)
  }
  if (kind == "file" && file.size(path) == 0) refuse_empty(path)
}

refuse_empty <- function(path) {
  ridge_abort(c("{.file {path}} is empty.", i = "A CSV file begins with a line of column names."),
              "file", value = path)
}

refuse_file <- function(path, reason, as = "CSV", way_out = "Mend the file, or export it again.") {
  reason <- gsub("[[:space:]]+", " ", reason)
  shown <- attr(path, "shown") %||% path
  ridge_abort(c("{.file {shown}} cannot be read as {as}: {reason}", i = "{way_out}"), "file",
              value = shown)
}

# The name by which a file is known, and where its bytes are: of what can be read only
# once, such as a pipe, and of what is compressed, in a file of this session.
unpacked <- function(path) {
  plain <- if (path == "-" || file_kind(path.expand(path)) == "other") spooled(path)
  else path.expand(path)
  if (file.size(plain) == 0) refuse_empty(path)
  if (identical(readBin(plain, "raw", 2), as.raw(c(0x1f, 0x8b)))) plain <- gunzipped(path, plain)
  structure(plain, shown = path)
}

# Read to its end once; asked for again it is known.
spooled <- local({
  known <- list()
  function(path) {
    if (path == "-") path <- "/dev/stdin"
    if (is.null(known[[path]]) || path != "/dev/stdin") {
      plain <- tempfile("pipe-")
      file.create(plain)
      reason <- copy_onto(if (path == "/dev/stdin") "-" else path.expand(path), plain)
      if (nzchar(reason)) refuse_file(path, paste0(reason, "."), "a stream")
      known[[path]] <<- plain
    }
    known[[path]]
  }
})

# What grows beyond what this machine has is given up before the disk is full.
gunzipped <- function(path, packed) {
  plain <- tempfile("unpacked-")
  from <- gzfile(packed, "rb")
  to <- file(plain, "wb")
  on.exit({
    close(from)
    close(to)
  })
  most <- ps::ps_system_memory()$avail
  total <- 0
  repeat {
    refuse <- function(cnd) refuse_file(path, "it is packed, and damaged.")
    block <- tryCatch(readBin(from, "raw", 1e7), error = refuse, warning = refuse)
    if (length(block) == 0) break
    total <- total + length(block)
    if (total > most) {
      ridge_abort(c(paste("{.file {path}} is {format_size(file.size(packed))} packed and more than",
                          "{format_size(total)} unpacked; {format_size(most)} are free."),
                    i = "Cut it into several files."), "size", value = total)
    }
    writeBin(block, to)
  }
  flush(to)
  if (packed_size(packed) > file.size(plain)) {
    ridge_abort(c("{.file {path}} is cut short: it says that it holds more than is there.",
                  i = "Copy or download it again."), "file")
  }
  if (total > 1e9) {
    cli::cli_inform(c("!" = "{.file {path}} is {format_size(total)} unpacked: this takes a while."))
  }
  plain
}

# How long the last part of a gzip file says that its text is.
packed_size <- function(path) {
  con <- file(path, "rb")
  on.exit(close(con))
  seek(con, max(file.size(path) - 4, 0))
  sum(as.double(readBin(con, "raw", 4)) * 256^(0:3))
}

# Columns can be named only where each has a name of its own. Of several with one name
# none keeps it, so that who asks for it is told.
repair_names <- function(table) {
  given <- as.character(names(table))
  blank <- is.na(given) | !nzchar(trimws(given))
  names <- ifelse(blank, paste0("column_", seq_along(given)), trimws(given))
  twice <- names %in% names[duplicated(names)]
  nth <- stats::ave(seq_along(names), names, FUN = seq_along)
  names[twice] <- paste0(names, "_", nth)[twice]
  names <- make.unique(names, "_")
  changed <- names != trimws(given) | is.na(given)
  if (any(changed)) {
    cli::cli_inform(c("!" = paste("Columns without a name of their own are called",
                                  "{.val {names[changed]}}.")))
  }
  names(table) <- names
  table
}

# Some texts from all over a column, blanks aside.
a_few <- function(column) {
  texts <- unique(column[unique(round(seq(1, length(column), length.out = 500)))])
  texts <- texts[!is_blank_text(texts)]
  if (length(texts) > 0) texts else utils::head(unique(column[!is_blank_text(column)]), 500)
}

# Damage within a file can end the process that reads it. The program goes on in a child
# process, at no cost; within a session `read` is tried in one, to see.
survives_reading <- function(plain, read) {
  room <- 0.8 * ps::ps_system_memory()$avail
  if (nzchar(Sys.getenv("RIDGE_PROGRAM"))) {
    state <- in_child(followed = TRUE, room)
    if (state >= 1000) quit(save = "no", status = state - 1000, runLast = FALSE)
    # The parent only waits: all cores are the child's.
    if (state == 0) loaded$process <- Sys.getpid()
    return(state == 0)
  }
  # No table needs that much more than its file.
  state <- in_child(followed = FALSE, min(room, 2e9 + 500 * file.size(plain)))
  if (state == 0) {
    read_whole <- tryCatch({
      suppressWarnings(read())
      TRUE
    }, error = function(cnd) !grepl("bad_alloc|cannot allocate", conditionMessage(cnd)))
    # What needs more memory than there is would need it here too.
    if (!read_whole) tools::pskill(Sys.getpid(), tools::SIGKILL)
    leave_child()
  }
  state == -1
}
