# Answers that consist of records, and scaffolds, of a table in a database.

with_ids <- function(records) {
  records$share <- round(records$share, 1)
  records$id <- seq_len(nrow(records))
  records
}

for (server in c("sqlite", "postgres")) {
  test_that(paste("records that an answer shows are chosen in the database:", server), {
    con <- connected(server)
    office <- calendar_rules(holidays = day(c("2024-02-14", "2024-03-01")))
    for (seed in if (server == "sqlite") 9 else 12) {
      declare <- function(data, ...) suppressMessages(spans(data, start, end, key = who, weight = share, end_counts = seed %% 2 == 0, as_of = "2024-04-10", ...))
      records <- with_ids(random_records(seed))
      others <- with_ids(random_records(seed + 100))
      x <- declare(in_table(con, records), row = id)
      m <- declare(records)
      y <- list(declare(in_table(con, others, "others_of_a_test"), row = id), declare(others))
      second <- function(x) y[[if (almanacridge:::in_database(x)) 1 else 2]]
      for (ask in list(
        function(x) roster(x, "2024-03-01"),
        function(x) roster(x, c("2024-02-20", "2024-03-10"), group = site, rule = "every_day", of = "keys"),
        function(x) elapsed(x, "hours", office, carry = site),
        function(x) overlaps(x, carry = c(site, share)),
        function(x) overlaps(x, per = site, differing = who, min_days = 3),
        function(x) gaps(x, carry = site, min_days = 2),
        function(x) gaps(x, per = site, from = "2024-02-10", to = "2024-03-20", edges = TRUE),
        function(x) gaps(x, per = NULL, calendar = office),
        function(x) missing_days(x, from = "2024-02-10", to = "2024-03-20", calendar = office),
        function(x) explain_count(x, c("2024-02-20", "2024-03-10"), rule = "every_day", show = "records"),
        function(x) consecutive(x, per = site, tolerance = 3, show = "records"),
        function(x) movement(x, group = site, of = "keys", show = "records"),
        function(x) movement(x, by = "week", of = "weight", show = "records", from = "2024-02-01"),
        function(x) cohorts(x, group = site, show = "records"),
        function(x) time_within(x, by = "week", carry = site, bands = list(night = c("22:00", "06:00")), from = "2024-02-01", to = "2024-03-05"),
        function(x) allocate(x, share, digits = 2, open_to_as_of = TRUE, carry = site),
        function(x) allocate(x, share, open_to_as_of = TRUE, show = "calculation", from = "2024-02-01", to = "2024-02-29"),
        function(x) allocate(x, share, digits = 2, spread = "repeat", rule = "last_day"))) {
        label <- paste(server, seed, paste(deparse(body(ask)), collapse = ""))
        expect_same_in_database(ask, x, m, label)
        checks <- reconcile(ask(x))
        expect_true(all(checks$ok), label = label)
        expect_false(any(grepl("not proven", checks$check)), label = label)
      }
      for (ask in list(
        function(x) overlaps(x, second(x), min_days = 2, carry = site),
        function(x) consecutive(x, calendar = office),
        function(x) consecutive(x, per = site, calendar = office, tolerance = 2, longest = TRUE),
        function(x) explain_count(x, "2024-03-01", of = "weight"),
        function(x) explain_count(x, c("2024-02-20", "2024-03-10"), rule = "every_day"))) {
        expect_same_in_database(ask, x, m, paste(server, seed, paste(deparse(body(ask)), collapse = "")))
      }
    }
  })

  test_that(paste("only the records of the answer are fetched:", server), {
    con <- connected(server)
    n <- 400
    records <- data.frame(id = seq_len(n), who = rep(seq_len(n / 4), each = 4), start = day("2024-01-01") + rep(c(0, 10, 20, 60), n / 4))
    records$end <- records$start + c(9, 9, 9, 3)
    x <- spans(in_table(con, records), start, end, key = who, row = id, as_of = "2024-04-01")
    fetched <- function(result) {
      told <- strsplit(how_asked(result, as = "sql"), "\n", fixed = TRUE)[[1]]
      told <- told[cumsum(grepl("-- The records of the answer", told, fixed = TRUE)) > 0]
      as.integer(sub("-- rows fetched: ", "", grep("-- rows fetched: ", told, value = TRUE)[1]))
    }
    # Of each four that meet the third stands before the gap and the last behind it.
    expect_identical(fetched(gaps(x)), 200L)
    expect_identical(gaps(x)$row_before, seq.int(3L, as.integer(n), 4L))
    expect_identical(fetched(overlaps(x)), 0L)
    expect_identical(fetched(roster(x, "2024-01-15")), 100L)
  })

  test_that(paste("how long groups took is counted in the database:", server), {
    con <- connected(server)
    office <- calendar_rules(hours = c("09:00", "17:20"), holidays = day("2024-02-14"))
    records <- do.call(rbind, lapply(if (server == "sqlite") 5:7 else 8:10, random_records))
    for (ends in c(TRUE, FALSE)) {
      # No number tells the records apart.
      declare <- function(data) suppressMessages(spans(data, start, end, key = who, end_counts = ends, as_of = "2024-04-10"))
      x <- declare(in_table(con, records))
      m <- declare(records)
      for (ask in list(
        function(x) elapsed(x, group = c(site, who), within = 20),
        function(x) elapsed(x, by = "month", group = site),
        function(x) elapsed(x, "hours", office, by = "week", by_start = TRUE, within = 80),
        function(x) elapsed(x, "days", office, day_hours = office, by = "10 days", from = "2024-02-10", to = "2024-03-31", label = "code"))) {
        label <- paste(server, ends, paste(deparse(body(ask)), collapse = ""))
        expect_same_in_database(ask, x, m, label)
        expect_true(all(reconcile(ask(x))$ok), label = label)
      }
    }
    # Of records alike one row comes back.
    alike <- declare(in_table(con, records[rep(1, 500), ]))
    told <- how_asked(elapsed(alike, by = "month"), as = "sql")
    expect_match(told, "-- How many took how long")
    expect_match(told, "-- rows fetched: 1$")
    events <- transform(records, end = NULL)
    one_day <- function(data) spans(data, start, NULL, key = who, as_of = "2024-04-10")
    expect_same_in_database(function(x) elapsed(x, by = "month", group = site), one_day(in_table(con, events)), one_day(events), "of one day")
    none <- function(x) elapsed(x, group = site, by = "month", from = "2024-01-01", to = "2024-02-29")
    expect_same_in_database(none, declare(in_table(con, records[0, ])), declare(records[0, ]), "no record")
  })

  test_that(paste("a scaffold is a table that stays in the database:", server), {
    con <- connected(server)
    declare <- function(data, ...) spans(data, start, end, key = who, as_of = "2024-04-10", ...)
    records <- with_ids(random_records(9))
    x <- declare(in_table(con, records), row = id)
    m <- declare(records)
    plain <- function(result) {
      table <- as.data.frame(dplyr::collect(result))
      dates <- intersect(c("period", "period_end", "start", "end"), names(table))
      table[dates] <- lapply(table[dates], as.Date)
      if ("present" %in% names(table)) table$present <- as.logical(table$present)
      table[] <- lapply(table, function(column) if (inherits(column, c("integer", "integer64"))) as.double(column) else column)
      table <- table[do.call(order, unname(table[intersect(c("row", "who", "period"), names(table))])), ]
      row.names(table) <- NULL
      table
    }
    for (ask in list(
      function(x) scaffold(x, carry = c(site, share)),
      function(x) scaffold(x, by = "week", rule = "every_day", from = "2024-02-20", to = "2024-03-10", label = "code"),
      function(x) scaffold(x, by = "10 days", rule = "last_day", of = "keys"),
      function(x) scaffold(x, by = "week", rule = "first_day", of = "keys", from = "2024-02-20", to = "2024-03-10"),
      function(x) scaffold(x, every_period = TRUE),
      function(x) scaffold(x, rule = "last_day", every_period = TRUE, of = "records", carry = site))) {
      found <- ask(x)
      expect_s3_class(found, "tbl_lazy")
      expect_equal(plain(found), plain(tibble::as_tibble(ask(m))), label = paste(deparse(body(ask)), collapse = ""))
      expect_identical(conventions(found), conventions(ask(m)))
      checks <- reconcile(found)
      expect_gt(nrow(checks), 2)
      expect_true(all(checks$ok))
    }
    rows <- scaffold(x)
    # Another one's rows do not tie, and what was made of it is no scaffold any more.
    expect_false(all(reconcile(rows, source = declare(in_table(con, records[-1, ], "fewer"), row = id))$ok))
    expect_error(reconcile(dplyr::filter(rows, nth == 1L)), "not the scaffold any more.*as `scaffold\\(\\)` gives it", class = "ridge_error_argument")
    expect_output(print(rows), "Laid out: one row per record and month")
    # Changed, no line speaks for it; kept, it is a table of its own.
    expect_error(conventions(dplyr::filter(rows, nth == 1L)), "holds no conventions")
    expect_identical(nrow(dplyr::collect(dplyr::compute(rows))), nrow(scaffold(m)))
    none <- declare(in_table(con, records[0, ]), row = id)
    expect_identical(names(dplyr::collect(scaffold(none, carry = site))), names(scaffold(declare(records[0, ]), carry = site)))
    expect_identical(nrow(dplyr::collect(scaffold(none))), 0L)
    DBI::dbExecute(con, "insert into records_of_a_test (who, start, \"end\") values ('late', '2024-01-01', '2031-01-01')")
    expect_error(scaffold(none), "The table is not what it was when", class = "ridge_error_engine")
    expect_error(scaffold(x, of = "keys", carry = site), "with a row per key is not answered in a database", class = "ridge_error_engine")
  })

  test_that(paste("days before 1970 are days like others:", server), {
    con <- connected(server)
    records <- data.frame(id = 1:4, who = c("a", "a", "b", "b"), start = day(c("1958-01-05", "1961-03-01", "1950-01-01", "1966-05-05")), end = day(c(NA, "1965-01-01", "1955-01-01", NA)))
    x <- spans(in_table(con, records), start, end, key = who, row = id, as_of = "2024-04-10")
    m <- spans(records, start, end, key = who, as_of = "2024-04-10")
    for (ask in list(function(x) consecutive(x), function(x) gaps(x), function(x) overlaps(x, min_days = 3), function(x) roster(x, "1962-01-01"))) {
      expect_silent(found <- ask(m))
      expect_same_in_database(ask, x, m, paste(server, deparse(body(ask))))
    }
  })

  test_that(paste("what numbers the records is checked:", server), {
    con <- connected(server)
    records <- with_ids(random_records(9))
    table <- in_table(con, records)
    declare <- function(...) spans(table, start, end, key = who, as_of = "2024-04-10", ...)
    expect_error(roster(declare()), "nothing says which is which in a database.*row = id", class = "ridge_error_engine")
    expect_error(declare(row = who), "\"who\" does not number the records: it holds \"a\"", class = "ridge_error_records")
    expect_error(declare(row = share), "does not tell the records apart: 10 records have 5 numbers", class = "ridge_error_records")
    expect_error(declare(row = number), class = "ridge_error_column")
    expect_error(spans(records, start, end, row = id), "plays no part for records that are not in a database", class = "ridge_error_argument")
    x <- declare(row = id)
    expect_match(how_asked(active(x)), "row = id", fixed = TRUE)
    for (ask in list(quote(overlaps(x, total = TRUE)), quote(gaps(x, group = site)), quote(missing_days(x, group = site)),
                     quote(roster(x, less = x)), quote(overlaps(x, spans(records, start, end, key = who))))) {
      expect_error(eval(ask), "is not answered in a database yet", class = "ridge_error_engine")
    }
  })
}

