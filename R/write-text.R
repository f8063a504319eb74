# Columns of results as texts: ISO 8601 dates, instants with their offset.

iso_instants <- function(instants) {
  distinct <- unique(instants)
  text <- format(distinct, "%Y-%m-%dT%H:%M:%S%z")
  text <- sub("([0-9]{2})$", ":\\1", text)
  text[match(instants, distinct)]
}

iso_dates <- function(dates) {
  distinct <- unique(dates)
  text <- format(distinct, "%Y-%m-%d")
  text[match(dates, distinct)]
}

# Columns as every format can hold them: dates as ISO text, factors as text.
text_columns <- function(x) {
  lapply(as.list(plain_tibble(x)), function(column) {
    if (inherits(column, "POSIXct")) iso_instants(column)
    else if (inherits(column, "Date")) iso_dates(column)
    else if (is.factor(column) || inherits(column, "difftime")) as.character(column)
    else column
  })
}
