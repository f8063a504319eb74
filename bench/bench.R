# Speed, as ratios within one run, then peak memory: make bench
# Other ways are written as an analyst with these tools would write them.
# BENCH=memory measures memory instead; it wants every large block handed back
# to the system at once, which would slow all ways down.

library(almanacridge)
suppressPackageStartupMessages(library(data.table))
setDTthreads(2)

# The largest resident size above that at the start, as the system saw it.
peak_of <- function(expr, env) {
  writeLines("5", "/proc/self/clear_refs")
  before <- resident("VmRSS")
  force(eval(expr, env))
  max(0, resident("VmHWM") - before)
}

resident <- function(field) {
  line <- grep(paste0("^", field, ":"), readLines("/proc/self/status"), value = TRUE)
  as.numeric(gsub("[^0-9]", "", line)) / 1024
}

for_memory <- identical(Sys.getenv("BENCH"), "memory")

# The best of several runs in seconds; or the peak memory of one, in MB.
measure <- function(expr, times = 5) {
  expr <- substitute(expr)
  env <- parent.frame()
  gc(FALSE)
  if (for_memory) {
    return(peak_of(expr, env))
  }
  min(vapply(seq_len(times), function(i) {
    gc(FALSE)
    system.time(eval(expr, env), gcFirst = FALSE)[["elapsed"]]
  }, numeric(1)))
}

report <- function(title, ...) {
  measured <- c(...)
  cat("\n", title, "\n", sep = "")
  if (for_memory) {
    cat(sprintf("  %-46s peak %7.0f MB\n", names(measured), measured), sep = "")
  } else {
    cat(sprintf("  %-46s %8.3f s  %6.2f times ours\n", names(measured), measured,
                measured / measured[1]), sep = "")
  }
}

# The group as a column that has not been counted by yet.
fresh <- function(x) {
  x$group <- rlang::duplicate(x$group)
  x
}

chosen <- commandArgs(trailingOnly = TRUE)
wanted <- function(name) length(chosen) == 0 || name %in% chosen
set.seed(1)

if (wanted("daily")) {
  n <- 1e7
  day <- as.Date("2016-01-01")
  start <- day + sample.int(3600, n, replace = TRUE)
  records <- data.frame(start = start, end = start + sample.int(400, n, replace = TRUE))
  x <- spans(records, start, end, as_of = max(records$end))
  starts <- as.double(unclass(records$start))
  ends <- as.double(unclass(records$end))
  report("10 million records over ten years, counts by day, no key",
         "active(by = \"day\")" = measure(active(x, by = "day")),
         "sum() over both columns as plain numbers" = measure(sum(starts) + sum(ends)))
  rm(x, records, start, starts, ends)
}

if (wanted("keys")) {
  n <- 5e6
  records <- data.table(
    observer = sample.int(1.7e6, n, replace = TRUE),
    group = sprintf("g%03d", sample.int(200, n, replace = TRUE)),
    start = as.Date("2016-01-01") + sample.int(3200, n, replace = TRUE)
  )
  records[, end := start + as.integer(rexp(n, 1 / 240))]
  x <- spans(records, start, end, key = observer, as_of = max(records$end))
  first_use <- measure(active(fresh(x), by = "month", group = group), times = 3)
  invisible(active(x, by = "month", group = group))
  expanded <- function() {
    months_of <- function(date) {
      date <- as.POSIXlt(date)
      12L * (date$year + 1900L) + date$mon
    }
    first <- months_of(records$start)
    last <- months_of(records$end)
    count <- last - first + 1L
    rows <- data.table(group = rep(records$group, count), observer = rep(records$observer, count),
                       month = sequence(count, from = first))
    unique(rows)[, .N, by = .(group, month)]
  }
  ours <- active(x, by = "month", group = group)
  theirs <- expanded()[order(group, month)]
  stopifnot(identical(ours$active[ours$active > 0], theirs$N))
  report("5 million records on 1.7 million keys, distinct keys by month in 200 groups",
         "active(by = \"month\", group)" = measure(active(x, by = "month", group = group)),
         "the same, groups seen for the first time" = first_use,
         "order(group, key, start, method = \"radix\")" =
           measure(order(records$group, records$observer, records$start, method = "radix"), times = 3),
         "data.table: expand to months, unique(), count" = measure(expanded(), times = 2))
  rm(x, records, ours, theirs)
}