for (server in c("sqlite", "postgres")) {
  test_that(paste("what cannot be used is set aside in the database:", server), {
    con <- connected(server)
    texts <- with_ids(data.frame(who = c("a", "b", NA, " ", "c", "c", "d", "d", "e"), share = c(1, 1, 1, 1, NA, 1, -1, 1, 0.5),
                                 start = c("2024-01-05", "2024-02-30", "2024-01-05", "2024-01-09", "2024-01-09", NA, "2024-01-09", "2024-03-01", "2024-03-02"),
                                 end = c("2024-02-01", "2024-03-01", NA, NA, NA, "2024-03-01", NA, "2024-02-01", "soon")))
    dates <- texts[-c(2, 9), ]
    dates[c("start", "end")] <- lapply(dates[c("start", "end")], as.Date)
    for (records in if (server == "sqlite") list(texts) else list(texts, dates)) {
      declare <- function(data, ...) suppressMessages(spans(data, start, end, key = who, weight = share, as_of = "2024-04-10", unusable = "set_aside", ...))
      sound <- if (is.character(records$start)) c("2024-01-11", "2024-02-20", NA) else day(c("2024-01-11", "2024-02-20", NA))
      more <- data.frame(who = c("z", "y", "z"), share = 1, start = sound[c(1, 2, 2)], end = sound[c(2, 3, 3)], id = 21:23)
      all <- rbind(records, more)
      x <- declare(in_table(con, all), row = id)
      m <- declare(all)
      expect_identical(conventions(x), conventions(m))
      expect_same_in_database(function(x) active(x, of = "weight"), x, m, server)
      expect_same_in_database(function(x) consecutive(x), x, m, server)
      aside <- dplyr::collect(dplyr::arrange(set_aside(x), row))
      expect_identical(as.integer(aside$row), records$id[set_aside(m)$row])
      expect_identical(names(aside), c("row", "reason", names(all)))
      expect_match(aside$reason[aside$id == 8], "end is before the start")
      expect_match(aside$reason[aside$id == 4], "who is blank: every record needs a key")
    }
    # One more that cannot be used is not passed over either.
    later <- in_table(con, texts, "later_in_a_test")
    x <- declare(later)
    DBI::dbExecute(con, "insert into later_in_a_test (who, share, start, \"end\") values ('late', 1, '2024-01-01', 'never')")
    expect_error(active(x), "The table is not what it was when", class = "ridge_error_engine")
    # A text that no end says is a slip.
    expect_message(spans(in_table(con, texts), start, end, means_open = c("soon", "later"), as_of = "2024-04-10", unusable = "set_aside"), "`means_open`: no end says \"later\"")
    # What is too far ahead is asked about, and never set aside.
    far <- replace(texts, "end", list(replace(texts$end, 1, "2999-12-31")))
    expect_error(declare(in_table(con, far)), "more than 100 years ahead.*If that stands for no end yet", class = "ridge_error_records")
    expect_match(conventions(declare(in_table(con, far), means_open = "2999-12-31")), "8 records set aside")
  })
}

