# Generated tables in databases: whatever is asked of them has to be what memory answers, to the
# last bit, names, types, order and the line of conventions included; and it has to tie.
#   Rscript tests/attack/database.R SECONDS SEED
# asks until the time is up, in turn of SQLite, of PostgreSQL where RIDGE_POSTGRES names one, of DuckDB
# where its package is installed, and of two tables that the records are spread over.
suppressMessages(library(almanacridge))
for (file in c("helper-oracle.R", "helper-database.R")) source(file.path("tests/testthat", file))
asked <- as.numeric(commandArgs(trailingOnly = TRUE))
seconds <- asked[1]
seed <- asked[2]

address <- Sys.getenv("RIDGE_POSTGRES")
connect <- list(SQLite = function() DBI::dbConnect(RSQLite::SQLite(), ":memory:"))
if (address != "") connect$PostgreSQL <- function() do.call(DBI::dbConnect, c(list(RPostgres::Postgres()), words_of_address(address)))
if (requireNamespace("duckdb", quietly = TRUE)) connect$DuckDB <- function() suppressMessages(DBI::dbConnect(duckdb::duckdb()))
# One table; one in each of two databases; two in one.
places <- c(as.list(names(connect)), list(rep(names(connect), 2)[1:2]), lapply(names(connect), rep, 2))

# Some lists together, so that keys have many records, with numbers and amounts to the cent.
make_records <- function(seed) {
  records <- do.call(rbind, lapply(seed + seq_len(1 + seed %% 4), random_records))
  if (seed %% 3 == 0) records$who <- paste0(records$who, seq_along(records$who) %% 3)
  transform(records, id = seq_along(who), share = round(share, 1), amount = round(as.numeric(start - as.Date("2024-01-01")) + share * 10.37, 2))
}

office <- calendar_rules(hours = c("09:00", "17:20"), holidays = as.Date("2024-02-20"))
grains <- c("month", "week", "day", "10 days", "quarter")
of_whom <- c("keys", "records", "weight")

# Rows of a table that stays where it is have no order, and are not of the types of memory.
rows_in_order <- function(rows) {
  line <- conventions(rows)
  rows <- lapply(as.data.frame(if (inherits(rows, "tbl_lazy")) dplyr::collect(rows) else rows), function(column) {
    if (is.logical(column)) as.integer(column) else if (inherits(column, "integer64")) as.integer(column)
    else if (inherits(column, "Date")) format(column) else column
  })
  attributes(rows) <- list(names = names(rows))
  rows <- as.data.frame(rows)
  list(rows[do.call(order, unname(rows[intersect(c("row", "who", "period"), names(rows))])), ], line)
}