if (wanted("scaffold")) {
  n <- 1.6e5
  records <- data.frame(key = sample.int(5e4, n, replace = TRUE),
                        start = as.Date("2014-01-01") + sample.int(3000, n, replace = TRUE))
  records$end <- records$start + sample.int(1249, n, replace = TRUE)
  x <- spans(records, start, end, key = key, as_of = "2026-06-30")
  by_hand <- function() {
    sorted <- records[order(records$key, records$start), ]
    days <- as.integer(sorted$end - sorted$start) + 1L
    period <- structure(sequence(days, from = as.integer(sorted$start)), class = "Date")
    list(row = rep.int(as.integer(rownames(sorted)), days), key = rep.int(sorted$key, days),
         step = sequence(days), period = period, period_end = period, start = period, end = period,
         days = rep.int(1L, length(period)))
  }
  cat(format(length(by_hand()$row), big.mark = ","), "rows\n")
  report("A daily scaffold of 100 million rows",
         "scaffold(by = \"day\")" = measure(scaffold(x, by = "day"), times = 3),
         "sequence() and rep.int(), the same columns" = measure(by_hand(), times = 3))
  rm(x, records)
}

if (wanted("reader") && !for_memory) {
  n <- 1e6
  file <- tempfile(fileext = ".csv")
  mdy <- function(days) format(as.Date("2020-01-01") + 0:2400, "%m/%d/%Y")[days]
  first <- sample.int(2000, n, replace = TRUE)
  fwrite(data.table(observer = sprintf("OB-%06d", sample.int(3e5, n, replace = TRUE)),
                    station = sprintf("station %d", sample.int(20, n, replace = TRUE)),
                    first_day = mdy(first), last_day = mdy(first + sample.int(300, n, replace = TRUE))), file)
  report("A file of a million records, two columns of dates as text, month first",
         "read_records()" = measure(records <- suppressMessages(read_records(file))),
         "fread(), every column as text" = measure(fread(file, colClasses = "character")))
  stopifnot(inherits(records$first_day, "Date"), inherits(records$last_day, "Date"))
}

if (wanted("ranges")) {
  n <- 5e6
  records <- data.table(k = sample.int(1.7e6, n, replace = TRUE), start = sample.int(3200L, n, replace = TRUE) + 16800L)
  records[, stop := start + sample.int(120L, n, replace = TRUE)]
  as_days <- function(days) structure(days, class = "Date")
  x <- spans(data.frame(k = records$k, start = as_days(records$start), stop = as_days(records$stop)), start, stop,
             key = k, end_counts = FALSE, as_of = "2026-06-30")
  # What an analyst would write: sort, furthest end so far, break where it is passed.
  stretches_by_hand <- function(records) {
    sorted <- records[order(k, start)]
    sorted[, reach := shift(cummax(stop)), by = k]
    sorted[, piece := cumsum(is.na(reach) | start > reach)]
    sorted[, .(k = k[1L], start = start[1L], stop = max(stop), records = .N), by = piece]
  }
  gaps_by_hand <- function(records) {
    sorted <- records[order(k, start)]
    sorted[, reach := shift(cummax(stop)), by = k]
    sorted[!is.na(reach) & start > reach, .(k, start = reach, stop = start)]
  }
  # Without a step per key: ends shifted apart by key, so that one running maximum does.
  gaps_vectorised <- function(records) {
    order <- order(records$k, records$start, method = "radix")
    key <- records$k[order]
    start <- records$start[order]
    apart <- 1e5 * key
    reach <- cummax(records$stop[order] + apart)
    i <- seq_along(key)[-1]
    i <- i[key[i] == key[i - 1L] & start[i] + apart[i] > reach[i - 1L]]
    data.frame(key = key[i], start = reach[i - 1L] - apart[i], stop = start[i])
  }
  joined <- function(records) {
    records <- data.table(id = seq_len(nrow(records)), records)
    records[records, on = .(k, start < stop, stop > start), .(a = x.id, b = i.id), allow.cartesian = TRUE, nomatch = NULL][a < b]
  }
  sorting <- measure(order(records$k, records$start, method = "radix"))
  once <- if (for_memory) 1 else 2
  report("5 million spans on 1.7 million keys, in no order: stretches",
         "consecutive()" = measure(consecutive(x)), "order(key, start, method = \"radix\") alone" = sorting,
         "data.table: cummax() by key, cumsum()" = measure(stretches_by_hand(records), once))
  report("The same: gaps",
         "gaps()" = measure(gaps(x)), "order(key, start, method = \"radix\") alone" = sorting,
         "base R: order(), one cummax() over all" = measure(gaps_vectorised(records), once),
         "data.table: cummax() by key" = measure(gaps_by_hand(records), once))
  pairs <- overlaps(x)
  report(sprintf("The same: all %s overlapping pairs", format(nrow(pairs), big.mark = ",")),
         "overlaps()" = measure(overlaps(x)), "order(key, start, method = \"radix\") alone" = sorting,
         "data.table: non-equi self-join" = measure(joined(records), 1))
  stopifnot(nrow(gaps(x)) == nrow(gaps_vectorised(records)), nrow(consecutive(x)) == nrow(stretches_by_hand(records)),
            nrow(pairs) == nrow(joined(records)))
  if (!for_memory && requireNamespace("RSQLite", quietly = TRUE)) {
    con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
    DBI::dbWriteTable(con, "spans", data.frame(id = seq_len(n), k = records$k, start = records$start, stop = records$stop))
    sql <- "select k, before, start from (select k, start, max(stop) over (partition by k order by start, id
            rows between unbounded preceding and 1 preceding) as before from spans) where start > before"
    report("The same gaps in SQL", "gaps()" = measure(gaps(x)),
           "SQLite: window functions, in memory" = measure(DBI::dbGetQuery(con, sql), 1))
    DBI::dbDisconnect(con)
  }
}

