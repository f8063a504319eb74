# Records in a database: the same answers as in memory, to the last bit, by SQL that is generated.

own_halves <- own_periods(day(c("2024-01-01", "2024-02-15")), day("2024-06-30"))

for (server in c("sqlite", "postgres")) {
  test_that(paste("counts by all rules, levels and stretches are those of memory:", server), {
    con <- connected(server)
    for (seed in if (server == "sqlite") c(2, 5, 9) else c(3, 6, 8)) {
      records <- random_records(seed)
      ends <- seed %% 2 == 0
      declare <- function(data) suppressMessages(spans(data, start, end, key = who, end_counts = ends, as_of = "2024-04-10"))
      x <- declare(in_table(con, records))
      m <- declare(records)
      label <- paste(server, seed)
      expect_identical(conventions(x), conventions(m), label = label)
      by <- list("month", "week", "day", "10 days", own_halves)[[seed %% 5 + 1]]
      for (rule in almanacridge:::rule_names()) {
        of <- c("keys", "records")[seed %% 2 + 1]
        expect_same_in_database(function(x) active(x, by = by, group = site, rule = rule, of = of, total = seed > 5), x, m, paste(label, rule))
      }
      expect_same_in_database(function(x) active(x, by = "week", from = "2024-02-20", to = "2024-03-10"), x, m, paste(label, "window"))
      expect_same_in_database(function(x) active(x, on = c("2024-02-29", "2024-03-01", "2024-04-01"), group = c(site, who)), x, m, paste(label, "on"))
      expect_same_in_database(function(x) active(x, group = site, show = "records"), x, m, paste(label, "keys behind"))
      expect_same_in_database(function(x) concurrency(x, group = site), x, m, paste(label, "levels"))
      expect_same_in_database(function(x) peaks(x, capacity = 2), x, m, paste(label, "peaks"))
      expect_same_in_database(function(x) consecutive(x), x, m, paste(label, "stretches"))
      expect_same_in_database(function(x) consecutive(x, per = site, tolerance = 3), x, m, paste(label, "stretches of sites"))
      expect_same_in_database(function(x) consecutive(x, per = NULL, longest = TRUE), x, m, paste(label, "longest"))
    }
  })

  test_that(paste("records of one day, of no end, and ends that mean none:", server), {
    con <- connected(server)
    records <- data.frame(who = c("a", "b", "a", "c"), start = day("2024-01-05") + c(0, 3, 1, 40), end = day(c("2024-02-01", "9999-12-31", NA, "2024-02-14")))
    for (declare in list(function(data) spans(data, start, NULL, key = who, as_of = "2024-03-01"),
                         function(data) spans(data, start, NA, key = who, as_of = "2024-03-01"),
                         function(data) spans(data, start, end, means_open = "9999-12-31", as_of = "2024-03-01"),
                         function(data) spans(data, start, end, key = c(who, end), means_open = as.Date("9999-12-31"), as_of = "2024-03-01"))) {
      wide <- replace(records, "end", list(replace(records$end, is.na(records$end), day("2024-02-01"))))
      data <- if (is.null(body(declare)$means_open)) records else wide
      x <- declare(in_table(con, data))
      m <- declare(data)
      if (identical(almanacridge:::about(m)$names$key, c("who", "end")) && server == "sqlite") next
      expect_identical(conventions(x), conventions(m))
      for (rule in c("any_day", "every_day", "mean_day")) expect_same_in_database(function(x) active(x, by = "week", rule = rule), x, m, rule)
      expect_same_in_database(function(x) concurrency(x, of = "records"), x, m, "levels")
    }
  })

  test_that(paste("weights come to the same sums:", server), {
    con <- connected(server)
    records <- random_records(9)[rep(1:10, 3), ]
    records$share <- c(0.1, 0.25, 1, 0.333, 0, 2, 1e-3)[seq_len(nrow(records)) %% 7 + 1]
    declare <- function(data) spans(data, start, end, key = who, weight = share, as_of = "2024-04-10")
    x <- declare(in_table(con, records))
    m <- declare(records)
    for (rule in almanacridge:::rule_names()) {
      ask <- function(x) active(x, by = "10 days", group = site, rule = rule, of = "weight", total = rule == "any_day")
      expect_same_in_database(ask, x, m, rule)
      expect_true(all(reconcile(ask(x))$ok))
    }
    expect_same_in_database(function(x) concurrency(x, of = "weight"), x, m, "levels")
    for (wrong in list(list(NA, "\"share\" is missing \\(2 records\\)"), list(-1, "\"share\" is less than 0"))) {
      records$share[4:5] <- wrong[[1]]
      expect_error(declare(in_table(con, records)), wrong[[2]], class = "ridge_error_records")
    }
  })

  test_that(paste("who came, who went and who moved:", server), {
    con <- connected(server)
    for (seed in c(9, 21, 23)) {
      records <- random_records(seed)
      records$share <- round(records$share, 1)
      declare <- function(data) spans(data, start, end, key = who, weight = share, as_of = "2024-04-10", end_counts = seed == 21)
      x <- declare(in_table(con, records))
      m <- declare(records)
      expect_same_in_database(function(x) movement(x, by = "week", group = site, total = TRUE, returns = seed > 9), x, m, paste("keys", seed))
      expect_same_in_database(function(x) movement(x, by = "10 days", from = "2024-02-20", to = "2024-03-20"), x, m, paste("in a window", seed))
      of <- if (seed == 9) "records" else "weight"
      expect_same_in_database(function(x) movement(x, by = "week", group = site, of = of, total = TRUE), x, m, paste(of, seed))
    }
  })

  # Each question takes seconds to be written, so each is asked once.
  test_that(paste("amounts are shared to the last cent, and time to the day:", server), {
    con <- connected(server)
    records <- do.call(rbind, lapply(c(4, 9, 12), random_records))
    ends <- server == "sqlite"
    records <- records[!is.na(records$end) & records$end - records$start > 2 | is.na(records$end) & records$start <= day("2024-04-10"), ]
    records$amount <- c(-1200.55, 1.005, 0.285, 999999.99, 12.3456, NA, 0, 2.5)[seq_len(nrow(records)) %% 8 + 1]
    records$fine <- round(records$amount, 2)
    declare <- function(data) suppressMessages(spans(data, start, end, key = who, end_counts = ends, as_of = "2024-04-10"))
    x <- declare(in_table(con, records))
    m <- declare(records)
    shared <- function(basis, column = "amount", ...) function(x) allocate(x, tidyselect::all_of(column), basis = basis, digits = 2, open_to_as_of = TRUE, total = TRUE, ...)
    expect_same_in_database(shared("day", by = "10 days", group = site), x, m, "by day")
    expect_same_in_database(shared("working_day", "fine", by = "week"), x, m, "by working day")
    expect_same_in_database(shared("period", by = "week", group = c(site, who)), x, m, "in equal parts")
    expect_same_in_database(shared("day", "fine", from = "2024-02-20", to = "2024-03-10"), x, m, "a window")
    checks <- reconcile(shared(if (ends) "working_day" else "period", by = "week", group = site)(x))
    expect_identical(sum(grepl("^amount, ", checks$check)), 4L)
    expect_true(all(checks$ok))
    expect_same_in_database(function(x) allocate(x, amount, group = site, digits = 3, show = "balance", open_to_as_of = TRUE, total = TRUE), x, m, "a balance")
    expect_same_in_database(function(x) allocate(x, fine, group = site, digits = 2, spread = "repeat", rule = "first_day", from = "2024-01-01", to = "2024-06-30"), x, m, "repeated")
    expect_same_in_database(function(x) time_within(x, by = "week", group = site, total = TRUE, unit = "days"), x, m, "days")
    expect_error(allocate(x, amount, group = site), "`digits` must say which.*digits = 2", class = "ridge_error_argument")
    expect_error(allocate(x, fine, digits = 2, open_to_as_of = TRUE), "nothing says which is which in a database", class = "ridge_error_engine")
    expect_error(allocate(x, fine, digits = 2, total = TRUE), "no even share.*open: without an end.*open_to_as_of = TRUE", class = "ridge_error_records")
    expect_error(time_within(x, group = site, bands = list(night = c("22:00", "06:00"))), "Working time, or time in bands", class = "ridge_error_engine")
    none <- declare(in_table(con, records[0, ]))
    expect_same_in_database(function(x) time_within(x, total = TRUE), none, declare(records[0, ]), "no record")
    expect_same_in_database(function(x) allocate(x, fine, digits = 2, group = site, total = TRUE, from = "2024-01-01", to = "2024-02-29"), none, declare(records[0, ]), "no amount")
    weekend <- data.frame(start = day("2024-03-02"), end = day("2024-03-03"), amount = c(5, 1e17))
    x <- spans(in_table(con, weekend), start, end, as_of = "2024-04-10")
    expect_error(allocate(x, amount, digits = 2, total = TRUE), "too large to be kept exactly", class = "ridge_error_records")
    x <- spans(in_table(con, weekend[1, ]), start, end, as_of = "2024-04-10")
    expect_error(allocate(x, amount, digits = 2, basis = "working_day", total = TRUE), "1 without a working day", class = "ridge_error_records")
  })

  test_that(paste("of those who started together, who is left:", server), {
    con <- connected(server)
    records <- do.call(rbind, lapply(c(5, 9, 12, 13), random_records))
    # Several groups on the day of a first start, and a key that starts with each of them.
    records <- rbind(records, transform(records, who = paste0(who, seq_along(who) %% 5)), transform(utils::head(records, 6), site = rev(site)))
    records$room <- seq_len(nrow(records)) %% 2
    declare <- function(data) suppressMessages(spans(data, start, end, key = who, end_counts = server == "sqlite", as_of = "2024-04-10"))
    x <- declare(in_table(con, records))
    m <- declare(records)
    expect_same_in_database(function(x) cohorts(x, by = "week", group = c(site, room), rule = "every_day"), x, m, "by two columns")
    expect_same_in_database(function(x) cohorts(x, by = "month", group = site), x, m, "by site")
    expect_same_in_database(function(x) cohorts(x, by = "10 days", rule = "last_day", returns = FALSE, from = "2024-02-01"), x, m, "without returns")
    seen <- function(ask) function(x) ask(as_seen_on(x, "2024-03-04"))
    expect_same_in_database(seen(function(x) movement(x, by = "month", group = site, total = TRUE)), x, m, "as seen on a day")
    expect_same_in_database(seen(function(x) time_within(x, by = "month", total = TRUE)), x, m, "time as seen on a day")
    past <- active(as_seen_on(x, "2024-03-04"))
    expect_true(all(reconcile(past)$ok))
    expect_match(how_asked(past), "\\) \\|>\n  as_seen_on\\(\"2024-03-04\"\\) \\|>\n  active")
    expect_no_match(how_asked(past), "dropped")
    expect_error(as_seen_on(x, "2024-05-01"), "is after the as-of date", class = "ridge_error_argument")
    nowhere <- transform(records, site = NA_character_)
    expect_same_in_database(function(x) cohorts(x, by = "quarter", group = site), declare(in_table(con, nowhere)), declare(nowhere), "one missing group")
    expect_error(cohorts(spans(in_table(con, records), start, end)), "cohorts without a key", class = "ridge_error_engine")
  })

  test_that(paste("names and values that look like SQL are names and values:", server), {
    con <- connected(server)
    odd <- c("select", "From when, \"to\"", "o'clock; drop table x", "GROUP")
    records <- data.frame(c("a'b", "--", "\"x\"", "a'b"), day("2024-01-05") + 0:3, day("2024-02-05") + 0:3, c("';", "union", NA, "';"))
    names(records) <- odd
    declare <- function(data) spans(data, tidyselect::all_of(odd[2]), tidyselect::all_of(odd[3]), key = tidyselect::all_of(odd[1]), as_of = "2024-03-01")
    table <- in_table(con, records, "Order by \"me\"; --")
    expect_same_in_database(function(x) active(x, by = "week", group = tidyselect::all_of(odd[4])), declare(table), declare(records), "odd names")
    expect_same_in_database(consecutive, declare(table), declare(records), "odd names")
  })

  test_that(paste("what cannot be used is told, with how many there are:", server), {
    con <- connected(server)
    sound <- data.frame(who = c("a", "b", "c"), start = day("2024-01-05") + 0:2, end = day("2024-02-05") + 0:2)
    declare <- function(change) {
      records <- sound
      records[[change[[1]]]][2:3] <- change[[2]]
      spans(in_table(con, records), start, end, key = who, as_of = "2024-03-01")
    }
    expect_error(declare(list("start", day(NA))), "2 records cannot be used.*\"start\" is missing \\(2 records\\)", class = "ridge_error_records")
    expect_error(declare(list("who", "  ")), "\"who\" is missing \\(2 records\\)", class = "ridge_error_records")
    expect_error(declare(list("end", sound$start[2:3] - 1)), "\"end\" is before the start \\(2 records\\)", class = "ridge_error_records")
    expect_error(declare(list("who", NA)), "\"who\" is missing \\(2 records\\)", class = "ridge_error_records")
    expect_error(declare(list("end", day("2023-01-01"))), "\"end\" is before the start \\(2 records\\)", class = "ridge_error_records")
    expect_error(declare(list("end", day("9999-12-31"))), "more than 100 years ahead.*means_open", class = "ridge_error_records")
    if (server == "sqlite") {
      sound[2:3] <- lapply(sound[2:3], format)
      expect_error(declare(list("start", "soon")), "\"start\" \"soon\" is no day \\(2 records\\)", class = "ridge_error_records")
      expect_error(declare(list("end", "2024-02-30")), "\"end\" \"2024-02-30\" is no day", class = "ridge_error_records")
      expect_error(declare(list("end", "still here")), "\"still here\" is no day", class = "ridge_error_records")
      expect_error(spans(in_table(con, transform(sound, start = 1:3)), start, end), "holds no dates, but values like", class = "ridge_error_records")
    }
    expect_message(spans(in_table(con, transform(sound, who = c("Ada", "ada ", "b"))), start, end, key = who, as_of = "2024-03-01"), "differ only in case")
  })

  test_that(paste("questions are told in SQL, and only answers leave:", server), {
    con <- connected(server)
    records <- data.frame(who = sprintf("k%d", 1:900 %% 300), site = c("north", "south", NA), start = day("2024-01-01") + 1:900 %% 90)
    records$end <- records$start + 1:900 %% 40
    x <- suppressMessages(spans(in_table(con, records), start, end, key = who, as_of = "2024-04-10"))
    result <- active(x, group = site)
    told <- how_asked(result, as = "sql")
    expect_match(told, "-- The groups\nSELECT DISTINCT")
    expect_match(told, "-- Who comes and who goes, by period\nWITH ")
    # No day of a record but how far they reach, where PostgreSQL counts days itself.
    days <- unique(regmatches(told, gregexpr("20[0-9]{2}-[0-9]{2}-[0-9]{2}", told))[[1]])
    reach <- format(c(min(records$start), max(records$end) + 1))
    expect_identical(days, if (server == "postgres") reach else character())
    expect_match(how_asked(result), "spans(start, end, key = who, as_of = \"2024-04-10\")", fixed = TRUE)
    # PostgreSQL counts the days, and places them among the periods, itself.
    for (asked in list(result, consecutive(x))) expect_identical(grepl("a temporary table of", how_asked(asked, as = "sql")), server != "postgres")
    # By group and period, with one behind the last.
    rows <- regmatches(told, gregexpr("(?<=-- rows fetched: )[0-9]+", told, perl = TRUE))[[1]]
    expect_length(rows, 3)
    expect_true(all(as.integer(rows) <= 3 * (4 + 1)))
    expect_true(all(reconcile(result)$ok))
    for (rule in c("first_day", "every_day", "mean_day")) expect_true(all(reconcile(active(x, by = "week", group = site, rule = rule, total = TRUE))$ok))
    expect_match(conventions(reconcile(concurrency(x))), "all tie to the source")
    # One that is wrong does not tie.
    wrong <- result
    attributes(wrong) <- NULL
    wrong[[4]][1] <- wrong[[4]][1] + 1L
    attributes(wrong) <- attributes(result)
    expect_false(all(reconcile(wrong)$ok))
    # What is added behind our back is not passed over.
    DBI::dbExecute(con, paste("insert into records_of_a_test", "(who, \"start\", \"end\") values ('late', '2024-01-01', '2031-01-01')"))
    expect_error(active(x, group = site), "The table is not what it was when", class = "ridge_error_engine")
    expect_error(consecutive(x), "Declare the records again", class = "ridge_error_engine")
    # Nothing of ours is left.
    expect_identical(grep("ridge_days", DBI::dbListTables(con)), integer())
    expect_output(print(x), "In a database, with the columns who, site, start and end.")
  })
}

