# Editions: whole or not at all, the same bytes from the same files, equal to what R answers.

skip_if_no_reports()

questions <- c("{question: How many?, ask: active, by: month, expect: {at_least: 0}}",
               "{question: Where?, ask: active, by: month, group: site, total: true}",
               "{question: Gaps, ask: gaps}", "{question: Who?, ask: roster, on: 2024-03-01}",
               "{question: Wrong?, ask: check}")

test_that("an edition has a page, tables, a workbook, figures, and says what was asked of what", {
  records <- random_records(3)
  folder <- almanac_folder(small_almanac(questions), moves = records)
  built <- quietly_built(folder)
  expect_true(built$ok)
  expect_identical(built[c("as_of", "questions")], list(as_of = as.Date("2024-04-30"), questions = 5L))
  files <- list.files(built$out, recursive = TRUE)
  expect_true(all(c("index.html", "edition.json", "workbook.xlsx", "tables/how-many.csv", "tables/who.csv",
                    "figures/how-many.svg", "figures/how-many.png", "figures/where.png") %in% files))
  told <- jsonlite::read_json(file.path(built$out, "edition.json"))
  expect_identical(told$records$moves$files[[1]],
                   list(file = "moves.csv", sha256 = digest::digest(file = file.path(folder, "moves.csv"), algo = "sha256")))
  expect_identical(told$records$moves$records, nrow(records))
  expect_true(told$ok)
  asked <- told$pages[[1]]$questions
  expect_identical(vapply(asked, `[[`, "", "ask"), c("active", "active", "gaps", "roster", "check"))
  expect_true(all(unlist(lapply(asked, function(one) lapply(one$checks, `[[`, "ok")))))
  x <- spans(records, start, end, key = who, weight = share, as_of = "2024-04-30")
  by_site <- active(x, by = "month", group = site, total = TRUE)
  expect_identical(asked[[2]]$conventions, conventions(by_site))
  sheets <- openxlsx::getSheetNames(file.path(built$out, "workbook.xlsx"))
  expect_identical(sheets, c("Index", "How many", "Where", "Gaps", "Who", "Wrong", "Conventions"))
  sheet <- openxlsx::read.xlsx(file.path(built$out, "workbook.xlsx"), "Where", detectDates = TRUE)
  expect_equal(sheet$active, by_site$active)
  expect_equal(sheet$period, by_site$period)
  index <- openxlsx::read.xlsx(file.path(built$out, "workbook.xlsx"), "Index")
  expect_identical(index$Rows[2], as.numeric(nrow(by_site)))
})

test_that("the same files give the same bytes, but for the time in one place", {
  folder <- almanac_folder(small_almanac(questions), moves = random_records(4))
  bytes <- function(out) {
    files <- list.files(out, recursive = TRUE)
    stats::setNames(unname(tools::md5sum(file.path(out, files))), files)
  }
  first <- bytes(quietly_built(folder)$out)
  Sys.sleep(1.1)
  again <- bytes(quietly_built(folder)$out)
  expect_identical(names(first)[first != again], "edition.json")
  withr::local_locale(LC_COLLATE = "C", LC_TIME = "C")
  withr::local_options(digits = 4)
  other <- bytes(quietly_built(folder)$out)
  expect_identical(names(first)[first != other], "edition.json")
})

test_that("what does not hold is told at the top, by the status and in the result", {
  folder <- almanac_folder(small_almanac(c("{question: Few?, ask: active, by: month, expect: {at_most: 0}}",
                                           "{question: Steady?, ask: active, by: month, of: records, expect: {at_most_from_before: 0}}",
                                           "{question: Sound?, ask: check, expect: {no_findings: note}}")),
                           moves = data.frame(who = c("a", "a", "b"), site = "n", share = 1,
                                              start = c("2024-01-05", "2024-01-20", "2024-03-01"), end = c("2024-02-01", "2024-04-02", "")))
  built <- quietly_built(folder)
  expect_false(built$ok)
  expect_identical(built$broken, c("Few?: Expected: active at most 0. Seen: 2024-03: 2, and 3 rows more.",
                                   "Sound?: Expected: no findings as bad as \"note\". Seen: 1 finding, such as overlapping records."))
  page <- xml2::read_html(file.path(built$out, "index.html"))
  expect_match(xml2::xml_text(xml2::xml_find_first(page, "//section[contains(@class, 'state')]")), "This does not hold.*Few\\?.*at most 0")
  withr::local_dir(folder)
  answer <- run("build", "--quiet")
  expect_identical(answer$status, 1L)
  expect_match(answer$notes[1], "^ridge: Few\\?: Expected")
})

