# What is written is whole, holds what it held, and can do no harm where it lands.

new_file <- function(ending, env = parent.frame()) withr::local_tempfile(fileext = ending, .local_envir = env)
quiet_read <- function(...) suppressMessages(read_records(...))

test_that("numbers, dates and instants read back as they were, in every format", {
  values <- c(100000, 5, 2e5, 0.1 + 0.2, 1 / 3, -1.5e-7, 123456789012345, NA)
  moments <- .POSIXct(c(1774695600.25, 1793000000, -3.3e9, 0, NA, 1793001600.000001, 1e9, 2e9), tz = "Europe/Vienna")
  table <- tibble::tibble(
    id = sprintf("%03d", 1:8), value = values, whole = c(1:7, NA), day = day("2024-02-29") + c(0:6, NA),
    at = moments, text = c("NA", "a,b", "say \"x\"", "line\nbreak", "\u00e9t\u00e9", NA, "1.5 kg", "z"))
  for (ending in c(".csv", ".tsv", ".csv.gz", ".json", ".ndjson", ".parquet", ".xlsx")) {
    file <- new_file(ending)
    suppressMessages(write_records(table, file))
    back <- quiet_read(file, tz = "Europe/Vienna")
    expect_identical(names(back), names(table), label = ending)
    expect_equal(back$value, table$value, tolerance = if (ending == ".xlsx") 1e-14 else 0, label = paste(ending, "doubles"))
    expect_equal(as.double(back$whole), as.double(table$whole), label = paste(ending, "whole"))
    expect_identical(as.double(back$day), as.double(table$day), label = paste(ending, "days"))
    expect_identical(back$id, table$id, label = paste(ending, "codes"))
    expect_identical(back$text, table$text, label = paste(ending, "text"))
    expect_equal(as.double(back$at), as.double(table$at), tolerance = 1e-15, label = paste(ending, "instants"))
  }
})

test_that("CSV has no exponents where people write none, and no seconds in offsets", {
  file <- new_file(".csv")
  write_records(data.frame(x = c(1e5, 123456789, 1e15, 0.00001)), file)
  expect_identical(readLines(file), c("x", "100000", "123456789", "1000000000000000", "0.00001"))
  write_records(data.frame(t = as.POSIXct("1850-01-01", tz = "Europe/Vienna")), file)
  expect_match(readLines(file)[2], "^1849-12-31T22:54:39Z$")
})

test_that("a small table is written as the first lines of a large one are", {
  set.seed(31)
  n <- 1200
  numbers <- c(0, -0, 1e5, 0.1, 1 / 8, 1e-7, 1e22, 2^53, 1 / 3, -2.25, NA, Inf, 123456789012345)
  table <- tibble::tibble(
    double = sample(numbers, n, TRUE), short = sample(c(0, -0, 1e5, 0.25, NA), n, TRUE), whole = sample(c(-5:5, NA), n, TRUE), flag = sample(c(TRUE, NA, FALSE), n, TRUE),
    day = day("2024-02-28") + sample(900, n, TRUE), kind = factor(sample(c("day", "night"), n, TRUE)),
    at = .POSIXct(1774695600 + sample(1e6, n), tz = "Europe/Vienna"), left = as.difftime(sample(9, n, TRUE), units = "days"))
  texts <- c("NA", "a", "two words", NA, "", " outer", "a,b", "a\tb", "say \"x\"", "line\nbreak", "\u00e9", "'", "TRUE", "1e5", "#", "\\")
  lines <- function(table, ending) {
    file <- new_file(ending)
    suppressMessages(write_records(table, file))
    rawToChar(readBin(file, "raw", file.size(file)))
  }
  for (ending in c(".csv", ".tsv")) {
    expect_true(startsWith(lines(table, ending), lines(table[1:1000, ], ending)))
    for (text in texts) {
      own <- tibble::tibble(id = sprintf("OB-%d", 1:n), text = sample(c("b", text), n, TRUE))
      expect_true(startsWith(lines(own, ending), lines(own[1:300, ], ending)), label = dQuote(text))
    }
    named <- stats::setNames(data.frame(1:n), "days, \"all\"")
    expect_true(startsWith(lines(named, ending), lines(named[1:3, , drop = FALSE], ending)))
    expect_identical(lines(table[0, ], ending), paste0(paste(names(table), collapse = if (ending == ".csv") "," else "\t"), "\n"))
  }
})

