# A day-by-day oracle: what is there on each day, by looking at each day. It shares no code
# with the package, and takes nothing from it but the answers.
#   Rscript tests/attack/oracle.R SECONDS SEED [questions to reach]
# asks until the time is up and the questions are reached. A question is one about one
# generated list of records; many lists stand in one table, each a group of its own, and are
# asked about at once.

origin <- as.Date("2024-01-01")
# Days are numbered from 1, the origin, to this one, which lies behind everything but what is open.
days_known <- 640L
most_lists <- 200L

# Lists of a few records with every awkward feature: open, empty, one-day, equal, touching.
make_lists <- function() {
  lists <- sample(c(1, most_lists), 1, prob = c(0.2, 0.8))
  list <- rep(seq_len(lists), sample(0:7, lists, replace = TRUE))
  n <- length(list)
  first <- sample(0:150, n, replace = TRUE)
  last <- first + sample(c(0, 0, 1, 2, 6, 30, 90), n, replace = TRUE)
  touching <- which(duplicated(list) & stats::runif(n) < 0.15)
  first[touching] <- last[touching - 1] + 1
  last[touching] <- pmax(last[touching], first[touching])
  last[stats::runif(n) < 0.2] <- NA
  data.frame(list = list, key = sample(c("a", "b", "c"), n, replace = TRUE), group = sample(c("x", "y", NA), n, replace = TRUE),
             first = origin + first, last = origin + last, weight = sample(c(0, 0.1, 0.25, 1 / 3, 1, 2), n, replace = TRUE),
             amount = round(stats::runif(n, -50, 200), 2))
}

# Records by day: TRUE where the record is there.
presence <- function(records, counts) {
  day <- seq_len(days_known) - 1
  last <- as.integer(records$last - origin) - !counts
  last[is.na(last)] <- days_known
  outer(as.integer(records$first - origin), day, "<=") & outer(last, day, ">=")
}

# Records with one id as one: there on a day when any of them is. Ids are numbered from 1.
together <- function(there, id, size = max(0, id)) {
  sums <- matrix(0, size, ncol(there))
  if (length(id)) sums[sort(unique(id)), ] <- rowsum(there + 0, id)
  sums > 0
}

# The lines of a table by these columns in their order, missing values last, and each record's.
lines_of <- function(records, columns) {
  order <- do.call(order, c(unname(lapply(records[columns], function(v) v)), list(na.last = TRUE)))
  name <- do.call(paste, c(unname(records[columns]), list(sep = "|")))
  list(of = match(name, unique(name[order])), size = length(unique(name)))
}

period_table <- function(by, from, to, calendar) {
  day <- seq(from, to, by = 1)
  all <- as.POSIXlt(day)
  name <- switch(by,
    day = as.integer(day), week = (as.integer(day) - calendar$week_start) %/% 7L,
    month = 12L * all$year + all$mon, quarter = (12L * all$year + all$mon) %/% 3L,
    year = (12L * all$year + all$mon - calendar$year_start) %/% 12L)
  split(as.integer(day - origin) + 1L, factor(name, unique(name)))
}

# Whole periods: the window is widened day by day until both edges are edges of periods.
widened_window <- function(by, from, to, calendar) {
  same <- function(a, b) length(period_table(by, a, b, calendar)) == 1
  while (same(from - 1, from)) from <- from - 1
  while (same(to, to + 1)) to <- to + 1
  c(from, to)
}

periods_of <- function(by, from, to, calendar = list(week_start = -3L, year_start = 0L)) {
  window <- widened_window(by, from, to, calendar)
  period_table(by, window[1], window[2], calendar)
}

# What is summed over the days of each period that the oracle knows.
over_periods <- function(by_day, periods) {
  of_period <- vapply(periods, function(days) as.double(seq_len(days_known) %in% days), numeric(days_known))
  by_day %*% matrix(of_period, days_known)
}

on_day <- function(by_day, day) {
  if (day >= 1) by_day[, day] else rep(FALSE, nrow(by_day))
}

# What is counted: records, or the records of each key in each line together.
units_of <- function(there, records, line, of) {
  if (of != "keys") return(list(there = there, line = line, weight = if (of == "weight") records$weight else rep(1, length(line))))
  keys <- lines_of(cbind(records, line = line), c("line", "list", "key"))
  list(there = together(there, keys$of, keys$size), line = line[match(seq_len(keys$size), keys$of)], weight = rep(1, keys$size))
}

by_line <- function(values, line, lines) {
  sums <- matrix(0, lines, ncol(values))
  if (length(line)) sums[sort(unique(line)), ] <- rowsum(values, line)
  sums
}

