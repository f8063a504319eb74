# Each key is walked day by day, with the groups it is in.
oracle_movement <- function(records, periods, end_counts, grouped, returns = FALSE) {
  first <- periods$period[1]
  last <- periods$period_end[nrow(periods)]
  days <- (as.integer(min(first, records$start)) - 1L):(as.integer(last) + 1L)
  starts <- as.integer(periods$period)
  ends <- as.integer(periods$period_end)
  groups <- if (grouped) unique(ifelse(is.na(records$site), "none", records$site)) else "all"
  own <- if (grouped) ifelse(is.na(records$site), "none", records$site) else rep("all", nrow(records))
  lines <- c(groups, "over all")
  table <- array(0, c(nrow(periods), 5, length(lines)), list(NULL, c("started", "returned", "moved_in", "ended", "moved_out"), lines))
  opening <- stats::setNames(rep(0, length(lines)), lines)
  add <- function(line, what, date) {
    at <- which(starts <= date & ends >= date)
    if (length(at)) table[at, what, line] <<- table[at, what, line] + 1
    else if (date < starts[1]) opening[line] <<- opening[line] + if (what %in% c("ended", "moved_out")) -1 else 1
  }
  for (key in unique(records$who)) {
    mine <- records$who == key
    on <- active_days(records[mine, ], days, end_counts)
    before <- character()
    seen <- FALSE
    changed <- c(TRUE, colSums(on[, -1, drop = FALSE] != on[, -ncol(on), drop = FALSE]) > 0)
    for (i in which(changed)) {
      now <- unique(own[mine][on[, i]])
      came <- setdiff(now, before)
      left <- setdiff(before, now)
      start <- if (seen && returns) "returned" else "started"
      for (g in came) add(g, if (length(before)) "moved_in" else start, days[i])
      for (g in left) if (length(now)) add(g, "moved_out", days[i]) else add(g, "ended", days[i] - 1)
      if (!length(before) && length(now)) add("over all", start, days[i])
      if (length(before) && !length(now)) add("over all", "ended", days[i] - 1)
      if (length(now)) seen <- TRUE
      before <- now
    }
  }
  list(table = table, opening = opening)
}

test_that("movement equals a walk through the days, for every grain, and ties in every cell", {
  for (seed in 1:200) {
    records <- random_records(seed)
    if (nrow(records) == 0) next
    counts <- seed %% 3 != 0
    returned <- seed %% 2 == 0
    grain <- c("day", "week", "month", "2 weeks", "quarter", "year")[seed %% 6 + 1]
    x <- spans(records, start, end, key = who, end_counts = counts, as_of = "2024-04-30")
    from <- day("2024-01-10") + seed %% 60
    to <- from + if (grain == "day") 45 else 120
    got <- movement(x, grain, group = site, total = TRUE, returns = returned, from = from, to = to)
    table <- as.data.frame(got)
    periods <- periods(grain, from = from, to = to)
    want <- oracle_movement(records, periods, counts, TRUE, returned)
    for (line in dimnames(want$table)[[3]]) {
      rows <- if (line == "over all") got$total else !got$total & (if (line == "none") is.na(got$site) else got$site %in% line)
      mine <- table[rows, ]
      flows <- setdiff(c("started", "returned", "moved_in", "ended", "moved_out"), if (!returned) "returned")
      # One comparison for all flows of a line: these are many.
      expect_identical(c(mine$opening[1], unlist(mine[flows], use.names = FALSE)),
                       as.integer(c(want$opening[line], want$table[, flows, line])), label = paste(seed, line))
    }
    checks <- reconcile(got)
    expect_true(all(checks$ok), label = paste("ties", seed, paste(checks$check[!checks$ok], collapse = ",")))
    single <- movement(x, grain, returns = returned, from = from, to = to)
    expect_identical(as.list(single)[intersect(names(single), c("opening", "started", "returned", "ended", "closing"))],
                     as.list(as.data.frame(got)[got$total, intersect(names(single), c("opening", "started", "returned", "ended", "closing"))]))
    expect_identical(movement(spans(records[sample(nrow(records)), ], start, end, key = who, end_counts = counts, as_of = "2024-04-30"), grain, group = site, total = TRUE,
                              returns = returned, from = from, to = to)$closing, got$closing)
  }
})

test_that("records and weights start and end, and closing is who is left", {
  for (seed in 1:60) {
    records <- random_records(seed)
    x <- spans(records, start, end, key = who, weight = share, as_of = "2024-04-30")
    for (of in c("records", "weight")) {
      got <- movement(x, "month", of = of, group = site, total = TRUE, from = "2024-02-01", to = "2024-05-31")
      expect_true(all(reconcile(got)$ok), label = paste(seed, of))
      if (nrow(records) == 0) next
      weight <- if (of == "weight") records$share else rep(1, nrow(records))
      all <- as.data.frame(got)[got$total, ]
      month <- function(dates) factor(format(dates, "%Y-%m"), format(all$period, "%Y-%m"))
      expect_equal(all$started, as.vector(tapply(weight, month(records$start), sum, default = 0)))
      ended <- !is.na(records$end)
      expect_equal(all$ended, as.vector(tapply(weight[ended], month(records$end[ended]), sum, default = 0)))
    }
  }
})

