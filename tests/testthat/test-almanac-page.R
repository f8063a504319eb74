# The pieces of a page in documents of one's own.

skip_if_no_reports()

test_that("a page is asked by its title or number, and knows its answers", {
  folder <- observatory()
  path <- file.path(folder, "almanac.yml")
  page <- suppressMessages(almanac_page(path, "Observers"))
  staff <- spans(demo_records("postings"), first_day, last_day, key = observer, as_of = "2026-06-30")
  counts <- active(staff, from = "2025-07-01")
  piece <- page[["how-many-observers-were-posted"]]
  expect_identical(as.list(piece$result), as.list(counts))
  expect_identical(piece$sentences, summary(counts))
  expect_identical(piece$conventions, conventions(counts))
  expect_true(all(piece$checks$ok))
  expect_match(as.character(piece$html), "<svg class='drawn'")
  expect_identical(names(suppressMessages(almanac_page(read_almanac(path), 1))), names(page))
  expect_error(almanac_page(path, "Observer"), "Did you mean \"Observers\"", class = "ridge_error_argument")
  expect_error(almanac_page(path, 9), "`page`", class = "ridge_error_argument")
  earlier <- suppressMessages(almanac_page(path, 1, as_of = "2026-05-31"))
  expect_match(earlier[[1]]$conventions, "as of 2026-05-31")
})

test_that("a page and a result print in R Markdown, and the template is a report", {
  skip_if_not_installed("rmarkdown")
  skip_if_not(rmarkdown::pandoc_available(), "There is no pandoc.")
  folder <- observatory()
  withr::local_dir(folder)
  template <- system.file("rmarkdown", "templates", "almanac_report", "skeleton", "skeleton.Rmd", package = "almanacridge")
  file.copy(template, "report.Rmd")
  out <- suppressMessages(rmarkdown::render("report.Rmd", quiet = TRUE, params = list(page = "Staying")))
  html <- xml2::read_html(out)
  expect_identical(trimws(xml2::xml_text(xml2::xml_find_all(html, "//article/h3"))),
                   c("Of those who started together, who is left?", "How long do they stay, by role?", "How many held each grade at the end of the year?"))
  expect_gt(length(xml2::xml_find_all(html, "//article//*[local-name()='svg']")), 2)
})
