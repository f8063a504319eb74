# What a reader can do with the report, by keyboard and by pointer: what it shows is what R answers.

skip_on_cran()
skip_if_no_browser()

folder <- observatory(testthat::teardown_env())
suppressMessages({
  file.copy(file.path(folder, "postings_may.csv"), file.path(folder, "postings.csv"), overwrite = TRUE)
  build_almanac(file.path(folder, "almanac.yml"), out = file.path(folder, "edition"), as_of = "2026-05-31")
  file.copy(system.file("extdata", "postings.csv", package = "almanacridge"), file.path(folder, "postings.csv"), overwrite = TRUE)
  text <- readLines(file.path(folder, "almanac.yml"))
  writeLines(c(text[1:2], "who: true", text[-(1:2)]), file.path(folder, "almanac.yml"))
  edition <- build_almanac(file.path(folder, "almanac.yml"), out = file.path(folder, "edition"))
})
report <- file.path(edition$out, "index.html")
staff <- spans(demo_records("postings"), first_day, last_day, key = observer, as_of = "2026-06-30")
stations <- active(staff, group = station, total = TRUE, from = "2025-07-01")

test_that("the page opens without a word in the console and without a request", {
  for (way in list(list(1280, 800, FALSE), list(390, 844, FALSE), list(2560, 1440, TRUE), list(320, 640, TRUE))) {
    browser <- open_report(report, way[[1]], way[[2]], way[[3]])
    Sys.sleep(0.3)
    expect_identical(browser$heard$console, character(), label = way[[1]])
    expect_identical(unique(sub(".*/", "", grep("^data:", browser$heard$fetched, value = TRUE, invert = TRUE))), "index.html", label = way[[1]])
    # Nothing is wider than the window.
    expect_lte(browser$js("document.documentElement.scrollWidth"), way[[1]])
    expect_gt(browser$js("document.querySelectorAll('.tools').length"), 10)
  }
})

test_that("values of a figure are read by the arrow keys and under the pointer", {
  browser <- open_report(report)
  plate <- "#at-which-stations .plate"
  browser$js("document.querySelector('", plate, "').focus()")
  value <- function() browser$js("document.querySelector('#at-which-stations .value').textContent")
  line <- stations[!stations$total & stations$station %in% "Whinfell", ]
  tip <- function(at) paste0("Whinfell, ", format(line$period[at], "%Y-%m"), ": ", line$active[at])
  browser$press("Home")
  total <- stations[stations$total, ]
  expect_identical(value(), paste0("All, 2025-07: ", total$active[1]))
  browser$press(c("ArrowRight", "ArrowRight"))
  expect_identical(value(), paste0("All, 2025-09: ", total$active[3]))
  browser$press("ArrowLeft")
  expect_identical(value(), paste0("All, 2025-08: ", total$active[2]))
  browser$press("ArrowDown")
  expect_match(value(), "^Kestrel Gap, 2025-08: ")
  browser$press("Escape")
  expect_identical(value(), "")
  # Each of its marks, where it stands.
  at <- browser$js("(() => { const svg = document.querySelector('", plate, " svg'); svg.scrollIntoView(); const m = svg.getScreenCTM(); ",
                   "const marks = JSON.parse(document.querySelector('#at-which-stations .marks').textContent); ",
                   "return marks.x.map((x, i) => { const p = new DOMPoint(x, marks.y[i]).matrixTransform(m); return [p.x, p.y, marks.tip[i]] }) })()")
  for (mark in at[seq(1, length(at), by = 7)]) {
    browser$point(mark[[1]], mark[[2]])
    expect_identical(value(), mark[[3]])
  }
  tips <- vapply(at, `[[`, "", 3)
  expect_true(all(vapply(seq_len(nrow(line)), tip, "") %in% tips))
  # A mark stands where its value is drawn: higher values higher up in their panel.
  own <- at[startsWith(tips, "Whinfell")]
  expect_identical(rank(-vapply(own, `[[`, 0, 2), ties.method = "min"), rank(line$active, ties.method = "min"))
  expect_match(browser$js("document.querySelector('", plate, "').getAttribute('aria-label')"), "Arrow keys read its values")
})