test_that("days that PostgreSQL counts itself are those of memory, and others are not passed over", {
  con <- connected("postgres")
  records <- data.frame(who = c(1, 1, 2, 2, 3), start = day(c("1969-12-30", "1970-01-02", "2024-02-29", "2024-03-01", "2024-01-31")),
                        end = day(c("1970-01-01", "1970-01-02", "2024-02-29", NA, "9999-12-31")))
  x <- spans(records, start, end, key = who, means_open = "9999-12-31", as_of = "2024-04-10")
  of_dates <- in_table(con, records)
  of_moments <- dplyr::mutate(of_dates, dplyr::across(c("start", "end"), as.POSIXct))
  for (table in list(of_dates, of_moments)) {
    y <- suppressMessages(spans(table, start, end, key = who, means_open = "9999-12-31", as_of = "2024-04-10"))
    expect_identical(as.data.frame(consecutive(y)), as.data.frame(consecutive(x)))
    expect_identical(as.data.frame(consecutive(y, per = NULL, tolerance = 3)), as.data.frame(consecutive(x, per = NULL, tolerance = 3)))
    expect_identical(as.data.frame(explain_count(y, "1970-01-01")), as.data.frame(explain_count(x, "1970-01-01")))
  }
  y <- suppressMessages(spans(of_dates, start, end, key = who, means_open = "9999-12-31", as_of = "2024-04-10"))
  for (later in c("('infinity', 'infinity')", "('2031-01-01', '2031-02-01')", "(null, '2024-01-01')", "('2024-01-05', '2024-01-05')")) {
    DBI::dbExecute(con, paste("insert into records_of_a_test (\"start\", \"end\") values", later))
    expect_error(consecutive(y), "The table is not what it was when", class = "ridge_error_engine")
    DBI::dbExecute(con, "delete from records_of_a_test where who is null")
  }
  expect_identical(as.data.frame(consecutive(y)), as.data.frame(consecutive(x)))
})