test_that("moments that are all at midnight are days", {
  con <- connected("postgres")
  records <- with_ids(random_records(8))
  records$start <- as.POSIXct(records$start, tz = "UTC")
  records$end <- as.POSIXct(format(records$end), tz = "UTC", format = "%Y-%m-%d")
  declare <- function(data, ...) spans(data, start, end, key = who, as_of = "2024-04-10", ...)
  DBI::dbWriteTable(con, "moments_of_a_test", records, temporary = TRUE)
  x <- declare(dplyr::tbl(con, "moments_of_a_test"), row = id)
  m <- declare(records)
  expect_identical(conventions(x), conventions(m))
  expect_match(conventions(x), "date-times at midnight taken for dates")
  expect_same_in_database(function(x) active(x, by = "week"), x, m, "weeks")
  expect_same_in_database(function(x) roster(x), x, m, "roster")
  early <- declare(dplyr::tbl(con, "moments_of_a_test"), where = start < "2024-03-01")
  expect_identical(conventions(early), conventions(spans(records, start, end, key = who, as_of = "2024-04-10", where = start < "2024-03-01")))
  records$end[3] <- records$start[3] + 40000
  DBI::dbWriteTable(con, "moments_of_a_test", records, temporary = TRUE, overwrite = TRUE)
  expect_error(declare(dplyr::tbl(con, "moments_of_a_test")), "\"end\" holds no dates, but values like .*Make days of them by a view", class = "ridge_error_records")
})

