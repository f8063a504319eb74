# Conditions made of parts, each with what it means in plain vectors.
random_condition <- function(records) {
  part <- function() {
    limit <- sample(c(0.1, 0.4, 0.5, 1), 1)
    date <- format(day("2024-02-10") + sample(-20:40, 1))
    list(list(sprintf("share >= %s", limit), records$share >= limit), list(sprintf("share != %s", limit), records$share != limit),
         list(sprintf("start < \"%s\"", date), records$start < day(date)), list(sprintf("\"%s\" <= end", date), day(date) <= records$end),
         list("is.na(end)", is.na(records$end)), list("site == \"north\"", records$site == "north"),
         list("who %in% c(\"a\", \"d\")", records$who %in% c("a", "d")), list("starts_with(site, \"so\")", startsWith(records$site, "so")),
         list("matches(site, \"^n.r\")", ifelse(is.na(records$site), NA, grepl("^n.r", records$site))),
         list(sprintf("between(start, \"2024-01-20\", \"%s\")", date), records$start >= day("2024-01-20") & records$start <= day(date)))[[sample(10, 1)]]
  }
  a <- part()
  b <- part()
  switch(sample(4, 1), a, list(sprintf("!(%s)", a[[1]]), !a[[2]]), list(sprintf("%s & %s", a[[1]], b[[1]]), a[[2]] & b[[2]]), list(sprintf("(%s) | !%s", a[[1]], sprintf("(%s)", b[[1]])), a[[2]] | !b[[2]]))
}

test_that("conditions choose the records that they say", {
  for (seed in 1:200) {
    records <- random_records(seed)
    if (nrow(records) == 0) next
    condition <- random_condition(records)
    x <- suppressMessages(spans(records, start, end, key = who, as_of = "2024-04-30", where = !!condition[[1]]))
    expect_identical(active(x, of = "records", from = "2024-01-01", to = "2024-04-30", show = "records") |> nrow() >= 0, TRUE)
    expect_identical(roster(x, on = c("2023-01-01", "2025-01-01"))$row, which(condition[[2]] & records$start <= day("2025-01-01")), label = condition[[1]])
    expect_ties(x)
  }
})

test_that("a condition is given as it stands, as text, or by a name that holds one", {
  postings <- demo_records("postings")
  declare <- function(...) spans(postings, first_day, last_day, key = observer, as_of = "2026-06-30", ...)
  as_is <- declare(where = share >= 0.8 & first_day >= "2025-01-01")
  wanted <- "share >= 0.8 & first_day >= \"2025-01-01\""
  expect_identical(as.data.frame(as_is), as.data.frame(declare(where = wanted)))
  expect_identical(nrow(as_is), sum(postings$share >= 0.8 & postings$first_day >= day("2025-01-01")))
  expect_match(conventions(as_is), paste0("left out; only where ", wanted), fixed = TRUE)
  counts <- active(as_is, by = "year")
  expect_identical(eval(parse(text = sub("^postings", "demo_records(\"postings\")", how_asked(counts))))$active, counts$active)
  expect_ties(counts)
  shares <- declare(where = share == 1, weight = share)
  expect_true(all(shares$share == 1))
  # What a column proves it proves on all rows, also on those that are left out.
  mixed <- data.frame(day = c("03/04/2026", "25/04/2026"), site = c("n", "s"))
  expect_identical(active(suppressMessages(spans(mixed, day, NULL, as_of = "2026-06-30", where = site == "n")), on = "2026-04-03")$active, 1L)
  bad <- data.frame(start = c("2026-01-01", "soon"), site = c("n", "s"))
  expect_identical(nrow(suppressMessages(spans(bad, start, NULL, as_of = "2026-06-30", where = site == "n"))), 1L)
})

test_that("nothing but a condition is ever looked at", {
  postings <- demo_records("postings")
  refused <- function(where, message, class = "ridge_error_argument") {
    expect_error(spans(postings, first_day, last_day, as_of = "2026-06-30", where = where), message, class = class)
  }
  touched <- withr::local_tempfile()
  refused(sprintf("file.create(\"%s\")", touched), "`file.create\\(\\)` is no part of a condition")
  refused("share >= {share}", "is no part of a condition")
  refused("base::Sys.time() > first_day", "holds what is no condition")
  refused("(function() TRUE)()", "holds what is no condition")
  refused("share >= (share <- 3)", "is no part of a condition")
  refused("share >= 1; share < 2", "not one condition")
  refused("share >=", "not one condition")
  refused("`if`(TRUE, share)", "is no part of a condition")
  refused("shre > 1", "is it \"share\"", "ridge_error_column")
  refused("share > \"1\"", "numbers cannot be compared with text")
  refused("station > \"a\"", "which of two texts is the larger is not asked")
  refused("first_day > 20000", "dates cannot be compared with numbers")
  refused("first_day > \"soon\"", "is no date such as 2025-01-01")
  refused("station", "must hold yes or no")
  refused("matches(station, \"(\")", "is no regular expression")
  refused("between(share, 1)", "takes 3 values")
  refused("share %in% c(1, share)", "written out, without columns")
  refused("is.na(station, role)", "takes 1 value")
  expect_false(file.exists(touched))
})

test_that("conditions on the command line and on files see proven types", {
  file <- withr::local_tempfile(fileext = ".csv")
  writeLines(c("who,site,since,until", "a,north,03/04/2026,", "b,south,25/04/2026,30/04/2026", "c,north,01/05/2026,"), file)
  declared <- c(file, "--start", "since", "--end", "until", "--key", "who", "--as-of", "2026-06-30")
  got <- run("active", declared, "--on", "2026-06-01", "--where", "since < \"2026-05-01\" & is.na(until)", "--reconcile")
  expect_identical(got$status, 0L)
  expect_identical(utils::read.csv(text = got$out)$active, 1L)
  expect_match(got$notes, "only where since < \"2026-05-01\" & is.na(until)", fixed = TRUE, all = FALSE)
  records <- run("records", file, "--where", "site == \"north\"")
  expect_identical(nrow(utils::read.csv(text = records$out)), 2L)
  expect_identical(suppressMessages(read_records(file, where = since >= "2026-04-25"))$who, c("b", "c"))
  expect_match(run("active", declared, "--where", "system(\"id\")")$notes, "--where: `system()` is no part of a condition", fixed = TRUE, all = FALSE)
  expect_identical(run("active", declared, "--where", "sit == 1")$status, 2L)
  x <- suppressMessages(read_records(file, where = "site == \"north\"")) |> spans(since, until, as_of = "2026-06-30")
  expect_match(how_asked(active(x), "command"), "--where", fixed = TRUE)
})
