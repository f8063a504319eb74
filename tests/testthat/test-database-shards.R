# Records in several tables, each key in one of them: the answers are added, and are those of
# memory.

shards_of_test <- function(records, servers, env = parent.frame()) {
  at <- match(records$who, unique(records$who)) %% length(servers) + 1
  lapply(seq_along(servers), function(i) in_table(connected(servers[i], env), records[at == i, ], paste0("records_", i)))
}

many_records <- function(seeds) {
  records <- do.call(rbind, lapply(seeds, random_records))
  transform(records, who = paste0(who, seq_along(who) %% 3), share = round(share, 1), id = seq_along(who))
}

declare_all <- function(data, ...) suppressMessages(spans(data, start, end, key = who, as_of = "2024-04-10", ...))

test_that("what each table answers is added", {
  records <- many_records(3:5)
  # The databases may be of different kinds.
  other <- if (Sys.getenv("RIDGE_POSTGRES") == "") "sqlite" else "postgres"
  x <- declare_all(shards_of_test(records, c("sqlite", other)), weight = share, row = id)
  m <- declare_all(records, weight = share)
  expect_identical(conventions(x), conventions(m))
  for (ask in list(
    function(x) active(x, by = "week", group = site, total = TRUE),
    function(x) active(x, rule = "mean_day", of = "weight"),
    function(x) active(x, by = "10 days", rule = "peak_day", group = site),
    function(x) active(x, rule = "peak_day", of = "weight"),
    function(x) movement(x, by = "week", group = site, total = TRUE),
    function(x) movement(x, of = "weight"),
    function(x) concurrency(x, of = "weight"),
    function(x) peaks(x, capacity = 2),
    function(x) consecutive(x, per = c(who, site), tolerance = 3),
    function(x) cohorts(x, by = "week", group = site),
    function(x) explain_count(x, "2024-03-01", of = "weight"),
    function(x) explain_count(x, "2024-03-01"),
    function(x) elapsed(x, "weeks", calendar_rules(), group = site, by = "month"),
    function(x) time_within(x, by = "month", group = site),
    function(x) active(as_seen_on(x, "2024-03-04"), group = site),
    gaps, overlaps, missing_days, elapsed, function(x) roster(x, "2024-03-05"))) {
    expect_same_in_database(ask, x, m, deparse(body(ask))[1])
  }
  for (result in list(active(x, by = "week", group = site, total = TRUE), elapsed(x, group = site, by = "month"), gaps(x), roster(x, "2024-03-05"))) {
    checks <- reconcile(result)
    expect_true(all(checks$ok) && nrow(checks) > 1)
  }
  wrong <- right <- active(x)
  attributes(wrong) <- NULL
  wrong[[3]][2] <- wrong[[3]][2] + 1L
  attributes(wrong) <- attributes(right)
  expect_false(all(reconcile(wrong)$ok))
})