test_that("what a format cannot hold is said", {
  file <- new_file(".csv")
  expect_message(write_records(data.frame(g = factor("a", c("b", "a"))), file), "Factors are written as text.*\"g\"")
  expect_message(write_records(data.frame(g = c("", "x")), file), "Empty text is read again as missing: \"g\"")
  expect_message(write_records(data.frame(g = " x"), file), "without its outer spaces")
  expect_message(write_records(data.frame(g = "12"), file), "says a number")
  expect_message(write_records(data.frame(g = "2026-01-01"), file), "says a date")
  expect_message(write_records(data.frame(g = c(1, Inf)), file), "infinite or no number")
  expect_silent(write_records(data.frame(g = factor(c("b", "a"), c("b", "z", "a"))), parquet <- new_file(".parquet")))
  expect_identical(levels(quiet_read(parquet)$g), c("b", "z", "a"))
  expect_message(write_records(data.frame(g = 1 / 3), new_file(".xlsx")), "keeps 15 digits")
  expect_message(write_records(data.frame(g = "a\001b"), new_file(".xlsx")), "Control characters are replaced")
})

test_that("cells that a spreadsheet would run stay text", {
  risky <- data.frame(who = c("=1+1", "+a", "-b", "@c", "\td", "plain", "-5"), n = -1)
  file <- new_file(".csv")
  expect_message(write_records(risky, file), "take cells of \"who\" for formulas: say `formulas = \"as_text\"`")
  suppressMessages(write_records(risky, file, formulas = "as_text"))
  expect_match(readLines(file)[2:6], "^\"?'[=+@\t-]")
  expect_identical(readLines(file)[8], "-5,-1")
  book <- new_file(".xlsx")
  suppressMessages(write_records(risky, book))
  sheet <- rawToChar(almanacridge:::zip_parts(book, book)[["xl/worksheets/sheet1.xml"]])
  expect_no_match(sheet, "<f>", fixed = TRUE)
  expect_error(write_records(risky, file, formulas = "run"), "must be one of", class = "ridge_error_argument")
})

test_that("markup in labels is text in HTML, Markdown and figures", {
  harm <- "<script>alert(1)</script> & `x` | *y*"
  x <- spans(data.frame(g = harm, a = day("2026-01-01"), b = day(NA)), a, b, as_of = "2026-02-28")
  counts <- active(x, group = g)
  page <- new_file(".html")
  write_records(counts, page)
  html <- paste(readLines(page), collapse = "\n")
  expect_no_match(html, "<script>", fixed = TRUE)
  expect_match(html, "&lt;script&gt;", fixed = TRUE)
  expect_match(html, "Counted: records by g", fixed = TRUE)
  note <- new_file(".md")
  write_records(counts, note)
  expect_match(readLines(note)[3], "\\\\<script\\\\>.*\\\\`x\\\\` \\\\| \\\\\\*y")
  svg <- new_file(".svg")
  almanacridge:::write_figure(ggplot2::autoplot(counts), svg)
  expect_no_match(paste(readLines(svg), collapse = ""), "<script>", fixed = TRUE)
})

test_that("a file that cannot be written leaves the old one, and says why", {
  folder <- withr::local_tempdir()
  file <- file.path(folder, "out.csv")
  writeLines("old", file)
  failing <- function(aside) stop("the printer is on fire")
  expect_error(almanacridge:::write_whole(file, "csv", failing), "cannot be written: the printer is on fire", class = "ridge_error_file")
  expect_error(almanacridge:::write_whole(file, "png", function(aside) writeLines("no png", aside)), "did not become complete")
  expect_identical(readLines(file), "old")
  expect_identical(list.files(folder, all.files = TRUE, no.. = TRUE), "out.csv")
  expect_error(write_records(data.frame(a = 1), folder, format = "csv"), "is a folder|cannot be written")
  expect_error(write_records(data.frame(a = 1), file.path(folder, "no", "x.csv")), "there is no folder")
  expect_error(write_records(data.frame(a = 1i), file), "holds <complex>", class = "ridge_error_column")
  link <- file.path(folder, "link.csv")
  file.symlink(file, link)
  Sys.chmod(file, "640")
  write_records(data.frame(a = 1), link)
  expect_identical(readLines(file), c("a", "1"))
  expect_true(nzchar(Sys.readlink(link)))
  expect_identical(format(file.mode(file)), "640")
})

