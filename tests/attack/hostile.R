# Feeds every kernel vectors that no caller of ours would: missing, extreme, infinite,
# unsorted, empty, of wrong types and lengths. Each answers or refuses; under a sanitizer
# whatever is read or written past an end, or overflows, ends the run.
#   Rscript tests/attack/hostile.R SECONDS SEED
library(almanacridge)

namespace <- asNamespace("almanacridge")
touches_files <- c("file_kind", "create_file", "write_bytes", "flush_file", "refused_append", "move_file", "copy_onto",
                   "count_lines", "file_marks", "send_to_output", "heed_termination", "heed_progress", "asked_to_terminate", "in_child", "leave_child", "sound_parquet_columns", "exchange_folders", "record_cuts", "days_in_lines")
glue <- names(Filter(function(f) is.function(f) && any(grepl("\\.Call", deparse(f))), as.list(namespace)))
kernels <- setdiff(sort(glue), touches_files)

days <- function(n) sample(c(NA, -2147483647L, -4000001L, -1L, 0L, 1L, 20000L, 20010L, 20400L, 4000000L, 2147483647L), n, TRUE, c(1, 1, 1, 5, 5, 9, 30, 30, 30, 1, 9))
moments <- function(n) sample(c(NA, NaN, -Inf, Inf, -1e300, 1e300, 0, -0.5, 1.7e9, 1.7e9 + 1e-6, 1.71e9, 4e11, 5e-324), n, TRUE, c(1, 1, 1, 9, 1, 1, 9, 5, 30, 9, 30, 1, 1))
sound_days <- function(n) 20000L + sort(sample(0:400, n, TRUE))
numbers <- function(n) sample(c(NA, NaN, Inf, -Inf, 0, -0, 1, 0.1, 1 / 3, -7, 1e17, 1e308, 5e-324, 2^53), n, TRUE)
codes <- function(n) sample(c(NA, -1L, 0:3, 2147483647L), n, TRUE, c(1, 1, 30, 30, 9, 9, 1))
texts <- function(n) {
  pool <- c(NA, "", " ", "2026-01-01", "2026-02-30T25:61", "31/12/99", "1e400", strrep("9", 5000), "\u00a0x\u00a0", "\"\"", "a\"\"b", "-", "12.345", "1,234,567",
            "10:00", "24:00 pm", "4 March 2026 4:20 PM", "\xff\xfe", "1.7e+308", "T", "2026-01-01T10:00:00.999999999999+15:59")
  sample(pool, n, TRUE)
}

size <- function() sample(c(0, 1, 2, 3, 7, 40), 1)
odd <- function(n) if (stats::runif(1) < 0.05) size() else n

# An argument by its name; `n` spans and `p` periods, mostly as they should be.
argument <- function(name, call) {
  n <- odd(call$n)
  p <- odd(call$p)
  wild <- stats::runif(1) < call$wild
  switch(name,
    start = , stop = , end = , open = , close = spans_of(name, n, call, wild),
    first = , last = if (call$kernel == "day_spans") sample(c(-4000000L, 0L, 30000L, 4000000L, NA), 1) else periods_of(name, p, call, wild),
    last_end = sample(c(20400L, 4000000L, 4000000L, -5L, NA), 1), behind = sample(c(0L, 1L, 1L, 2L, NA), 1), means_open = if (wild) days(n) else 20010L[wild],
    threads = sample(c(1L, 1L, 2L, 2L, 5L, 0L, -1L, NA), 1),
    group = , line = , side = , key = , ids = if (stats::runif(1) < 0.25) NULL else if (wild) codes(n) else if (name == "key") sort(sample(0:3, n, TRUE)) else sample(0:3, n, TRUE),
    groups = , keys = , sides = sample(c(-1L, 0L, 1L, 4L, 4L, 4L, NA), 1),
    weight = , amount = if (stats::runif(1) < 0.3) NULL else if (wild) numbers(n) else stats::runif(n, 0, 100),
    scale = sample(c(1, 100, 2^40, 0, -1, NaN, Inf), 1, prob = c(9, 9, 3, 1, 1, 1, 1)),
    rule = sample(c("any_day", "first_day", "last_day", "every_day", "mean_day", "peak_day", "", "x"), 1),
    total = , returns = , equal_parts = , rounded = , tags = , with_places = , daily = , in_months = sample(c(TRUE, FALSE), 1),
    from = , to = sample(c(-1L, 0L, 0L, 1L, call$p, call$p, NA, 2147483647L), 1),
    as_of = sample(c(NA, 20300, 1.7e9, NaN, Inf, -1e300), 1), moment = if (wild) numbers(n) else Sys.Date()[0],
    until = , tolerance = , least = , less = sample(c(0, 1, 1, 20200, 1.7e9, NaN, Inf, -1), 1),
    how = list(threads = sample(c(1L, 2L, 5L, 0L, NA), 1, prob = c(9, 9, 1, 1, 1)),
               parts = if (wild) list(as.raw(sample(0:255, size() * 9, TRUE)), 1:3)[sample(2, 1)], keep = sample(c(TRUE, FALSE), 1)),
    known = if (stats::runif(1) < 0.5) NULL else c(sample(c(0, 3, 40, 1e6, -1, NaN), 1), sample(c(0.05, 1, 20, 1e-3, 1e9, 0, -1, Inf), 1)),
    columns = list(texts(n), numbers(n), 1L)[sample(3, sample(0:2, 1))],
    pairs = sample(c(0, 1, 10, 1000, -1, NaN, 1e300), sample(0:3, 1), TRUE),
    rows = if (call$kernel != "chosen_index") sample(c(0, 1, 10, 1000, -1, NaN, 1e300), 1) else if (wild) codes(n) else which(stats::runif(n) < 0.5),
    order = if (wild) codes(n) else sample.int(n),
    before = if (stats::runif(1) < 0.4) NULL else if (wild) days(size()) else cumsum(sample(0:1, 500, TRUE)),
    origin = sample(c(19990L, 20000L, 0L, NA, -2147483647L), 1, prob = c(9, 3, 1, 1, 1)),
    measure = measure_of(call, wild),
    now = , was = list_of(call, wild), by_start = sample(c(TRUE, FALSE), 1),
    values = if (stats::runif(1) < 0.5) numbers(n) else days(n), times = sample(c(0:3, if (wild) c(NA, -1L, 2147483647L)), n, TRUE),
    unit = sample(c(1, 100, 1e6, 0, -1, NaN), 1), bits = numbers(n), bytes = as.raw(sample(0:255, size() * 9, TRUE)),
    sheet = charToRaw(paste(sample(c("<c ", "<c r=\"A1\"", " t=\"e\">", "r=\"XFD999999999999\">", ">", "<c r=\"AAAAAAAAAAAAAAA1\" t=\"e\">"), 12, TRUE), collapse = "")),
    text = , texts = , labels = texts(n), months = tolower(c(month.name, if (wild) texts(3)[0])), decimal = sample(c(".", ","), 1),
    year = sample(c(NA, 1600:1603, 2024L, 2147483647L, -2147483647L), n, TRUE), month = sample(c(NA, -1L, 0:13, 2147483647L), n, TRUE),
    day = sample(c(NA, 0:32, 2147483647L), n, TRUE), days = if (call$kernel == "civil_dates") days(n) else numbers(n),
    places = if (wild) codes(n) else sample.int(max(n, 1), n, TRUE),
    size = sample(c(-1L, 0L, 1L, 3L, 12L, 2147483647L, NA), 1), stop("no argument ", name))
}