test_that("a group is chosen for the whole page", {
  browser <- open_report(report)
  select <- "#page-observers .page-tools select"
  browser$js("document.querySelector('", select, "').focus()")
  options <- unlist(browser$js("Array.from(document.querySelectorAll('", select, " option'), o => o.textContent)"))
  expect_identical(options, c("all groups", "(missing)", sort(unique(c(stats::na.omit(stations$station), "All")), method = "radix")))
  choose <- function(value) {
    browser$js("(() => { const s = document.querySelector('", select, "'); s.value = '", value, "'; s.dispatchEvent(new Event('change')) })()")
  }
  choose("station=Whinfell")
  rows <- browser$js("Array.from(document.querySelectorAll('#table-at-which-stations tbody tr')).filter(r => !r.hidden).map(r => r.cells[4].textContent)")
  expect_identical(as.integer(unlist(rows)), stations$active[stations$station %in% "Whinfell"])
  expect_identical(browser$js("document.querySelectorAll('#at-which-stations .chosen circle').length"), 12L)
  expect_match(browser$js("document.querySelector('#at-which-stations .left').textContent"), "12 of 108 rows")
  browser$js("document.querySelector('#at-which-stations .plate').focus()")
  browser$press("Home")
  expect_match(browser$js("document.querySelector('#at-which-stations .value').textContent"), "^Whinfell, 2025-07: ")
  # Tables without that group stay whole.
  expect_identical(browser$js("Array.from(document.querySelectorAll('#table-how-many-observers-were-posted tbody tr')).filter(r => !r.hidden).length"), 12L)
  choose("")
  expect_identical(browser$js("document.querySelectorAll('#table-at-which-stations tbody tr:not([hidden])').length"), 108L)
})

test_that("tables are sorted and filtered, and taken along as the file that lies beside", {
  browser <- open_report(report)
  column <- function(at) unlist(browser$js("Array.from(document.querySelectorAll('#table-at-which-stations tbody tr:not([hidden])'), r => r.cells[", at, "].textContent)"))
  browser$click("#table-at-which-stations th:nth-child(5) span")
  expect_identical(as.integer(column(4)), sort(stations$active))
  expect_identical(browser$js("document.querySelector('#table-at-which-stations th:nth-child(5)').getAttribute('aria-sort')"), "ascending")
  browser$js("document.querySelector('#table-at-which-stations th:nth-child(5) span').focus()")
  browser$press("Enter")
  expect_identical(as.integer(column(4)), sort(stations$active, decreasing = TRUE))
  browser$press(" ")
  expect_identical(as.integer(column(4)), sort(stations$active))
  browser$js("(() => { const i = document.querySelector('#at-which-stations input'); i.value = 'whin'; i.dispatchEvent(new Event('input')) })()")
  expect_identical(unique(column(0)), "Whinfell")
  for (name in c("at-which-stations", "how-much-of-the-grants-belongs-to-each-quarter", "which-were-promised-twice",
                 "how-long-did-it-take-until-a-fault-was-mended-in-working-hou", "restated")) {
    taken <- browser$js("new Promise(done => { const made = URL.createObjectURL; URL.createObjectURL = blob => { blob.text().then(done); URL.createObjectURL = made; return made.call(URL, blob) }; ",
                        "const t = document.querySelector('#table-", name, "'); ",
                        "Array.from(t.closest('details, section').querySelectorAll('button')).find(b => b.textContent.includes('CSV') && b.closest('.tools').nextElementSibling.contains(t)).click() })")
    written <- paste(readLines(file.path(edition$out, "tables", paste0(name, ".csv")), encoding = "UTF-8"), collapse = "\n")
    expect_identical(trimws(taken, "right"), written, label = name)
  }
  expect_identical(browser$heard$console, character())
})

