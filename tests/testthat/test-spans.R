records <- function(...) {
  data.frame(who = c("a", "b", "c"), from = day(c("2026-01-01", "2026-02-01", "2026-03-01")),
             to = day(c("2026-01-31", NA, "2026-03-01")), share = c(1, 0.5, 0), ...)
}

test_that("columns are picked as data-frame users expect, and printing says the conventions", {
  x <- spans(records(), from, to, key = who, weight = share, as_of = "2026-06-30")
  y <- spans(records(), "from", tidyselect::all_of("to"), key = c("who"), as_of = day("2026-06-30"))
  expect_identical(active(x, of = "records")$active, active(y, of = "records")$active)
  expect_s3_class(x, c("ridge_spans", "tbl_df"))
  expect_match(conventions(x), "3 records of 3 keys (who), 2026-01-01 to 2026-03-01; 1 still open; last day counted; as of 2026-06-30; none set aside.",
               fixed = TRUE)
  expect_output(print(x), "# 3 records of 3 keys")
  expect_match(conventions(spans(records(), from, to, end_counts = FALSE)), "last day not counted")
})

test_that("dates come as Date, POSIXct, text or factors of text", {
  count <- function(from, to = from) {
    active(spans(data.frame(from = from, to = to), from, to, as_of = "2026-03-17"), by = "day")$period
  }
  expected <- day("2026-03-17")
  expect_identical(count(day("2026-03-17")), expected)
  expect_identical(count(structure(20529L, class = "Date")), expected)
  expect_error(count(expected + 0.5), "2026-03-17 and 0.5 of a day\" is no whole day")
  expect_identical(count("2026-03-17"), expected)
  expect_identical(count(" 20260317 "), expected)
  expect_identical(count(factor("2026-03-17")), expected)
  posix <- as.POSIXct("2026-03-17 10:00", tz = "Asia/Kathmandu")
  expect_identical(count(posix, posix + 60), expected)
  expect_identical(count(as.POSIXlt(posix), posix + 60), expected)
})

test_that("records without an end column are one day each, or all still open", {
  once <- spans(records(), from, end = NULL, as_of = "2026-06-30")
  expect_identical(sum(active(once, by = "day")$active), 3L)
  there <- spans(records(), from, end = NA, as_of = "2026-06-30")
  expect_identical(active(there)$active, c(1L, 2L, 3L, 3L, 3L, 3L))
  expect_match(conventions(once), "each record is one day")
})

test_that("several key columns make one key", {
  data <- data.frame(first = c("a", "a", "a"), second = c(1, 2, 1), from = day("2026-01-01"),
                     to = day("2026-01-02"))
  x <- spans(data, from, to, key = c(first, second), as_of = "2026-01-31")
  expect_identical(active(x)$active, 2L)
  expect_identical(names(scaffold(x))[2:3], c("first", "second"))
})

test_that("records are narrowed and reordered without declaring again", {
  staff <- demo_staff()
  expected <- active(spans(subset(demo_records("postings"), station == "Stonebow"), first_day, last_day,
                           key = observer, as_of = "2026-06-30"), by = "year")$active
  narrowed <- list(
    subset(staff, station == "Stonebow"), staff[which(staff$station == "Stonebow"), ],
    dplyr::filter(staff, station == "Stonebow"),
    dplyr::slice(dplyr::arrange(staff, station), which(sort(staff$station) == "Stonebow"))
  )
  for (x in narrowed) {
    expect_s3_class(x, "ridge_spans")
    expect_identical(active(x, by = "year")$active, expected)
  }
  expect_s3_class(dplyr::select(staff, -role), "ridge_spans")
  expect_s3_class(dplyr::mutate(staff, old = TRUE), "ridge_spans")
  expect_s3_class(staff[c("observer", "first_day", "last_day", "share")], "ridge_spans")
  staff$role <- NULL
  expect_s3_class(staff, "ridge_spans")
  expect_identical(nrow(head(staff, 4)), 4L)
  expect_s3_class(tibble::as_tibble(staff), c("tbl_df", "tbl", "data.frame"), exact = TRUE)
})

