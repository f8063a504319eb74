# Who is there in a range of days by a rule, and what their records come to, day by day.
walk_keys <- function(records, from, to, rule, counts) {
  days <- seq(day(from), day(to), by = 1)
  rows <- list()
  for (who in unique(records$who)) {
    own <- which(records$who == who)
    there <- active_days(records[own, ], days, counts)
    if (!by_rule(colSums(there) > 0, rule)) next
    folded <- own[rowSums(there) > 0]
    before <- seq(min(records$start), day(to), by = 1)
    so_far <- sum(colSums(active_days(records[folded, ], before, counts)) > 0)
    rows[[length(rows) + 1]] <- paste(who, length(folded), min(records$start[folded]), max(records$end[folded]), so_far)
  }
  as.character(unlist(rows))
}

test_that("the roster of keys is what a look at each day finds", {
  for (seed in 1:40) {
    records <- random_records(seed)
    counts <- seed %% 2 == 0
    records <- records[is.na(records$end) | records$end > records$start, ]
    if (nrow(records) == 0) next
    x <- suppressMessages(spans(records, start, end, key = who, weight = share, end_counts = counts, as_of = "2024-04-20"))
    rule <- c("any_day", "first_day", "last_day", "every_day")[seed %% 4 + 1]
    got <- roster(x, on = c("2024-03-01", "2024-03-20"), rule = rule, of = "keys")
    expect_setequal(paste(got$who, got$records, got$start, got$end, got$days_so_far), walk_keys(records, "2024-03-01", "2024-03-20", rule, counts))
    expect_ties(got)
    one <- roster(x, on = "2024-03-10", of = "keys")
    expect_identical(nrow(one), active(x, on = "2024-03-10")$active)
    expect_equal(sum(one$share), active(x, on = "2024-03-10", of = "weight")$active)
    expect_ties(one)
    expect_ties(roster(x, on = "2024-03-10", of = "keys", group = site))
  }
})

test_that("records are folded: lengths once, weights summed, labels joined", {
  records <- data.frame(who = c("a", "a", "b"), site = c("north", "south", "north"), share = c(0.1, 0.2, 1),
                        start = day(c("2026-01-01", "2026-01-05", "2026-01-03")), end = day(c("2026-01-10", NA, "2026-01-08")), kept = 7L)
  x <- spans(records, start, end, key = who, weight = share, as_of = "2026-01-31")
  got <- roster(x, on = "2026-01-06", of = "keys")
  expect_identical(names(got), c("who", "records", "rows", "site", "share", "start", "end", "kept", "days_so_far", "days_left"))
  expect_identical(as.list(got), list(who = c("a", "b"), records = c(2L, 1L), rows = c("1; 2", "3"), site = c("north; south", "north"), share = c(0.3, 1), start = day(c("2026-01-01", "2026-01-03")),
                                      end = day(c(NA, "2026-01-08")), kept = c(7L, 7L), days_so_far = c(6L, 4L), days_left = c(NA, 2L)))
  expect_identical(roster(x, on = c("2026-01-01", "2026-01-06"), of = "keys")$share, c("0.1; 0.2", "1"))
  by_site <- roster(x, on = "2026-01-06", of = "keys", group = site)
  expect_identical(paste(by_site$site, by_site$who), c("north a", "north b", "south a"))
  expect_identical(nrow(roster(x[0, ], on = "2026-01-06", of = "keys")), 0L)
  expect_match(conventions(got), "Active on 2026-01-06: 2 keys (who), the records of each folded", fixed = TRUE)
})

test_that("a roster of keys needs a key, on the command line too", {
  alone <- spans(demo_records("postings"), first_day, last_day, as_of = "2026-06-30")
  expect_error(roster(alone, of = "keys"), "needs a key", class = "ridge_error_argument")
  expect_error(roster(demo_staff(), of = "weight"), "must be one of", class = "ridge_error_argument")
  file <- system.file("extdata", "postings.csv", package = "almanacridge")
  declared <- c(file, "--start", "first_day", "--end", "last_day", "--as-of", "2026-06-30")
  got <- run("roster", declared, "--key", "observer", "--of", "keys", "--reconcile")
  expect_identical(got$status, 0L)
  expect_identical(nrow(utils::read.csv(text = got$out)), nrow(roster(demo_staff(), of = "keys")))
  expect_match(how_asked(roster(demo_staff(), of = "keys"), "command"), "--of keys", fixed = TRUE)
  expect_identical(run("roster", declared, "--of", "keys")$status, 2L)
})
