# Slow and obvious: every answer is worked out by looking at each day.

day <- function(text) as.Date(text)

# Random small tables with one-day, nested, touching, open, future and, where
# the last day does not count, empty spans.
random_records <- function(seed) {
  set.seed(seed)
  n <- sample(0:14, 1)
  start <- day("2024-02-10") + sample(-40:60, n, replace = TRUE)
  length <- sample(c(0, 1, 5, 20, 70), n, replace = TRUE) + sample(0:3, n, replace = TRUE)
  end <- start + length
  end[runif(n) < 0.2] <- NA
  data.frame(
    who = sample(c("a", "b", "c", "d"), n, replace = TRUE),
    site = sample(c("north", "south", NA), n, replace = TRUE, prob = c(4, 3, 1)),
    share = sample(c(1, 0.5, 0.4, 0.1, 1 / 3), n, replace = TRUE),
    start = start, end = end
  )
}

# Is each record active on each of these days? One row per record.
active_days <- function(records, days, end_counts = TRUE) {
  days <- as.integer(days)
  first <- as.integer(records$start)
  last <- as.integer(records$end) - !end_counts
  last[is.na(records$end)] <- as.integer(day("9999-01-01"))
  outer(first, days, `<=`) & outer(last, days, `>=`)
}

# The rule on one period: `on` is a level (or TRUE and FALSE) per day of it.
by_rule <- function(on, rule) {
  switch(rule,
    any_day = any(on), first_day = on[1], last_day = on[length(on)], every_day = all(on),
    mean_day = mean(on)
  )
}

oracle_level <- function(records, first, last, rule, of, end_counts = TRUE) {
  if (nrow(records) == 0) {
    return(0)
  }
  on <- active_days(records, as.integer(first):as.integer(last), end_counts)
  if (of == "keys") {
    on <- t(vapply(unique(records$who), function(key) {
      apply(on[records$who == key, , drop = FALSE], 2, any)
    }, logical(ncol(on))))
    on <- matrix(on, ncol = as.integer(last - first) + 1L)
  }
  weight <- if (of == "weight") records$share else rep(1, nrow(on))
  if (rule == "peak_day") {
    return(max(colSums(on * weight)))
  }
  sum(apply(on, 1, by_rule, rule = rule) * weight)
}

# The level on each day.
oracle_levels <- function(records, days, of, end_counts = TRUE) {
  on <- active_days(records, days, end_counts)
  if (of == "keys") return(colSums(rowsum(on + 0L, records$who) > 0))
  colSums(on * if (of == "weight") records$share else 1)
}

# The level of every group in every period of `result`, worked out anew.
oracle_active <- function(records, result, rule, of, end_counts = TRUE) {
  vapply(seq_len(nrow(result)), function(i) {
    used <- records
    if ("site" %in% names(result)) {
      same <- if (is.na(result$site[i])) is.na(records$site) else records$site %in% result$site[i]
      used <- records[same, ]
    }
    oracle_level(used, result$period[i], result$period_end[i], rule, of, end_counts)
  }, numeric(1))
}

demo_staff <- function(...) {
  spans(demo_records("postings"), first_day, last_day, key = observer, weight = share,
        as_of = "2026-06-30", ...)
}

# One row per record (or key) and period kept, steps counted from the first.
oracle_scaffold <- function(records, periods, rule, of, end_counts) {
  records$row <- seq_len(nrow(records))
  records <- records[order(records$who, records$start, records$row), ]
  lines <- if (of == "keys") split(records, records$who) else split(records, seq_len(nrow(records)))
  rows <- lapply(lines, function(line) {
    nth <- 0L
    kept <- lapply(seq_len(nrow(periods)), function(i) {
      days <- as.integer(periods$period[i]):as.integer(periods$period_end[i])
      on <- apply(active_days(line, days, end_counts), 2, any)
      if (!any(on) || !by_rule(on, rule)) return(NULL)
      nth <<- nth + 1L
      list(row = line$row[1], who = line$who[1], nth = nth, period = periods$period[i],
           period_end = periods$period_end[i], start = as.Date(min(days[on]), "1970-01-01"),
           end = as.Date(max(days[on]), "1970-01-01"), days = sum(on))
    })
    data.table::rbindlist(kept)
  })
  empty <- data.frame(row = integer(), who = character(), nth = integer(), period = day(character()),
                      period_end = day(character()), start = day(character()),
                      end = day(character()), days = integer())
  as.data.frame(data.table::rbindlist(c(list(empty), unname(rows))))
}

# Each minute is looked at: what the zone's clock shows, and on which day.
minutes_worked <- function(from, to, tz, works) {
  if (to <= from) return(0)
  minutes <- seq(from, to - 60, by = 60)
  shown <- as.POSIXlt(as.POSIXct(minutes, origin = "1970-01-01", tz = tz), tz = tz)
  sum(works(as.Date(format(shown, "%Y-%m-%d")), shown$hour * 60 + shown$min)) / 60
}

# Two exports of one list, with a number for each record; each record changed in one way at
# most, which is kept.
two_exports <- function(seed) {
  set.seed(seed)
  n <- sample(1:14, 1)
  was <- data.frame(id = seq_len(n), who = sample(c("a", "b", "c"), n, TRUE), site = sample(c("north", "south", NA), n, TRUE), share = sample(c(1, 0.5, 0.1), n, TRUE),
                    start = day("2024-01-15") + sample(0:80, n, TRUE))
  was$end <- was$start + sample(0:60, n, TRUE)
  was$end[runif(n) < 0.3] <- NA
  how <- sample(c("same", "removed", "start", "end", "key", "group", "weight"), n, TRUE)
  now <- was
  now$start[how == "start"] <- now$start[how == "start"] - 9
  now$end[how == "end"] <- now$start[how == "end"] + sample(61:70, sum(how == "end"), TRUE)
  now$who[how == "key"] <- "d"
  now$site[how == "group"] <- "west"
  now$share[how == "weight"] <- 0.7
  late <- data.frame(id = 101:103, who = c("a", "b", "e"), site = "south", share = 0.3, start = day("2024-02-20") + 0:2, end = day(c(NA, "2024-03-01", "2024-02-22")))[seq_len(sample(0:3, 1)), ]
  list(was = was, now = rbind(now[how != "removed", ], late)[sample(sum(how != "removed") + nrow(late)), ], how = how)
}
