# Each member of a cohort at each age, looked at day by day: active or not.
walk_members <- function(records, rule, returns, until, counts) {
  months <- seq(day("2023-01-01"), day(until), by = "month")
  rows <- character()
  for (who in unique(records$who)) {
    own <- records[records$who == who, ]
    born <- match(format(min(own$start), "%Y-%m"), format(months, "%Y-%m"))
    if (min(own$start) > day(until)) next
    days <- seq(min(own$start), day(until) + 40, by = 1)
    on <- colSums(active_days(own, days, counts)) > 0
    if (!returns && any(!on)) on[seq_along(on) >= which(!on)[1]] <- FALSE
    for (age in 0:(length(months) - born)) {
      first <- months[born + age]
      inside <- seq(first, seq(first, by = "month", length.out = 2)[2] - 1, by = 1)
      known <- if (rule %in% c("last_day", "every_day")) max(inside) <= day(until) else TRUE
      active <- if (known) by_rule(inside %in% days[on], rule) else NA
      if (known || age == 0) rows <- c(rows, paste(who, format(months[born]), age, active))
    }
  }
  rows
}

test_that("the members of cohorts are those that a look at each day finds", {
  for (seed in 1:40) {
    records <- random_records(seed)
    counts <- seed %% 2 == 0
    records <- records[is.na(records$end) | records$end > records$start, ]
    if (nrow(records) == 0) next
    x <- suppressMessages(spans(records, start, end, key = who, end_counts = counts, as_of = "2024-04-20"))
    rule <- c("any_day", "first_day", "last_day", "every_day")[seed %% 4 + 1]
    for (returns in c(TRUE, FALSE)) {
      got <- cohorts(x, rule = rule, returns = returns, show = "records")
      expect_setequal(paste(got$who, got$cohort, got$age, got$active), walk_members(records, rule, returns, "2024-04-20", counts))
      expect_ties(got)
      expect_ties(cohorts(x, group = site, rule = rule, returns = returns, show = "records"))
    }
  }
})

test_that("the rows of cohorts come to their numbers", {
  staff <- demo_staff()
  rows <- cohorts(staff, by = "year", group = station, rule = "last_day", show = "records")
  counts <- cohorts(staff, by = "year", group = station, rule = "last_day")
  size <- table(paste(rows$station, rows$cohort)[rows$age == 0])
  expect_identical(as.integer(size[paste(counts$station, counts$cohort)[counts$age == 0 & counts$size > 0]]), counts$size[counts$age == 0 & counts$size > 0])
  known <- counts[!is.na(counts$active) & counts$size > 0, ]
  cell <- tapply(rows$active, paste(rows$station, rows$cohort, rows$age), sum)
  expect_identical(as.integer(cell[paste(known$station, known$cohort, known$age)]), known$active)
  alone <- spans(demo_records("postings"), first_day, last_day, as_of = "2026-06-30")
  expect_identical(names(cohorts(alone, by = "year", show = "records")), c("cohort", "age", "period", "row", "active"))
  expect_identical(nrow(cohorts(staff[0, ], show = "records")), 0L)
  expect_identical(summary(rows), "451 members of 8 cohorts, 1,457 rows.")
  expect_match(conventions(rows), "Members of cohorts: keys (observer)", fixed = TRUE)
})

test_that("members are neither drawn nor laid out wide, and wrong values are told", {
  staff <- demo_staff()
  rows <- cohorts(staff, by = "year", show = "records")
  expect_error(autoplot(rows), "A list of records has no figure", class = "ridge_error_argument")
  expect_error(widen(rows), "lays out results by period", class = "ridge_error_argument")
  expect_error(cohorts(staff, show = "rows"), "must be one of", class = "ridge_error_argument")
  named <- dplyr::rename(demo_records("postings"), age = observer)
  expect_error(cohorts(spans(named, first_day, last_day, key = age, as_of = "2026-06-30"), show = "records"), class = "ridge_error_column")
  file <- system.file("extdata", "postings.csv", package = "almanacridge")
  got <- run("cohorts", file, "--start", "first_day", "--end", "last_day", "--key", "observer", "--as-of", "2026-06-30", "--by", "year", "--show", "records", "--reconcile")
  expect_identical(got$status, 0L)
  expect_identical(nrow(utils::read.csv(text = got$out)), nrow(rows))
})
