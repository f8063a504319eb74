# An edition as a folder: everything is written beside its place, then the two folders change
# places at once, so that whoever reads never sees a part.

edition_files <- c("index.html", "workbook.xlsx", "edition.json", "tables", "figures")

# A folder that somebody else has made is not ours to replace.
check_out <- function(out) {
  parent <- dirname(out)
  if (!dir.exists(parent) || file.access(parent, 2) != 0) {
    ridge_abort(c("{arg_name('out')}: nothing can be written to {.file {parent}}.",
                  i = "Name a folder of your own."), "file", arg = "out", value = out)
  }
  if (!file.exists(out)) {
    return(invisible())
  }
  there <- if (dir.exists(out)) list.files(out, all.files = TRUE, no.. = TRUE)
  other <- setdiff(there, edition_files)
  if (!dir.exists(out) || length(other) > 0 || length(there) && !("edition.json" %in% there)) {
    seen <- if (length(other)) paste0(", which holds {.file {other[1]}}") else ""
    ridge_abort(c(paste0("{arg_name('out')}: {.file {out}}", seen,
                         ", is no edition that was built here, and is not replaced."),
                  i = "Name another folder, or move it away."), "file", arg = "out", value = out)
  }
}

# What killed builds have left; no build takes a day.
sweep_editions <- function(folder) {
  parts <- list.files(folder, "^[.]ridge-[0-9]+-[0-9a-f]+$", all.files = TRUE, full.names = TRUE)
  old <- file.mtime(parts) < Sys.time() - as.difftime(1, units = "days")
  unlink(parts[old %in% TRUE], recursive = TRUE)
}

put_folder <- function(aside, out) {
  reason <- if (file.exists(out)) exchange_folders(aside, out) else move_file(aside, out)
  if (nzchar(reason)) refuse_write(out, reason)
}