spans_of <- function(name, n, call, wild) {
  if (call$kernel == "working_between_days" || call$kernel == "day_extent") return(if (wild) moments(n) else as.double(sound_days(n)))
  clock <- call$instants || name %in% c("open", "close")
  if (wild) return(if (clock) moments(n) else days(n))
  at <- sound_days(n) + if (name %in% c("stop", "close", "end")) sample(0:30, n, TRUE) else 0L
  if (name == "stop" && n > 0) at[stats::runif(n) < 0.2] <- NA
  if (!clock) return(replace(at, is.na(at), 2147483647L))
  replace(at * 86400 + 0.25, is.na(at), Inf)
}

periods_of <- function(name, p, call, wild) {
  if (wild) return(if (call$instants) moments(p) else days(p))
  edges <- 20000L + 30L * (seq_len(p) - (name == "first"))
  if (call$instants) edges * 86400 else edges
}

list_of <- function(call, wild) {
  if (wild && stats::runif(1) < 0.2) return(if (stats::runif(1) < 0.5) codes(call$n) else list(days(call$n), NULL))
  part <- function(name) argument(name, call)
  unname(c(lapply(c("start", "stop"), part), list(if (wild) codes(call$n) else sort(sample(-1:3, call$n, TRUE))), lapply(c("key", "line", "weight"), part)))
}

measure_of <- function(call, wild) {
  if (stats::runif(1) < 0.4) return(NULL)
  if (wild) return(list(days(3), NA)[seq_len(sample(1:2, 1))])
  if (call$instants) list(20000 * 86400 + 0:50 * 86400, 20000 * 86400 + 0:50 * 86400 + 3600)
  else list(cumsum(sample(0:1, 1200, TRUE)), 19990L)
}

tried <- stats::setNames(numeric(length(kernels)), kernels)
answered <- tried

run_hostile <- function(seconds, seed) {
  set.seed(seed)
  until <- proc.time()[["elapsed"]] + seconds
  while (proc.time()[["elapsed"]] < until) {
    call <- list(kernel = sample(kernels, 1), n = size(), p = sample(0:5, 1), instants = stats::runif(1) < 0.4, wild = sample(c(0, 0.1, 0.5), 1))
    kernel <- get(call$kernel, namespace)
    arguments <- lapply(stats::setNames(names(formals(kernel)), names(formals(kernel))), argument, call)
    if (nzchar(Sys.getenv("HOSTILE_TRACE"))) dput(list(call$kernel, arguments), Sys.getenv("HOSTILE_TRACE"))
    got <- tryCatch(do.call(kernel, arguments), error = identity)
    tried[[call$kernel]] <<- tried[[call$kernel]] + 1
    answered[[call$kernel]] <<- answered[[call$kernel]] + !inherits(got, "error")
  }
  sum(tried)
}

if (sys.nframe() == 0) {
  asked <- as.double(commandArgs(trailingOnly = TRUE))
  seed <- if (length(asked) > 1) asked[2] else as.integer(Sys.time()) %% 1e6
  cat("seed", seed, "\n")
  calls <- run_hostile(if (length(asked)) asked[1] else 120, seed)
  never <- names(answered)[answered == 0]
  cat(sprintf("hostile: %s calls of %d kernels, %s answered, the others refused (seed %s)\n", format(calls, big.mark = ","),
              length(kernels), format(sum(answered), big.mark = ","), seed))
  if (length(never)) cat("never answered:", never, "\n")
}