test_that("amounts and lists of several tables are those of one, to the last digit, and tie", {
  records <- many_records(6:8)
  # Of one table all are whole cents, of the other some are finer, and some are missing.
  whole <- match(records$who, unique(records$who)) %% 2 == 0
  records$amount <- ifelse(whole, seq_along(whole) %% 50, round(seq_along(whole) * 7.77777 - 300, 4))
  records$amount[seq(5, nrow(records), 40)] <- NA
  other <- if (Sys.getenv("RIDGE_POSTGRES") == "") "sqlite" else "postgres"
  x <- declare_all(shards_of_test(records, c("sqlite", other)), row = id)
  m <- declare_all(records)
  asks <- list(
    function(x) allocate(x, amount, by = "week", group = site, digits = 2, total = TRUE, open_to_as_of = TRUE),
    function(x) allocate(x, amount, group = who, digits = 0, open_to_as_of = TRUE, from = "2024-02-01", to = "2024-02-29"),
    function(x) allocate(x, amount, by = "quarter", group = site, digits = 2, basis = "period", open_to_as_of = TRUE),
    function(x) allocate(x, amount, group = site, digits = 2, spread = "repeat", rule = "last_day", open_to_as_of = TRUE),
    function(x) allocate(x, amount, group = site, digits = 2, show = "balance", total = TRUE, open_to_as_of = TRUE),
    # Records in lists have their numbers, whichever table they are from.
    function(x) allocate(x, amount, digits = 2, open_to_as_of = TRUE, carry = site),
    function(x) allocate(x, amount, by = "quarter", spread = "repeat", open_to_as_of = TRUE),
    function(x) time_within(x, "quarter"),
    function(x) consecutive(x, show = "records", tolerance = 2),
    function(x) movement(x, show = "records", by = "week", group = site),
    function(x) cohorts(x, show = "records", by = "quarter"))
  # How many were left out is said of all tables.
  few <- list(declare_all(shards_of_test(records, c("sqlite", "sqlite")), where = site == "north", row = id), declare_all(records, where = site == "north"))
  for (ask in c(asks, list(gaps, function(x) roster(x, "2024-03-05")))) {
    expect_identical(conventions(ask(few[[1]])), conventions(ask(few[[2]])))
  }
  for (ask in asks) {
    expect_same_in_database(ask, x, m, deparse(body(ask))[1])
    checks <- reconcile(ask(x))
    expect_true(all(checks$ok) && nrow(checks) > 1)
  }
  wrong <- right <- asks[[1]](x)
  attributes(wrong) <- NULL
  wrong[[4]][2] <- wrong[[4]][2] + 0.01
  attributes(wrong) <- attributes(right)
  expect_false(all(reconcile(wrong)$ok))
  expect_error(allocate(x, amount, group = site, digits = 2), "spans have no even share", class = "ridge_error_records")
  idle <- declare_all(list(in_table(connected("sqlite"), transform(records[records$who == records$who[1], ], start = day("2024-01-06"), end = day("2024-01-07")), "idle"),
                           in_table(connected("sqlite"), transform(records[records$who == records$who[2], ], end = day("2024-04-30"), start = day("2024-01-01")), "busy")))
  expect_error(allocate(idle, amount, group = site, digits = 2, basis = "working_day", calendar = calendar_rules()), "no even share", class = "ridge_error_records")
  huge <- declare_all(list(in_table(connected("sqlite"), transform(records[1, ], amount = 6e13), "one"),
                           in_table(connected("sqlite"), transform(records[2, ], who = "other", amount = 6e13), "two")))
  expect_error(allocate(huge, amount, group = site, digits = 2, open_to_as_of = TRUE), "too large to be kept exactly", class = "ridge_error_records")
})

test_that("empty tables, and all of them empty", {
  records <- many_records(4)
  con <- connected("sqlite")
  tables <- list(in_table(con, records[0, ], "none"), in_table(con, records, "all"))
  for (ask in list(function(x) active(x, group = site, by = "week"), function(x) active(x, rule = "peak_day", from = "2024-01-01", to = "2024-03-31"), concurrency, consecutive, function(x) movement(x, group = site))) {
    expect_same_in_database(ask, declare_all(tables), declare_all(records), deparse(body(ask))[1])
    expect_same_in_database(ask, declare_all(tables[c(1, 1)]), declare_all(records[0, ]), "none at all")
  }
  expect_identical(conventions(declare_all(tables, where = share > 0.3)), conventions(declare_all(records, where = share > 0.3)))
  expect_output(print(declare_all(tables)), "In 2 tables of databases, with the columns who, site, share")
})

