# Statements as other databases would be asked, by the simulated connections of dbplyr: what they
# hold is what the databases share.

# A connection that keeps what it is asked, and knows so much of the table that it is asked on.
rendered <- new.env()

answer_once <- function(statement) {
  rendered$statements <- c(rendered$statements, as.character(statement))
  if (grepl("placed", statement)) return(data.frame(records = 9L, placed = 9L))
  if (grepl("sizes", statement)) return(data.frame(records = 9L, finer = 0L, sum = 90000, sizes = 90000, largest = 10000))
  if (grepl("folded", statement)) return(data.frame(text = c("b", "B"), records = c(2, 1)))
  if (grepl("labels", statement)) return(data.frame(labels = 2L))
  if (grepl("end_number. AS .day", statement)) return(data.frame(day = 19800:19803, records = 5:8))
  if (grepl("^SELECT DISTINCT", statement)) return(data.frame(site = c("north", "south")))
  if (grepl("^WITH.*SELECT COUNT\\(\\*\\) AS .records.\\s+FROM .q0[12].\\s*(WHERE[^)]*\\)+)?$", statement)) return(data.frame(records = 0L))
  stop("That was the question.")
}

# Where no connection is there is no answer but this one.
rendered_questions <- function(x, connection) {
  lapply(list(
    function(x) active(x, group = site, total = TRUE),
    function(x) active(x, rule = "mean_day"),
    function(x) active(x, rule = "peak_day"),
    function(x) active(x, rule = "every_day"),
    function(x) movement(x, group = site, returns = TRUE),
    function(x) cohorts(x),
    function(x) concurrency(x),
    function(x) consecutive(x, calendar = calendar_rules()),
    function(x) allocate(x, amount, group = site, digits = 2),
    function(x) time_within(x, unit = "days", group = site),
    function(x) roster(x),
    function(x) gaps(x, from = "2024-01-01", to = "2024-03-01", edges = TRUE),
    function(x) overlaps(x, per = site, differing = who),
    function(x) check_spans(x),
    function(x) explain_count(x)), function(ask) {
      rendered$statements <- NULL
      expect_error(suppressMessages(ask(x)), "That was the question", label = paste(connection, deparse(body(ask))))
      rendered$statements
    })
}

functions_in <- function(sql) {
  sql <- gsub("'[^']*'", "", sql)
  toupper(unlist(regmatches(sql, gregexpr("[A-Za-z_]+(?= ?\\()", sql, perl = TRUE))))
}

words_of_sql <- c("AND", "AS", "BY", "ELSE", "FROM", "HAVING", "IN", "JOIN", "NOT", "ON", "OR", "OVER", "SELECT", "THEN", "UNION", "VALUES", "WHEN", "WHERE", "ALL", "EXISTS", "BETWEEN", "ROW", "DRVD", "VARCHAR", "CHAR", "DECIMAL", "NUMERIC", "NUMBER")

# BigQuery is written for by its own package, which gives no connection that is simulated.
simulated_connection <- function(dialect) {
  if (dialect == "bigquery") {
    skip_if_not_installed("bigrquery")
    loadNamespace("bigrquery")
    return(dbplyr::simulate_dbi("BigQueryConnection"))
  }
  skip_if_not(paste0("simulate_", dialect) %in% getNamespaceExports("dbplyr"), paste("this dbplyr knows", dialect))
  getExportedValue("dbplyr", paste0("simulate_", dialect))()
}

for (dialect in c("mssql", "snowflake", "redshift", "mysql", "mariadb", "oracle", "hive", "spark_sql", "bigquery")) {
  test_that(paste("statements keep to what databases share:", dialect), {
    skip_if_not_installed("dbplyr")
    simulated <- simulated_connection(dialect)
    con <- connected("sqlite")
    records <- data.frame(id = 1:9, who = rep(c("a", "b", "c"), 3), site = "north", amount = 100, start = day("2024-01-01") + 1:9 * 7, end = day("2024-02-01") + 1:9 * 9)
    x <- spans(in_table(con, records), start, end, key = who, row = id, as_of = "2024-04-10")
    class(simulated) <- c("ridge_rendered", class(simulated))
    methods::setOldClass("ridge_rendered")
    methods::setMethod(DBI::dbGetQuery, "ridge_rendered", function(conn, statement, ...) answer_once(statement))
    withr::defer(methods::removeMethod(DBI::dbGetQuery, "ridge_rendered"))
    how <- attr(x, "ridge")
    how$engine$source[c("con", "writer")] <- list(simulated, simulated)
    how$engine$source$table <- dbplyr::lazy_frame(id = 1L, who = "a", site = "n", amount = 1, start = "a", end = "b", con = simulated, .name = "postings")
    how$engine$kept <- new.env()
    asked <- unlist(rendered_questions(structure(x, ridge = how), dialect))
    expect_gt(length(asked), 28)
    used <- setdiff(unique(unlist(lapply(asked, functions_in))), words_of_sql)
    expect_identical(setdiff(used, c("ABS", "CAST", "COUNT", "COUNT_BIG", "LEAD", "LOWER", "MAX", "MIN", "REPLACE", "ROUND", "ROW_NUMBER", "SUM", "TRY_CAST", "SAFE_CAST", "MOD", "LTRIM", "RTRIM", "TRIM")), character())
    if (dialect == "bigquery") expect_false(any(grepl("VALUES|SELECT[^(]*NULL[^(]*WHERE [(]0 = 1", asked)))
    # Brackets pair, and no name is left untranslated.
    expect_identical(nchar(gsub("[^(]", "", asked)), nchar(gsub("[^)]", "", asked)))
    expect_false(any(grepl("[.]data|as[.]integer|case_when|!!", asked)))
  })
}

test_that("rows are written into a question of BigQuery as one SELECT each, which others can read too", {
  skip_if_not_installed("dbplyr")
  rows <- data.frame(number = c(19730L, NA), text = c("2024-01-08", "it's"), share = c(0.1, 1e15))
  listed <- almanacridge:::listed_rows(simulated_connection("bigquery"), rows)
  expect_identical(DBI::dbGetQuery(connected("sqlite"), as.character(dbplyr::remote_query(listed))), rows)
})
