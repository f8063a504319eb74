# What a result is good for after it was saved, read back, filtered or knitted.

results <- function(x) {
  list(active(x, "month", group = station, total = TRUE, from = "2025-01-01"),
       movement(x, "quarter", group = station, from = "2025-01-01"), cohorts(x, "year"),
       scaffold(x, "year"), consecutive(x), gaps(x), overlaps(x), peaks(x), roster(x),
       elapsed(x), length_of_stay(x), allocate(x, share, open_to_as_of = TRUE, by = "year"))
}

begun_staff <- function() {
  staff <- demo_staff()
  staff[staff$first_day <= as.Date("2026-06-30"), ]
}

test_that("saved, a result is as large as its table, and ties to its records when read back", {
  staff <- begun_staff()
  path <- withr::local_tempfile(fileext = ".rds")
  for (result in results(staff)) {
    saveRDS(result, path)
    size <- file.size(path)
    saveRDS(as.data.frame(result), path)
    expect_lt(size, file.size(path) + 6000)
    saveRDS(result, path)
    read <- readRDS(path)
    expect_identical(as.data.frame(read), as.data.frame(result))
    expect_identical(conventions(read), conventions(result))
    expect_identical(utils::capture.output(print(reconcile(read, source = staff))),
                     utils::capture.output(print(reconcile(result))), label = class(result)[1])
  }
})

test_that("the same question twice is the same result", {
  staff <- begun_staff()
  expect_true(identical(results(staff), results(staff)))
})

test_that("a result of chosen rows is told, drawn, spread, compared, tied and written", {
  staff <- demo_staff()
  result <- active(staff, "month", group = station, total = TRUE, from = "2025-07-01")
  some <- dplyr::filter(result, station %in% c("Whinfell", "Kestrel Gap"), active > 3)
  n <- format(nrow(result))
  expect_match(conventions(some), paste0("; ", nrow(some), " of ", n, " rows"), fixed = TRUE)
  expect_true(all(reconcile(some)$ok %in% TRUE))
  drawn <- ggplot2::ggplot_build(ggplot2::autoplot(some))
  expect_identical(length(unique(drawn$plot$data$station %||% drawn$data[[1]]$group)), 2L)
  wide <- widen(some)
  expect_identical(sort(unique(as.character(wide$station))), c("Kestrel Gap", "Whinfell"))
  compared <- versus(some, "period_before")
  expect_identical(nrow(compared), nrow(some))
  before <- versus(result, "period_before")
  at <- match(paste(compared$station, compared$period), paste(before$station, before$period))
  known <- compared$against_label != "nothing there"
  expect_identical(compared$against[known], before$against[at][known])
  skip_if_not_installed("openxlsx")
  path <- withr::local_tempfile(fileext = ".xlsx")
  write_records(some, path)
  sheet <- as.character(unlist(
    readxl::read_excel(path, sheet = "Conventions", col_names = "text")))
  expect_true(any(grepl(paste0(nrow(some), " of ", n, " rows"), sheet, fixed = TRUE)))
})

test_that("changed values drop the class, other columns keep it", {
  result <- active(demo_staff(), "year", group = station)
  expect_false(inherits(dplyr::mutate(result, active = active * 2), "ridge_result"))
  without <- dplyr::select(result, -period_end)
  expect_s3_class(without, "ridge_active")
  expect_true(all(reconcile(without)$ok %in% TRUE))
  expect_false(inherits(dplyr::select(result, -active), "ridge_result"))
})

test_that("spans stay spans through other columns, new names and a file", {
  staff <- demo_staff()
  want <- as.data.frame(active(staff, "year", group = station))
  named <- dplyr::rename(staff, who = observer, begun = first_day, left = last_day, place = station)
  named <- dplyr::mutate(named, senior = role == "senior observer")
  path <- withr::local_tempfile(fileext = ".rds")
  saveRDS(named, path)
  read <- readRDS(path)
  got <- active(read, "year", group = place)
  expect_identical(unname(as.list(got)), unname(as.list(want)))
  expect_identical(as.data.frame(active(dplyr::filter(read, senior), "year")),
                   as.data.frame(active(staff[staff$role == "senior observer", ], "year")))
  expect_match(how_asked(got), "spans(begun, left, key = who", fixed = TRUE)
  expect_true(all(reconcile(got)$ok %in% TRUE))
  expect_false(inherits(dplyr::mutate(staff, first_day = first_day + 1), "ridge_spans"))
})

test_that("a cached chunk knitted twice answers the same", {
  skip_if_not(rmarkdown::pandoc_available(), "pandoc")
  folder <- withr::local_tempdir()
  lines <- c("```{r}", "library(almanacridge)", "```", "", "```{r, cache = TRUE}",
             "staff <- spans(demo_records('postings'), first_day, last_day, key = observer,",
             "               as_of = '2026-06-30')", "counts <- active(staff, 'year')", "```", "",
             "```{r}", "print(counts)", "reconcile(counts, source = staff)",
             "active(staff, 'year', group = station)", "cat(conventions(staff))", "```")
  path <- file.path(folder, "cached.Rmd")
  writeLines(lines, path)
  knitted <- function() {
    call <- sprintf("rmarkdown::render('%s', 'md_document', quiet = TRUE)", path)
    withr::with_envvar(c(R_LIBS = paste(.libPaths(), collapse = ":")), {
      system2(file.path(R.home("bin"), "Rscript"), c("-e", shQuote(call)), stdout = NULL, stderr = NULL)
    })
    readLines(sub("Rmd$", "md", path))
  }
  first <- knitted()
  expect_true(dir.exists(file.path(folder, "cached_cache")))
  expect_identical(knitted(), first)
  expect_true(any(grepl("Counted: keys", first)))
})