if (wanted("amounts")) {
  n <- 5e6
  records <- data.table(group = sprintf("g%03d", sample.int(200, n, replace = TRUE)), start = sample.int(3200L, n, replace = TRUE) + 16800L,
                        amount = round(runif(n, 1, 5000), 2))
  records[, end := start + sample.int(500L, n, replace = TRUE)]
  as_days <- function(days) structure(days, class = "Date")
  x <- spans(data.frame(group = records$group, start = as_days(records$start), end = as_days(records$end), amount = records$amount),
             start, end, as_of = "2026-06-30")
  # One row per span and month, its share of the days, summed.
  expanded <- function(records, rounded) {
    month_of <- function(day) (as.POSIXlt(as_days(day))$year - 100L) * 12L + as.POSIXlt(as_days(day))$mon
    bounds <- as.integer(seq(as.Date("2000-01-01"), by = "month", length.out = 700))
    first <- month_of(records$start)
    size <- month_of(records$end) - first + 1L
    month <- sequence(size, first)
    at <- rep.int(seq_len(nrow(records)), size)
    days <- pmin(records$end[at] + 1L, bounds[month + 2L]) - pmax(records$start[at], bounds[month + 1L])
    share <- records$amount[at] * days / (records$end - records$start + 1L)[at]
    if (rounded) share <- round(share, 2)
    data.table(group = records$group[at], month, share)[, .(amount = sum(share)), by = .(group, month)]
  }
  invisible(allocate(x, amount, group = group))
  once <- 1
  report("5 million amounts to months in 200 groups, unrounded",
         "allocate(by = \"month\", group)" = measure(allocate(x, amount, group = group)),
         "data.table: expanded to months, shared, summed" = measure(expanded(records, FALSE), once))
  report("The same to the cent",
         "allocate(..., digits = 2)" = measure(allocate(x, amount, group = group, digits = 2), 3),
         "data.table: expanded, rounded, summed" = measure(expanded(records, TRUE), once))
}

if (wanted("time")) {
  n <- 1e7
  start <- as.Date("2016-01-01") + sample.int(3000, n, replace = TRUE)
  end <- start + sample.int(400, n, replace = TRUE)
  closed <- calendar_rules(holidays = as.Date("2016-01-01") + sample.int(3600, 200))
  starts <- as.double(start)
  ends <- as.double(end)
  report("10 million pairs of dates, 200 holidays",
         "working_days()" = measure(working_days(start, end, closed)),
         "the two columns subtracted as plain numbers" = measure(ends - starts))
  rm(start, end, starts, ends)
  n <- 5e6
  begin <- as.POSIXct("2016-01-01", tz = "UTC") + sample.int(3.2e8, n, replace = TRUE)
  watches <- data.frame(group = sample.int(200, n, replace = TRUE), begin, finish = begin + sample.int(43200, n, replace = TRUE), pay = runif(n))
  x <- spans(watches, begin, finish, tz = "Europe/Vienna", as_of = "2026-06-30")
  invisible(allocate(x, pay, group = group, calendar = closed))
  office <- calendar_rules(hours = c("09:00", "12:00", "13:00", "17:30"), holidays = as.Date("2016-01-01") + sample.int(3600, 200))
  report("5 million watches by month in 200 groups",
         "time_within(by = \"month\", group)" = measure(time_within(x, group = group), 3),
         "allocate(), unrounded, of the same watches" = measure(allocate(x, pay, group = group), 3),
         "time_within() of working hours and a night band" = measure(time_within(x, group = group, calendar = office, bands = list(night = c("22:00", "06:00"))), 2))
}

