# Installs the packages that DESCRIPTION names and this machine lacks: from the
# distribution, built, where that can be done, otherwise from source. Further
# package names may follow on the command line.

wanted <- function(extra) {
  fields <- read.dcf("DESCRIPTION", fields = c("Imports", "LinkingTo", "Suggests"))
  entries <- trimws(unlist(strsplit(fields[!is.na(fields)], ",")))
  entries <- unique(c(entries, extra))
  minimum <- ifelse(grepl(">=", entries), sub(".*>= *([0-9.-]+).*", "\\1", entries), "0")
  wanted <- data.frame(name = sub("[ (\n].*", "", entries), minimum = minimum)
  # A package asked for twice must meet the higher of its two versions.
  wanted <- wanted[order(wanted$name, numeric_version(wanted$minimum), decreasing = TRUE), ]
  wanted[!duplicated(wanted$name), ]
}

lacking <- function(packages) {
  found <- mapply(function(name, minimum) {
    dir <- find.package(name, quiet = TRUE)
    length(dir) > 0 && utils::packageVersion(name) >= minimum
  }, packages$name, packages$minimum)
  packages$name[!found]
}

can_use_apt <- function() {
  nzchar(Sys.which("apt-get")) && identical(system2("id", "-u", stdout = TRUE), "0")
}

from_distribution <- function(names) {
  system2("apt-get", c("update", "-qq"))
  packages <- paste0("r-cran-", tolower(names))
  # One name that it does not know, and it would install none.
  known <- intersect(packages, system2("apt-cache", c("pkgnames", "r-cran-"), stdout = TRUE))
  if (length(known) > 0) {
    Sys.setenv(DEBIAN_FRONTEND = "noninteractive")
    system2("apt-get", c("install", "-y", "-qq", "--no-install-recommends", known), stdout = FALSE)
  }
}

from_source <- function(names) {
  library_dir <- .libPaths()[1]
  if (file.access(library_dir, 2) != 0) {
    library_dir <- Sys.getenv("R_LIBS_USER")
    dir.create(library_dir, recursive = TRUE, showWarnings = FALSE)
    .libPaths(c(library_dir, .libPaths()))
  }
  repos <- getOption("repos")
  if (identical(unname(repos["CRAN"]), "@CRAN@")) {
    chooseCRANmirror(ind = 1)
  }
  # Without a system library that only root can install, fs brings its own.
  Sys.setenv(USE_BUNDLED_LIBUV = "1")
  install.packages(names, lib = library_dir, Ncpus = parallel::detectCores(), quiet = TRUE)
}

# What is no R package: only where the distribution has it.
also_from_distribution <- function(name, there) {
  if (there || !can_use_apt()) {
    return(invisible())
  }
  message("Installing from the distribution: ", name)
  Sys.setenv(DEBIAN_FRONTEND = "noninteractive")
  system2("apt-get", c("update", "-qq"))
  system2("apt-get", c("install", "-y", "-qq", "--no-install-recommends", name), stdout = FALSE)
}

# Drives a browser in tests; needs headers of the system where it is built.
also_from_distribution("libssl-dev", file.exists("/usr/include/openssl/ssl.h"))
also_from_distribution("libcurl4-openssl-dev", nzchar(Sys.which("curl-config")))
# Asks a PostgreSQL server in tests; needs its client library where it is built.
also_from_distribution("libpq-dev", file.exists("/usr/include/postgresql/libpq-fe.h"))
optional <- c("chromote", "RPostgres")

packages <- wanted(commandArgs(trailingOnly = TRUE))
missing <- lacking(packages)
if (length(missing) > 0 && can_use_apt()) {
  message("Installing from the distribution: ", paste(missing, collapse = ", "))
  from_distribution(missing)
  missing <- lacking(packages)
}
if (length(missing) > 0) {
  message("Installing from source: ", paste(missing, collapse = ", "))
  from_source(missing)
  missing <- lacking(packages)
}
without <- intersect(missing, optional)
if (length(without) > 0) message("Goes without: ", paste(without, collapse = ", "))
missing <- setdiff(missing, optional)
if (length(missing) > 0) {
  stop("These packages could not be installed: ", paste(missing, collapse = ", "), call. = FALSE)
}

# The tests read iCalendar files with another parser, where there is one.
has_other_parser <- function() {
  python <- Filter(nzchar, c(Sys.which("/usr/bin/python3"), Sys.which("python3")))
  length(python) > 0 && system2(python[1], c("-c", shQuote("import icalendar, dateutil")), stdout = FALSE, stderr = FALSE) == 0
}
also_from_distribution("python3-icalendar", has_other_parser())
# The tests complete words in both shells.
also_from_distribution("zsh", nzchar(Sys.which("zsh")))
# They judge the schema of almanacs, and open reports in a browser.
has_judge <- function() {
  python <- Filter(nzchar, c(Sys.which("/usr/bin/python3"), Sys.which("python3")))
  length(python) > 0 &&
    system2(python[1], c("-c", shQuote("import jsonschema")), stdout = FALSE, stderr = FALSE) == 0
}
also_from_distribution("python3-jsonschema", has_judge())
also_from_distribution("chromium", any(nzchar(Sys.which(c("chromium", "google-chrome", "chromium-browser")))))
# Without pandoc the vignettes are left out.
also_from_distribution("pandoc", nzchar(Sys.which("pandoc")))