test_that("tables that do not belong together are told, and what is not answered", {
  records <- many_records(3:5)
  con <- connected("sqlite")
  one <- in_table(con, records, "one")
  expect_error(declare_all(list(one, one)), "who .* is in table 1 and in table 2: it would be counted twice", class = "ridge_error_records")
  expect_error(declare_all(list(one, records)), "as its element 2,.*tables of databases only", class = "ridge_error_argument")
  expect_error(declare_all(list(one, in_table(con, records[-2], "less"))), "other columns: \"site\" is in one of them only", class = "ridge_error_column")
  expect_error(declare_all(list(one, in_table(con, transform(records, site = 1), "other"))), "\"site\" holds character values there and numeric values here", class = "ridge_error_column")
  late <- transform(records[1:3, ], who = c("x", "y", "z"), end = start - 3)
  expect_error(declare_all(list(one, in_table(con, late, "late"))), "Table 2 of 2: 3 records cannot be used.*before the start", class = "ridge_error_records")
  expect_error(declare_all(list(one, in_table(con, late[-4], "late"))), "Table 2 of 2", class = "ridge_error_column")
  x <- declare_all(shards_of_test(records, c("sqlite", "sqlite")), weight = share, row = id)
  expect_error(consecutive(x, per = site), "A question about other partitions than those of the key is not answered over several tables", class = "ridge_error_engine")
  expect_error(gaps(x, per = site), "is not answered over several tables", class = "ridge_error_engine")
  for (ask in list(function(x) restated(x, x), function(x) overlaps(x, x))) {
    expect_error(ask(x), "is not answered over several tables yet.*Ask it of each table by itself", class = "ridge_error_engine", label = deparse(ask)[1])
  }
  for (ask in list(scaffold, check_spans, set_aside)) {
    expect_error(ask(x), "is not answered over tables in several databases.*Ask it of each table by itself", class = "ridge_error_engine", label = deparse(ask)[1])
  }
  expect_error(check_spans(list(1, 2)), "asks about records declared with `spans\\(\\)`, not \"list of length 2\"", class = "ridge_error_argument")
  alike <- list(in_table(con, records[records$who == "a0", ], "first"), in_table(con, records[records$who == "b0", ], "second"))
  expect_error(check_spans(alike, start, end, row = id), "other partitions than those of the key", class = "ridge_error_engine")
  expect_error(check_spans(alike, start, end, key = who), "nothing says which is which", class = "ridge_error_engine")
  expect_error(elapsed(declare_all(shards_of_test(records, c("sqlite", "sqlite")))), "nothing says which is which", class = "ridge_error_engine")
  same <- declare_all(list(in_table(con, transform(records[records$who == records$who[1], ], id = seq_along(who)), "first"), in_table(con, transform(records[records$who == records$who[2], ], id = seq_along(who)), "second")), row = id)
  expect_error(elapsed(same), "\"id\" does not tell the records of all tables apart: 1 is in several", class = "ridge_error_records")
})

# Two tables of one database, each key in one of them, and one of all.
parted <- function(con, records) {
  at <- match(records$who, unique(records$who)) %% 2 == 0
  at[is.na(records$who)] <- TRUE
  list(two = list(in_table(con, records[at, ], "even"), in_table(con, records[!at, ], "odd ones")), all = in_table(con, records, "all"))
}

test_that("a scaffold of two tables of a database has the rows of both, and ties", {
  records <- many_records(9:10)
  for (server in c("sqlite", "postgres")) {
    if (server == "postgres" && Sys.getenv("RIDGE_POSTGRES") == "") next
    tables <- parted(connected(server), records)
    x <- declare_all(tables$two, row = id)
    y <- declare_all(tables$all, row = id)
    for (ask in list(function(x) scaffold(x, by = "week", of = "records", carry = site), function(x) scaffold(x, by = "month", of = "keys"),
                     function(x) scaffold(x, by = "month", every_period = TRUE), function(x) scaffold(x, by = "month", every_period = TRUE, of = "records"))) {
      rows <- ask(x)
      in_order <- function(rows) {
        rows <- as.data.frame(dplyr::collect(rows))
        rows[do.call(order, unname(rows[intersect(c("row", "who", "period"), names(rows))])), ]
      }
      expect_equal(in_order(rows), in_order(ask(y)), ignore_attr = TRUE)
      expect_identical(conventions(rows), conventions(ask(y)))
      checks <- reconcile(rows)
      expect_true(all(checks$ok) && nrow(checks) > 2)
    }
    by_period <- dplyr::collect(dplyr::count(dplyr::group_by(scaffold(x, by = "month"), period)))
    expect_equal(sum(as.integer(by_period$n)), nrow(dplyr::collect(scaffold(y, by = "month"))))
  }
})