if (wanted("restated")) {
  n <- 1e6
  now <- data.frame(observer = sample.int(3e5, n, replace = TRUE), group = sample(letters[1:8], n, TRUE), start = as.Date("2016-01-01") + sample.int(3200, n, TRUE))
  now$end <- now$start + sample.int(500, n, replace = TRUE)
  was <- now[-sample(n, 2000), ]
  was$end[sample(nrow(was), 5000)] <- NA
  was$group[sample(nrow(was), 5000)] <- "a"
  x <- spans(now, start, end, key = observer, as_of = "2026-06-30")
  earlier <- spans(was, start, end, key = observer, as_of = "2026-05-31")
  report("Two exports of a million records, by month",
         "active() of both" = measure({active(x); active(earlier)}),
         "restated()" = measure(restated(x, earlier)))
  report("The same in 8 groups, seen for the first time",
         "active() of both" = measure({active(fresh(x), group = group); active(fresh(earlier), group = group)}),
         "restated()" = measure(restated(fresh(x), fresh(earlier), group = group)))
}

if (wanted("flow")) {
  n <- 5e6
  records <- data.frame(observer = sample.int(1.7e6, n, replace = TRUE), group = sample.int(200, n, replace = TRUE),
                        start = as.Date("2016-01-01") + sample.int(3200, n, replace = TRUE))
  records$end <- records$start + sample.int(500, n, replace = TRUE)
  x <- spans(records, start, end, key = observer, as_of = max(records$end))
  invisible(active(x, group = group))
  report("5 million records on 1.7 million keys, by month, 200 groups",
         "active() of distinct keys" = measure(active(x, group = group)),
         "movement() with the line over all groups" = measure(movement(x, group = group, total = TRUE)),
         "cohorts() in 200 groups" = measure(cohorts(x, group = group)),
         "cohorts()" = measure(cohorts(x)))
}

# Ratios of medians, each way in turn.
interleaved <- function(title, ..., times = 5) {
  ways <- eval(substitute(alist(...)))
  env <- parent.frame()
  if (for_memory) {
    return(do.call(report, c(title, lapply(ways, peak_of, env))))
  }
  took <- vapply(seq_len(times), function(i) {
    vapply(ways, function(way) {
      gc(FALSE)
      system.time(eval(way, env), gcFirst = FALSE)[["elapsed"]]
    }, 0)
  }, numeric(length(ways)))
  report(title, apply(took, 1, stats::median))
}

# Whole processes, from the file to the answer; five columns of which three are needed.
if (wanted("command") && !for_memory) {
  n <- 1e6
  folder <- tempfile("bench")
  dir.create(folder)
  files <- file.path(folder, c("records.csv", "records.parquet"))
  start <- as.Date("2016-01-01") + sample.int(3600, n, replace = TRUE)
  table <- data.table(observer = sprintf("OB-%06d", sample.int(3e5, n, replace = TRUE)), share = sample(1:10, n, TRUE) / 10,
                      station = sprintf("station %d", sample.int(20, n, replace = TRUE)),
                      first_day = start, last_day = start + sample.int(400, n, replace = TRUE))
  fwrite(table, files[1])
  nanoparquet::write_parquet(as.data.frame(table), files[2])
  small <- system.file("extdata", "postings.csv", package = "almanacridge")
  out <- file.path(folder, "out.csv")
  ridge <- function(file) {
    system2("./ridge", c("active", file, "--start", "first_day", "--end", "last_day", "--key", "observer", "--by", "month",
                         "--as-of", "2026-06-30", "--out", out), stderr = FALSE)
    stopifnot(nrow(fread(out)) > 0)
  }
  script <- function(code) system2("Rscript", c("-e", shQuote(code)), stdout = FALSE)
  columns <- "c(\"observer\", \"first_day\", \"last_day\")"
  interleaved("A million records of CSV, whole processes", "ridge active --by month --key" = ridge(files[1]),
              "Rscript that only reads, fread(select = )" = script(sprintf("x <- data.table::fread(\"%s\", select = %s)", files[1], columns)))
  interleaved("The same of Parquet", "ridge active --by month --key" = ridge(files[2]),
              "Rscript that only reads these columns" = script(sprintf("x <- nanoparquet::read_parquet(\"%s\", col_select = %s)", files[2], columns)))
  interleaved("A small file", "ridge active --by month --key" = ridge(small), "Rscript -e 1" = script("1"))
}