test_that("tables fold and unfold, and how something was asked can be copied", {
  browser <- open_report(report)
  open <- function() browser$js("document.querySelectorAll('#page-observers details.table[open]').length")
  all <- open()
  expect_gt(all, 3L)
  browser$js("document.querySelector('#page-observers .page-tools button').focus()")
  browser$press("Enter")
  expect_identical(open(), 0L)
  browser$click("#page-observers .page-tools button:last-child")
  expect_identical(open(), all)
  how <- browser$js("Array.from(document.querySelectorAll('#at-which-stations .how code'), c => c.textContent)")
  expect_identical(how[[2]], paste("ridge active postings.csv --start first_day --end last_day --key observer --as-of 2026-06-30",
                                   "--by month --group station --total --from 2025-07-01"))
  browser$js("document.querySelector('#at-which-stations .how').open = true")
  browser$click("#at-which-stations .how button")
  Sys.sleep(0.2)
  expect_identical(browser$js("document.querySelector('#at-which-stations .how button').textContent"), "Copied")
  expect_identical(browser$js("getSelection().toString()"), how[[1]])
})

test_that("who is behind a number: the keys of the period that is chosen", {
  browser <- open_report(report)
  browser$js("document.querySelector('#how-many-observers-were-posted .who').open = true")
  choose <- function(period) {
    browser$js("(() => { const s = document.querySelector('#how-many-observers-were-posted .who select'); s.value = '", period,
               "'; s.dispatchEvent(new Event('change')) })()")
    unlist(browser$js("Array.from(document.querySelectorAll('#how-many-observers-were-posted .who tbody tr'), r => r.lastChild.textContent)"))
  }
  listed <- active(staff, from = "2025-07-01", show = "records")
  for (period in c("2025-07-01", "2026-06-01")) {
    expect_identical(choose(period), listed$observer[format(listed$period) == period])
  }
  expect_match(browser$js("document.querySelector('#how-many-observers-were-posted .who').textContent"), "personal data")
})

test_that("without scripts all is there to be read", {
  browser <- open_report(report, scripts = FALSE)
  tree <- browser$page$DOM$getDocument()
  count <- function(selector) length(browser$page$DOM$querySelectorAll(nodeId = tree$root$nodeId, selector = selector)$nodeIds)
  expect_gt(count("table[data-name] tbody tr"), 300)
  expect_gt(count("figure svg"), 10)
  expect_identical(count("button, select, input"), 0L)
})

test_that("every part has a name for those who cannot see it, and all contrasts are enough", {
  axe <- Filter(file.exists, c(Sys.getenv("ALMANAC_AXE"), testthat::test_path("../../build/axe/package/axe.min.js")))
  if (length(axe) == 0) skip("There is no accessibility checker.")
  for (dark in c(FALSE, TRUE)) {
    browser <- open_report(report, dark = dark)
    browser$js("for (const fold of document.querySelectorAll('details')) fold.open = true")
    browser$page$Runtime$evaluate(paste(readLines(axe[1], warn = FALSE), collapse = "\n"))
    found <- browser$js("axe.run(document, {resultTypes: ['violations']}).then(r => r.violations.map(v => `${v.impact}: ${v.id} (${v.nodes.length}) ${v.nodes[0].html.slice(0, 120)}`))")
    serious <- grep("^(serious|critical)", unlist(found), value = TRUE)
    expect_identical(as.character(serious), character(), label = paste(c(dark, unlist(found)), collapse = "; "))
  }
})

test_that("a page in a document of somebody else's leaves the rest of the document as it was", {
  skip_if_not_installed("rmarkdown")
  skip_if_not(rmarkdown::pandoc_available(), "There is no pandoc.")
  withr::local_dir(folder)
  writeLines(c("---", "output: {html_document: {theme: null}}", "---", "", "| a |", "|---|", "| 1 |", "",
               "```{r, echo = FALSE}", "almanacridge::almanac_page(\"almanac.yml\", 1)", "```"), "document.Rmd")
  browser <- open_report(suppressMessages(rmarkdown::render("document.Rmd", quiet = TRUE)))
  style <- function(selector, name) browser$js("getComputedStyle(document.querySelector('", selector, "')).", name)
  expect_identical(style(".ridge-page .scroll", "borderTopStyle"), "solid")
  expect_identical(style(".ridge-page table", "borderCollapse"), "collapse")
  expect_identical(style(".ridge-page", "color"), "rgb(34, 49, 63)")
  expect_identical(style("body > table", "borderCollapse"), "separate")
  expect_identical(style("body", "color"), "rgb(0, 0, 0)")
  expect_identical(browser$js("getComputedStyle(document.documentElement).getPropertyValue('--ink')"), "")
})
