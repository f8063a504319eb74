here <- data.frame(name = c("a", "b", "c"), since = day(c("2026-01-01", "2026-02-01", "2026-03-01")), site = "north")
left <- data.frame(id = c("d", "b", "e"), joined = day(c("2025-01-01", "2026-02-01", "2025-05-01")),
                   gone = day(c("2025-12-31", "2026-04-30", "2025-06-30")), why = c("x", "y", "z"))

both_lists <- function(here, left, ...) {
  suppressMessages(bind_spans(here = spans(here, since, NA, key = name, as_of = "2026-06-30", ...),
                              left = spans(left, joined, gone, key = id, as_of = "2026-06-30", ...)))
}

test_that("lists with other names and without ends become one, with their source", {
  x <- both_lists(here, left)
  expect_identical(names(x), c("source", "source_row", "since", "gone", "name", "site", "why"))
  expect_identical(x$source, rep(c("here", "left"), each = 3))
  expect_identical(x$source_row, c(1:3, 1:3))
  expect_identical(x$gone, day(c(NA, NA, NA, "2025-12-31", "2026-04-30", "2025-06-30")))
  expect_identical(x$why[1], NA_character_)
  expect_identical(active(x, on = "2026-04-01")$active, 3L)
})

test_that("a key open in one list and ended in another is a finding, and an error", {
  expect_message(bind_spans(here = spans(here, since, NA, key = name), left = spans(left, joined, gone, key = id)),
                 "1 key is open in one list and ended in another")
  found <- check_spans(both_lists(here, left))
  row <- found[found$finding == "open and ended", ]
  expect_identical(row$severity, "error")
  expect_identical(row$key, "b")
  expect_match(row$detail, "ended on 2026-04-30 in \"left\", row 2 \\[here, row 2\\]")
})

test_that("the same record in two lists counts once and is set aside with its reason", {
  again <- rbind(left, data.frame(id = "a", joined = day("2026-01-01"), gone = day(NA), why = "w"))
  x <- both_lists(here, again)
  expect_identical(nrow(x), 6L)
  expect_identical(set_aside(x)$reason, "is in \"here\" too, row 1")
  expect_identical(check_spans(x)$finding[check_spans(x)$finding == "in two lists"], "in two lists")
  within <- both_lists(rbind(here, here[1, ]), left)
  expect_identical(nrow(within), 7L)
})

test_that("split lists are the single table again, whatever was set aside", {
  postings <- demo_records("postings")
  postings$first_day[5] <- NA
  whole <- spans(postings, first_day, last_day, key = observer, weight = share, as_of = "2026-06-30", unusable = "set_aside")
  open <- is.na(postings$last_day)
  declared <- function(rows) spans(postings[rows, ], first_day, last_day, key = observer, weight = share, as_of = "2026-06-30", unusable = "set_aside")
  x <- suppressMessages(bind_spans(gone = declared(!open), here = declared(open)))
  for (of in c("keys", "records", "weight")) {
    expect_identical(as.data.frame(active(x, by = "month", of = of)), as.data.frame(active(whole, by = "month", of = of)))
  }
  expect_identical(nrow(set_aside(x)), 1L)
  expect_identical(set_aside(x)$source, "gone")
  expect_identical(nrow(x) + nrow(set_aside(x)), nrow(postings))
})

test_that("lists that do not go together are refused", {
  h <- spans(here, since, NA, key = name, as_of = "2026-06-30")
  expect_error(bind_spans(h, spans(left, joined, gone, key = id, as_of = "2026-05-30")), "differ in their as-of date", class = "ridge_error_argument")
  expect_error(bind_spans(h, spans(left, joined, gone, key = id, as_of = "2026-06-30", end_counts = FALSE)), "differ in their reading of the last day")
  expect_error(bind_spans(h, spans(left, joined, gone, as_of = "2026-06-30")), "number of key columns")
  expect_error(bind_spans(h, left), "asks about records", class = "ridge_error_argument")
  expect_error(bind_spans(), "at least one list", class = "ridge_error_argument")
  named <- spans(transform(left, name = "x"), joined, gone, key = id, as_of = "2026-06-30")
  expect_error(bind_spans(here = h, left = named), "list \"left\" has a column \"name\" that means something else", class = "ridge_error_column")
  numbered <- spans(transform(left, id = 1:3), joined, gone, key = id, as_of = "2026-06-30")
  expect_error(bind_spans(here = h, left = numbered), "differs in type", class = "ridge_error_column")
})
