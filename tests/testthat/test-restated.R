# The earlier list after each cause in turn.
staged <- function(lists) {
  kept <- match(lists$was$id, lists$now$id)
  stages <- list(lists$was, rbind(lists$was, lists$now[lists$now$id > 100, ]))
  stages[[3]] <- stages[[2]][stages[[2]]$id %in% lists$now$id, ]
  for (field in c("start", "end", "who", "site", "share")) {
    step <- stages[[length(stages)]]
    step[[field]] <- lists$now[[field]][match(step$id, lists$now$id)]
    stages[[length(stages) + 1]] <- step
  }
  stages
}

test_that("300 pairs of exports tie in every cell, and each record is named with its change", {
  causes <- c("added", "removed", "start_changed", "end_changed", "key_changed", "group_changed", "weight_changed")
  for (seed in 1:300) {
    lists <- two_exports(seed)
    declare <- function(records, as_of) suppressMessages(spans(records, start, end, key = who, weight = share, as_of = as_of))
    x <- declare(lists$now, "2024-04-30")
    earlier <- declare(lists$was, "2024-03-31")
    of <- c("keys", "records", "weight")[seed %% 3 + 1]
    rule <- c("any_day", "first_day", "last_day", "every_day", "mean_day", "peak_day")[seed %% 6 + 1]
    got <- restated(x, earlier, group = site, rule = rule, of = of, match = id, from = "2024-01-01", to = "2024-04-30")
    levels <- lapply(staged(lists), oracle_active, result = got, rule = rule, of = of)
    expect_equal(as.double(got$before), levels[[1]])
    expect_equal(as.double(got$now), levels[[8]])
    played <- if (of == "weight") causes else causes[-7]
    for (i in seq_along(played)) expect_equal(as.double(got[[played[i]]]), levels[[i + 1]] - levels[[i]], tolerance = 1e-12, label = paste(seed, played[i]))
    expect_equal(rowSums(as.data.frame(got)[played]), as.double(got$difference), tolerance = 1e-12)
    expect_ties(got, label = seed)
    listed <- restated(x, earlier, group = site, of = "weight", match = id, show = "records")
    made <- c(sprintf("%s %d", lists$how, lists$was$id)[lists$how != "same"], sprintf("added %d", lists$now$id[lists$now$id > 100]))
    id <- ifelse(is.na(listed$row), lists$was$id[listed$row_before], lists$now$id[listed$row])
    expect_setequal(paste(listed$cause, id), made)
    expect_ties(listed)
  }
})

test_that("records match by key and start, and what shares these pairs by what is alike", {
  was <- data.frame(who = c("a", "a", "b", "c"), site = c("n", "s", "n", "n"), start = day(c("2026-01-01", "2026-01-01", "2026-02-01", "2026-02-03")), end = day(c(NA, "2026-02-10", NA, "2026-03-01")))
  now <- data.frame(who = c("a", "b", "a", "c", "d"), site = c("s", "n", "n", "n", "s"), start = day(c("2026-01-01", "2026-02-01", "2026-01-01", "2026-02-04", "2026-01-05")), end = day(c("2026-02-10", "2026-02-20", NA, "2026-03-01", NA)))
  x <- spans(now, start, end, key = who, as_of = "2026-03-31")
  earlier <- spans(was, start, end, key = who, as_of = "2026-02-28")
  got <- restated(x, earlier, group = site, show = "records")
  expect_identical(as.data.frame(got), data.frame(
    who = c("c", "d", "c", "b"), cause = c("added", "added", "removed", "end"), column = c(NA, NA, NA, "end"),
    was = c(NA, NA, "2026-02-03 to 2026-03-01", "open"), is = c("2026-02-04 to 2026-03-01", "from 2026-01-05", NA, "2026-02-20"),
    row = c(4L, 5L, NA, 2L), row_before = c(NA, NA, 4L, 3L)))
  expect_match(conventions(got), "the same where who and start are; 2 records share these with another", fixed = TRUE)
  told <- restated(x, earlier)
  expect_identical(told$period, day(c("2026-01-01", "2026-02-01")))
  expect_identical(told$before, c(1L, 3L))
  expect_identical(told$now, c(2L, 4L))
  expect_identical(names(told), c("period", "period_end", "before", "now", "difference", "added", "removed", "end_changed"))
  expect_identical(summary(told), c("2 came late, 1 removed and 1 with another end, 1 of the ends entered late.", "2 of 2 numbers are told otherwise.",
                                    "2026-02 was told as 3 and is 4: records that came late (+1).", "2026-01 was told as 1 and is 2: records that came late (+1)."))
  expect_identical(summary(got), "4 changes: 2 came late, 1 removed and 1 with another end.")
  same <- restated(x, x)
  expect_true(all(same$difference == 0))
  expect_identical(summary(same)[1:2], c("No record changed.", "0 of 3 numbers are told otherwise."))
  with_total <- restated(x, earlier, group = site, total = TRUE)
  expect_identical(with_total$now[with_total$total], told$now)
  expect_ties(with_total)
})

