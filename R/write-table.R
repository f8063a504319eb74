# Results out as CSV: ISO 8601 dates, instants with their offset, blank where
# nothing is known. `file = ""` is standard output.

write_csv_table <- function(table, file = "", sep = ",") {
  columns <- lapply(as.list(plain_tibble(table)), function(column) {
    if (inherits(column, "POSIXct")) iso_instants(column) else column
  })
  data.table::fwrite(columns, file, sep = sep, na = "", quote = "auto", dateTimeAs = "ISO",
                     showProgress = FALSE)
}
