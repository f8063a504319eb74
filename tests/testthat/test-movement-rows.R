# Who is in which group on each day, looked at day by day; groups in their order, none last.
walk_rows <- function(records, from, to, counts, returns) {
  sites <- sort(unique(records$site), na.last = TRUE)
  days <- seq(min(records$start), max(to, records$end, na.rm = TRUE) + 2, by = 1)
  last <- ifelse(is.na(records$end), Inf, records$end - !counts)
  rows <- list()
  add <- function(flow, who, date, site, before = NA_character_, after = NA_character_) {
    rows[[length(rows) + 1]] <<- data.frame(site = site, flow = flow, who = who, date = date, from_site = before, to_site = after)
  }
  for (who in unique(records$who)) {
    own <- which(records$who == who)
    there <- function(day) sites[vapply(sites, function(site) any(records$site[own] %in% site & records$start[own] <= day & last[own] >= day), NA)]
    been <- FALSE
    came <- list()
    for (day in as.list(days)) {
      before <- there(day - 1)
      now <- there(day)
      new <- setdiff(now, before)
      lost <- setdiff(before, now)
      shown <- function(date) date >= from && date <= to
      for (i in seq_along(lost)) {
        date <- if (length(now)) day else day - 1
        since <- came[[paste(lost[i])]]
        if (since < from && date >= from) add("opening", who, since, lost[i])
        if (!shown(date)) next
        if (length(now)) add("moved_out", who, date, lost[i], lost[i], new[i]) else add("ended", who, date, lost[i])
      }
      for (i in seq_along(new)) {
        came[[paste(new[i])]] <- day
        if (!shown(day)) next
        if (length(before)) add("moved_in", who, day, new[i], lost[i], new[i])
        else add(if (been && returns) "returned" else "started", who, day, new[i])
      }
      been <- been || length(now) > 0
    }
    for (site in there(days[length(days)])) if (came[[paste(site)]] < from) add("opening", who, came[[paste(site)]], site)
  }
  do.call(rbind, rows)
}

in_one_order <- function(rows) {
  rows <- as.data.frame(rows)[c("site", "flow", "who", "date", "from_site", "to_site")]
  rows <- rows[do.call(order, unname(lapply(rows, as.character))), ]
  rownames(rows) <- NULL
  rows
}

# How many moves in have a move out of the same key at the same time, first with first.
with_partner <- function(rows) {
  came <- rows[rows$flow == "moved_in", ]
  went <- rows[rows$flow == "moved_out", ]
  nth <- stats::ave(seq_len(nrow(came)), came$who, came$date, FUN = seq_along)
  out <- vapply(seq_len(nrow(came)), function(i) sum(went$who == came$who[i] & went$date == came$date[i]), 1L)
  sum(nth <= out)
}

test_that("the rows behind movement are those of a walk through the days", {
  for (seed in 1:40) {
    records <- random_records(seed)
    counts <- seed %% 2 == 0
    records <- records[is.na(records$end) | records$end >= records$start + !counts, ]
    x <- suppressMessages(spans(records, start, end, key = who, end_counts = counts, as_of = "2024-04-30"))
    returns <- seed %% 3 == 0
    got <- movement(x, "month", group = site, show = "records", returns = returns, from = "2024-02-01", to = "2024-03-31")
    if (nrow(records) == 0 || nrow(got) == 0) {
      expect_identical(nrow(got), NROW(if (nrow(records)) walk_rows(records, day("2024-02-01"), day("2024-03-31"), counts, returns)))
      next
    }
    expect_equal(in_one_order(got), in_one_order(walk_rows(records, day("2024-02-01"), day("2024-03-31"), counts, returns)), label = paste("seed", seed))
    expect_ties(got)
    routes <- movement(x, "month", group = site, show = "routes", from = "2024-02-01", to = "2024-03-31")
    expect_identical(sum(routes$moved), with_partner(got))
    expect_ties(routes)
    expect_identical(routes$period, rep(day(c("2024-02-01", "2024-03-01")), nrow(routes) / 2))
  }
})