if (wanted("declare") || wanted("threads")) {
  n <- 5e6
  as_of <- "2026-06-30"
  records <- data.frame(key = sample.int(1.7e6, n, TRUE), start = as.Date("2016-01-01") + sample.int(3200, n, TRUE))
  records$end <- records$start + sample.int(500, n, TRUE)
  records$group <- sample.int(200, n, TRUE)
  records$amount <- round(runif(n, 1, 900), 2)
  texts <- data.frame(key = sprintf("K%07d", records$key), records[c("start", "end")])
  open <- records
  open$end[sample.int(n, n / 20)] <- NA
  declared <- function(records) spans(records, start, end, key = key, as_of = as_of)
  keys <- function() active(declared(records), group = group, to = "2026-12-31")
  shares <- function() allocate(declared(open), amount, group = group, digits = 2, open_to_as_of = TRUE)
}

if (wanted("declare")) {
  by_month <- function(one) as.integer(format(one, "%Y")) * 12L + as.integer(format(one, "%m"))
  expand <- function(amounts) {
    days <- data.table(day = seq(as.Date("2016-01-01"), as.Date("2026-12-31"), by = 1))
    months <- days[, .(first = min(day), last = max(day)), by = .(month = by_month(day))]
    table <- as.data.table(if (amounts) open else records)
    if (amounts) table[is.na(end), end := as.Date(as_of)]
    place <- function(day) findInterval(day, months$first)
    table[, `:=`(from = place(start), to = place(end))]
    each <- table$to - table$from + 1L
    row <- rep(seq_len(n), each)
    month <- sequence(each, table$from)
    if (!amounts) return(unique(data.table(group = table$group[row], month, who = table$key[row]))[, .N, by = .(group, month)])
    covered <- as.integer(pmin(table$end[row], months$last[month]) - pmax(table$start[row], months$first[month])) + 1L
    share <- table$amount[row] * covered / (as.integer(table$end - table$start) + 1L)[row]
    data.table(group = table$group[row], month, share)[, .(amount = sum(share)), by = .(group, month)]
  }
  interleaved("Declaring 5 million records with a number as key, from the data frame",
              "spans()" = declared(records),
              "order(key, start, method = \"radix\")" = order(records$key, records$start, method = "radix"),
              "spans() and consecutive()" = consecutive(declared(records)))
  interleaved("Declaring 5 million records without a key",
              "spans()" = spans(records, start, end, as_of = as_of),
              "sum() of both columns" = sum(unclass(records$start)) + sum(unclass(records$end)))
  interleaved("Declaring 5 million records with 1.7 million texts as keys",
              "spans()" = declared(texts),
              "setorder() of key and start" = setorder(as.data.table(texts[c("key", "start")]), key, start))
  interleaved("Distinct keys by month in 200 groups, from the data frame", times = 3,
              "spans() and active()" = keys(), "data.table, expanded" = expand(FALSE))
  interleaved("5 million amounts to months in 200 groups, open spans to the as-of date, from the data frame", times = 3,
              "spans() and allocate()" = shares(), "data.table, expanded" = expand(TRUE))
  few <- records[sample.int(n, 4e5), ]
  interleaved("Declaring 400,000 records and their overlaps",
              "spans() and overlaps()" = overlaps(declared(few)),
              "order(key, start, method = \"radix\")" = order(few$key, few$start, method = "radix"))
}