test_that("tables and figures that were cut short are not taken for whole", {
  complete <- almanacridge:::is_complete
  counts <- active(demo_staff(), "year")
  for (ending in c("png", "svg", "pdf", "xlsx", "parquet")) {
    file <- new_file(paste0(".", ending))
    if (ending %in% c("png", "svg", "pdf")) almanacridge:::write_figure(ggplot2::autoplot(counts), file)
    else suppressMessages(write_records(counts, file))
    expect_true(complete(file, ending), label = ending)
    bytes <- readBin(file, "raw", file.size(file))
    writeBin(bytes[seq_len(length(bytes) - 20)], file)
    expect_false(complete(file, ending), label = paste("cut", ending))
  }
})

test_that("the command line writes where it is told, once each, and never less than it read", {
  folder <- withr::local_tempdir()
  withr::local_dir(folder)
  file.copy(system.file("extdata", "postings.csv", package = "almanacridge"), "p.csv")
  asked <- c("active", "p.csv", "--start", "first_day", "--end", "last_day", "--key", "observer", "--by", "year", "--as-of", "2026-06-30")
  got <- run(asked, "--out", "a.csv", "--out", "a.md", "--out", "-", "--to-format", "json")
  expect_identical(got$status, 0L)
  expect_match(got$notes, "Table: a.md", all = FALSE)
  expect_identical(nrow(jsonlite::fromJSON(got$out)), nrow(utils::read.csv("a.csv")))
  expect_match(run(asked, "--to-format", "md")$out[1], "^\\|period")
  expect_match(run(asked, "--to-format", "ndjson")$out[1], "^\\{\"period\":\"2019-01-01\"")
  expect_match(paste(run(asked, "--to-format", "html")$out, collapse = ""), "<table>.*</html>")
  expect_match(run(asked, "--out", "a.csv", "--set-aside", "./a.csv")$notes, "--out and --set-aside both name")
  expect_match(run(asked, "--out", "a.csv", "--to-format", "md")$notes, "that of standard output")
  expect_match(run(asked, "--set-aside", "p.csv")$notes, "--set-aside: 'p.csv' is the file that is read")
  before <- readLines("p.csv")
  less <- run("records", "p.csv", "--keep", "station=Whinfell", "--out", "p.csv")
  expect_identical(less$status, 2L)
  expect_match(less$notes, "is the file that was read, and [0-9]+ records of it would be lost", all = FALSE)
  expect_identical(readLines("p.csv"), before)
  expect_identical(run("records", "p.csv", "--out", "p.csv")$status, 0L)
  expect_identical(utils::read.csv("p.csv")$observer, utils::read.csv(text = before)$observer)
  got <- run(asked, "--figure", "50%d.png")
  expect_true(file.exists("50%d.png"))
  expect_match(run(asked, "--out", "nowhere/a.csv")$notes, "there is no folder")
  expect_match(run(asked, "--out", "a.xlsx", "--formulas", "as_text")$notes, "--formulas` plays no part")
  expect_identical(run(asked, "--out", "a.csv.gz", "--formulas", "as_text")$status, 0L)
})

test_that("text from data is never interpreted by a message", {
  harm <- c("{stop('x')}", "{.emph x}", "%s %d", "`x`", "{{x}}", "\\n{")
  for (text in harm) {
    data <- data.frame(a = c("2026-01-01", text), b = "2026-02-01", k = c(text, tolower(text)))
    said <- function(expr) paste(tryCatch(expr, error = conditionMessage), collapse = " ")
    expect_match(said(spans(data, a, b)), text, fixed = TRUE)
    expect_match(said(spans(data, a, b, key = !!text)), text, fixed = TRUE)
    names(data)[3] <- text
    expect_match(said(spans(data, nothing, b)), text, fixed = TRUE)
    expect_match(said(active(demo_staff(), rule = text)), text, fixed = TRUE)
    expect_match(said(active(demo_staff(), by = text)), text, fixed = TRUE)
    file <- new_file(".csv")
    writeLines(c("a,b", paste0("\"", gsub("\"", "\"\"", text), "\",2026-01-01")), file)
    expect_match(run("active", file, "--start", "a", "--end", "b")$notes[1], sub("\\\\n", "", text), fixed = TRUE)
    expect_match(run("active", file, "--start", text, "--end", "b")$notes[1], text, fixed = TRUE)
    expect_match(said(read_records(file, keep = stats::setNames(list("x"), text))), text, fixed = TRUE)
    label <- data.frame(g = c(text, toupper(text)), a = day("2026-01-01"), b = day(NA))
    expect_error(suppressMessages(fold_labels(label, g)), NA)
    expect_s3_class(check_spans(label, a, b, key = g), "ridge_findings")
  }
})