test_that("changing a start, end, key or weight makes it a plain table", {
  staff <- demo_staff()
  changed <- list(dplyr::mutate(staff, last_day = NA), dplyr::select(staff, -observer),
                  staff["station"], replace(staff, "share", 1), dplyr::bind_rows(staff, staff))
  assigned <- staff
  assigned$first_day[3] <- day("2020-01-01")
  for (x in c(changed, list(assigned))) {
    expect_false(inherits(x, "ridge_spans"))
    expect_error(active(x), "declared with `spans()`", fixed = TRUE)
  }
  stacked <- rbind(staff, staff)
  expect_error(active(stacked), "changed after `spans()`", fixed = TRUE)
  expect_output(print(stacked), "declare the records again")
  file <- withr::local_tempfile()
  saveRDS(staff, file)
  expect_identical(active(readRDS(file), by = "year")$active, active(staff, by = "year")$active)
})

test_that("a table changed by reference elsewhere does not reach in", {
  data <- data.table::as.data.table(records())
  x <- spans(data, from, to, key = who, as_of = "2026-06-30")
  before <- active(x)
  data.table::set(data, 1L, "from", day("2020-01-01"))
  expect_identical(active(x), before)
})

test_that("records that cannot be used stop with row, value and the way out", {
  bad <- data.frame(
    who = c("a", "", "c", "d", "e", "f", "g"),
    from = c("2026-02-30", "2026-01-01", "", "2026-05-01", "0202-01-01", "2026-01-01", "2026-01-01"),
    to = c("", "2026-01-02", "2026-01-01", "2026-04-01", "", "soon", "2026-01-05"),
    share = c(1, 1, 1, 1, 1, 1, NA)
  )
  declare <- function(...) spans(bad, from, to, key = who, weight = share, as_of = "2026-06-30", ...)
  message <- tryCatch(declare(), ridge_error_records = conditionMessage)
  expect_match(message, "7 of 7 records cannot be used")
  expect_match(message, "Row 1: \"from\" \"2026-02-30\" is no date")
  expect_match(message, "Row 2: \"who\" is blank: every record needs its key")
  expect_match(message, "Row 3: \"from\" is blank: every record needs a start")
  expect_match(message, "Row 4: \"to\" \"2026-04-01\" is before the start, 2026-05-01")
  expect_match(message, "Row 5: \"from\" \"0202-01-01\" is not in the years 1600 to 9999")
  expect_match(message, "... and 2 more", fixed = TRUE)
  expect_match(message, "`unusable = \"set_aside\"`", fixed = TRUE)
  aside <- set_aside(declare(unusable = "set_aside"))
  expect_identical(aside$row, 1:7)
  expect_match(aside$reason[6], "to \"soon\" is no date")
  expect_match(aside$reason[7], "share is blank")
  expect_identical(aside$to, bad$to)
})

test_that("records set aside are counted, kept as they came, and leave the others their rows", {
  data <- data.frame(row = 5:7, from = c("2026-01-01", "x", "2026-01-03"), to = "2026-01-04")
  x <- spans(data, from, to, unusable = "set_aside")
  expect_identical(nrow(x), 2L)
  expect_match(conventions(active(x)), "1 record set aside")
  expect_identical(names(set_aside(x)), c("row", "reason", "row_1", "from", "to"))
  expect_error(scaffold(x, carry = row), "a column \"row\" of its own")
  expect_identical(scaffold(x)$row, c(1L, 3L))
  expect_identical(nrow(set_aside(demo_staff())), 0L)
  expect_identical(nrow(set_aside(x[1, ])), 1L)
  expect_error(set_aside(data), "declared with")
})