test_that("a command sets records of a table aside, into a file", {
  path <- sqlite_file(data.frame(who = c("a", "b"), from = c("2024-01-05", "2024-02-30"), to = "2024-03-01"), "stays")
  out <- withr::local_tempfile(fileext = ".csv")
  found <- run("active", "--database", paste0("sqlite:", path), "--table", "stays", "--start", "from", "--end", "to", "--key", "who", "--as-of", "2024-04-01", "--by", "quarter", "--set-aside", out)
  expect_identical(found$status, 0L)
  expect_match(paste(found$notes, collapse = "\n"), "1 record set aside")
  expect_identical(readLines(out), c("reason,who,from,to", "from is no day of the years 1600 to 9999,b,2024-02-30,2024-03-01"))
})

test_that("a command shows the records of a table", {
  postings <- demo_records("postings")
  postings$id <- seq_len(nrow(postings))
  path <- sqlite_file(postings)
  file <- system.file("extdata", "postings.csv", package = "almanacridge")
  declared <- c("--start", "first_day", "--end", "last_day", "--key", "observer", "--as-of", "2026-06-30")
  asked <- c("gaps", declared, "--min-days", "30", "--carry", "station")
  found <- run(asked, "--database", paste0("sqlite:", path), "--table", "postings", "--row", "id", "--reconcile")
  expected <- run(asked, file)
  expect_identical(found$out, expected$out)
  expect_identical(found$notes[1], expected$notes[1])
  expect_match(paste(found$notes, collapse = "\n"), "all tie to the source")
  without <- run(asked, "--database", paste0("sqlite:", path), "--table", "postings")
  expect_identical(without$status, 1L)
  expect_match(without$notes, "Name the column that numbers them: --row COLUMN")
  grouped <- run("gaps", declared, "--group", "station", "--database", paste0("sqlite:", path), "--table", "postings", "--row", "id")
  expect_match(grouped$notes, "is not answered in a database yet. Ask it of a file of these records")
  expect_match(run(asked, file, "--row", "id")$notes, "--row plays no part without `--database`")
})
