# Records as iCalendar (RFC 5545), an event each.

icalendar_text <- function(x) {
  what <- icalendar_spans(x)
  refuse_empty_events(what)
  stamp <- format(as_date(what$as_of_day), "%Y%m%dT000000Z")
  lines <- list(
    "BEGIN:VEVENT",
    sprintf("UID:record-%d-%d@almanacridge.example", what$rows, seq_along(what$rows)),
    paste0("DTSTAMP:", stamp),
    ical_start(what),
    ical_end(what),
    paste0("SUMMARY:", ical_text(what$summary))
  )
  fields <- Map(function(column, name) {
    ifelse(is.na(column), NA,
           sprintf("X-ALMANAC-FIELD;X-NAME=\"%s\":%s", utils::URLencode(name, reserved = TRUE),
                   ical_text(column)))
  }, what$fields, names(what$fields))
  events <- do.call(rbind, c(lines, unname(fields), list("END:VEVENT")))
  events <- if (length(what$rows) > 0) events[!is.na(events)]
  head <- c("BEGIN:VCALENDAR", "VERSION:2.0", "PRODID:-//Almanac Ridge//almanacridge//EN",
            if (!on_days(what$timeline)) paste0("X-WR-TIMEZONE:", what$timeline$tz),
            paste0("X-ALMANAC-START:", ical_text(what$names[1])),
              paste0("X-ALMANAC-END:", ical_text(what$names[2])),
            if (!what$end_counts) "X-ALMANAC-END-COUNTS:FALSE",
            paste0("X-ALMANAC-COLUMNS:", paste(ical_text(what$columns), collapse = ",")))
  paste0(ical_folded(enc2utf8(c(head, events, "END:VCALENDAR"))), "\r\n")
}

# Starts and stops as ticks, and what else the events say, from a spans object
# or from a table with the columns start and end.
icalendar_spans <- function(x) {
  plain <- plain_tibble(x)
  if (!inherits(x, "ridge_spans")) {
    if (!all(c("start", "end") %in% names(plain))) {
      ridge_abort(
        c("iCalendar is for records with a start and an end; this table has {.val {names(plain)}}.",
          i = paste("Name the columns {.val start} and",
                    "{.val end}{in_r(', or declare the records with spans()', '')}.")),
        "argument", arg = "x")
    }
    if (!inherits(plain$end, c("Date", "POSIXct"))) {
      plain$end <- plain$start[rep(NA_integer_, nrow(plain))]
    }
    as_of <- max(as.Date("1970-01-01"), as.Date(plain$start), na.rm = TRUE)
    x <- spans(plain, "start", "end", as_of = as_of)
  }
  how <- about(x)
  ticks <- record_ticks(x)
  names <- c(how$names$start, if (has_end_column(how$names)) how$names$end else "end")
  fields <- text_columns(plain)[setdiff(names(plain), names)]
  list(start = ticks$start, stop = ticks$stop, timeline = how$timeline, rows = how$rows,
       names = names, end_counts = how$end_counts || !on_days(how$timeline),
       as_of_day = how$as_of_day, columns = unique(c(names(plain), names)),
       fields = lapply(fields, number_or_same),
       summary = event_summary(fields, how$names$key))
}

number_or_same <- function(field) {
  if (is.double(field)) number_texts(field) else field
}

event_summary <- function(fields, key) {
  shown <- fields[if (length(key)) key else utils::head(names(fields), 1)]
  if (length(shown) == 0) "record" else do.call(paste, unname(shown))
}

refuse_empty_events <- function(what) {
  beyond <- which(on_days(what$timeline) & !is_never(what$stop, what$timeline) &
                    what$stop > all_years()[2])
  if (length(beyond) > 0) {
    row <- what$rows[beyond[1]]
    ridge_abort(c(paste("iCalendar cannot write a last day of {last_year}-12-31 (row {row}): there",
                        "is no day after it."),
                  i = "Name that day with {arg_name('means_open')} if it stands for no end yet."),
                "records", row = row)
  }
  empty <- which(what$stop <= what$start)
  if (length(empty) > 0) {
    n <- length(empty)
    rows <- utils::head(what$rows[empty], 5)
    ridge_abort(
      c("{n} record{?s} {?is/are} empty, and iCalendar has no events of no length: row{?s} {rows}.",
        i = "Leave {cli::qty(n)}{?it/them} out, or write another format."), "records", row = rows)
  }
}

ical_start <- function(what) {
  if (on_days(what$timeline)) format(as_date(what$start), "DTSTART;VALUE=DATE:%Y%m%d")
  else format(as_instant(what$start, "UTC"), "DTSTART:%Y%m%dT%H%M%SZ")
}

ical_end <- function(what) {
  open <- is_never(what$stop, what$timeline)
  stop <- replace(as.double(what$stop), open, 0)
  ends <- if (on_days(what$timeline)) format(as_date(stop), "DTEND;VALUE=DATE:%Y%m%d")
  else format(as_instant(stop, "UTC"), "DTEND:%Y%m%dT%H%M%SZ")
  ifelse(open, "X-ALMANAC-OPEN:TRUE", ends)
}

ical_text <- function(text) {
  text <- gsub("([\\\\;,])", "\\\\\\1", enc2utf8(as.character(text)))
  gsub("\r?\n", "\\\\n", text)
}

# Lines of at most 75 bytes; the rest follows after a line break and a space,
# never within a character.
ical_folded <- function(lines) {
  long <- which(nchar(lines, "bytes") > 75)
  lines[long] <- vapply(lines[long], function(line) {
    letters <- strsplit(line, "", useBytes = FALSE)[[1]]
    bytes <- nchar(letters, "bytes")
    piece <- integer(length(letters))
    used <- 0L
    at <- 0L
    for (i in seq_along(letters)) {
      if (used + bytes[i] > 74L) {
        at <- at + 1L
        used <- 0L
      }
      used <- used + bytes[i]
      piece[i] <- at
    }
    paste(vapply(split(letters, piece), paste, "", collapse = ""), collapse = "\r\n ")
  }, "")
  lines
}