# Lines by periods.
count_by_rule <- function(units, lines, periods, rule) {
  sizes <- rep(lengths(periods), each = nrow(units$there))
  here <- over_periods(units$there, periods)
  met <- switch(rule, any_day = here > 0, every_day = here == sizes,
                first_day = vapply(periods, function(days) on_day(units$there, days[1]), logical(nrow(here))),
                last_day = vapply(periods, function(days) on_day(units$there, days[length(days)]), logical(nrow(here))))
  if (!is.null(met)) return(by_line(matrix(met, nrow(here), length(periods)) * units$weight, units$line, lines))
  level <- by_line(units$there * units$weight, units$line, lines)
  if (rule == "mean_day") return(over_periods(level, periods) / rep(lengths(periods), each = lines))
  highest <- vapply(periods, function(days) {
    known <- days[days >= 1]
    if (length(known)) do.call(pmax, as.data.frame(level[, known, drop = FALSE])) else numeric(lines)
  }, numeric(lines))
  matrix(highest, lines, length(periods))
}

counted <- new.env()
counted$numbers <- 0
counted$questions <- 0

# `lists` questions were asked; their answers stand in the order of the table.
compare <- function(found, expected, what, lists = 1) {
  counted$numbers <- counted$numbers + length(expected)
  counted$questions <- counted$questions + lists
  found <- as.double(found)
  expected <- as.double(expected)
  if (length(found) != length(expected)) stop(what, ": ", length(found), " answers, ", length(expected), " expected", call. = FALSE)
  wrong <- which(!(abs(found - expected) <= 1e-9 * pmax(1, abs(expected))))
  if (length(wrong)) {
    at <- wrong[1]
    stop(what, ": answer ", at, " of ", length(found), " is ", format(found[at]), ", expected ", format(expected[at]), call. = FALSE)
  }
}

# The lines of a table one after the other, as the package shows them.
in_rows <- function(cells) as.vector(t(cells))

declare <- function(records, counts, as_of) {
  suppressMessages(almanacridge::spans(records, first, last, key = c(list, key), weight = weight, end_counts = counts, as_of = as_of))
}

expect_tie <- function(result, what) {
  ties <- almanacridge::reconcile(result)
  if (!all(ties$ok)) stop(what, ": ", almanacridge::conventions(ties), call. = FALSE)
}

rules <- c("any_day", "first_day", "last_day", "every_day", "mean_day", "peak_day")
lists_in <- function(records) length(unique(records$list))

ask_counts <- function(records, counts, as_of) {
  by <- sample(c("day", "week", "month", "quarter", "year"), 1)
  rule <- sample(rules, 1)
  of <- sample(c("keys", "records", "weight"), 1)
  calendar <- list(week_start = sample(-3:3, 1), year_start = if (by == "quarter") 0 else sample(0:11, 1))
  from <- origin + sample(0:100, 1)
  to <- from + sample(c(0:3, 40, 150), 1)
  weekday <- c("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")[(calendar$week_start + 3) %% 7 + 1]
  own <- almanacridge::calendar_rules(week_starts = weekday, year_starts = calendar$year_start + 1L)
  periods <- periods_of(by, from, to, calendar)
  total <- stats::runif(1) < 0.5
  got <- almanacridge::active(declare(records, counts, as_of), by = by, group = c(list, group), rule = rule, of = of, from = from, to = to,
                              calendar = own, total = total)
  there <- presence(records, counts)
  lines <- lines_of(records, c("list", "group"))
  expected <- count_by_rule(units_of(there, records, lines$of, of), lines$size, periods, rule)
  if (total) expected <- rbind(expected, count_by_rule(units_of(there, records, rep(1L, nrow(records)), of), 1, periods, rule))
  what <- paste("active", by, rule, of, from, to, counts)
  compare(got$active, in_rows(expected), what, lists_in(records) + total)
  expect_tie(got, what)
}

# Each key's groups, day by day, against those of the day before.
ask_movement <- function(records, counts, as_of) {
  by <- sample(c("week", "month", "quarter"), 1)
  from <- origin + sample(20:60, 1)
  to <- from + sample(5:90, 1)
  returns <- stats::runif(1) < 0.5
  periods <- periods_of(by, from, to)
  got <- almanacridge::movement(declare(records, counts, as_of), by = by, group = c(list, group), from = from, to = to, total = TRUE, returns = returns)
  there <- presence(records, counts)
  lines <- lines_of(records, c("list", "group"))
  keys <- lines_of(records, c("list", "key"))
  cells <- lines_of(cbind(records, line = lines$of, of_key = keys$of), c("line", "of_key"))
  first <- match(seq_len(cells$size), cells$of)
  anywhere <- together(there, keys$of, keys$size)
  at <- flows_of(together(there, cells$of, cells$size), anywhere[keys$of[first], , drop = FALSE], returns)
  all <- flows_of(anywhere, anywhere, returns)
  what <- paste("movement", by, from, to, counts, returns)
  for (name in names(at)) {
    flow <- function(flows, line, size) over_periods(by_line(flows[[name]] + 0, line, size), periods)
    compare(got[[name]], in_rows(rbind(flow(at, lines$of[first], lines$size), flow(all, rep(1L, keys$size), 1))), paste(what, name))
  }
  counted$questions <- counted$questions + lists_in(records)
  expect_tie(got, what)
}