questions <- function(seed) {
  by <- grains[seed %% 5 + 1]
  of <- of_whom[seed %% 3 + 1]
  counts <- lapply(rule_names <- c("any_day", "every_day", "first_day", "last_day", "mean_day", "peak_day"), function(rule) {
    function(x) active(x, by = by, group = site, rule = rule, of = of, total = rule == "any_day")
  })
  c(stats::setNames(counts, paste("active", rule_names)), list(
    active_on = function(x) active(x, on = c("2024-02-29", "2024-03-01"), group = c(site, who), of = of),
    movement = function(x) movement(x, by = by, group = site, of = of, total = TRUE, returns = of == "keys" && seed %% 2 == 0),
    concurrency = function(x) concurrency(x, group = site, of = of),
    peaks = function(x) peaks(x, capacity = 1 + seed %% 3),
    consecutive = function(x) consecutive(x, per = c(who, site), tolerance = seed %% 4),
    longest = function(x) consecutive(x, longest = TRUE),
    gaps = function(x) gaps(x, min_days = seed %% 3 * 10),
    missing_days = function(x) missing_days(x),
    overlaps = function(x) overlaps(x, min_days = seed %% 3 * 5),
    roster = function(x) roster(x, "2024-03-05"),
    explain_count = function(x) explain_count(x, "2024-03-01", of = of),
    cohorts = function(x) cohorts(x, by = by, group = site, returns = seed %% 2 == 0),
    elapsed = function(x) elapsed(x, carry = site),
    elapsed_group = function(x) elapsed(x, "hours", office, by = by, group = site, by_start = seed %% 2 == 0, within = 80),
    time_within = function(x) time_within(x, by = by, group = site, total = TRUE),
    allocate = function(x) allocate(x, amount, by = by, group = site, digits = 2, open_to_as_of = TRUE, total = TRUE, basis = c("day", "period")[seed %% 2 + 1]),
    stretch_rows = function(x) consecutive(x, tolerance = seed %% 3, show = "records"),
    movement_rows = function(x) movement(x, by = by, group = site, of = of, show = "records"),
    cohort_rows = function(x) cohorts(x, by = by, group = site, show = "records"),
    pieces = function(x) allocate(x, amount, by = by, digits = 2, open_to_as_of = TRUE, carry = site),
    times = function(x) time_within(x, by = by, bands = list(night = c("22:00", "06:00"))),
    seen = function(x) active(as_seen_on(x, "2024-03-04"), by = by, group = site, of = of),
    check_spans = function(x) check_spans(x),
    scaffold = function(x) rows_in_order(scaffold(x, by = by, of = "records", carry = site)),
    presence = function(x) rows_in_order(scaffold(x, by = by, every_period = TRUE))))
}

# What is not answered over several tables, or of records that begin after the as-of date, is told
# of an error in both.
answer <- function(ask, x) {
  tryCatch({
    found <- ask(x)
    if (is.data.frame(found)) list(table = as.data.frame(found), line = conventions(found), result = found)
    else list(table = data.frame(found[[1]], row.names = NULL), line = found[[2]])
  }, ridge_error_records = function(cnd) "refused", ridge_error_engine = function(cnd) NULL)
}

started <- proc.time()[["elapsed"]]
tally <- c(tables = 0, questions = 0, tied = 0, refused = 0, different = 0)
while (proc.time()[["elapsed"]] - started < seconds) {
  records <- make_records(seed)
  servers <- places[[seed %% length(places) + 1]]
  opened <- lapply(unique(servers), function(name) connect[[name]]())
  cons <- opened[match(servers, unique(servers))]
  at <- match(records$who, unique(records$who)) %% length(cons) + 1
  tables <- lapply(seq_along(cons), function(i) in_table(cons[[i]], records[at == i, ], paste0("records_", i)))
  declare <- function(data, ...) suppressMessages(spans(data, start, end, key = who, weight = share, as_of = "2024-04-10", end_counts = seed %% 2 == 0, ...))
  x <- declare(if (length(tables) == 1) tables[[1]] else tables, row = id)
  m <- declare(records)
  asks <- questions(seed)
  for (name in names(asks)) {
    found <- answer(asks[[name]], x)
    expected <- answer(asks[[name]], m)
    same <- is.null(found) || identical(found[c("table", "line")], expected[c("table", "line")])
    tied <- is.list(found) && !is.null(found$result) && (match(name, names(asks)) + seed) %% 4 == 0
    if (tied) {
      checks <- reconcile(found$result)
      same <- same && all(checks$ok) && !any(grepl("not proven", checks$check))
    }
    tally <- tally + c(0, !is.null(found), tied, is.null(found), !same)
    if (!same) cat("DIFFERS: ", name, " of seed ", seed, " on ", paste(servers, collapse = " and "), "\n", sep = "")
  }
  for (con in opened) DBI::dbDisconnect(con)
  tally["tables"] <- tally["tables"] + 1
  seed <- seed + 1
}
cat(paste(format(tally), names(tally)), sep = ", ")
cat(", up to seed ", seed - 1, "\n", sep = "")
quit(status = if (tally["different"] > 0) 1 else 0)