test_that("an end that stands for none must be named", {
  data <- data.frame(from = day("2026-01-01"), to = day(c("9999-12-31", "2300-01-01", "2026-02-01")))
  expect_error(spans(data, from, to, as_of = "2026-06-30"), "2 ends in \"to\" lie more than 100 years",
               class = "ridge_error_records")
  expect_error(spans(data, from, to, as_of = "2026-06-30", unusable = "set_aside"), "means_open = \"9999-12-31\"")
  x <- spans(data, from, to, means_open = c("9999-12-31", "2300-01-01"), as_of = "2026-06-30")
  expect_match(conventions(x), "2 still open")
  expect_identical(x$to, data$to)
})

test_that("what is declared wrongly is named", {
  data <- records()
  expect_error(spans(data, form, to), "there is no column \"form\".*Did you mean \"from\"",
               class = "ridge_error_column")
  expect_error(spans(data, from), "`end` must name a column")
  expect_error(spans(data, end = to), "`start` must name a column")
  expect_error(spans(data, c(from, to), to), "must name one column, not 2")
  expect_error(spans(data, share, to), "must hold dates, not <numeric> such as \"1\"",
               class = "ridge_error_records")
  expect_error(spans(data, from, to, weight = who), "must hold numbers")
  expect_error(spans(data, from, to, end_counts = "yes"), "must be TRUE or FALSE")
  expect_error(spans(data, from, to, unusable = "ignore"), "must be one of")
  expect_error(spans(data, from, to, as_of = NULL), "must be one date")
  expect_error(spans(data, from, to, as_of = "soon"), "must be a date such as")
  expect_error(spans(1:3, from, to), "must be a data frame")
  expect_error(spans(data[0, 0], from, to), "have no columns")
  nested <- tibble::tibble(from = day("2026-01-01"), to = from, who = list("a"))
  expect_error(spans(nested, from, to, key = who), "not one plain value each", class = "ridge_error_column")
  negative <- transform(data, share = -1)
  expect_error(spans(negative, from, to, weight = share), "is no weight of 0 or more")
})

test_that("a million distinct and repeated texts are read as one would", {
  days <- format(day("2020-01-01") + 0:1999)
  data <- data.frame(from = rep(days, 500), to = rep(days, 500))
  expect_identical(unique(active(spans(data, from, to, as_of = "2025-06-22"), by = "day")$active), 500L)
})

test_that("generated mess: rows in are rows used and rows set aside, and only the bad ones", {
  for (seed in 1:60) {
    set.seed(seed)
    good <- random_records(seed)
    n <- nrow(good)
    data <- data.frame(who = good$who, from = format(good$start), to = ifelse(is.na(good$end), "", format(good$end)),
                       share = good$share)
    spoiled <- which(runif(n) < 0.3)
    for (row in spoiled) {
      column <- sample(names(data), 1)
      data[row, column] <- switch(column, who = sample(c("", " ", NA), 1), share = sample(c(-1, NA, Inf), 1),
                                  from = sample(c("", "soon", "2024-02-30", "0202-01-01"), 1),
                                  to = sample(c("later", "1999-01-01", "2024-13-01"), 1))
    }
    x <- spans(data, from, to, key = who, weight = share, as_of = "2024-03-31", unusable = "set_aside")
    expect_identical(set_aside(x)$row, spoiled)
    expect_identical(nrow(x) + nrow(set_aside(x)), n)
    expect_identical(set_aside(x)$from, data$from[spoiled])
    clean <- good[setdiff(seq_len(n), spoiled), ]
    result <- active(x, by = "week", of = "records", from = "2024-01-01", to = "2024-04-30")
    expect_equal(as.double(result$active), oracle_active(clean, result, "any_day", "records"))
    if (length(spoiled) > 0) {
      expect_error(spans(data, from, to, key = who, weight = share, as_of = "2024-03-31"),
                   paste(length(spoiled), "of", n), class = "ridge_error_records")
    }
  }
})