test_that("what is wrong with the records of two tables is what is wrong with those of one", {
  records <- many_records(11:40)[1:80, ]
  records[c("start", "end")] <- lapply(records[c("start", "end")], as.character)
  records$start[c(3, 8)] <- c(NA, "2024-13-01")
  records$end[c(10, 17)] <- c("2009-01-01", "soon")
  records$start[21] <- "1931-01-01"
  records$who[c(30, 31)] <- NA
  records$who[40] <- toupper(records$who[41])
  records$site[c(50, 51)] <- c("North Saddle", "north-saddle")
  records <- rbind(records, records[c(60, 61), ])
  records$id <- seq_along(records$who)
  for (server in c("sqlite", "postgres")) {
    if (server == "postgres" && Sys.getenv("RIDGE_POSTGRES") == "") next
    tables <- parted(connected(server), records)
    check <- function(data) suppressMessages(check_spans(data, start, end, key = who, weight = share, row = id, as_of = "2024-04-10"))
    expect_equal(as.data.frame(check(tables$two)), as.data.frame(check(tables$all)))
    expect_identical(conventions(check(tables$two)), conventions(check(tables$all)))
    expect_true(all(c("missing start", "unreadable end", "end before start", "missing key", "implausible year", "duplicate record", "key spelled two ways",
                      "label spelled two ways") %in% check(tables$two)$finding))
    x <- declare_all(tables$two, row = id, unusable = "set_aside")
    y <- declare_all(tables$all, row = id, unusable = "set_aside")
    expect_identical(conventions(x), conventions(y))
    aside <- function(x) dplyr::collect(dplyr::arrange(set_aside(x), row))
    expect_equal(aside(x), aside(y))
    expect_same_in_database(function(x) active(x, by = "week", group = site), x, declare_all(dplyr::collect(tables$all), unusable = "set_aside"), server)
    checks <- reconcile(active(x, by = "week"))
    expect_true(all(checks$ok))
    expect_equal(checks$expected[1], nrow(records))
  }
})

test_that("the command line and an almanac name several tables of a database", {
  records <- many_records(13:20)
  records[c("start", "end")] <- lapply(records[c("start", "end")], as.character)
  file <- sqlite_file(records, "all")
  con <- DBI::dbConnect(RSQLite::SQLite(), file)
  DBI::dbWriteTable(con, "even", records[records$who < "b", ])
  DBI::dbWriteTable(con, "odd, ones", records[records$who >= "b", ])
  DBI::dbDisconnect(con)
  told <- c("--database", paste0("sqlite:", file), "--start", "start", "--end", "end", "--key", "who", "--row", "id", "--as-of", "2024-04-10")
  two <- c("--table", "even", "--table", "odd, ones")
  for (asked in list(c("active", "--by", "week", "--group", "site"), c("scaffold", "--by", "month"), c("gaps"), c("check"))) {
    own <- run(c(asked[1], told, two, asked[-1], if (asked[1] != "check") "--reconcile"))
    one <- run(c(asked[1], told, "--table", "all", asked[-1], if (asked[1] != "check") "--reconcile"))
    expect_identical(own$status, one$status)
    expect_identical(own$out, one$out)
    expect_identical(own$notes, one$notes)
  }
  expect_match(run(c("active", told, "--table", "even", "--table", "all"))$notes, "is in table 1 and in table 2", all = FALSE)
  expect_match(run(c("active", told, "--table", "even", "--table", "nowhere"))$notes, "has no table \"nowhere\"", all = FALSE)
  expect_match(run(c("restated", told, two, "--earlier", "all", "--earlier-as-of", "2024-03-01"))$notes, "not answered over several tables yet", all = FALSE)
  folder <- withr::local_tempdir()
  almanac <- file.path(folder, "almanac.yml")
  writeLines(c("title: Two tables", "as_of: 2024-04-10", "records:",
               sprintf("  own: {database: 'sqlite:%s', table: [even, 'odd, ones'], start: start, end: end, key: who, row: id}", file),
               "pages:", "  - title: One", "    questions:", "      - {ask: active, by: month, group: site}"), almanac)
  edition <- suppressMessages(build_almanac(almanac, out = file.path(folder, "out")))
  report <- paste(readLines(file.path(folder, "out", "index.html")), collapse = "\n")
  for (told in c("<code>even</code>\\s+of\\s+<code>sqlite:", "<code>odd, ones</code>\\s+of\\s+<code>sqlite:", "--table even --table &#39;odd, ones&#39; --start")) {
    expect_true(grepl(told, report), label = told)
  }
  told <- jsonlite::fromJSON(file.path(folder, "out", "edition.json"), simplifyVector = FALSE)
  expect_identical(unlist(told$records$own$table), c("even", "odd, ones"))
  expect_true(told$ok)
})