# What two threads gain; and what they gain right before and after at sums that want no memory,
# for on a machine that is shared two processors are not always two.
if (wanted("threads") && !for_memory) {
  Rcpp::sourceCpp("bench/arithmetic.cpp")
  took <- function(expr) system.time(expr, gcFirst = FALSE)[["elapsed"]]
  on_threads <- function(threads, ask) {
    options(almanacridge.threads = threads)
    gc(FALSE)
    took(ask())
  }
  gain_of_sums <- function() took(arithmetic(1)) / took(arithmetic(2))
  gain <- function(title, ask, times = 25) {
    each <- vapply(seq_len(times), function(i) {
      before <- gain_of_sums()
      one <- on_threads(1, ask)
      two <- on_threads(2, ask)
      c(one, two, one / two, range(before, gain_of_sums()))
    }, numeric(5))
    options(almanacridge.threads = NULL)
    row <- apply(each, 1, stats::median)
    whole <- each[4, ] >= 1.8
    cat(sprintf("  %-26s %6.3f s %6.3f s  gain %.2f, of sums %.2f; %.2f in the %d pairs where sums gain 1.8 before and after\n",
                title, row[1], row[2], row[3], mean(row[4:5]), stats::median(each[3, whole]), sum(whole)))
  }
  cat("\nOne thread and two, 5 million records, medians of 25 pairs\n")
  gain("spans()", function() declared(records))
  gain("spans() and consecutive()", function() consecutive(declared(records)))
  gain("spans(), texts as keys", function() declared(texts))
  gain("spans() and active()", keys)
  gain("spans() and allocate()", shares)
}

# Seconds for each million records, whatever their number.
if (wanted("files")) {
  folder <- tempfile()
  dir.create(folder)
  paths <- file.path(folder, sprintf("%02d.parquet", 1:20))
  for (path in paths) {
    n <- 1e6
    start <- as.Date("2016-01-01") + sample.int(3200, n, TRUE)
    nanoparquet::write_parquet(data.frame(key = sample.int(7e6, n, TRUE), start = start, end = start + sample.int(500, n, TRUE),
                                          group = sample.int(200, n, TRUE)), path)
  }
  ask <- list("counts by day" = function(x) active(x, by = "day", of = "records"),
              "distinct keys by month in 200 groups" = function(x) active(x, group = group))
  in_memory <- function(what) {
    columns <- c("key", "start", "end", if (grepl("groups", what)) "group")
    read <- lapply(paths[1:5], nanoparquet::read_parquet, col_select = columns)
    ask[[what]](spans(rbindlist(read), start, end, key = key, as_of = "2026-06-30"))
  }
  in_parts <- function(what, files) ask[[what]](spans(record_files(files), start, end, key = key, as_of = "2026-06-30"))
  for (what in names(ask)) {
    took <- c("5 million read into memory" = measure(in_memory(what), 3) / 5, "2 million in 2 files" = measure(in_parts(what, paths[1:2]), 3) / 2,
              "20 million in 20 files" = measure(in_parts(what, paths), 3) / 20)
    cat("\nSeconds for a million records, from Parquet: ", what, "\n", sep = "")
    cat(sprintf("  %-46s %8.3f s  %6.2f times in memory\n", names(took), took, took / took[1]), sep = "")
  }
}

