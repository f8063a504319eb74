# Two lists of the same records in tables of one database.

# Numbered by the place in the list, as in memory.
listed_twice <- function(con, now, was, ...) {
  declare <- function(records, as_of, ...) suppressMessages(spans(records, start, end, key = who, weight = share, as_of = as_of, ...))
  numbered <- function(records) transform(records, row = seq_len(nrow(records)))
  list(there = list(now = declare(in_table(con, numbered(now), "now of a test"), "2024-04-30", row = row), was = declare(in_table(con, numbered(was), "was of a test"), "2024-03-31", row = row)),
       here = list(now = declare(numbered(now), "2024-04-30"), was = declare(numbered(was), "2024-03-31")))
}

for (server in c("sqlite", "postgres")) {
  test_that(paste("what was restated is the same in a database, and ties:", server), {
    con <- connected(server)
    for (case in list(
      list(2, function(x, earlier) restated(x, earlier, group = site, total = TRUE, of = "weight", match = id, from = "2024-01-01")),
      list(3, function(x, earlier) restated(x, earlier, by = "10 days", group = site, rule = "mean_day")),
      list(7, function(x, earlier) restated(x, earlier, by = "week", rule = "last_day", match = c(site, end))),
      list(6, function(x, earlier) restated(x, earlier, group = site, of = "weight", show = "records")))[if (server == "sqlite") c(1, 3) else c(2, 4)]) {
      made <- two_exports(case[[1]])
      lists <- listed_twice(con, made$now, made$was)
      label <- paste(server, case[[1]], paste(deparse(body(case[[2]])), collapse = ""))
      found <- case[[2]](lists$there$now, lists$there$was)
      expected <- case[[2]](lists$here$now, lists$here$was)
      expect_identical(as.data.frame(found), as.data.frame(expected), label = label)
      expect_identical(conventions(found), conventions(expected), label = label)
      expect_identical(summary(found), summary(expected), label = label)
      checks <- reconcile(found)
      expect_true(all(checks$ok), label = label)
      expect_identical(tail(reconcile(expected)$check, nrow(checks) - 1), checks$check[-1], label = label)
    }
  })
}

test_that("of two lists only the records that differ are fetched", {
  con <- connected("sqlite")
  n <- 300
  was <- data.frame(who = rep(c(letters, LETTERS), length.out = n), share = 1, start = day("2023-01-01") + seq_len(n), end = day("2024-01-01") + seq_len(n))
  now <- was
  now$end[c(7, 70)] <- NA
  lists <- listed_twice(con, now[-9, ], rbind(was, was[11, ]))
  changes <- restated(lists$there$now, lists$there$was, show = "records")
  expect_identical(paste(changes$cause, changes$was), c("removed 2023-01-10 to 2024-01-10", "removed 2023-01-12 to 2024-01-12", "end 2024-01-08", "end 2024-03-11"))
  expect_identical(changes$row_before, c(9L, 301L, 7L, 70L))
  expect_match(conventions(changes), "1 record shares these with another")
  told <- strsplit(how_asked(changes, as = "sql"), "\n", fixed = TRUE)[[1]]
  fetched <- as.integer(sub("-- rows fetched: ", "", grep("-- rows fetched: ", told, value = TRUE)))
  # Of the last pair one is the other, now and before.
  expect_identical(sort(fetched[fetched > 1]), c(3L, 5L))
  expect_identical(nrow(restated(lists$there$now, lists$there$now, show = "records")), 0L)
  expect_identical(conventions(restated(lists$there$now, lists$there$was, from = "2024-01-01")), conventions(restated(lists$here$now, lists$here$was, from = "2024-01-01")))
})

test_that("lists in two places, a rule that does not add up and a table without numbers are refused", {
  con <- connected("sqlite")
  made <- two_exports(4)
  lists <- listed_twice(con, made$now, made$was)
  expect_error(restated(lists$there$now, lists$here$was), "tables in two places is not answered in a database", class = "ridge_error_engine")
  expect_error(restated(lists$here$now, lists$there$was), "not answered in a database", class = "ridge_error_engine")
  elsewhere <- listed_twice(connected("sqlite"), made$now, made$was)
  expect_error(restated(lists$there$now, elsewhere$there$was), "tables in two places", class = "ridge_error_engine")
  expect_error(restated(lists$there$now, lists$there$was, rule = "peak_day"), "rule = \"peak_day\".*not answered in a database", class = "ridge_error_engine")
  bare <- suppressMessages(spans(in_table(con, made$was, "bare"), start, end, key = who, as_of = "2024-03-31"))
  expect_error(restated(lists$there$now, bare), "Name the column that numbers them", class = "ridge_error_engine")
  DBI::dbExecute(con, "delete from \"was of a test\" where row = 1")
  expect_error(restated(lists$there$now, lists$there$was), "The table is not what it was", class = "ridge_error_engine")
})

test_that("a command compares two tables of a database, and finds overlaps between them", {
  postings <- transform(demo_records("postings"), id = seq_len(nrow(demo_records("postings"))))
  may <- transform(demo_records("postings_may"), id = seq_len(nrow(demo_records("postings_may"))))
  path <- sqlite_file(postings)
  con <- DBI::dbConnect(RSQLite::SQLite(), path)
  in_file <- transform(may, first_day = format(first_day), last_day = replace(format(last_day), is.na(last_day), NA))
  DBI::dbWriteTable(con, "postings may", in_file)
  DBI::dbDisconnect(con)
  data <- function(name) system.file("extdata", paste0(name, ".csv"), package = "almanacridge")
  declared <- c("--start", "first_day", "--end", "last_day", "--key", "observer", "--as-of", "2026-06-30")
  there <- c("--database", paste0("sqlite:", path), "--table", "postings", "--row", "id")
  asked <- c("restated", declared, "--earlier-as-of", "2026-05-31", "--group", "station", "--from", "2026-04-01")
  found <- run(asked, there, "--earlier", "postings may", "--reconcile", "--show-sql")
  expected <- run(asked, data("postings"), "--earlier", data("postings_may"))
  expect_identical(found$out, expected$out)
  expect_identical(found$notes[1], expected$notes[1])
  expect_match(paste(found$notes, collapse = "\n"), "all tie to the source.*-- The records that differ between the lists")
  expect_match(run(asked, there, "--earlier", "none")$notes, "The database has no table \"none\"")
  expect_match(run(asked, there[1:4], "--earlier", "postings may")$notes, "--row COLUMN")
  pairs <- c("overlaps", declared, "--min-days", "20")
  expect_identical(run(pairs, there, "--with", "postings may")$out, run(pairs, data("postings"), "--with", data("postings_may"))$out)
  expect_match(run("active", declared, there, "--less", "postings may")$notes, "`--less` is not answered in a database yet")
})
