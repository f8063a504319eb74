test_that("what the records on both sides hold comes along", {
  for (seed in 1:40) {
    records <- random_records(seed)
    if (nrow(records) == 0) next
    x <- suppressMessages(spans(records, start, end, key = who, as_of = "2024-04-30"))
    between <- gaps(x, carry = c(site, share), edges = TRUE, from = "2024-01-01", to = "2024-06-30")
    expect_identical(between$site_before, records$site[between$row_before])
    expect_identical(between$share_after, records$share[between$row_after])
    expect_ties(between)
    pairs <- overlaps(x, carry = c(site, share))
    expect_identical(pairs$site_a, records$site[pairs$row_a])
    expect_identical(pairs$share_b, records$share[pairs$row_b])
    expect_ties(pairs)
    for (carried in c("first", "last", "all")) expect_ties(consecutive(x, carry = c(site, share), carried = carried, tolerance = seed %% 3), label = paste(seed, carried))
  }
})

test_that("the first, the last and all of a stretch by hand, two tables with columns of their own", {
  records <- data.frame(who = "a", site = c("n", "s", "n", NA), role = c("x", "x", "y", "z"), start = day(c("2026-01-01", "2026-01-05", "2026-01-08", "2026-02-01")), end = day(c("2026-01-31", "2026-01-06", "2026-01-09", "2026-02-03")))
  x <- spans(records, start, end, key = who, as_of = "2026-02-28")
  expect_identical(consecutive(x, carry = c(site, role))$role, "x")
  expect_identical(consecutive(x, carry = role, carried = "last")$role, "z")
  expect_identical(consecutive(x, carry = c(site, role), carried = "all")[c("site", "role")] |> as.list(), list(site = "n; s", role = "x; y; z"))
  rooms <- spans(data.frame(who = "a", room = "blue", start = day("2026-01-30"), end = day("2026-02-02")), start, end, key = who, as_of = "2026-02-28")
  both <- overlaps(x, rooms, carry = c(role, room))
  expect_identical(names(both), c("who", "row_a", "row_b", "start", "end", "days", "open", "role_a", "room_b"))
  expect_identical(both$role_a, c("x", "z"))
  expect_ties(both)
  file <- withr::local_tempfile(fileext = ".rds")
  saveRDS(both, file)
  expect_identical(as.data.frame(readRDS(file)), as.data.frame(both))
})

test_that("what cannot be carried is told, and a grouped table is explained", {
  staff <- demo_staff()
  expect_error(overlaps(staff, carry = station, total = TRUE), "cannot go together", class = "ridge_error_argument")
  expect_error(consecutive(staff, carry = station, show = "records"), "cannot go together", class = "ridge_error_argument")
  expect_error(consecutive(staff, carry = station, carried = "middle"), "must be one of", class = "ridge_error_argument")
  expect_error(gaps(staff, carry = rank), class = "ridge_error_column")
  expect_message(spans(dplyr::group_by(demo_records("postings"), station, role), first_day, last_day, as_of = "2026-06-30"), "is grouped by \"station\" and \"role\", which plays no part here")
  expect_silent(spans(demo_records("postings"), first_day, last_day, as_of = "2026-06-30"))
  file <- system.file("extdata", "postings.csv", package = "almanacridge")
  declared <- c(file, "--start", "first_day", "--end", "last_day", "--key", "observer", "--as-of", "2026-06-30")
  got <- run("consecutive", declared, "--carry", "station", "--carried", "all", "--reconcile")
  expect_identical(got$status, 0L)
  expect_identical(utils::read.csv(text = got$out)$station[1:5], consecutive(staff, carry = station, carried = "all")$station[1:5])
  expect_identical(run("overlaps", declared, "--carry", "role", "--reconcile")$status, 0L)
  expect_identical(run("gaps", declared, "--carry", "station", "--reconcile")$status, 0L)
})

