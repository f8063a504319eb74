# Where results are written: the endings that choose a format.

figure_formats <- c("png", "svg", "pdf")

table_formats <- c(record_formats, "md", "html")

# Those that standard output takes.
printed_formats <- c("csv", "tsv", "json", "ndjson", "md", "html")

table_endings <- c(table_formats, "csv.gz", "tsv.gz")

check_ending <- function(path, formats, arg) {
  name <- tolower(basename(path))
  ending <- formats[endsWith(name, paste0(".", formats))]
  if (length(ending) == 0) {
    endings <- paste0(".", formats)
    ridge_abort(c("{arg_name(arg)}: {.file {path}} must end in {.or {.val {endings}}}.",
                  i = "The ending chooses the format."), "argument", arg = arg, value = path)
  }
  check_place(path, arg)
  ending[1]
}

# Can a file be put there? What is found later costs the work.
check_place <- function(path, arg) {
  folder <- dirname(path)
  if (!dir.exists(folder)) {
    ridge_abort(c("{arg_name(arg)}: there is no folder {.file {folder}}.", i = "Make it first."),
                "argument", arg = arg, value = path)
  }
  kind <- file_kind(path.expand(path))
  if (kind == "folder") {
    ridge_abort(c("{arg_name(arg)}: {.file {path}} is a folder.", i = "Name a file in it."),
                "argument", arg = arg, value = path)
  }
  closed <- if (kind == "none") folder else path
  if (file.access(closed, 2) != 0 || kind == "file" && file.access(folder, 2) != 0) {
    ridge_abort(c("{arg_name(arg)}: {.file {path}} cannot be written: you have no right to.",
                  i = "Name another folder, or ask for the right."), "file", arg = arg,
                value = path)
  }
}
