# A first almanac: which columns were taken for what, and that it builds as it is.

skip_if_no_reports()

begun <- function(file, ...) suppressMessages(begin_almanac(file, out = NULL, as_of = "2026-06-30", ...))

taken <- function(begun) yaml::yaml.load(begun$almanac)$records[[1]]

test_that("the demo tables are taken for what they are, and each first almanac builds as it is", {
  right <- list(
    postings = c(start = "first_day", end = "last_day", key = "observer", weight = "share"),
    field_trips = c(start = "first_day", end = "last_day", key = "observer"),
    grade_changes = c(at = "reached_on", state = "grade", key = "observer"),
    watches = c(start = "watch_date", start_clock = "begin", end_clock = "finish", key = "observer", fold = "kind"),
    stake_readings = c(start = "read_on", one_day = "TRUE", key = "stake"),
    instrument_loans = c(start = "lent_on", end = "returned_on", key = "instrument", end_counts = "FALSE"),
    faults = c(start = "reported", end = "mended", key = "fault"),
    grants = c(start = "first_day", end = "last_day", key = "grant"),
    pledges = c(start = "first_day", end = "last_day", key = "supporter"),
    observers_here = c(start = "since", all_open = "TRUE", key = "observer"),
    observers_left = c(start = "joined", end = "last_day", key = "person"))
  folder <- withr::local_tempdir()
  withr::local_dir(folder)
  for (name in names(right)) {
    file.copy(system.file("extdata", paste0(name, ".csv"), package = "almanacridge"), folder)
    out <- paste0(name, ".yml")
    expect_identical(run("begin", paste0(name, ".csv"), "--out", out, "--as-of", "2026-06-30")$status, 0L, label = name)
    told <- unlist(yaml::yaml.load_file(out)$records[[1]])
    expect_identical(told[setdiff(names(told), c("file", "tz"))][names(right[[name]])], right[[name]], label = name)
    checked <- run("build", out, "--check-only")
    expect_identical(checked$status, 0L, label = paste(name, checked$notes))
  }
  begun <- yaml::yaml.load_file("grants.yml")$pages[[1]]$questions
  expect_identical(unlist(lapply(begun, `[[`, "amount")), "amount")
})

# Exports of one list under other headings, in other orders and formats.
exports <- function(records) {
  dmy <- function(x, sep = ".") format(x, paste("%d", "%m", "%Y", sep = sep))
  or <- function(x, text) ifelse(is.na(x), text, x)
  list(
    plain = list(table = with(records, data.frame(id, from = start, to = end, site)), right = c("from", "to", "id")),
    turned = list(table = with(records, data.frame(site, to = end, id, from = start)), right = c("from", "to", "id")),
    german = list(table = with(records, data.frame(Personalnummer = id, Beginn = dmy(start), Ende = dmy(end), Ort = site)),
                  right = c("Beginn", "Ende", "Personalnummer")),
    american = list(table = with(records, data.frame(employee = id, hired = format(start, "%m/%d/%Y"), left = format(end, "%m/%d/%Y"), site)),
                    right = c("hired", "left", "employee")),
    sentinel = list(table = with(records, data.frame(member = id, joined = start, until = or(format(end), "9999-12-31"), site)),
                    right = c("joined", "until", "member"), open = "9999-12-31"),
    words = list(table = with(records, data.frame(id, a = start, b = or(format(end), "present"), site)), right = c("a", "b", "id"), open = "present"),
    nameless = list(table = with(records, data.frame(x1 = site, x2 = end, x3 = id, x4 = start)), right = c("x4", "x2", "x3")),
    stamped = list(table = with(records, data.frame(ticket = id, opened = paste(start, "09:15"), closed = ifelse(is.na(end), "", paste(end, "17:40")), site)),
                   right = c("opened", "closed", "ticket")),
    noted = list(table = with(records, data.frame(entered_on = start - 3, id, start, end, site, note = "")), right = c("start", "end", "id")),
    semicolons = list(table = with(records, data.frame(id, from = dmy(start), to = dmy(end), amount = gsub(".", ",", format(share * 1000 + 0.25, nsmall = 2), fixed = TRUE))),
                      right = c("from", "to", "id"), sep = ";"))
}