# What happens to a key in one line, by the day it is dated on.
flows_of <- function(here, anywhere, returns) {
  shifted <- function(m) cbind(rep(FALSE, nrow(m)), m[, -days_known, drop = FALSE])
  day_before <- function(m) cbind(m[, -1, drop = FALSE], rep(FALSE, nrow(m)))
  before <- shifted(here)
  from_none <- here & !before & !shifted(anywhere)
  known <- shifted(matrix(t(apply(anywhere, 1, cummax)), nrow(anywhere), days_known) > 0)
  to_none <- before & !here & !anywhere
  flows <- list(started = if (returns) from_none & !known else from_none, moved_in = here & !before & shifted(anywhere),
                ended = day_before(to_none), moved_out = before & !here & anywhere)
  if (returns) flows$returned <- from_none & known
  flows
}

# Runs of days in each row: c(row, first, last), in the order of rows and days.
runs_of <- function(here) {
  edges <- t(cbind(here, FALSE) - cbind(FALSE, here))
  first <- which(edges == 1, arr.ind = TRUE)
  data.frame(row = first[, 2], first = first[, 1], last = which(edges == -1, arr.ind = TRUE)[, 1] - 1)
}

ask_ranges <- function(records, counts, as_of) {
  closed <- records[!is.na(records$last), ]
  if (nrow(closed) == 0) return(invisible())
  x <- declare(closed, counts, as_of)
  there <- presence(closed, counts)
  keys <- lines_of(closed, c("list", "key"))
  runs <- runs_of(together(there, keys$of, keys$size))
  goes_on <- duplicated(runs$row)
  between <- data.frame(first = c(0, runs$last)[seq_along(goes_on)] + 1, last = runs$first - 1)[goes_on, ]
  compare(almanacridge::gaps(x)$days, between$last - between$first + 1, paste("gaps", counts), lists_in(closed))
  tolerance <- sample(0:4, 1)
  calendar <- if (stats::runif(1) < 0.5) almanacridge::calendar_rules(weekend = c("Saturday", "Sunday"))
  works <- if (is.null(calendar)) rep(TRUE, days_known) else !(format(origin + seq_len(days_known) - 1, "%u") %in% c("6", "7"))
  missing <- vapply(seq_len(nrow(between)), function(i) sum(works[between$first[i]:between$last[i]]), 0)
  joined <- replace(goes_on, goes_on, missing <= tolerance)
  stretch <- cumsum(!joined)
  got <- almanacridge::consecutive(x, tolerance = tolerance, calendar = calendar)
  compare(got$days, runs$last[!duplicated(stretch, fromLast = TRUE)] - runs$first[!joined] + 1,
          paste("consecutive", tolerance, !is.null(calendar), counts), lists_in(closed))
  expect_tie(got, "consecutive")
  ask_pairs(x, closed, there, keys)
}

ask_pairs <- function(x, records, there, keys) {
  same <- merge(data.frame(key = keys$of, a = seq_along(keys$of)), data.frame(key = keys$of, b = seq_along(keys$of)))
  same <- same[same$a < same$b, ]
  shared <- rowSums(there[same$a, , drop = FALSE] & there[same$b, , drop = FALSE])
  pairs <- same[shared > 0, ]
  got <- almanacridge::overlaps(x)
  place <- function(a, b) order(pmin(a, b), pmax(a, b))
  compare(got$days[place(got$row_a, got$row_b)], shared[shared > 0][place(pairs$a, pairs$b)], "overlaps", lists_in(records))
  twice <- rowSums(by_line(there + 0, keys$of, keys$size) > 1)
  compare(almanacridge::overlaps(x, total = TRUE)$days, twice[twice > 0], "overlap days", lists_in(records))
}