test_that("one that is gone, or may only be read, is told or does", {
  con <- connected("sqlite")
  x <- spans(in_table(con, random_records(5)), start, end, key = who, as_of = "2024-04-10")
  expected <- active(x)
  DBI::dbExecute(con, "pragma query_only = on")
  expect_identical(as.data.frame(active(x)), as.data.frame(expected))
  DBI::dbDisconnect(con)
  expect_error(active(x), "The database did not answer: Invalid or closed connection", class = "ridge_error_engine")
})

test_that("what a database does not answer is refused with the way out", {
  con <- connected("sqlite")
  records <- transform(random_records(9), share = 1 / 3)
  table <- in_table(con, records)
  x <- spans(table, start, end, key = who, as_of = "2024-04-10")
  for (ask in list(function(x) movement(x, show = "records"), overlaps, gaps, function(x) cohorts(x, show = "records"), roster, check_spans, elapsed, function(x) explain_count(x, "2024-03-01", show = "records"),
                   function(x) time_within(x), function(x) allocate(x, share, digits = 2, open_to_as_of = TRUE), length_of_stay, function(x) restated(x, x),
                   function(x) consecutive(x, show = "records"), function(x) missing_days(x))) {
    expect_error(ask(x), "in a database", class = "ridge_error_engine", label = deparse(ask)[1])
  }
  expect_error(x[1, ], "lie in a database: there is no table to change", class = "ridge_error_engine")
  expect_error(as.data.frame(x), "lie in a database", class = "ridge_error_engine")
  expect_error(write_records(x, tempfile(fileext = ".csv")), "A file of the records is not answered in a database", class = "ridge_error_engine")
  for (arg in list(list(tz = "UTC"), list(date_order = "dmy"), list(days = TRUE))) {
    expect_error(rlang::inject(spans(table, start, end, !!!arg)), paste0("`", names(arg), "` plays no part for a table in a database"), class = "ridge_error_argument")
  }
  expect_error(spans(table, start, end, weight = share), "more digits than are summed exactly in a database", class = "ridge_error_records")
  expect_error(spans(table, start, end, weight = who), class = "ridge_error")
  expect_error(spans(table, begin, end), class = "ridge_error_column")
  expect_error(how_asked(active(spans(records, start, end)), as = "sql"), "is about records in a database", class = "ridge_error_argument")
  expect_error(how_asked(active(x), as = "command"), "A command is not answered in a database", class = "ridge_error_engine")
})