test_that("by hand: a move, a return, two groups at once, and records that only start and end", {
  rows <- data.frame(k = c("a", "a", "b", "b", "c"), s = c("2026-01-10", "2026-02-01", "2026-01-01", "2026-03-05", "2026-02-10"),
                     e = c("2026-01-31", NA, "2026-02-15", "2026-03-20", "2026-02-20"), g = c("x", "y", "x", "x", NA), w = c(1, 1, 0.5, 0.5, 2))
  x <- spans(rows, s, e, key = k, weight = w, as_of = "2026-03-31")
  got <- movement(x, group = g, show = "records", returns = TRUE, from = "2026-02-01", to = "2026-03-31")
  expect_identical(paste(got$g, got$flow, got$k, got$date, got$from_g, got$to_g, got$row),
                   c("x opening a 2026-01-10 NA NA 1", "x opening b 2026-01-01 NA NA 3", "x ended b 2026-02-15 NA NA 3", "x moved_out a 2026-02-01 x y 1",
                     "x returned b 2026-03-05 NA NA 4", "x ended b 2026-03-20 NA NA 4", "y moved_in a 2026-02-01 x y 2", "NA started c 2026-02-10 NA NA 5",
                     "NA ended c 2026-02-20 NA NA 5"))
  expect_identical(summary(got), "9 rows: 2 at the opening, 1 started, 1 returned, 1 moved in, 3 ended and 1 moved out.")
  routes <- movement(x, group = g, show = "routes", from = "2026-02-01", to = "2026-03-31")
  expect_identical(routes$moved, c(1L, 0L))
  expect_identical(summary(routes), c("1 move on 1 route.", "Most went from x to y (1)."))
  weights <- movement(x, by = "quarter", of = "weight", show = "records", to = "2026-03-31")
  expect_identical(sum(weights$w[weights$flow == "started"]), 5)
  expect_ties(weights)
  expect_identical(names(movement(x, show = "records", to = "2026-03-31")), c("period", "period_end", "flow", "k", "date", "row"))
  beside <- spans(data.frame(k = 1, s = c("2026-01-01", "2026-01-10"), e = "2026-02-01", g = c("x", "y")), s, e, key = k, as_of = "2026-03-31")
  expect_match(conventions(movement(beside, group = g, show = "routes")), "1 move into a group beside others has no route")
  twice <- movement(beside, group = g, show = "records")
  expect_identical(twice$to_g[twice$flow == "moved_in"], "y")
  expect_identical(twice$from_g[twice$flow == "moved_in"], NA_character_)
})

test_that("what has no part in rows and routes is refused, and lists have no figure", {
  staff <- demo_staff()
  expect_error(movement(staff, group = station, show = "records", total = TRUE), "`total` plays no part in `show = \"records\"`", class = "ridge_error_argument")
  expect_error(movement(staff, show = "records", rates = TRUE), "`rates` plays no part", class = "ridge_error_argument")
  expect_error(movement(staff, show = "routes"), "Routes are those of keys between groups", class = "ridge_error_argument")
  expect_error(movement(staff, group = station, show = "routes", returns = TRUE), "`returns` plays no part", class = "ridge_error_argument")
  expect_error(movement(staff, show = "who"), "must be one of", class = "ridge_error_argument")
  taken <- spans(data.frame(date = c("a", "b"), s = "2026-01-01"), s, NA, key = date, as_of = "2026-03-31")
  expect_error(movement(taken, show = "records"), "has a column \"date\" of its own", class = "ridge_error_column")
  expect_error(autoplot(movement(staff, show = "records", from = "2026-06-01")), "A list of records has no figure", class = "ridge_error_argument")
  routes <- movement(staff, by = "year", group = station, show = "routes", from = "2024-01-01")
  expect_error(autoplot(routes, panels = "total"), "`show` and `panels` cannot go together", class = "ridge_error_argument")
  drawn <- ggplot2::ggplot_build(autoplot(routes))
  expect_identical(sum(drawn$plot$data$moved), sum(routes$moved))
  expect_identical(utils::tail(levels(drawn$plot$data$to), 1), "(missing)")
  expect_match(drawn$plot$labels$title, "2024 to 2026")
})

test_that("ridge movement --show gives rows and routes, and tells before it writes what it cannot draw", {
  file <- system.file("extdata", "postings.csv", package = "almanacridge")
  asked <- c("movement", file, "--start", "first_day", "--end", "last_day", "--key", "observer", "--group", "station", "--as-of", "2026-06-30", "--from", "2026-05-01")
  rows <- run(asked, "--show", "records", "--reconcile")
  expect_identical(rows$status, 0L)
  table <- utils::read.csv(text = rows$out)
  counts <- utils::read.csv(text = run(asked)$out)
  for (flow in c("started", "moved_in", "ended", "moved_out")) expect_identical(sum(table$flow == flow), sum(counts[[flow]]))
  routes <- run(asked, "--show", "routes", "--summary")
  expect_match(routes$notes, "Most went from", all = FALSE)
  expect_identical(names(utils::read.csv(text = routes$out)), c("from_station", "to_station", "period", "period_end", "moved"))
  drawn <- run(asked, "--show", "records", "--figure", withr::local_tempfile(fileext = ".png"))
  expect_identical(drawn$status, 2L)
  expect_identical(drawn$out, character())
  expect_match(drawn$notes, "A list of records has no figure. Leave --show out", fixed = TRUE, all = FALSE)
  expect_match(how_asked(movement(demo_staff(), group = station, show = "routes"), as = "command"), "--show routes")
})
