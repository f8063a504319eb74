# Help pages, recipes and articles as a site in build/site, without a network.
options(pkgdown.internet = FALSE)
pkgdown::build_site(".", preview = FALSE, install = FALSE, devel = FALSE)
# The pictures of the README, where it looks for them.
dir.create("build/site/docs", showWarnings = FALSE)
invisible(file.copy("docs/screenshots", "build/site/docs", recursive = TRUE))
message("The site: build/site/index.html")
