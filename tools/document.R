# Writes the C++ glue, NAMESPACE and the help pages from the sources. The package
# must be installed as it stands first.
Rcpp::compileAttributes(".")
options(warn = 1)
roxygen2::roxygenise(".", load_code = "installed")
