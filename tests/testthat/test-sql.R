# The same questions in SQL, with window functions and joins. Days are numbers,
# `stop` is the day after the last.

stretch_sql <- "
  with reached as (
    select id, k, start, stop, max(stop) over (partition by k order by start, id rows between unbounded preceding and 1 preceding) as before
    from spans),
  pieces as (
    select k, start, stop, sum(case when before >= start then 0 else 1 end) over (partition by k order by start, id rows unbounded preceding) as piece
    from reached)
  select k, min(start) as start, max(stop) as stop, count(*) as records from pieces group by k, piece order by k, 2"

gap_sql <- "
  with reached as (
    select k, start, max(stop) over (partition by k order by start, id rows between unbounded preceding and 1 preceding) as before
    from spans)
  select k, before as start, start as stop from reached where start > before order by k, 2"

overlap_sql <- "
  select a.id as row_a, b.id as row_b, b.start as start, case when a.stop < b.stop then a.stop else b.stop end as stop
  from spans a join spans b on a.k = b.k and (a.start < b.start or (a.start = b.start and a.id < b.id)) and b.start < a.stop
  order by 1, 2"

level_sql <- "
  with changes as (select start as at, 1 as by from spans union all select stop, -1 from spans),
  days as (select at, sum(by) as by from changes group by at)
  select at, level from (select at, sum(by) over (order by at) as level, by from days) s where by <> 0 order by at"

sqlite_asker <- function(table) {
  skip_if_not_installed("RSQLite")
  con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  withr::defer(DBI::dbDisconnect(con), parent.frame())
  DBI::dbWriteTable(con, "spans", table)
  DBI::dbExecute(con, "create index by_key on spans (k, start)")
  function(sql) DBI::dbGetQuery(con, sql)
}

postgres_asker <- function(table) {
  server <- Sys.getenv("RIDGE_POSTGRES")
  skip_if(server == "", "There is no PostgreSQL server.")
  file <- withr::local_tempfile(fileext = ".csv")
  data.table::fwrite(table, file)
  ask <- function(sql, out = FALSE) system2("psql", c(shQuote(server), "-q", "--csv", "-v", "ON_ERROR_STOP=1"), input = sql, stdout = out)
  ask(c("drop table if exists spans;", "create table spans (id int, k int, start int, stop int);",
        sprintf("\\copy spans from '%s' csv header", file), "create index on spans (k, start);", "analyze spans;"))
  function(sql) data.table::fread(text = ask(paste0(sql, ";"), TRUE), data.table = FALSE)
}

expect_same_answers <- function(ask, x, table, with_overlaps = TRUE) {
  # A report of differences between millions of values would take longer than them.
  compare <- function(got, want) {
    for (i in seq_along(got)) expect_true(identical(as.numeric(got[[i]]), as.numeric(want[[i]])), label = names(want)[i])
  }
  got <- consecutive(x)
  compare(list(got$k, got$start, got$end + 1, got$records), ask(stretch_sql))
  got <- gaps(x)
  compare(list(got$k, got$start, got$end + 1), ask(gap_sql))
  if (with_overlaps) {
    got <- overlaps(x)
    order <- order(got$row_a, got$row_b)
    compare(lapply(list(got$row_a, got$row_b, got$start, got$end + 1), `[`, order), ask(overlap_sql))
  }
  got <- concurrency(x, of = "records")
  want <- ask(level_sql)
  compare(list(got$start, got$level), utils::head(want, -1))
}

demo_table <- function() {
  loans <- demo_records("instrument_loans")
  loans$returned_on[is.na(loans$returned_on)] <- day("2026-07-01")
  table <- data.frame(id = seq_len(nrow(loans)), k = as.integer(factor(loans$instrument)), start = as.integer(loans$lent_on), stop = as.integer(loans$returned_on))
  table[table$stop > table$start, ]
}

generated_table <- function(n) {
  set.seed(9)
  start <- sample.int(3000L, n, TRUE)
  data.frame(id = seq_len(n), k = sample.int(n %/% 4L, n, TRUE), start = start, stop = start + sample.int(90L, n, TRUE))
}

as_table_spans <- function(table) {
  data <- data.frame(k = table$k, start = as.Date(table$start, origin = "1970-01-01"), stop = as.Date(table$stop, origin = "1970-01-01"))
  spans(data, start, stop, key = k, end_counts = FALSE)
}

for (server in c("sqlite", "postgres")) {
  asker <- if (server == "sqlite") sqlite_asker else postgres_asker

  test_that(paste("the answers are those of SQL on the demo data:", server), {
    table <- demo_table()
    table$id <- seq_len(nrow(table))
    expect_same_answers(asker(table), as_table_spans(table), table)
  })

  test_that(paste("the answers are those of SQL on a million records:", server), {
    table <- generated_table(1e6)
    expect_same_answers(asker(table), as_table_spans(table), table)
  })
}