# The same connection, by which something is done after each statement about the table.
disturbed <- function(con, disturb) {
  class <- paste0("Disturbed", class(con))
  where <- globalenv()
  suppressMessages(methods::setClass(class, contains = class(con), where = where))
  methods::setMethod(DBI::dbGetQuery, c(class, "character"), function(conn, statement, ...) {
    found <- DBI::dbGetQuery(con, statement, ...)
    if (grepl("of_two", statement)) disturb()
    found
  }, where = where)
  methods::new(class, con)
}

test_that("all statements of a question see the table in one state, and a transaction under way goes on", {
  records <- random_records(5)
  file <- sqlite_file(records, "of_two")
  this <- environment()
  servers <- list(sqlite = function() DBI::dbConnect(RSQLite::SQLite(), file))
  if (Sys.getenv("RIDGE_POSTGRES") != "") servers$postgres <- function() connected("postgres", this)
  for (server in names(servers)) {
    con <- servers[[server]]()
    other <- servers[[server]]()
    if (server == "sqlite") DBI::dbExecute(other, "PRAGMA journal_mode = WAL")
    else DBI::dbWriteTable(other, "of_two", records, overwrite = TRUE)
    # Somebody else renames a site, and adds a record, after each statement.
    told <- NULL
    watched <- disturbed(con, function() if (!is.null(told)) {
      told <<- told + 1
      DBI::dbExecute(other, sprintf("update of_two set site = 'new %d' where site = 'north'", told))
      DBI::dbExecute(other, "insert into of_two (who, site, \"start\") values ('z', 'late', '2024-02-01')")
    })
    x <- suppressMessages(spans(dplyr::tbl(watched, "of_two"), start, end, key = who, as_of = "2024-04-10"))
    m <- spans(records, start, end, key = who, as_of = "2024-04-10")
    told <- 0
    found <- active(x, group = site, total = TRUE)
    expect_gt(told, 2)
    expect_identical(as.data.frame(found), as.data.frame(active(m, group = site, total = TRUE)))
    told <- NULL
    expect_error(active(x), "The table is not what it was", class = "ridge_error_engine")
    expect_error(consecutive(x), "The table is not what it was", class = "ridge_error_engine")
    # A transaction that is under way is gone on with, and left as it was.
    by_hand <- list(function(con) DBI::dbExecute(con, "BEGIN"), function(con) DBI::dbExecute(con, "ROLLBACK"))
    for (words in list(list(DBI::dbBegin, DBI::dbRollback), by_hand)) {
      words[[1]](con)
      y <- suppressMessages(spans(dplyr::tbl(con, "of_two"), start, end, key = who, as_of = "2024-04-10"))
      expect_true(all(reconcile(active(y, group = site))$ok))
      DBI::dbExecute(con, "delete from of_two")
      words[[2]](con)
      expect_gt(DBI::dbGetQuery(con, "select count(*) as n from of_two")$n, nrow(records))
    }
    if (server == "postgres") DBI::dbExecute(other, "drop table of_two")
    DBI::dbDisconnect(con)
    DBI::dbDisconnect(other)
  }
})

