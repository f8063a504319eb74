rules <- c("any_day", "first_day", "last_day", "every_day", "mean_day", "peak_day")
things <- c("keys", "records", "weight")

test_that("a loan that is free again on its return day counts up to the day before", {
  loan <- data.frame(from = day("2026-03-06"), to = day("2026-03-10"))
  x <- spans(loan, from, to, end_counts = FALSE, as_of = "2026-06-30")
  days <- active(x, by = "day", from = "2026-03-05", to = "2026-03-11")
  expect_identical(days$active, c(0L, 1L, 1L, 1L, 1L, 0L, 0L))
})

test_that("counts equal the oracle for every rule, thing counted, grain and calendar", {
  grains <- c("day", "week", "month", "2 weeks", "quarter", "10 days", "6 months", "year")
  calendar <- list(calendar_rules(), calendar_rules(week_starts = "Sunday", year_starts = "April"))
  for (seed in 1:300) {
    end_counts <- seed %% 2 == 0
    records <- random_records(seed)
    rule <- rules[seed %% 6 + 1]
    of <- things[(seed %/% 6) %% 3 + 1]
    x <- spans(records, start, end, key = who, weight = share, end_counts = end_counts,
               as_of = "2024-03-31")
    result <- active(x, by = grains[seed %% 8 + 1], rule = rule, of = of,
                     group = tidyselect::all_of(if (seed %% 3 > 0) "site"), from = "2024-02-01",
                     to = "2024-03-20", calendar = calendar[[seed %% 2 + 1]])
    expected <- oracle_active(records, result, rule, of, end_counts)
    expect_equal(as.double(result$active), expected, tolerance = 1e-9,
                 label = paste("seed", seed, rule, of))
  }
})

test_that("two postings that meet make a full month, for keys and not for records", {
  postings <- data.frame(who = "a", from = day(c("2026-02-10", "2026-03-16")),
                         to = day(c("2026-03-15", "2026-04-02")))
  x <- spans(postings, from, to, key = who, as_of = "2026-06-30")
  march <- function(of) {
    active(x, rule = "every_day", of = of, from = "2026-03-01", to = "2026-03-31")$active
  }
  expect_identical(march("keys"), 1L)
  expect_identical(march("records"), 0L)
})

test_that("a key counts once in a group and once in the total", {
  postings <- data.frame(who = "a", site = c("north", "south", "south"),
                         from = day(c("2026-03-01", "2026-03-05", "2026-03-09")),
                         to = day(c("2026-03-31", "2026-03-20", "2026-03-12")))
  x <- spans(postings, from, to, key = who, as_of = "2026-06-30")
  result <- active(x, group = site, total = TRUE, from = "2026-03-01", to = "2026-03-31")
  expect_identical(result$active, c(1L, 1L, 1L))
  expect_identical(result$total, c(FALSE, FALSE, TRUE))
  expect_identical(result$site, c("north", "south", NA))
})

test_that("a missing group is a group of its own, types are kept, several groups combine", {
  records <- data.frame(from = day("2026-03-01"), to = day("2026-03-02"),
                        site = factor(c("b", "a", NA), levels = c("b", "a", "unused")),
                        floor = c(1L, 2L, NA))
  x <- spans(records, from, to, as_of = "2026-06-30")
  result <- active(x, group = c(site, floor), to = "2026-03-31")
  expect_identical(result$site, factor(c("b", "a", NA), levels = c("b", "a", "unused")))
  expect_identical(result$floor, c(1L, 2L, NA))
  expect_identical(result$active, c(1L, 1L, 1L))
})

test_that("blank ends and named sentinels give the same counts", {
  records <- data.frame(from = day(c("2026-01-05", "2026-02-01")), to = day(c(NA, "2026-02-10")))
  sentinel <- records
  sentinel$to[1] <- day("9999-12-31")
  blank <- spans(records, from, to, as_of = "2026-06-30")
  named <- spans(sentinel, from, to, means_open = day("9999-12-31"), as_of = "2026-06-30")
  expect_identical(active(blank, by = "day")$active, active(named, by = "day")$active)
  expect_identical(nrow(active(named)), 6L)
})