test_that("only some pages, another day, another folder; and a check writes nothing", {
  text <- c(small_almanac("{question: How many?, ask: active, by: month}"), "  - {title: Two, questions: [{ask: gaps, records: moves}]}")
  folder <- almanac_folder(text, moves = random_records(5))
  withr::local_dir(folder)
  answer <- run("build", "--check-only")
  expect_identical(answer[c("status", "out")], list(status = 0L, out = character()))
  expect_setequal(list.files(), c("almanac.yml", "moves.csv"))
  answer <- run("build", "almanac.yml", "--only", "Two", "--as-of", "2024-03-31", "--out", "part")
  expect_identical(answer$status, 0L)
  expect_match(answer$notes, "1 question as of 2024-03-31", all = FALSE)
  expect_match(answer$notes, "Report: part/index.html", fixed = TRUE, all = FALSE)
  expect_setequal(list.files("part/tables"), "where-nothing-is.csv")
  expect_false(dir.exists("almanac-kept"))
  expect_match(run("build", "--only", "Twoo")$notes, "Did you mean \"Two\"?", fixed = TRUE)
  expect_identical(run("build", "a.yml", "b.yml")$status, 2L)
  expect_match(run("build", "nowhere.yml")$notes, "ridge begin", all = FALSE)
})

test_that("mistakes and unusable records name their line and leave the edition before whole", {
  folder <- almanac_folder(small_almanac(questions), moves = random_records(6))
  built <- quietly_built(folder)
  before <- tools::md5sum(list.files(built$out, recursive = TRUE, full.names = TRUE))
  withr::local_dir(folder)
  broken <- function(text) {
    writeLines(text, "almanac.yml")
    answer <- run("build")
    expect_identical(tools::md5sum(list.files(built$out, recursive = TRUE, full.names = TRUE)), before)
    expect_length(list.files(all.files = TRUE, pattern = "^[.]ridge"), 0)
    c(answer$status, answer$notes)
  }
  expect_match(broken(small_almanac("{ask: active, group: sight}")), "almanac.yml, line 8.*group: there is no column \"sight\"", all = FALSE)
  expect_match(broken(small_almanac("{ask: active, from: soon}")), "line 8.*from.*soon", all = FALSE)
  expect_match(broken(small_almanac("{ask: consecutive, print: figure, show: records}")), "no figure", all = FALSE)
  bad <- data.frame(who = "a", site = "n", share = 1, start = "2024-05-01", end = "2024-04-01")
  utils::write.csv(bad, "moves.csv", row.names = FALSE)
  said <- broken(small_almanac("{ask: active}"))
  expect_match(said, "almanac.yml, line 4, records \"moves\".*unusable: set_aside", all = FALSE)
  expect_identical(said[1], "1")
})

test_that("a folder that no build made is not replaced, and a full disk leaves the old edition", {
  folder <- almanac_folder(small_almanac("{ask: active}"), moves = random_records(8))
  withr::local_dir(folder)
  dir.create("edition")
  writeLines("mine", "edition/thesis.txt")
  expect_match(run("build")$notes, "thesis.txt.*is no edition", all = FALSE)
  expect_identical(list.files("edition"), "thesis.txt")
  expect_match(run("build", "--out", "nowhere/edition")$notes, "nothing can be written to", all = FALSE)
  writeLines("a file", "taken")
  expect_match(run("build", "--out", "taken")$notes, "is no edition", all = FALSE)
  built <- run("build", "--out", "good")
  expect_identical(built$status, 0L)
})