test_that("PostgreSQL places days among few periods itself, in several processes; of many it keeps a table", {
  con <- connected("postgres")
  name <- paste0("ridge_test_", Sys.getpid())
  withr::defer(DBI::dbRemoveTable(con, name), priority = "first")
  set.seed(8)
  records <- data.frame(site = rep(c("a", "b"), 300), start = day("2019-11-20") + sample.int(2500, 600))
  records$end <- records$start + sample(c(0:40, 500), 600, TRUE)
  records$amount <- round(runif(600, -900, 900), 2)
  DBI::dbWriteTable(con, name, records)
  stored <- dplyr::tbl(con, name)
  for (end in list(quote(end), NULL)) {
    declare <- function(data) rlang::inject(spans(data, start, !!end, as_of = "2026-06-30"))
    x <- declare(stored)
    m <- declare(records)
    for (by in c("month", "day", "4 years")) {
      shared <- function(x) allocate(x, amount, by = by, group = site, digits = 2, total = TRUE, from = "2020-02-29", to = "2026-03-31")
      expect_same_in_database(shared, x, m, paste("amounts by", by, "to", deparse(end)))
      expect_same_in_database(function(x) active(x, by = by, of = "records", rule = "every_day", from = "2020-02-29", to = "2026-03-31"), x, m, paste("records by", by, "to", deparse(end)))
      told <- how_asked(shared(x), as = "sql")
      expect_identical(grepl("a temporary table of", told), by == "day", label = paste("a table by", by))
      expect_identical(grepl("/\\* and [0-9,]+ more numbers \\*/", told), by != "4 years", label = paste("numbers left out by", by))
    }
  }
  steps <- strsplit(how_asked(allocate(x, amount, by = "4 years", group = site, digits = 2), as = "sql"), ";\n", fixed = TRUE)[[1]]
  DBI::dbExecute(con, "SET min_parallel_table_scan_size = 0")
  DBI::dbExecute(con, "SET parallel_setup_cost = 0")
  DBI::dbExecute(con, "SET parallel_tuple_cost = 0")
  asked <- grep("generate_series", steps, value = TRUE)
  expect_length(asked, 1)
  plan <- DBI::dbGetQuery(con, paste("EXPLAIN", asked))[[1]]
  expect_match(plan, "Parallel Seq Scan", all = FALSE)
})

