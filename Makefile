# make demo: set up, install, and run the main job on the demo data
# make test: set up, install, and run all tests
# make check: the package checks, as a repository runs them
# make sanitize, make fuzz, make oracle, make databases: attacks, for so many SECONDS by a SEED
# make site: help pages, recipes and articles as a site, in build/site
# make accessible: the report in a browser, judged by an accessibility checker too
# make bench, make screenshots, make document: for those who work on it

# Vignettes are built where pandoc is there to do it.
NO_VIGNETTES = $(if $(shell command -v pandoc),,--no-build-vignettes)

.PHONY: demo test check sanitize fuzz oracle databases bench screenshots document site accessible install setup core-test

setup:
	@Rscript tools/setup.R

install: setup
	@Rscript tools/install.R

demo: install
	@./ridge demo

core-test:
	@mkdir -p build
	@$(CXX) -std=c++17 -O1 -Wall -Wextra -pthread -Isrc tests/core/core-test.cpp -o build/core-test
	@./build/core-test

test: install core-test
	@Rscript tools/test.R

check: setup
	@rm -rf build/check && mkdir -p build/check
	@cd build/check && export MAKEFLAGS=-j$$(nproc) && R CMD build $(NO_VIGNETTES) ../.. && \
	  _R_CHECK_FORCE_SUGGESTS_=false _R_CHECK_SYSTEM_CLOCK_=0 R_STRIP_SHARED_LIB='strip -x' \
	  R_MAKEVARS_USER=$(CURDIR)/tools/check.mk \
  R CMD check --no-manual --install-args=--strip $(if $(NO_VIGNETTES),--ignore-vignettes) almanacridge_*.tar.gz
	@Rscript tools/check-log.R build/check

SECONDS ?= 120
SEED ?= $(shell date +%s | tail -c 7)

sanitize: setup
	@bash tools/sanitize.sh $(SECONDS) $(SEED)

fuzz: install
	@bash tools/fuzz.sh $(SECONDS) $(SEED)

# At least a million questions, compared with an oracle that goes day by day.
oracle: install
	@Rscript tests/attack/oracle.R $(SECONDS) $(SEED) 1000000

# Generated tables of SQLite and PostgreSQL, whose answers have to be those of memory.
databases: install
	@bash tools/with-postgres.sh Rscript tests/attack/database.R $(SECONDS) $(SEED)

bench: install
	@bash tools/with-postgres.sh Rscript bench/bench.R
	@BENCH=memory MALLOC_MMAP_THRESHOLD_=1048576 Rscript bench/bench.R

screenshots: install
	@bash tools/screenshots.sh

# The report with an accessibility checker of the registry, in a browser.
accessible: install
	@bash tools/accessible.sh

site: install
	@Rscript tools/setup.R pkgdown
	@Rscript tools/site.R

document: install
	@Rscript tools/setup.R roxygen2
	@Rscript tools/document.R
	@Rscript tools/install.R