test_that("lists without records, instants, several keys and factors are compared", {
  staff <- demo_staff()
  none <- restated(staff, staff[0, ], by = "year", from = "2025-01-01")
  expect_identical(none$before, c(0L, 0L))
  expect_identical(none$added, none$now)
  expect_ties(none)
  gone <- restated(staff[0, ], staff, by = "year", group = station, from = "2025-01-01")
  expect_identical(gone$removed, -gone$before)
  expect_identical(nrow(restated(staff[0, ], staff[0, ])), 0L)
  at <- as.POSIXct("2026-03-28 22:00", tz = "Europe/Vienna") + 3600 * 0:3
  was <- spans(data.frame(k = 1:2, j = c("x", "y"), f = factor(c("u", "v")), s = at[1:2], e = at[3:4]), s, e, key = c(k, j), as_of = "2026-03-30")
  now <- spans(data.frame(k = 1:2, j = c("x", "y"), f = factor(c("u", "w")), s = at[1:2], e = c(at[4], NA)), s, e, key = c(k, j), as_of = "2026-03-30")
  hours <- restated(now, was, by = "hour", group = f, from = "2026-03-28", to = "2026-03-29")
  expect_ties(hours)
  expect_identical(paste(restated(now, was, group = f, show = "records")$is), c("2026-03-29 01:00", "open", "w"))
  expect_identical(sum(hours$end_changed[hours$f == "v"] != 0), 22L)
})

test_that("what cannot be compared is told, and rows of what was saved still tie", {
  staff <- demo_staff()
  may <- spans(demo_records("postings_may"), first_day, last_day, key = observer, weight = share, as_of = "2026-05-31")
  expect_error(restated(may, staff), "speaks for 2026-06-30, which is later than the as-of", class = "ridge_error_argument")
  expect_error(restated(staff, demo_records("postings_may")), "asks about records declared with", class = "ridge_error_argument")
  expect_error(restated(staff, spans(demo_records("postings_may"), first_day, last_day, as_of = "2026-05-31")), "is declared otherwise", class = "ridge_error_argument")
  expect_error(restated(staff, spans(demo_records("postings_may"), first_day, last_day, key = observer, end_counts = FALSE, as_of = "2026-05-31")), "is declared otherwise", class = "ridge_error_argument")
  expect_error(restated(staff), "`earlier` must be the list as it was", class = "ridge_error_argument")
  expect_error(restated(staff, may, by = station), "`group = station`", class = "ridge_error_argument")
  expect_error(restated(staff, may, group = rank), class = "ridge_error_column")
  expect_error(restated(staff, spans(demo_records("postings_may")[-2], first_day, last_day, key = observer, as_of = "2026-05-31"), group = station), "there is no column", class = "ridge_error_column")
  expect_error(restated(staff, may, show = "records", from = "2026-01-01"), "`from`", class = "ridge_error_argument")
  expect_error(restated(staff, may, match = nothing), class = "ridge_error_column")
  alone <- spans(demo_records("postings"), first_day, last_day, as_of = "2026-06-30")
  expect_error(restated(alone, alone), "Nothing says which records are the same", class = "ridge_error_argument")
  expect_error(restated(staff, may, rule = "often"), class = "ridge_error_argument")
  told <- restated(staff, may, group = station, from = "2026-01-01")
  expect_ties(told[told$difference != 0, ])
  expect_error(widen(restated(staff, may, show = "records")), "lays out results by period", class = "ridge_error_argument")
  expect_error(autoplot(restated(staff, may, show = "records")), "A list of records has no figure", class = "ridge_error_argument")
  file <- withr::local_tempfile(fileext = ".rds")
  saveRDS(told, file)
  expect_lt(file.size(file), 20000)
  expect_identical(as.data.frame(readRDS(file)), as.data.frame(told))
  wide <- widen(told, values = "difference")
  expect_ties(wide)
  expect_match(how_asked(told), "restated(earlier = demo_records(\"postings_may\")", fixed = TRUE)
})

test_that("ridge restated reads both lists, and says what it needs", {
  postings <- system.file("extdata", "postings.csv", package = "almanacridge")
  may <- system.file("extdata", "postings_may.csv", package = "almanacridge")
  declared <- c("--start", "first_day", "--end", "last_day", "--as-of", "2026-06-30")
  lists <- c(postings, "--earlier", may, "--earlier-as-of", "2026-05-31", declared)
  got <- run("restated", lists, "--key", "observer", "--group", "station", "--from", "2026-01-01", "--reconcile", "--summary")
  expect_identical(got$status, 0L)
  table <- utils::read.csv(text = got$out)
  x <- read_records(postings) |> spans(first_day, last_day, key = observer, as_of = "2026-06-30")
  earlier <- read_records(may) |> spans(first_day, last_day, key = observer, as_of = "2026-05-31")
  asked <- restated(x, earlier, group = station, from = "2026-01-01")
  expect_identical(table$difference, asked$difference)
  expect_match(got$notes, "was told as", all = FALSE)
  words <- scan(text = sub("^ridge ", "", how_asked(asked, "command")), what = "", quiet = TRUE, quote = "'\"")
  expect_identical(run(words)$out, got$out)
  expect_identical(run("restated", postings, "--earlier", may, declared, "--key", "observer")$status, 2L)
  expect_match(run("restated", postings, "--earlier", may, declared, "--key", "observer")$notes, "needs `--earlier-as-of`", all = FALSE)
  expect_match(run("restated", lists)$notes, "--same-by", all = FALSE)
  expect_match(run("restated", postings, "--earlier", "none.csv", "--earlier-as-of", "2026-05-31", declared, "--key", "observer")$notes, "There is no file", all = FALSE)
})
