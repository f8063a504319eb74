# Fails where the package check found an error, a warning or a note.
log <- readLines(list.files(commandArgs(TRUE), "^00check[.]log$", recursive = TRUE,
                            full.names = TRUE)[1])
found <- grep("[.]{3}.* (ERROR|WARNING|NOTE)$", log, value = TRUE)
writeLines(found)
if (length(found) > 0) {
  quit(status = 1)
}