test_that("ten exports with other headings, orders and formats are taken for what they are", {
  hits <- vapply(1:3, function(seed) {
    set.seed(seed)
    n <- 120
    start <- as.Date("2024-01-01") + sample(700, n, replace = TRUE)
    end <- start + sample(20:400, n, replace = TRUE)
    end[sample(n, 25)] <- NA
    records <- data.frame(id = sprintf("E%04d", sample(300:9000, n)), start, end, share = sample(1:9, n, replace = TRUE) / 10,
                          site = sample(c("north", "south", "west"), n, replace = TRUE))
    folder <- withr::local_tempdir()
    right <- vapply(names(exports(records)), function(name) {
      export <- exports(records)[[name]]
      file <- file.path(folder, paste0(name, ".csv"))
      data.table::fwrite(export$table, file, sep = export$sep %||% ",", na = "")
      begun <- begun(file)
      told <- taken(begun)
      almanac <- file.path(folder, paste0(name, ".yml"))
      writeLines(begun$almanac, almanac)
      built <- suppressMessages(build_almanac(almanac, check_only = TRUE))
      built$ok && identical(unlist(told[c("start", "end", "key")], use.names = FALSE), export$right) &&
        identical(as.character(told$means_open), as.character(export$open))
    }, NA)
    if (!all(right)) message("seed ", seed, ": ", toString(names(right)[!right]))
    sum(right)
  }, 0L)
  expect_identical(hits, c(10L, 10L, 10L))
})

test_that("what a file does not prove is asked, not guessed", {
  folder <- withr::local_tempdir()
  withr::local_dir(folder)
  open <- data.frame(id = c("A1", "A2", "A3"), from = c("01/02/2026", "03/04/2026", "05/06/2026"), to = c("02/03/2026", "04/05/2026", ""))
  utils::write.csv(open, "open.csv", row.names = FALSE)
  answer <- run("begin", "open.csv")
  expect_identical(answer$status, 1L)
  expect_match(answer$notes, "does not prove its order.*--date-order dmy or --date-order mdy", all = FALSE)
  expect_false(file.exists("almanac.yml"))
  expect_identical(run("begin", "open.csv", "--date-order", "mdy")$status, 0L)
  expect_identical(yaml::yaml.load_file("almanac.yml")$records$open$date_order, "mdy")
  expect_match(run("begin", "open.csv")$notes, "is there already", all = FALSE)
  expect_identical(run("build", "--check-only")$status, 0L)
  utils::write.csv(data.frame(a = 1:3, b = letters[1:3]), "none.csv", row.names = FALSE)
  expect_match(run("begin", "none.csv", "--out", "n.yml")$notes, "has no column of dates", all = FALSE)
  utils::write.csv(open[0, ], "empty.csv", row.names = FALSE)
  expect_match(run("begin", "empty.csv", "--out", "e.yml")$notes, "holds no records", all = FALSE)
  expect_identical(run("begin")$status, 2L)
  expect_match(run("begin", "nowhere.csv", "--out", "x.yml")$notes, "nowhere.csv", all = FALSE)
  expect_error(begin_almanac("open.csv", out = 1), "`out`", class = "ridge_error_argument")
})

test_that("records that cannot be used are set aside and said; several files are lists of their own", {
  folder <- withr::local_tempdir()
  withr::local_dir(folder)
  bad <- data.frame(id = sprintf("K%02d", 1:30), from = rep(c("2026-01-10", "2026-02-20"), 15), to = c("2025-12-01", rep("2026-03-01", 29)))
  utils::write.csv(bad, "bad list.csv", row.names = FALSE)
  file.copy(system.file("extdata", "pledges.csv", package = "almanacridge"), ".")
  both <- suppressMessages(begin_almanac(c("bad list.csv", "pledges.csv"), as_of = "2026-06-30"))
  tree <- yaml::yaml.load_file("almanac.yml")
  expect_identical(names(tree$records), c("bad_list", "pledges"))
  expect_identical(tree$records$bad_list$unusable, "set_aside")
  expect_match(both$said, "set aside", all = FALSE)
  built <- suppressMessages(build_almanac(check_only = TRUE))
  expect_true(built$ok)
})
