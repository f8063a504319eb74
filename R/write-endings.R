# Where results are written: the endings that choose a format.

figure_formats <- c("png", "svg", "pdf")

check_ending <- function(path, formats, arg) {
  name <- tolower(basename(path))
  ending <- formats[endsWith(name, paste0(".", formats))]
  if (length(ending) == 0) {
    endings <- paste0(".", formats)
    ridge_abort(c("{arg_name(arg)}: {.file {path}} must end in {.or {.val {endings}}}.",
                  i = "The ending chooses the format."), "argument", arg = arg, value = path)
  }
  folder <- dirname(path)
  if (!dir.exists(folder)) {
    ridge_abort(c("{arg_name(arg)}: there is no folder {.file {folder}}.", i = "Make it first."),
                "argument", arg = arg, value = path)
  }
  ending[1]
}

table_endings <- c(record_formats, "csv.gz", "tsv.gz")