if (wanted("almanac")) {
  n <- 1e6
  folder <- tempfile()
  dir.create(folder)
  start <- as.Date("2016-01-01") + sample.int(3600, n, TRUE)
  fwrite(data.table(observer = sprintf("OB-%06d", sample.int(3e5, n, TRUE)), station = sample(month.name[1:8], n, TRUE),
                    role = sample(c("observer", "trainee", "guest"), n, TRUE), share = sample(1:10, n, TRUE) / 10,
                    amount = round(runif(n, 1, 900), 2), first_day = start, last_day = start + sample.int(500, n, TRUE)),
         file.path(folder, "postings.csv"))
  asked <- c(
    unlist(lapply(c("month", "quarter", "year"), function(by) lapply(c("", ", group: station", ", group: role, total: true"), function(group) {
      paste0("{ask: active, by: ", by, group, "}")
    }))),
    paste0("{ask: active, by: quarter, rule: ", c("first_day", "last_day", "every_day", "mean_day", "peak_day"), "}"),
    paste0("{ask: movement, by: ", c("month", "quarter", "year"), "}"), "{ask: movement, by: quarter, group: station, total: true}",
    paste0("{ask: allocate, amount: amount, by: ", c("month", "quarter", "year"), ", digits: 2, group: role, total: true}"),
    paste0("{ask: time_within, unit: days, by: ", c("month", "quarter"), ", group: station}"),
    "{ask: cohorts, by: quarter}", "{ask: cohorts, by: year}", "{ask: length_of_stay}", "{ask: consecutive, group: station}",
    "{ask: gaps, group: station}", "{ask: overlaps, group: station}", "{ask: active, by: quarter, against: year_before}")
  text <- c("title: A million records", "as_of: 2026-06-30", "records:",
            "  postings: {file: postings.csv, start: first_day, end: last_day, key: observer, weight: share}",
            "pages:", "  - title: One", "    questions:", paste0("      - ", asked[1:15]), "  - title: Two", "    questions:", paste0("      - ", asked[-(1:15)]))
  almanac <- file.path(folder, "almanac.yml")
  writeLines(text, almanac)
  cat("\n", length(asked), " questions\n", sep = "")
  build <- function() suppressMessages(build_almanac(almanac, out = file.path(folder, "edition")))
  # The same questions in a script: read once, each asked; and proven and drawn, as a build does.
  by_hand <- function(proven) suppressMessages({
    space <- asNamespace("almanacridge")
    session <- space$open_almanac(read_almanac(almanac))
    withr::with_dir(folder, for (page in session$almanac$pages) for (question in page$questions) {
      if (proven) space$drawn_answer(session, space$whole_answer(session, question), folder)
      else space$put_question(session, question)
    })
  })
  report("An almanac of 30 questions over a million records",
         "asked, proven and drawn in one process" = measure(by_hand(TRUE), 1),
         "build_almanac()" = measure(build(), 1),
         "only asked" = measure(by_hand(FALSE), 1))
  cat(sprintf("  the report has %.2f MB\n", file.size(file.path(folder, "edition", "index.html")) / 1e6))
}

# A table in PostgreSQL, each question beside the one that an analyst would write.
if (wanted("database") && !for_memory && nzchar(Sys.getenv("RIDGE_POSTGRES"))) {
  words <- strsplit(strsplit(Sys.getenv("RIDGE_POSTGRES"), " ")[[1]], "=")
  con <- do.call(DBI::dbConnect, c(list(RPostgres::Postgres()), stats::setNames(lapply(words, `[`, 2), vapply(words, `[`, "", 1))))
  by_months <- "with m as (select d::date as first, (d + interval '1 month' - interval '1 day')::date as last
    from generate_series('2016-01-01'::date, '2026-06-01'::date, '1 month') d)
    select grp, first, count(distinct id) from m join records on start <= last and stop >= first group by 1, 2"
  stretches <- "select id, min(start), max(stop), count(*) from (select *, sum(case when start <= before + 1 then 0 else 1 end)
    over (partition by id order by start, stop rows unbounded preceding) as piece from (select *, max(stop)
    over (partition by id order by start, stop rows between unbounded preceding and 1 preceding) as before from records) r) p group by id, piece"
  by_share <- "with m as (select d::date as first, (d + interval '1 month' - interval '1 day')::date as last
    from generate_series('2016-01-01'::date, '2026-06-01'::date, '1 month') d)
    select grp, first, sum(amount * (least(stop, last) - greatest(start, first) + 1) / (stop - start + 1))
    from m join records on start <= last and stop >= first group by 1, 2"
  for (n in c(2e5, 2e6)) {
    start <- as.Date("2016-01-01") + sample.int(3200, n, TRUE)
    DBI::dbWriteTable(con, "records", data.frame(id = sample.int(n * 0.35, n, TRUE), grp = sample.int(200L, n, TRUE), start = start,
                                                 stop = start + sample.int(500, n, TRUE),
                                                 amount = round(runif(n, 1, 5000), 2)), overwrite = TRUE)
    invisible(DBI::dbExecute(con, "analyze records"))
    x <- spans(dplyr::tbl(con, "records"), start, stop, key = id, as_of = "2026-06-30")
    interleaved(sprintf("%s records in PostgreSQL, distinct keys by month in 200 groups", format(n, big.mark = ",")), times = 3,
                "active()" = active(x, group = grp), "joined to months, count(distinct)" = DBI::dbGetQuery(con, by_months))
    interleaved("Amounts to months in these groups", times = 3,
                "allocate()" = allocate(x, amount, group = grp, digits = 2), "joined to months, shared" = DBI::dbGetQuery(con, by_share))
    interleaved("Stretches of the same", times = 3, "consecutive()" = consecutive(x), "window functions" = DBI::dbGetQuery(con, stretches))
  }
  DBI::dbExecute(con, "drop table records")
  DBI::dbDisconnect(con)
}