test_that("hand-worked: a move, a last day at the month's end, a return, two groups at once", {
  data <- data.frame(who = c("a", "a", "b", "b", "c", "c"), site = c("n", "s", "n", "n", "n", "s"),
                     s = day(c("2026-01-10", "2026-02-01", "2026-01-01", "2026-03-05", "2026-01-05", "2026-01-20")),
                     e = day(c("2026-01-31", NA, "2026-01-31", NA, "2026-02-28", "2026-02-10")))
  x <- spans(data, s, e, key = who, as_of = "2026-03-31")
  got <- movement(x, group = site, total = TRUE, returns = TRUE)
  north <- as.data.frame(got)[1:3, ]
  expect_identical(north$started, c(3L, 0L, 0L))
  expect_identical(north$ended, c(1L, 1L, 0L))
  expect_identical(north$moved_out, c(0L, 1L, 0L))
  expect_identical(north$returned, c(0L, 0L, 1L))
  expect_identical(north$closing, c(2L, 0L, 1L))
  south <- as.data.frame(got)[4:6, ]
  expect_identical(south$moved_in, c(1L, 1L, 0L))
  expect_identical(south$moved_out, c(0L, 1L, 0L))
  expect_identical(south$closing, c(1L, 1L, 1L))
  all <- as.data.frame(got)[7:9, ]
  expect_identical(all$closing, c(2L, 1L, 2L))
  expect_identical(active(x, rule = "last_day", to = "2026-01-31")$active, 3L)
  checks <- reconcile(movement(x, group = site, total = TRUE, to = "2026-01-31"))
  expect_identical(checks$found[checks$check == "in two groups at once at the closing of 2026-01"], 1)
  late <- movement(x, from = "2026-03-01", to = "2026-03-31")
  expect_identical(c(late$opening, late$started, late$closing), c(1L, 1L, 2L))
})

test_that("rates name their denominators", {
  staff <- demo_staff()
  got <- movement(staff, "year", group = station, rates = TRUE, to = "2025-12-31")
  mean <- active(staff, "year", group = station, rule = "mean_day", to = "2025-12-31")$active
  expect_equal(got$mean_active, mean)
  expect_equal(got$turnover, ifelse(mean == 0, NA, got$ended / mean))
  expect_true(is.na(got$growth[1]))
  expect_match(conventions(got), "turnover is ended by the average over the days; growth is net by opening")
})

test_that("instants move at moments, a move at midnight is in the new day", {
  at <- function(text) as.POSIXct(text, tz = "Europe/Vienna")
  data <- data.frame(k = 1, g = c("x", "y"), s = at(c("2026-03-28 10:00", "2026-03-29 00:00")), e = at(c("2026-03-29 00:00", "2026-03-30 00:00")))
  got <- movement(spans(data, s, e, key = k, tz = "Europe/Vienna", as_of = "2026-03-29"), "day", group = g)
  expect_identical(got$moved_out, c(0L, 1L, 0L, 0L))
  expect_identical(got$moved_in, c(0L, 0L, 0L, 1L))
  expect_identical(got$ended, c(0L, 0L, 0L, 1L))
  expect_true(all(reconcile(got)$ok))
})

test_that("as_seen_on gives what was known that day", {
  for (seed in 1:40) {
    records <- random_records(seed)
    if (nrow(records) == 0) next
    x <- spans(records, start, end, key = who, as_of = "2024-06-30")
    on <- day("2024-03-01") + seed
    then <- records[records$start <= on, ]
    then$end[!is.na(then$end) & then$end > on] <- NA
    if (nrow(then) == 0) next
    want <- active(spans(then, start, end, key = who, as_of = on), "month", group = site, from = "2024-01-01", to = on)
    got <- active(as_seen_on(x, on), "month", group = site, from = "2024-01-01", to = on)
    expect_identical(as.data.frame(got), as.data.frame(want))
    expect_true(all(reconcile(got)$ok))
  }
  x <- spans(data.frame(s = day(c("2026-01-01", "2026-02-01", "2026-05-01")), e = day(c("2026-03-31", "9999-12-31", NA))), s, e, means_open = "9999-12-31", as_of = "2026-06-30")
  seen <- as_seen_on(x, "2026-03-31")
  expect_identical(nrow(seen), 2L)
  expect_match(conventions(seen), "1 still open; last day counted; as of 2026-03-31 \\(1 record not begun by then\\)")
  expect_match(conventions(as_seen_on(x, "2026-03-30")), "2 still open")
  at <- as.POSIXct("2026-03-28 22:00", tz = "UTC") + 3600 * c(0, 5)
  on_instants <- spans(data.frame(a = at, b = at + 36000), a, b, tz = "UTC", as_of = "2026-04-01")
  expect_identical(nrow(as_seen_on(on_instants, "2026-03-28")), 1L)
  expect_match(conventions(as_seen_on(on_instants, at[2] + 1)), "2 still open")
  expect_error(as_seen_on(x, "2026-07-01"), "nobody has seen that day yet", class = "ridge_error_argument")
  expect_error(as_seen_on(x, "soon"), "must be a date", class = "ridge_error_argument")
  one_day <- spans(data.frame(s = day(c("2026-01-01", "2026-02-01"))), s, NULL, as_of = "2026-06-30")
  expect_identical(nrow(as_seen_on(one_day, "2026-01-15")), 1L)
})

test_that("wrong arguments are refused; no records are zeros or no rows", {
  staff <- demo_staff()
  expect_error(movement(staff, of = "records", returns = TRUE), "only start and end", class = "ridge_error_argument")
  expect_error(movement(staff, by = station), "group = station", class = "ridge_error_argument")
  expect_error(movement(staff, rates = "yes"), "TRUE or FALSE", class = "ridge_error_argument")
  expect_error(movement(spans(data.frame(s = day("2026-01-01"), closing = 1), s, NA), group = closing), "of its own", class = "ridge_error_column")
  none <- movement(staff[0, ], from = "2026-01-01", to = "2026-02-28")
  expect_identical(none$closing, c(0L, 0L))
  expect_identical(nrow(movement(staff[0, ])), 0L)
  expect_identical(names(movement(staff[0, ])), c("period", "period_end", "opening", "started", "moved_in", "ended", "moved_out", "net", "closing"))
})
