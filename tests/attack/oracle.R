# A day-by-day oracle: what is there on each day, by looking at each day. It shares no code
# with the package, and takes nothing from it but the answers.
#   Rscript tests/attack/oracle.R SECONDS SEED [numbers to reach]
# asks generated questions until the time is up and the numbers are reached.

origin <- as.Date("2024-01-01")

# A few records with every awkward feature: open, empty, future, one-day, equal, touching.
make_records <- function() {
  n <- sample(0:7, 1)
  first <- sample(0:150, n, replace = TRUE)
  length <- sample(c(0, 0, 1, 2, 6, 30, 90), n, replace = TRUE)
  last <- first + length
  if (n > 1 && stats::runif(1) < 0.3) first[2] <- last[1] + 1
  if (n > 1) last[2] <- max(last[2], first[2])
  last[stats::runif(n) < 0.2] <- NA
  data.frame(key = sample(c("a", "b", "c"), n, replace = TRUE), group = sample(c("x", "y", NA), n, replace = TRUE),
             first = origin + first, last = origin + last, weight = sample(c(0, 0.1, 0.25, 1 / 3, 1, 2), n, replace = TRUE),
             amount = round(stats::runif(n, -50, 200), 2))
}

days_known <- 800L

# Records by day: TRUE where the record is there. Day 1 is the origin.
presence <- function(records, counts) {
  days <- seq_len(days_known) - 1L
  vapply(seq_len(nrow(records)), function(i) {
    first <- as.integer(records$first[i] - origin)
    last <- as.integer(records$last[i] - origin)
    if (is.na(last)) last <- days_known
    else if (!counts) last <- last - 1L
    days >= first & days <= last
  }, logical(days_known))
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

level_on <- function(there, of, records, rows) {
  there <- there[, rows, drop = FALSE]
  if (of == "keys") {
    keys <- unique(records$key[rows])
    by_key <- vapply(keys, function(k) rowSums(there[, records$key[rows] == k, drop = FALSE]) > 0, logical(days_known))
    return(list(units = matrix(by_key, days_known), weight = rep(1, length(keys))))
  }
  list(units = there, weight = if (of == "weight") records$weight[rows] else rep(1, length(rows)))
}

count_by_rule <- function(days, level, rule) {
  inside <- days[days >= 1 & days <= days_known]
  units <- level$units[inside, , drop = FALSE]
  absent <- length(days) - length(inside)
  if (ncol(units) == 0) return(0)
  met <- switch(rule, any_day = colSums(units) > 0, every_day = colSums(units) == nrow(units) & absent == 0,
                first_day = if (days[1] >= 1) level$units[days[1], ] else FALSE,
                last_day = if (days[length(days)] >= 1) level$units[days[length(days)], ] else FALSE, NULL)
  by_day <- as.vector(units %*% level$weight)
  switch(rule, mean_day = sum(by_day) / length(days), peak_day = max(0, by_day), sum(level$weight[met]))
}

same <- function(found, expected) {
  length(found) == length(expected) && all(abs(found - expected) <= 1e-9 * pmax(1, abs(expected)))
}

counted <- new.env()
counted$numbers <- 0
counted$calls <- 0

compare <- function(found, expected, what, records) {
  counted$numbers <- counted$numbers + length(expected)
  counted$calls <- counted$calls + 1
  if (!same(as.double(found), as.double(expected))) {
    cat("DIFFERS:", what, "\nfound", format(found), "\nexpected", format(expected), "\n")
    print(records)
    stop("The oracle and the package differ.", call. = FALSE)
  }
}

declare <- function(records, counts, as_of) {
  suppressMessages(almanacridge::spans(records, first, last, key = key, weight = weight, end_counts = counts, as_of = as_of))
}

ask_counts <- function(records, counts, as_of) {
  x <- declare(records, counts, as_of)
  there <- presence(records, counts)
  by <- sample(c("day", "week", "month", "quarter", "year"), 1)
  rule <- sample(c("any_day", "first_day", "last_day", "every_day", "mean_day", "peak_day"), 1)
  of <- sample(c("keys", "records", "weight"), 1)
  calendar <- list(week_start = sample(-3:3, 1) , year_start = sample(0:11, 1))
  from <- origin + sample(0:100, 1)
  to <- from + sample(c(0:3, 40, 150), 1)
  weekday <- weekdays(as.Date("1970-01-01") + calendar$week_start, abbreviate = FALSE)
  rules <- almanacridge::calendar_rules(week_starts = weekday, year_starts = calendar$year_start + 1L)
  # Quarters, too, begin with the year.
  if (by == "quarter") calendar$year_start <- 0
  if (by == "quarter") rules <- almanacridge::calendar_rules(week_starts = weekday)
  window <- widened_window(by, from, to, calendar)
  periods <- period_table(by, window[1], window[2], calendar)
  total <- stats::runif(1) < 0.5
  got <- almanacridge::active(x, by = by, group = group, rule = rule, of = of, from = from, to = to, calendar = rules, total = total)
  lines <- c(sort(unique(records$group), na.last = TRUE))
  rows <- lapply(lines, function(g) which(if (is.na(g)) is.na(records$group) else records$group %in% g))
  if (total) rows <- c(rows, list(seq_len(nrow(records))))
  expected <- unlist(lapply(rows, function(r) {
    level <- level_on(there, of, records, r)
    vapply(periods, count_by_rule, 0, level, rule)
  }))
  compare(got$active, expected, paste("active", by, rule, of, from, to, counts), records)
  ties <- almanacridge::reconcile(got)
  if (!all(ties$ok)) stop("reconcile() does not tie: ", almanacridge::conventions(ties), call. = FALSE)
}

# Walks through the days with a key's groups in hand.
ask_movement <- function(records, counts, as_of) {
  x <- declare(records, counts, as_of)
  there <- presence(records, counts)
  from <- origin + sample(20:60, 1)
  to <- from + sample(5:90, 1)
  window <- widened_window("month", from, to, list())
  periods <- period_table("month", window[1], window[2], list())
  got <- almanacridge::movement(x, by = "month", group = group, from = from, to = to, total = TRUE)
  lines <- as.character(sort(unique(ifelse(is.na(records$group), "~", records$group)), method = "radix"))
  names <- c("started", "moved_in", "ended", "moved_out")
  flows <- array(0, c(days_known, 4, length(lines) + 1), list(NULL, names, c(lines, "all")))
  for (key in unique(records$key)) {
    rows <- which(records$key == key)
    in_line <- vapply(lines, function(l) {
      rowSums(there[, rows[ifelse(is.na(records$group[rows]), "~", records$group[rows]) == l], drop = FALSE]) > 0
    }, logical(days_known))
    in_line <- matrix(in_line, days_known)
    for (d in seq_len(days_known)) {
      before <- if (d > 1) in_line[d - 1, ] else rep(FALSE, length(lines))
      now <- in_line[d, ]
      came <- which(now & !before)
      left <- which(before & !now)
      if (!any(before) && any(now)) flows[d, "started", length(lines) + 1] <- flows[d, "started", length(lines) + 1] + 1
      if (any(before) && !any(now)) flows[d - 1, "ended", length(lines) + 1] <- flows[d - 1, "ended", length(lines) + 1] + 1
      flows[d, if (any(before)) "moved_in" else "started", came] <- flows[d, if (any(before)) "moved_in" else "started", came] + 1
      at <- if (any(now)) d else d - 1
      flow <- if (any(now)) "moved_out" else "ended"
      if (length(left)) flows[at, flow, left] <- flows[at, flow, left] + 1
    }
  }
  cells <- function(name) unlist(lapply(seq_len(length(lines) + 1), function(l) vapply(periods, function(days) sum(flows[days[days >= 1], name, l]), 0)))
  for (name in names) compare(got[[name]], cells(name), paste("movement", name, from, to, counts), records)
  ties <- almanacridge::reconcile(got)
  if (!all(ties$ok)) stop("reconcile() does not tie: ", almanacridge::conventions(ties), call. = FALSE)
}

ask_ranges <- function(records, counts, as_of) {
  closed <- records[!is.na(records$last), ]
  if (nrow(closed) == 0) return(invisible())
  x <- declare(closed, counts, as_of)
  there <- presence(closed, counts)
  keys <- sort(unique(closed$key))
  runs <- lapply(keys, function(k) rle(rowSums(there[, closed$key == k, drop = FALSE]) > 0))
  compare(almanacridge::consecutive(x)$days, unlist(lapply(runs, function(r) r$lengths[r$values])), "consecutive", closed)
  between <- lapply(runs, function(r) {
    inner <- if (any(r$values)) seq(which(r$values)[1], max(which(r$values))) else integer()
    r$lengths[inner][!r$values[inner]]
  })
  compare(almanacridge::gaps(x)$days, unlist(between), "gaps", closed)
  pairs <- expand.grid(a = seq_len(nrow(closed)), b = seq_len(nrow(closed)))
  pairs <- pairs[pairs$a < pairs$b & closed$key[pairs$a] == closed$key[pairs$b], ]
  shared <- vapply(seq_len(nrow(pairs)), function(i) sum(there[, pairs$a[i]] & there[, pairs$b[i]]), 0L)
  compare(sort(almanacridge::overlaps(x)$days), sort(shared[shared > 0]), "overlaps", closed)
  compare(almanacridge::overlaps(x, total = TRUE)$days, {
    twice <- vapply(keys, function(k) sum(rowSums(there[, closed$key == k, drop = FALSE]) > 1), 0)
    twice[match(as.character(almanacridge::overlaps(x, total = TRUE)$key), keys)]
  }, "overlap days", closed)
}

# Each day's share of an amount, rounded as running sums are.
ask_amounts <- function(records, counts, as_of) {
  there <- presence(records, counts)
  kept <- which(!is.na(records$last) & colSums(there) > 0)
  if (length(kept) == 0) return(invisible())
  records <- records[kept, ]
  there <- there[, kept, drop = FALSE]
  x <- declare(records, counts, as_of)
  digits <- sample(list(NULL, 0, 2), 1)[[1]]
  got <- almanacridge::allocate(x, amount, by = "month", group = group, digits = digits)
  window <- widened_window("month", min(got$period), max(got$period_end), list())
  periods <- period_table("month", window[1], window[2], list())
  pieces <- vapply(seq_along(kept), function(i) {
    days <- cumsum(there[, i])
    at <- vapply(periods, function(d) if (max(d) >= 1) days[max(d)] else 0, 0)
    amount <- records$amount[i]
    if (is.null(digits)) return(diff(c(0, amount * at / max(days))))
    units <- round(abs(amount) * 10^digits + 1e-9)
    if (digits == 0) units <- floor(abs(amount) + 0.5)
    sign(amount) * diff(c(0, floor(units * at / max(days) + 0.5 + 1e-12))) / 10^digits
  }, numeric(length(periods)))
  pieces <- matrix(pieces, length(periods))
  lines <- sort(unique(records$group), na.last = TRUE)
  expected <- unlist(lapply(lines, function(g) rowSums(pieces[, if (is.na(g)) is.na(records$group) else records$group %in% g, drop = FALSE])))
  compare(got$amount, expected, paste("allocate", digits, counts), records)
}

# What must not change, or change in a known way, when the question is turned.
ask_metamorphic <- function(records, counts, as_of) {
  if (nrow(records) == 0) return(invisible())
  rule <- sample(c("any_day", "first_day", "last_day", "every_day", "mean_day", "peak_day"), 1)
  ask <- function(r, shift = 0) {
    x <- declare(r, counts, as_of + shift)
    almanacridge::active(x, by = "month", group = group, rule = rule, from = origin + shift, to = origin + 200 + shift)$active
  }
  plain <- ask(records)
  compare(ask(records[sample(nrow(records)), ]), plain, "rows in another order", records)
  era <- 146097L
  later <- records
  later$first <- later$first + era
  later$last <- later$last + era
  compare(ask(later, era), plain, "400 years later", records)
  renamed <- records
  renamed$key <- c(a = "q", b = "p", c = "r")[renamed$key]
  compare(ask(renamed), plain, "keys renamed", records)
  long <- which(records$last - records$first > 2)
  if (length(long) > 0) {
    i <- long[1]
    cut <- records$first[i] + 1
    both <- rbind(records, records[i, ])
    both$last[i] <- if (counts) cut else cut + 1
    both$first[nrow(both)] <- cut + 1
    compare(ask(both), plain, "a span in two that touch", records)
  }
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
  x <- suppressMessages(almanacridge::spans(closed, first, last, key = key, as_of = as_of, tz = zone, days = FALSE))
  got <- almanacridge::active(x, by = "day", from = origin, to = origin + 200)
  expected <- vapply(seq_len(201), function(d) length(unique(closed$key[there[d, ]])), 1L)
  compare(got$active, expected, paste("days of", zone), closed)
  hours <- almanacridge::time_within(x, by = "day", total = TRUE, from = origin, to = origin + 200)$hours
  length_of_day <- as.double(difftime(at_midnight(origin + 1:201), at_midnight(origin + 0:200), units = "hours"))
  compare(hours, rowSums(there[1:201, , drop = FALSE]) * length_of_day, paste("hours of", zone), closed)
}

questions <- list(ask_counts, ask_counts, ask_counts, ask_movement, ask_ranges, ask_amounts, ask_metamorphic, ask_zone)

run_oracle <- function(seconds, seed, numbers = 0) {
  set.seed(seed)
  until <- proc.time()[["elapsed"]] + seconds
  while (proc.time()[["elapsed"]] < until || counted$numbers < numbers) {
    records <- make_records()
    sample(questions, 1)[[1]](records, stats::runif(1) < 0.6, origin + sample(60:160, 1))
  }
  list(calls = counted$calls, numbers = counted$numbers)
}

if (sys.nframe() == 0) {
  asked <- as.double(commandArgs(trailingOnly = TRUE))
  seed <- if (length(asked) > 1) asked[2] else as.integer(Sys.time()) %% 1e6
  cat("seed", seed, "\n")
  done <- run_oracle(if (length(asked)) asked[1] else 60, seed, if (length(asked) > 2) asked[3] else 0)
  cat(sprintf("oracle: %s numbers of %s questions agree (seed %s)\n", format(done$numbers, big.mark = ","),
              format(done$calls, big.mark = ","), seed))
}
