# Writes the C++ glue, NAMESPACE and the help pages from the sources. The package
# must be installed as it stands first.
Rcpp::compileAttributes(".")
options(warn = 1)
roxygen2::roxygenise(".", load_code = "installed")

# The manual page of the command line, from its register.
dir.create("inst/share", showWarnings = FALSE)
page <- commonmark::markdown_man(paste(almanacridge:::manual_page(), collapse = "\n"))
head <- c(".TH RIDGE 1", ".\\\" From the register of commands and options.")
writeLines(c(head, strsplit(page, "\n")[[1]]), "inst/share/ridge.1")

# The schema of almanacs, from the same register.
cat(almanacridge:::schema_text(), file = "inst/almanac/almanac.schema.json", sep = "")
