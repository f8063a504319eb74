# Small sound Parquet files of every kind that is proven page by page, to begin fuzzing with.
#   Rscript tests/fuzz/seeds.R FOLDER
folder <- commandArgs(trailingOnly = TRUE)
table <- data.frame(label = c("Whinfell", NA, "Scar", "Scar"), day = as.Date("2026-01-01") + 1:4, share = 1:4 / 7, here = c(TRUE, NA, FALSE, TRUE), n = 1:4)
for (version in 1:2) {
  for (packed in c("snappy", "uncompressed")) {
    options <- nanoparquet::parquet_options(write_data_page_version = version, num_rows_per_row_group = 3, write_arrow_metadata = FALSE)
    nanoparquet::write_parquet(table, file.path(folder, paste0(packed, version, ".parquet")), compression = packed, options = options)
  }
}