test_that("where there is no room the old edition stays, and nothing is left beside it", {
  skip_on_os("windows")
  folder <- almanac_folder(small_almanac(questions), moves = random_records(8))
  built <- quietly_built(folder)
  held <- function() tools::md5sum(list.files(built$out, recursive = TRUE, full.names = TRUE))
  before <- held()
  ridge <- system.file("exec", "ridge", package = "almanacridge")
  notes <- withr::local_tempfile()
  status <- system(paste0("export R_LIBS=", shQuote(paste(.libPaths(), collapse = ":")), "; cd ", shQuote(folder),
                          "; ulimit -f 8; trap '' XFSZ; sh ", shQuote(ridge), " build 2> ", notes))
  expect_identical(status, 1L)
  expect_match(readLines(notes), "^ridge: .*cannot be written", all = FALSE)
  expect_identical(held(), before)
  expect_length(list.files(folder, all.files = TRUE, pattern = "^[.]ridge"), 0)
})

test_that("a build that is killed leaves the old edition or the new one", {
  skip_on_os("windows")
  folder <- almanac_folder(small_almanac(questions[1:2]), moves = random_records(9))
  built <- quietly_built(folder)
  took <- system.time(quietly_built(folder))[["elapsed"]]
  mark <- function() unname(tools::md5sum(file.path(built$out, c("index.html", "tables/how-many.csv", "figures/where.svg"))))
  old <- mark()
  utils::write.csv(random_records(10), file.path(folder, "moves.csv"), row.names = FALSE, na = "")
  set.seed(3)
  seen <- lapply(1:8, function(i) {
    job <- parallel::mcparallel(quietly_built(folder), silent = TRUE)
    Sys.sleep(stats::runif(1, 0.2, 1.1) * took)
    tools::pskill(job$pid, tools::SIGKILL)
    suppressWarnings(parallel::mccollect(job))
    mark()
  })
  new <- {
    quietly_built(folder)
    mark()
  }
  expect_true(all(vapply(seen, function(one) identical(one, old) || identical(one, new), NA)))
  expect_false(identical(old, new))
})

test_that("what a helper of a build had taken is done by the build itself when the helper is killed", {
  skip_on_os("windows")
  folder <- almanac_folder(small_almanac(questions), moves = random_records(11))
  expect_true(quietly_built(folder)$ok)
  held <- function() {
    files <- setdiff(list.files(file.path(folder, "edition"), recursive = TRUE), "edition.json")
    tools::md5sum(file.path(folder, "edition", files))
  }
  before <- held()
  unlink(file.path(folder, "edition"), recursive = TRUE)
  ridge <- system.file("exec", "ridge", package = "almanacridge")
  pid <- system(paste0("export R_LIBS=", shQuote(paste(.libPaths(), collapse = ":")), "; cd ", shQuote(folder), "; sh ", shQuote(ridge),
                       " build > build.log 2>&1 & echo $!"), intern = TRUE)
  process <- ps::ps_handle(as.integer(pid))
  # A program that was only just started is none of its helpers yet.
  is_helper <- function(child) ps::ps_name(child) == "R" && difftime(Sys.time(), ps::ps_create_time(child), units = "secs") > 0.1
  killed <- 0
  while (tryCatch(ps::ps_status(process) != "zombie", error = function(cnd) FALSE)) {
    for (child in tryCatch(ps::ps_children(process), error = function(cnd) list())) {
      if (isTRUE(tryCatch(is_helper(child), error = function(cnd) FALSE))) {
        ps::ps_kill(child)
        killed <- killed + 1
      }
    }
    Sys.sleep(0.02)
  }
  if (thread_count() > 1) expect_gt(killed, 0)
  expect_match(readLines(file.path(folder, "build.log")), "everything ties and holds", all = FALSE)
  expect_identical(held(), before)
})