test_that("ranges as totals by group equal the single ranges added up, and tie", {
  total <- function(single, group, value, f) {
    as.vector(tapply(as.double(single[[value]]), factor(single[[group]], levels = c("north", "south")), f, default = 0))
  }
  for (seed in 1:40) {
    data <- random_records(seed)
    data$site <- factor(ifelse(is.na(data$site), "north", data$site), levels = c("north", "south", "west"))
    x <- spans(data, start, end, key = who, as_of = "2024-06-30")
    calendar <- if (seed %% 2) calendar_rules()
    unit <- if (is.null(calendar)) "days" else "working_days"
    # The partitions of a group are its keys.
    for (ask in list(list(gaps, "gaps"), list(consecutive, "stretches"))) {
      grouped <- ask[[1]](x, group = site, calendar = calendar)
      single <- ask[[1]](x, per = c(site, who), calendar = calendar)
      expect_ties(grouped)
      if (nrow(data) == 0) next
      expect_identical(levels(grouped$site), levels(data$site))
      at <- match(c("north", "south"), grouped$site)
      known <- !is.na(at)
      expect_equal(as.double(grouped[[ask[[2]]]][at[known]]), total(single, "site", unit, length)[known])
      expect_equal(as.double(grouped[[unit]][at[known]]), total(single, "site", unit, sum)[known])
      expect_equal(as.double(grouped$longest[at[known]]), total(single, "site", unit, max)[known])
    }
    pairs <- overlaps(x, group = site)
    per <- overlaps(x, per = c(site, who), total = TRUE)
    expect_ties(pairs)
    at <- match(c("north", "south"), pairs$site)
    known <- !is.na(at)
    expect_equal(as.double(pairs$overlaps[at[known]]), total(per, "site", "overlaps", sum)[known])
    expect_equal(as.double(pairs$days[at[known]]), total(per, "site", "days", sum)[known])
    expect_ties(overlaps(x, differing = who, group = site))
    missing <- missing_days(x, group = site, calendar = calendar)
    listed <- missing_days(x, per = c(site, who), calendar = calendar)
    expect_ties(missing)
    expect_identical(sum(missing$missing), nrow(listed))
    at <- match(c("north", "south"), missing$site)
    expect_equal(as.double(missing$missing[at[known]]), total(listed, "site", "day", length)[known])
  }
})

test_that("totals by group on instants, in rows chosen, on the command line, and what does not go with them", {
  faults <- spans(demo_records("faults"), reported, mended, key = instrument, as_of = "2026-06-30", tz = "Europe/Vienna")
  hours <- gaps(faults, group = station)
  expect_named(hours, c("station", "gaps", "hours", "longest"))
  expect_ties(hours)
  expect_ties(hours[2:4, ])
  expect_match(conventions(hours), "totals by station")
  staff <- demo_staff()
  file <- system.file("extdata", "postings.csv", package = "almanacridge")
  asked <- c("--start", "first_day", "--end", "last_day", "--key", "observer", "--as-of", "2026-06-30", "--group", "role")
  for (command in c("gaps", "consecutive", "missing-days", "overlaps")) {
    got <- run(command, file, asked, "--reconcile")
    expect_identical(got$status, 0L, label = command)
    expect_identical(nrow(utils::read.csv(text = got$out)), 4L)
  }
  expect_match(how_asked(gaps(staff, group = role), "command"), "--group role$")
  expect_error(gaps(staff, group = role, carry = station), "`group` and `carry` cannot go together", class = "ridge_error_argument")
  expect_error(consecutive(staff, group = role, show = "records"), "`group` and `show` cannot go together", class = "ridge_error_argument")
  expect_error(overlaps(staff, faults, group = role), "`group` and `y` cannot go together", class = "ridge_error_argument")
  expect_error(gaps(staff, group = rol), "no column \"rol\"", class = "ridge_error_column")
  expect_identical(nrow(gaps(staff[0, ], group = role)), 0L)
})

test_that("totals of groups may be more than an integer holds", {
  n <- 1200
  x <- spans(data.frame(k = seq_len(n), g = "all", s = day("1600-01-01"), e = day("9999-12-30")), s, e, key = k, as_of = "9999-12-31")
  total <- consecutive(x, group = g)
  expect_identical(total$days, n * as.double(day("9999-12-30") - day("1600-01-01") + 1))
  expect_ties(total)
  missing <- missing_days(x, group = g)
  expect_identical(as.double(missing$expected), n * as.double(day("9999-12-30") - day("1600-01-01") + 1))
  expect_ties(missing)
})
