test_that("a span from the 9th to the 23rd has 15 days, 14 where its end does not count", {
  span <- data.frame(from = day("2026-02-09"), to = day("2026-02-23"))
  counted <- scaffold(spans(span, from, to), by = "day")
  expect_identical(nrow(counted), 15L)
  expect_identical(counted$nth, 1:15)
  expect_identical(range(counted$period), day(c("2026-02-09", "2026-02-23")))
  free <- scaffold(spans(span, from, to, end_counts = FALSE), by = "day")
  expect_identical(nrow(free), 14L)
  month <- scaffold(spans(span, from, to, end_counts = FALSE), by = "month")
  expect_identical(c(month$end, month$period_end), day(c("2026-02-22", "2026-02-28")))
  expect_identical(month$days, 14L)
})

test_that("last_day keeps the month ends that the span holds, and slices say where they begin", {
  span <- data.frame(from = day("2026-03-06"), to = day("2026-11-30"))
  ends <- scaffold(spans(span, from, to), by = "month", rule = "last_day")
  expect_identical(nrow(ends), 9L)
  expect_identical(format(ends$period_end[c(1, 9)]), c("2026-03-31", "2026-11-30"))
  late <- scaffold(spans(data.frame(from = day("2026-08-17"), to = day("2026-10-02")), from, to))
  expect_identical(late$start, day(c("2026-08-17", "2026-09-01", "2026-10-01")))
  expect_identical(late$end, day(c("2026-08-31", "2026-09-30", "2026-10-02")))
  expect_identical(late$days, c(15L, 30L, 2L))
})

test_that("slices and their numbers equal the oracle, by record and by key", {
  grains <- c("day", "week", "month", "10 days")
  rules <- c("any_day", "first_day", "last_day", "every_day")
  for (seed in 1:160) {
    end_counts <- seed %% 2 == 0
    records <- random_records(seed)
    rule <- rules[seed %% 4 + 1]
    of <- c("records", "keys")[seed %/% 4 %% 2 + 1]
    x <- spans(records, start, end, key = who, end_counts = end_counts, as_of = "2024-03-31")
    rows <- scaffold(x, by = grains[seed %/% 8 %% 4 + 1], rule = rule, of = of,
                     from = "2024-02-20", to = "2024-04-10")
    all <- if (nrow(records)) periods(grains[seed %/% 8 %% 4 + 1], "2023-12-01", "2024-04-10")
    expected <- oracle_scaffold(records, all, rule, of, end_counts)
    expected <- expected[expected$period_end >= day("2024-02-20"), ]
    columns <- c(if (of == "records") "row", "who", "nth", "period", "start", "end", "days")
    expect_equal(as.data.frame(rows)[columns], expected[columns], ignore_attr = TRUE,
                 label = paste("seed", seed, rule, of))
  }
})

test_that("with every period a scaffold has every key in every period, and its TRUEs are the count", {
  for (seed in 1:40) {
    records <- random_records(seed)
    x <- spans(records, start, end, key = who, as_of = "2024-03-31")
    keep <- c("any_day", "last_day")[seed %% 2 + 1]
    full <- scaffold(x, by = "week", rule = keep, every_period = TRUE, from = "2024-01-15", to = "2024-03-31")
    count <- active(x, by = "week", rule = keep, from = "2024-01-15", to = "2024-03-31")
    expect_identical(nrow(full), length(unique(records$who)) * nrow(count))
    if (nrow(full)) {
      expect_identical(as.integer(tapply(full$present, full$period, sum)), count$active)
      expect_false(is.unsorted(full$who))
    }
  }
  year <- scaffold(demo_staff(), every_period = TRUE, whole = "year", to = "2026-06-30")
  expect_identical(range(year$period), day(c("2019-01-01", "2026-12-01")))
  own <- spans(data.frame(from = day(c("2026-03-01", "2026-01-01")), to = day("2026-03-02")), from, to)
  expect_identical(scaffold(own, every_period = TRUE)$row, rep(2:1, each = 3))
})

test_that("periods are numbered from the first period kept, also where the window hides it", {
  span <- data.frame(who = "a", from = day("2025-11-20"), to = day("2026-04-02"))
  x <- spans(span, from, to, key = who)
  expect_identical(scaffold(x, from = "2026-01-01")$nth, 3:6)
  expect_identical(scaffold(x, from = "2026-01-01", rule = "first_day", of = "keys")$nth, 2:5)
  expect_identical(scaffold(x, from = "2026-02-01", to = "2026-02-01", by = "day")$nth, 74L)
})

test_that("columns are carried, rows are those of the source, open spans run to the window's end", {
  records <- data.frame(who = c("b", NA, "a"), site = factor(c("n", "s", "s")), open = TRUE,
                        from = day(c("2026-05-10", "2026-05-01", "2026-06-12")), to = day(NA))
  x <- spans(records, from, to, key = who, as_of = "2026-06-30", unusable = "set_aside")
  rows <- scaffold(x, carry = c(site, open))
  expect_identical(rows$row, c(3L, 1L, 1L))
  expect_identical(rows$site, factor(c("s", "n", "n"), levels = c("n", "s")))
  expect_identical(rows$end, day(c("2026-06-30", "2026-05-31", "2026-06-30")))
  expect_identical(names(rows)[1:4], c("row", "who", "site", "open"))
  expect_identical(scaffold(x, by = "month", label = "name")$label[1], "Jun 2026")
})

test_that("what cannot be laid out is refused, before it is built", {
  staff <- demo_staff()
  expect_error(scaffold(staff, rule = "mean_day"), "`rule` must be one of", class = "ridge_error_argument")
  expect_error(scaffold(staff, every_period = "wide"), "TRUE or FALSE")
  expect_error(scaffold(staff, of = "keys", carry = station), "differs between records of one key")
  expect_error(scaffold(staff, by = station), "Say `group = station`")
  renamed <- spans(data.frame(nth = 1, from = day("2026-01-01"), to = day("2026-01-02")), from, to)
  expect_error(scaffold(renamed, carry = nth), "has a column \"nth\" of its own")
  many <- spans(data.frame(from = rep(day("1600-01-01"), 20000), to = day("2600-01-01")), from, to,
                as_of = "2599-01-01")
  expect_error(scaffold(many, by = "day"), "7,304,880,000 rows", class = "ridge_error_size")
  expect_error(scaffold(demo_records("postings")), "declared with")
})

test_that("no records give no rows of the right types, or the lines of a window", {
  none <- spans(data.frame(who = character(), from = day(character()), to = day(character())), from,
                to, key = who)
  rows <- scaffold(none, label = "code")
  expect_identical(dim(rows), c(0L, 9L))
  expect_identical(names(scaffold(none, of = "keys"))[1:2], c("who", "nth"))
  expect_identical(nrow(scaffold(none, from = "2026-01-01", to = "2026-02-01")), 0L)
  expect_identical(nrow(scaffold(none, every_period = TRUE, from = "2026-01-01", to = "2026-02-01")), 0L)
})