test_that("lists that are bound, patterns, logs, conditions and second lists answer as in R", {
  folder <- observatory()
  text <- c("as_of: 2026-06-30", "records:",
            "  staff: {file: observers_here.csv, start: since, all_open: true, key: observer, and: [{file: observers_left.csv, start: joined, end: last_day, key: person}]}",
            "  both: {file: half-*.csv, start: first_day, end: last_day, key: observer, where: share >= 0.5, keep: {role: [observer, trainee]}}",
            "  trips: {file: field_trips.csv, start: first_day, end: last_day, key: observer}",
            "  now: {file: postings.csv, start: first_day, end: last_day, key: observer}",
            "  may: {file: postings_may.csv, start: first_day, end: last_day, key: observer, as_of: 2026-05-31}",
            "  held: {file: grade_changes.csv, at: reached_on, key: observer, state: grade, ending_states: left}",
            "pages:", "  - title: One", "    settings: {print: table}", "    questions:",
            "      - {name: a, ask: active, records: staff, by: year, group: source}", "      - {name: b, ask: active, records: both, by: year}",
            "      - {name: c, ask: active, records: now, by: quarter, less: trips, from: 2026-01-01}",
            "      - {name: d, ask: restated, records: now, earlier: may, by: month, from: 2026-01-01}",
            "      - {name: e, ask: overlaps, records: trips, with: now, carry: purpose}", "      - {name: f, ask: active, records: held, by: year, group: grade}")
  writeLines(text, file.path(folder, "almanac.yml"))
  postings <- demo_records("postings")
  suppressMessages({
    write_records(postings[1:300, ], file.path(folder, "half-1.csv"))
    write_records(postings[-(1:300), ], file.path(folder, "half-2.csv"))
    built <- quietly_built(folder)
    day <- "2026-06-30"
    here <- spans(demo_records("observers_here"), since, NA, key = observer, as_of = day)
    left <- spans(demo_records("observers_left"), joined, last_day, key = person, as_of = day)
    trips <- spans(demo_records("field_trips"), first_day, last_day, key = observer, as_of = day)
    now <- spans(postings, first_day, last_day, key = observer, as_of = day)
    may <- spans(demo_records("postings_may"), first_day, last_day, key = observer, as_of = "2026-05-31")
    held <- spans_from_changes(demo_records("grade_changes"), at = reached_on, key = observer, state = grade, ending_states = "left", as_of = day)
    some <- postings[postings$share %in% postings$share[postings$share >= 0.5] & tolower(postings$role) %in% c("observer", "trainee"), ]
    answers <- list(a = active(bind_spans(observers_here = here, observers_left = left), by = "year", group = source),
                    b = active(spans(some, first_day, last_day, key = observer, as_of = day), by = "year"),
                    c = active(now, by = "quarter", less = trips, from = "2026-01-01"), d = restated(now, may, from = "2026-01-01"),
                    e = overlaps(trips, now, carry = purpose), f = active(held, by = "year", group = grade))
    for (name in names(answers)) {
      file <- withr::local_tempfile(fileext = ".csv")
      write_records(answers[[name]], file)
      expect_identical(readLines(file.path(built$out, "tables", paste0(name, ".csv"))), readLines(file), label = name)
    }
  })
  expect_true(built$ok)
  expect_length(list.files(file.path(built$out, "figures")), 0)
})

test_that("an almanac of another folder is built here, and keeps what it needs beside itself", {
  folder <- almanac_folder(small_almanac("{ask: active, by: month}"), moves = random_records(15))
  withr::local_dir(dirname(folder))
  path <- file.path(basename(folder), "almanac.yml")
  here <- file.path(basename(folder), "here")
  for (day in c("2024-03-31", "2024-04-30")) expect_identical(run("build", path, "--out", here, "--as-of", day)$status, 0L)
  expect_setequal(list.files(folder), c("almanac.yml", "almanac-kept", "here", "moves.csv"))
  expect_identical(jsonlite::read_json(file.path(here, "edition.json"))$compared_with, "2024-03-31")
})

test_that("an edition asks from a session of its own, whatever the folder and the words spoken", {
  folder <- almanac_folder(small_almanac("{ask: active}"), moves = random_records(11))
  here <- getwd()
  quietly_built(folder)
  expect_identical(getwd(), here)
  expect_error(quietly_built(folder, only = "Zwei"), "`only`", class = "ridge_error_argument")
  expect_error(build_almanac(file.path(folder, "almanac.yml"), out = 3), "`out`", class = "ridge_error_argument")
  expect_error(quietly_built(folder, as_of = "soon"), "as_of", class = "ridge_error_argument")
  printed <- utils::capture.output(print(quietly_built(folder)))
  expect_match(printed[1], "1 question: everything ties and holds")
  expect_match(utils::capture.output(print(read_almanac(file.path(folder, "almanac.yml"))))[1], "A small almanac")
})
