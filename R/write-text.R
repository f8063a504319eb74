# Columns of results as texts: ISO 8601 dates, instants with their offset and as much of
# a second as they hold, numbers with all their digits.

iso_instants <- function(instants) {
  distinct <- unique(as.double(instants))
  text <- instant_texts(distinct, choose_zone(instants, NULL))
  text[match(as.double(instants), distinct)]
}

# An offset has no seconds: where a zone's has some, the instant is written in UTC.
instant_texts <- function(seconds, tz) {
  whole <- floor(seconds)
  micro <- round((seconds - whole) * microseconds)
  whole <- whole + (micro == microseconds)
  offset <- zone_offset(whole, tz)
  utc <- offset %% 60 != 0
  offset[utc %in% TRUE] <- 0
  local <- whole + offset
  day <- iso_day(as.integer(local %/% day_seconds))
  clock <- as.integer(local %% day_seconds)
  part <- sub("0+$", "", ifelse(micro %% microseconds > 0, sprintf(".%06d", as.integer(micro)), ""))
  minutes <- as.integer(abs(offset) %/% 60)
  zone <- ifelse(utc, "Z", sprintf("%s%02d:%02d", ifelse(offset < 0, "-", "+"), minutes %/% 60L,
                                   minutes %% 60L))
  text <- sprintf("%sT%02d:%02d:%02d%s%s", day, clock %/% 3600L, clock %/% 60L %% 60L, clock %% 60L,
                  part, zone)
  ifelse(is.finite(seconds), text, NA)
}

iso_dates <- function(dates) {
  distinct <- unique(whole_days(dates))
  text <- ifelse(is.na(distinct), NA, iso_day(distinct))
  text[match(whole_days(dates), distinct)]
}

# Columns as every format can hold them: dates as ISO text, factors as text.
text_columns <- function(x) {
  lapply(as.list(plain_tibble(x)), function(column) {
    if (inherits(column, "POSIXct")) iso_instants(column)
    else if (inherits(column, "Date")) iso_dates(column)
    else if (is.factor(column) || inherits(column, "difftime")) as.character(column)
    else if (is.character(column)) enc2utf8(column)
    else column
  })
}
