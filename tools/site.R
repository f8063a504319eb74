# Help pages, recipes and articles as a site in build/site, without a network.
options(pkgdown.internet = FALSE)
pkgdown::build_site(".", preview = FALSE, install = FALSE, devel = FALSE, examples = TRUE, run_dont_run = FALSE)
message("The site: build/site/index.html")
