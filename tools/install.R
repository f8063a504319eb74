# Installs the package as it stands here, unless that is installed already: the
# installed copy carries a sum of the sources it was built from.

sources <- list.files(c("R", "src", "man", "inst", "exec"), recursive = TRUE, full.names = TRUE)
sources <- grep("[.](o|so|dll)$", c("DESCRIPTION", "NAMESPACE", sources), value = TRUE, invert = TRUE)
sums <- paste(sources, tools::md5sum(sources))

installed <- find.package("almanacridge", quiet = TRUE)
mark <- file.path(installed, "source-sums.txt")
if (length(installed) > 0 && file.exists(mark) && identical(readLines(mark), sums)) {
  quit(status = 0)
}

library_dir <- .libPaths()[1]
if (file.access(library_dir, 2) != 0) {
  library_dir <- Sys.getenv("R_LIBS_USER")
  dir.create(library_dir, recursive = TRUE, showWarnings = FALSE)
}
message("Installing almanacridge ...")
log <- suppressWarnings(system2(
  file.path(R.home("bin"), "R"),
  c("CMD", "INSTALL", "--no-test-load", paste0("--library=", shQuote(library_dir)), "."),
  stdout = TRUE, stderr = TRUE, env = paste0("MAKEFLAGS=-j", parallel::detectCores())
))
if (!is.null(attr(log, "status"))) {
  writeLines(log)
  stop("almanacridge could not be installed.", call. = FALSE)
}
writeLines(sums, file.path(library_dir, "almanacridge", "source-sums.txt"))