for (server in c("sqlite", "postgres")) {
  test_that(paste("a condition means the same as in memory, its parentheses too:", server), {
    con <- connected(server)
    records <- expand.grid(site = c("n", "s", "w", NA), share = c(0.5, 1, NA), grade = 1:3, stringsAsFactors = FALSE)
    records$start <- day("2024-01-01") + seq_len(nrow(records))
    stored <- in_table(con, records)
    conditions <- c("(site == 'n' | site == 's') & share < 1", "share < 1 & (site == 'n' | grade == 2)", "!(site == 'n' | share < 1)", "!(site == 'n') & share < 1",
                    "!(site == 'n' & (share < 1 | grade > 1))", "((site == 'n')) || share < 1 && grade >= 2", "(is.na(site) | site == 'w') & !(grade == 1 | grade == 3)",
                    "grade %in% c(2, 3) & (starts_with(site, 's') | is.na(share))", "!is.na(site) & !(share == 1 | !(grade == 2))")
    # As many records as R itself has; no condition is met by all or by none.
    for (condition in conditions) {
      plain <- gsub("||", "|", gsub("&&", "&", sub("starts_with", "startsWith", condition)), fixed = TRUE)
      met <- eval(str2lang(plain), records) %in% TRUE
      expect_true(any(met) && !all(met), label = condition)
      declare <- function(data) rlang::inject(spans(data, start, NULL, where = !!str2lang(condition), as_of = "2024-06-30"))
      ask <- function(x) active(x, by = "day", of = "records", from = "2024-01-01", to = "2024-02-29")
      expect_same_in_database(ask, declare(stored), declare(records), condition)
      expect_identical(sum(as.data.frame(ask(declare(stored)))$active), sum(met), label = condition)
    }
  })
}
