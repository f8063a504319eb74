# Results out as CSV: ISO 8601 dates, instants with their offset, blank where
# nothing is known. `file = ""` is standard output.

write_csv_table <- function(table, file = "", sep = ",") {
  columns <- lapply(as.list(plain_tibble(table)), function(column) {
    if (inherits(column, "POSIXct")) iso_instants(column) else column
  })
  data.table::fwrite(columns, file, sep = sep, na = "", quote = "auto", dateTimeAs = "ISO",
                     showProgress = FALSE)
}

iso_instants <- function(instants) {
  distinct <- unique(instants)
  text <- format(distinct, "%Y-%m-%dT%H:%M:%S%z")
  text <- sub("([0-9]{2})$", ":\\1", text)
  text[match(instants, distinct)]
}

figure_formats <- c("png", "svg", "pdf")

check_ending <- function(path, formats, arg) {
  name <- tolower(basename(path))
  ending <- formats[endsWith(name, paste0(".", formats))]
  if (length(ending) == 0) {
    ridge_abort(c("{.arg {arg}}: {.file {path}} must end in {.or {.val {paste0('.', formats)}}}.",
                  i = "The ending chooses the format."), "argument")
  }
  folder <- dirname(path)
  if (!dir.exists(folder)) {
    ridge_abort(c("{.arg {arg}}: there is no folder {.file {folder}}.", i = "Make it first."),
                "argument")
  }
  ending[1]
}
