# The level against its limits, looked at day by day: which days are above, full and below.
walk_limits <- function(records, from, to, counts, capacity, floor, sites) {
  days <- seq(day(from), day(to), by = 1)
  there <- active_days(records, days, counts)
  rows <- lapply(sites, function(site) {
    own <- if (is.na(site)) is.na(records$site) else records$site %in% site
    level <- colSums(there[own, , drop = FALSE])
    limit <- function(table) {
      if (is.numeric(table)) return(rep(table, length(days)))
      table <- table[table$site %in% site, ]
      c(NA, table[[2]])[findInterval(days, table$from) + 1]
    }
    top <- limit(capacity)
    foot <- limit(floor)
    data.frame(site = site, day = days, level = level, above = level > top & !is.na(top), full = level == top & !is.na(top) & !(level < foot & !is.na(foot)),
               below = level < foot & !is.na(foot) & !(level > top & !is.na(top)))
  })
  do.call(rbind, rows)
}

test_that("stretches outside the limits are the days on which they are not kept", {
  for (seed in 1:60) {
    records <- random_records(seed)
    counts <- seed %% 2 == 0
    records <- records[is.na(records$end) | records$end > records$start - counts, ]
    if (nrow(records) == 0) next
    x <- suppressMessages(spans(records, start, end, key = who, end_counts = counts, as_of = "2024-04-15"))
    capacity <- data.frame(site = c("north", "north", "south"), capacity = c(2, 1, 0), from = day(c("2024-01-10", "2024-03-05", "2024-02-01")))
    floor <- if (seed %% 3 == 0) 1 else data.frame(site = c("north", "west"), floor = c(1, 2), from = day(c("2024-02-20", "2024-01-01")))
    sites <- unique(c(records$site, if (is.data.frame(floor)) c("north", "west")))
    days <- walk_limits(records, "2024-01-01", "2024-04-30", counts, capacity, floor, sites)
    asked <- list(x, group = rlang::quo(site), of = "records", capacity = capacity, floor = floor, from = "2024-01-01", to = "2024-04-30")
    got <- rlang::inject(peaks(!!!asked))
    expect_ties(got, label = seed)
    covered <- function(state) {
      rows <- got[got$state == state, ]
      as.character(unlist(lapply(seq_len(nrow(rows)), function(i) paste(rows$site[i], seq(rows$start[i], rows$end[i], by = 1)))))
    }
    expect_setequal(covered("above capacity"), paste(days$site, days$day)[days$above])
    expect_setequal(covered("below floor"), paste(days$site, days$day)[days$below])
    counted <- rlang::inject(peaks(!!!asked, show = "days"))
    expect_ties(counted, label = seed)
    sums <- function(name) unname(tapply(days[[name]], factor(days$site, counted$site, exclude = NULL), sum))
    expect_equal(as.vector(counted$days_above), as.vector(sums("above")))
    expect_equal(as.vector(counted$days_full), as.vector(sums("full")))
    expect_equal(as.vector(counted$days_below), as.vector(sums("below")))
    steps <- rlang::inject(concurrency(!!!asked))
    expect_ties(steps, label = seed)
    expect_equal(sum(steps$days[steps$state == "full"]), sum(days$full))
    working <- rlang::inject(peaks(!!!asked, calendar = calendar_rules()))
    expect_ties(working, label = seed)
    weekday <- !(format(days$day, "%u") %in% c("6", "7"))
    expect_equal(sum(working$working_days[working$state == "below floor"]), sum(days$below & weekday))
    expect_equal(sum(working$working_days[working$state == "above capacity"]), sum(days$above & weekday))
    expect_ties(rlang::inject(concurrency(!!!asked, calendar = calendar_rules())), label = seed)
    expect_ties(rlang::inject(peaks(!!!asked, calendar = calendar_rules(), show = "days")), label = seed)
  }
})