test_that("a window widens and hides, and never filters", {
  staff <- demo_staff()
  all <- active(staff, by = "month", group = station)
  part <- active(staff, by = "month", group = station, from = "2025-02-17", to = "2025-05-02")
  expect_identical(unique(part$period), day(c("2025-02-01", "2025-03-01", "2025-04-01", "2025-05-01")))
  both <- merge(as.data.frame(all), as.data.frame(part), by = c("station", "period"))
  expect_identical(both$active.x, both$active.y)
  year <- active(staff, from = "2025-02-17", to = "2025-02-20", whole = "year")
  expect_identical(nrow(year), 12L)
})

test_that("the default window runs from the first start to the as-of date; what lies beyond is asked for", {
  months <- function(first, last, ...) {
    active(spans(data.frame(first = day(first), last = day(last)), first, last, as_of = "2026-04-10"), ...)
  }
  expect_identical(nrow(months("2026-01-15", NA)), 4L)
  expect_identical(nrow(months("2026-01-15", "2026-02-01")), 4L)
  announced <- months(c("2026-01-15", "2026-07-01"), c("2026-09-30", NA))
  expect_identical(nrow(announced), 4L)
  expect_no_match(conventions(announced), "after the as-of date")
  beyond <- months(c("2026-01-15", "2026-07-01"), c("2026-09-30", NA), to = "2026-10-31")
  expect_identical(beyond$active, rep(c(1L, 2L, 1L), c(6, 3, 1)))
  expect_match(conventions(beyond), "; 6 periods lie after the as-of date;")
  # Where nothing has begun by then, the period of the first start is shown.
  expect_identical(months("2026-07-01", NA)$period, day("2026-07-01"))
})

test_that("no records give zeros in a window that is named, else no rows, with the right types", {
  none <- spans(data.frame(who = character(), from = day(character()), to = day(character())),
                from, to, key = who, as_of = "2026-06-30")
  named <- active(none, from = "2026-01-01", to = "2026-03-31")
  expect_identical(named$active, c(0L, 0L, 0L))
  empty <- active(none, label = "code")
  expect_identical(vapply(as.list(empty), function(column) class(column)[1], character(1)),
                   c(period = "Date", period_end = "Date", label = "character", active = "integer"))
  expect_identical(nrow(active(none, group = who)), 0L)
})

test_that("empty spans are kept, count nowhere and are named", {
  loans <- data.frame(from = day(c("2026-03-06", "2026-03-06")), to = day(c("2026-03-06", "2026-03-08")))
  x <- spans(loans, from, to, end_counts = FALSE, as_of = "2026-06-30")
  expect_identical(nrow(x), 2L)
  expect_identical(active(x, by = "day", to = "2026-03-07")$active, c(1L, 1L))
  expect_match(conventions(active(x)), "1 empty span counts nowhere", fixed = TRUE)
})

test_that("sums of weights leave nothing over when everything has ended", {
  records <- data.frame(from = day("2026-01-01") + 0:29, to = day("2026-02-15") + 0:29,
                        share = rep(c(0.1, 0.7, 1 / 3), 10))
  x <- spans(records, from, to, weight = share, as_of = "2026-06-30")
  for (rule in rules) {
    after <- active(x, rule = rule, of = "weight", from = "2026-05-01", to = "2026-12-31")
    expect_identical(after$active, rep(0, 8))
  }
  tenths <- spans(data.frame(from = day("2026-01-01"), to = day("2026-01-31"), share = rep(0.1, 10)),
                  from, to, weight = share)
  expect_identical(active(tenths, of = "weight", to = "2026-02-28")$active, c(1, 0))
})

test_that("row order, factors, integer dates, groups and foreign classes change nothing", {
  postings <- as.data.frame(demo_records("postings"))
  count <- function(data) {
    x <- spans(data, first_day, last_day, key = observer, as_of = "2026-06-30")
    as.list(active(x, by = "quarter", group = station))
  }
  expected <- count(postings)
  expect_identical(count(postings[sample(nrow(postings)), ]), expected)
  texts <- transform(postings, first_day = as.character(first_day), last_day = factor(last_day),
                     observer = factor(observer))
  expect_identical(count(texts), expected)
  whole <- postings
  whole$first_day <- structure(as.integer(whole$first_day), class = "Date")
  whole$last_day <- structure(as.integer(whole$last_day), class = "Date")
  expect_identical(count(whole), expected)
  expect_identical(count(data.table::as.data.table(postings)), expected)
  expect_identical(count(dplyr::group_by(postings, station, role)), expected)
})

