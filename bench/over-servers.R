# The session of over-servers.sh: two servers hold the records, the third one is asked.
library(almanacridge)
n <- as.numeric(c(commandArgs(trailingOnly = TRUE), 2e5)[1])
words <- lapply(strsplit(Sys.getenv(sprintf("RIDGE_SERVER_%d", 1:3)), " "), function(address) {
  parts <- strsplit(address, "=")
  stats::setNames(lapply(parts, `[`, 2), vapply(parts, `[`, "", 1))
})
servers <- lapply(words, function(address) do.call(DBI::dbConnect, c(list(RPostgres::Postgres()), address)))
middle <- servers[[3]]
run <- function(con, ...) invisible(DBI::dbExecute(con, sprintf(...)))

columns <- "id integer, key integer, grp integer, start date, stop date, amount numeric(12, 2)"
run(middle, "create extension postgres_fdw")
run(middle, "create table records (%s) partition by hash (key)", columns)
for (i in 1:2) {
  run(servers[[i]], "create table records_here (%s)", columns)
  run(middle, "create server server_%d foreign data wrapper postgres_fdw options (host '%s', dbname '%s', batch_size '1000', fetch_size '50000')", i, words[[i]]$host, words[[i]]$dbname)
  run(middle, "create user mapping for current_user server server_%d options (user '%s')", i, words[[i]]$user)
  run(middle, "create foreign table records_%d partition of records for values with (modulus 2, remainder %d) server server_%d options (table_name 'records_here')", i, i - 1L, i)
}
set.seed(1)
start <- as.Date("2016-01-01") + sample.int(3200, n, TRUE)
records <- data.frame(id = seq_len(n), key = sample.int(n * 0.35, n, TRUE), grp = sample.int(20L, n, TRUE), start = start, stop = start + sample.int(500, n, TRUE),
                      amount = round(runif(n, 1, 5000), 2))
DBI::dbWriteTable(middle, "all_of_them", records, temporary = TRUE)
run(middle, "insert into records select * from all_of_them")
run(middle, "drop table all_of_them")
for (i in 1:2) run(servers[[i]], "analyze records_here")
run(middle, "analyze records")
run(middle, "set enable_partitionwise_aggregate = on")
run(middle, "set enable_partitionwise_join = on")

# What each server is asked for, and what is left for the middle one.
plans <- new.env()
explained <- function(con, statement) {
  lines <- DBI::dbGetQuery(con, paste("explain (verbose, costs off)", statement))[[1]]
  remote <- sub(" FROM .*", "", sub(".*Remote SQL: ", "", grep("Remote SQL:", lines, value = TRUE)))
  steps <- c(lines[1], sub(" *-> +", "", grep("-> ", lines, value = TRUE)))
  here <- grep("Aggregate|WindowAgg|Sort|Join|Nested Loop|Unique", sub(" on .*", "", steps), value = TRUE)
  plans$found <- rbind(plans$found, data.frame(remote = paste(unique(remote), collapse = "; "), here = paste(names(table(here)), table(here), sep = " x", collapse = ", ")))
}
trace("fetched", tracer = quote({
  told <- almanacridge:::source_asked(x)
  asked <- if (dbplyr::is.sql(table)) table else almanacridge:::in_steps(table, told$writer)
  if (identical(told$con, middle)) explained(told$con, almanacridge:::with_written_steps(asked, told))
}), where = asNamespace("almanacridge"), print = FALSE)

declared <- function(data, ...) spans(data, start, stop, key = key, as_of = "2026-06-30", ...)
x <- declared(dplyr::tbl(middle, "records"), row = id)
# The same records, each server asked by itself and the answers added.
apart <- declared(lapply(servers[1:2], dplyr::tbl, "records_here"), row = id)
memory <- declared(records)
asked <- list(
  "active(group = grp)" = function(x) active(x, group = grp),
  "active(of = records)" = function(x) active(x, of = "records"),
  "movement()" = function(x) movement(x, by = "quarter"),
  "allocate(group = grp)" = function(x) allocate(x, amount, group = grp, digits = 2),
  "consecutive()" = function(x) consecutive(x),
  "gaps(min_days = 900)" = function(x) gaps(x, min_days = 900),
  "overlaps(min_days = 300)" = function(x) overlaps(x, min_days = 300),
  "roster()" = function(x) roster(x, "2020-02-29"))
for (name in names(asked)) {
  plans$found <- NULL
  took <- system.time(found <- asked[[name]](x))[["elapsed"]]
  expected <- as.data.frame(asked[[name]](memory))
  same <- function(found) if (identical(as.data.frame(found), expected)) "identical to memory" else "DIFFERS"
  cat(sprintf("%-26s %7s rows %6.1f s  %s\n", name, format(nrow(found), big.mark = ","), took, same(found)))
  for (i in seq_len(nrow(plans$found))) cat("    there: ", plans$found$remote[i], "\n    here:  ", plans$found$here[i], "\n", sep = "")
  took <- system.time(found <- tryCatch(asked[[name]](apart), ridge_error_engine = identity))[["elapsed"]]
  cat("    each by itself: ", if (inherits(found, "condition")) "not answered" else sprintf("%.1f s  %s", took, same(found)), "\n", sep = "")
}