test_that("limits by hand: share, full days, a stretch over a weekend, a limit that changes", {
  records <- data.frame(item = 1:3, seats = 2, start = day(c("2026-06-01", "2026-06-04", "2026-06-05")), end = day(c("2026-06-12", "2026-06-09", "2026-06-08")))
  x <- spans(records, start, end, key = item, as_of = "2026-06-30")
  got <- concurrency(x, capacity = 2)
  expect_identical(got$level, c(1L, 2L, 3L, 2L, 1L))
  expect_identical(got$state, c("within", "full", "above capacity", "full", "within"))
  expect_equal(got$share, c(0.5, 1, 1.5, 1, 0.5))
  above <- peaks(x, capacity = seats)
  expect_identical(as.list(above)[c("start", "end", "days", "level")], list(start = day("2026-06-05"), end = day("2026-06-08"), days = 4L, level = 3L))
  office <- peaks(x, capacity = 2, calendar = calendar_rules())
  expect_identical(office$working_days, 2L)
  expect_identical(peaks(x, capacity = 2, show = "days")[c("days", "days_above", "days_full")] |> as.list(), list(days = 12L, days_above = 4L, days_full = 2L))
  changed <- peaks(x, capacity = data.frame(capacity = c(2, 1), from = c("2026-06-01", "2026-06-07")))
  expect_identical(changed$capacity, c(2, 1))
  expect_identical(changed$end, day(c("2026-06-06", "2026-06-09")))
  expect_identical(summary(above), "Above capacity on 4 days in 1 stretch, most 2026-06-05: 3 against 2.")
  expect_identical(summary(peaks(x, capacity = 3)), "There is nothing in the window.")
  low <- peaks(x, floor = 1, from = "2026-05-30")
  expect_identical(low$start, day(c("2026-05-30", "2026-06-13")))
  expect_identical(low$end, day(c("2026-05-31", "2026-06-30")))
  expect_identical(summary(peaks(x, floor = 1, from = "2026-05-30", show = "days")), "Below the floor on 20 of 32 days.")
  expect_identical(summary(concurrency(x, capacity = 3)), "The limits are kept at all times.")
  hours <- spans(data.frame(k = 1:2, s = as.POSIXct(c("2026-03-29 00:00", "2026-03-29 01:00"), tz = "Europe/Vienna"), e = as.POSIXct("2026-03-29 04:00", tz = "Europe/Vienna")), s, e, key = k, as_of = "2026-03-29")
  expect_identical(peaks(hours, capacity = 1)$hours, 2)
  expect_ties(peaks(hours, capacity = 1, floor = 1, show = "days"))
  weights <- demo_staff()
  expect_ties(peaks(weights, group = station, of = "weight", capacity = 12.5, floor = 6.2, from = "2026-01-01"))
  expect_identical(nrow(peaks(weights[0, ], capacity = 3)), 0L)
})

test_that("limits that are none are told, with the way out", {
  staff <- demo_staff()
  expect_error(peaks(staff, capacity = "many"), "must be a number, a column of the records or a table", class = "ridge_error_argument")
  expect_error(peaks(staff, capacity = -1), "of 0 or more", class = "ridge_error_argument")
  expect_error(peaks(staff, capacity = share), "several values, such as 0.6 and 0.5", class = "ridge_error_column")
  expect_error(peaks(staff, group = station, capacity = share), "several values in Larch Saddle", class = "ridge_error_column")
  expect_error(peaks(staff, floor = data.frame(capacity = 1)), "no column \"floor\"", class = "ridge_error_column")
  expect_error(peaks(staff, floor = data.frame(floor = c(1, NA, -2))), "row 3 of \"floor\" is -2", class = "ridge_error_argument")
  expect_error(peaks(staff, floor = data.frame(floor = 1:2)), "row 2 of the table gives a second limit", class = "ridge_error_argument")
  expect_error(peaks(staff, group = c(station, role), floor = data.frame(station = "Whinfell", floor = 2)), "no column \"role\"", class = "ridge_error_column")
  expect_error(peaks(staff, group = station, floor = data.frame(station = 3, floor = 2)), "differ in type", class = "ridge_error_column")
  expect_error(peaks(staff, show = "days"), "says on how many days a limit is not kept", class = "ridge_error_argument")
  faults <- spans(demo_records("faults"), reported, mended, key = fault, as_of = "2026-06-30", tz = "Europe/Vienna")
  expect_error(peaks(faults, capacity = 3, calendar = calendar_rules()), "working days need", class = "ridge_error_argument")
})

test_that("limits on the command line are a number, a column or a file", {
  file <- system.file("extdata", "instrument_loans.csv", package = "almanacridge")
  loans <- c(file, "--start", "lent_on", "--end", "returned_on", "--key", "instrument", "--end-counts", "no", "--as-of", "2026-06-30")
  x <- suppressMessages(read_records(file)) |> spans(lent_on, returned_on, key = instrument, end_counts = FALSE, as_of = "2026-06-30")
  got <- run("peaks", loans, "--capacity", "9", "--floor", "4", "--reconcile", "--summary")
  expect_identical(got$status, 0L)
  expect_identical(utils::read.csv(text = got$out)$level, peaks(x, capacity = 9, floor = 4)$level)
  limits <- withr::local_tempfile(fileext = ".csv")
  writeLines(c("borrower,capacity,from", "University,2,2025-07-01", "University,1,2026-01-01"), limits)
  table <- data.frame(borrower = "University", capacity = c(2, 1), from = c("2025-07-01", "2026-01-01"))
  days <- run("peaks", loans, "--group", "borrower", "--capacity", limits, "--show", "days")
  expect_identical(utils::read.csv(text = days$out)$days_above, peaks(x, group = borrower, capacity = table, show = "days")$days_above)
  working <- run("concurrency", loans, "--capacity", "9", "--working")
  expect_identical(utils::read.csv(text = working$out)$working_days, concurrency(x, capacity = 9, calendar = calendar_rules())$working_days)
  expect_identical(run("peaks", loans, "--capacity", "places")$status, 2L)
  expect_identical(run("peaks", loans, "--capacity", "none.csv")$status, 1L)
  words <- how_asked(peaks(x, capacity = 9, calendar = calendar_rules()), "command")
  expect_match(words, "--capacity 9 --working", fixed = TRUE)
})