# Each day's share of an amount, rounded as running sums are.
ask_amounts <- function(records, counts, as_of) {
  there <- presence(records, counts)
  kept <- which(!is.na(records$last) & rowSums(there) > 0)
  if (length(kept) == 0) return(invisible())
  records <- records[kept, ]
  there <- there[kept, , drop = FALSE]
  digits <- sample(list(NULL, 0, 2), 1)[[1]]
  got <- almanacridge::allocate(declare(records, counts, as_of), amount, by = "month", group = c(list, group), digits = digits)
  periods <- periods_of("month", min(got$period), max(got$period_end))
  days <- over_periods(there, periods)
  upto <- matrix(t(apply(days, 1, cumsum)), nrow(days))
  amount <- records$amount
  running <- if (is.null(digits)) amount * upto / rowSums(there)
  else {
    units <- if (digits == 0) floor(abs(amount) + 0.5) else round(abs(amount) * 10^digits + 1e-9)
    sign(amount) * floor(units * upto / rowSums(there) + 0.5 + 1e-12) / 10^digits
  }
  pieces <- running - cbind(0, running[, -ncol(running), drop = FALSE])
  lines <- lines_of(records, c("list", "group"))
  compare(got$amount, in_rows(by_line(pieces, lines$of, lines$size)), paste("allocate", digits, counts), lists_in(records))
  expect_tie(got, "allocate")
}

# What must not change, or change in a known way, when the question is turned.
ask_metamorphic <- function(records, counts, as_of) {
  if (nrow(records) == 0) return(invisible())
  rule <- sample(rules, 1)
  ask <- function(r, shift = 0) {
    x <- declare(r, counts, as_of + shift)
    almanacridge::active(x, by = "month", group = c(list, group), rule = rule, from = origin + shift, to = origin + 200 + shift)$active
  }
  plain <- ask(records)
  same <- function(turned, what) compare(turned, plain, paste(what, rule, counts), lists_in(records))
  same(ask(records[sample(nrow(records)), ]), "rows in another order")
  era <- 146097L
  same(ask(transform(records, first = first + era, last = last + era), era), "400 years later")
  same(ask(transform(records, key = c(a = "q", b = "p", c = "r")[key])), "keys renamed")
  long <- which(records$last - records$first > 2)
  cut <- records$first[long] + 1
  both <- rbind(records, transform(records[long, ], first = cut + 1))
  both$last[long] <- cut + !counts
  same(ask(both), "spans in two that touch")
}

# On instants of a zone the days are its civil days, also where the clock changes.
ask_zone <- function(records, counts, as_of) {
  zone <- sample(c("Europe/Vienna", "America/St_Johns", "Australia/Lord_Howe", "Pacific/Apia", "UTC"), 1)
  at_midnight <- function(day) as.POSIXct(format(day), tz = zone)
  closed <- records[!is.na(records$last) & records$last > records$first, ]
  if (nrow(closed) == 0) return(invisible())
  there <- presence(closed, FALSE)
  closed$first <- at_midnight(closed$first)
  closed$last <- at_midnight(closed$last)
  x <- suppressMessages(almanacridge::spans(closed, first, last, key = c(list, key), as_of = as_of, tz = zone, days = FALSE))
  got <- almanacridge::active(x, by = "day", group = list, from = origin, to = origin + 200)
  lines <- lines_of(closed, "list")
  units <- units_of(there, closed, lines$of, "keys")
  window <- seq_len(201)
  compare(got$active, in_rows(by_line(units$there + 0, units$line, lines$size)[, window]), paste("days of", zone), lists_in(closed))
  hours <- almanacridge::time_within(x, by = "day", group = list, from = origin, to = origin + 200)$hours
  length_of_day <- as.double(difftime(at_midnight(origin + window), at_midnight(origin + window - 1), units = "hours"))
  expected <- by_line(there + 0, lines$of, lines$size)[, window, drop = FALSE]
  compare(hours, in_rows(expected * rep(length_of_day, each = lines$size)), paste("hours of", zone), lists_in(closed))
}

questions <- list(ask_counts, ask_counts, ask_counts, ask_movement, ask_ranges, ask_amounts, ask_metamorphic, ask_zone)

run_oracle <- function(seconds, seed, least = 0) {
  set.seed(seed)
  until <- proc.time()[["elapsed"]] + seconds
  while (proc.time()[["elapsed"]] < until || counted$questions < least) {
    records <- make_lists()
    sample(questions, 1)[[1]](records, stats::runif(1) < 0.6, origin + sample(60:160, 1))
  }
  list(questions = counted$questions, numbers = counted$numbers)
}

if (sys.nframe() == 0) {
  asked <- as.double(commandArgs(trailingOnly = TRUE))
  seed <- if (length(asked) > 1) asked[2] else as.integer(Sys.time()) %% 1e6
  cat("seed", seed, "\n")
  done <- run_oracle(if (length(asked)) asked[1] else 60, seed, if (length(asked) > 2) asked[3] else 0)
  said <- function(number) format(number, big.mark = ",", scientific = FALSE)
  cat(sprintf("oracle: %s questions with %s numbers, all agree (seed %s)\n", said(done$questions), said(done$numbers), seed))
}