test_that("own dates are counted once each, in order, and take no grain", {
  staff <- demo_staff()
  chosen <- active(staff, on = c("2026-06-30", "2024-02-29", "2026-06-30"), group = station)
  expect_identical(unique(chosen$period), day(c("2024-02-29", "2026-06-30")))
  daily <- active(staff, by = "day", group = station, from = "2024-02-29", to = "2026-06-30")
  same <- merge(as.data.frame(chosen), as.data.frame(daily), by = c("station", "period"))
  expect_identical(same$active.x, same$active.y)
  expect_error(active(staff, on = "2026-01-01", by = "month"), "cannot go together")
  expect_error(active(staff, on = "2026-01-01", rule = "last_day"), "no meaning with")
  expect_error(active(staff, on = "soon"), "must be dates such as")
})

test_that("a million records on one key are one key", {
  n <- 1e6
  start <- day("2020-01-01") + rep(0:999, length.out = n)
  x <- spans(data.frame(who = 1L, from = start, to = start + 30), from, to, key = who,
             as_of = "2026-06-30")
  expect_identical(unique(active(x, to = "2022-10-01")$active), 1L)
  expect_identical(max(active(x, by = "day", of = "records")$active), 31000L)
})

test_that("what is asked wrongly is named, with the way out", {
  staff <- demo_staff()
  expect_error(active(staff, by = station), "Say `group = station`", class = "ridge_error_argument")
  expect_error(active(staff, by = "station"), "Say `group = station`")
  expect_error(active(staff, by = "mont"), "Did you mean \"month\"")
  expect_error(active(staff, by = "5 hours"), "does not divide a day")
  expect_error(active(staff, by = "hour"), "needs spans on instants")
  expect_error(active(staff, rule = "anyday"), "Did you mean `rule = \"any_day\"`")
  expect_error(active(staff, group = statoin), "Did you mean \"station\"", class = "ridge_error_column")
  expect_error(active(staff, from = "2026-02-30"), "must be a date such as")
  expect_error(active(staff, from = 20260101), "must be a date such as")
  expect_error(active(staff, from = "2027-06-01", to = "2026-06-01"), "Exchange the two")
  expect_error(active(staff, from = "2031-01-01"), "Name `to` as well")
  expect_error(active(staff, from = "1492-10-12"), "years 1600 to 9999")
  expect_error(active(staff, total = NA), "must be TRUE or FALSE")
  expect_error(active(staff, label = "long"), "must be one of")
  expect_error(active(staff, calendar = "Monday"), "must come from `calendar_rules()`", fixed = TRUE)
  expect_error(active(demo_records("postings")), "declared with `spans()`", fixed = TRUE)
  expect_error(active(spans(demo_records("postings"), first_day, last_day), of = "keys"), "needs a key")
  expect_error(active(spans(demo_records("postings"), first_day, last_day), of = "weight"),
               "needs a weight column")
  named <- spans(data.frame(period = "x", from = day("2026-01-01"), to = day("2026-01-02")), from, to)
  expect_error(active(named, group = period), "Rename the column", class = "ridge_error_column")
  listed <- tibble::tibble(from = day("2026-01-01"), to = day("2026-01-02"), tags = list("x"))
  expect_error(active(spans(listed, from, to), group = tags), "not one plain value")
})

test_that("rows chosen, ordered and columns dropped keep a result; changed values do not", {
  result <- active(demo_staff(), by = "year")
  expect_match(conventions(result), "Counted: keys (observer), active on any day of the year",
               fixed = TRUE)
  kept <- list(result[1:2, ], dplyr::filter(result, active > 100), head(result), result[c("period", "active")],
               dplyr::arrange(result, active), dplyr::select(result, -period_end), subset(result, active > 100),
               dplyr::slice(result, 2:3), result[order(result$active), ])
  for (table in kept) expect_s3_class(table, "ridge_active")
  expect_match(conventions(kept[[1]]), "; 2 of 8 rows[.]$")
  expect_no_match(conventions(kept[[4]]), "of 8 rows")
  changed <- list(replace(result, "active", 1L), dplyr::mutate(result, active = 0L), result[c(1, 1), ],
                  dplyr::select(result, -active), dplyr::rename(result, n = active), dplyr::bind_rows(result, result),
                  dplyr::summarise(result, active = sum(active)), result[c(1, NA), ])
  for (table in changed) {
    expect_s3_class(table, c("tbl_df", "tbl", "data.frame"), exact = TRUE)
  }
  result$active[1] <- 0L
  expect_error(conventions(result), "holds no conventions")
  expect_output(print(active(demo_staff(), by = "year")), "# Counted: keys")
})
