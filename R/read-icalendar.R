# iCalendar (RFC 5545): events as records. Lines become properties, properties
# belong to events, an event that repeats becomes as many records.

read_icalendar <- function(path, tz = NULL, repeat_until = NULL, encoding = NULL) {
  properties <- ical_properties(path, whole_text(path, encoding))
  events <- event_table(properties, path)
  zones <- ical_zones(properties)
  calendar <- properties[properties$component == "VCALENDAR", ]
  tz <- ical_display_zone(calendar, events, tz)
  until <- if (is.null(repeat_until)) end_of_next_year()
  else as_single_day(repeat_until, "repeat_until", tz)
  moments <- event_moments(events, zones, tz, path)
  rows <- repeat_events(events, moments, tz, until, path)
  event_records(events, rows, calendar, tz)
}

end_of_next_year <- function() {
  day_numbers(as.POSIXlt(Sys.Date())$year + 1901L, 12L, 31L)
}

ical_pattern <- paste0("^([A-Za-z0-9-]+)((?:;[A-Za-z0-9-]+=(?:\"[^\"]*\"|[^\";:,]*)",
                       "(?:,(?:\"[^\"]*\"|[^\";:,]*))*)*):(.*)$")

# One row per property: its component, which one of those, name, parameters, value.
ical_properties <- function(path, text) {
  text <- gsub("\r\n?", "\n", text)
  lines <- strsplit(gsub("\n[ \t]", "", text), "\n", fixed = TRUE)[[1]]
  lines <- lines[nzchar(trimws(lines))]
  if (length(lines) == 0 || !identical(toupper(trimws(lines[1])), "BEGIN:VCALENDAR")) {
    refuse_file(path, "it does not begin with BEGIN:VCALENDAR.", "iCalendar")
  }
  if (!all(nchar(lines, "bytes") < 1e6)) {
    refuse_file(path, "it has a line of more than a million bytes.", "iCalendar")
  }
  wrong <- which(!grepl(ical_pattern, lines, perl = TRUE))
  if (length(wrong) > 0) {
    seen <- substr(lines[wrong[1]], 1, 40)
    refuse_file(path, paste0("\"", seen, "\" is no property."), "iCalendar")
  }
  part <- function(i) sub(ical_pattern, paste0("\\", i), lines, perl = TRUE)
  properties <- data.frame(name = toupper(part(1)), parameters = part(2), value = part(3))
  within_components(properties, path)
}

within_components <- function(properties, path) {
  begins <- properties$name == "BEGIN"
  ends <- properties$name == "END"
  inside <- character(nrow(properties))
  number <- integer(nrow(properties))
  stack <- numbers <- NULL
  count <- 0L
  for (i in seq_len(nrow(properties))) {
    if (begins[i]) {
      count <- count + 1L
      if (length(stack) == 20) {
        refuse_file(path, "its parts lie too deep in each other.", "iCalendar")
      }
      stack <- c(toupper(trimws(properties$value[i])), stack)
      numbers <- c(count, numbers)
    } else if (ends[i]) {
      if (!identical(stack[1], toupper(trimws(properties$value[i])))) {
        refuse_file(path, paste0("END:", properties$value[i], " closes nothing that was begun."),
                    "iCalendar")
      }
      stack <- stack[-1]
      numbers <- numbers[-1]
    } else if (length(stack) > 0) {
      inside[i] <- stack[1]
      number[i] <- numbers[1]
    }
  }
  if (length(stack) > 0) {
    refuse_file(path, paste0("it is cut short: ", stack[1], " has no end."), "iCalendar")
  }
  data.frame(component = inside, number = number, properties)[!begins & !ends, ]
}

# Each event's properties, the first of a name only, but for those that may recur.
event_table <- function(properties, path) {
  own <- properties[properties$component == "VEVENT", ]
  numbers <- unique(own$number)
  first <- own[!duplicated(own[c("number", "name", "parameters")]), ]
  single <- function(name, what = "value") {
    of_name <- first[first$name == name, ]
    of_name[[what]][match(numbers, of_name$number)]
  }
  several <- function(name) {
    split(own[own$name == name, ], factor(own$number[own$name == name], numbers))
  }
  events <- list(
    numbers = numbers, own = own, start = single("DTSTART"),
      start_parameters = single("DTSTART", "parameters"),
    end = single("DTEND"), end_parameters = single("DTEND", "parameters"),
      duration = single("DURATION"),
    rule = single("RRULE"), uid = single("UID"), instance = single("RECURRENCE-ID"),
    instance_parameters = single("RECURRENCE-ID", "parameters"),
    without = several("EXDATE"), also = several("RDATE"), open = single("X-ALMANAC-OPEN"),
    text = single
  )
  missing <- which(is.na(events$start))
  if (length(missing) > 0) {
    refuse_file(path, paste0("event ", missing[1], " has no DTSTART."), "iCalendar")
  }
  events
}

parameter <- function(parameters, name) {
  pattern <- paste0("(?i).*;", name, "=(\"[^\"]*\"|[^;:]*).*")
  found <- grepl(pattern, parameters, perl = TRUE)
  ifelse(found, gsub("\"", "", sub(pattern, "\\1", parameters, perl = TRUE)), NA)
}

# The zone in which instants are shown: as asked, as the file says, or where all
# its events are.
ical_display_zone <- function(calendar, events, tz) {
  if (length(tz)) {
    return(tz)
  }
  named <- c(calendar$value[calendar$name == "X-WR-TIMEZONE"],
             unique(stats::na.omit(parameter(events$start_parameters, "TZID"))))
  named <- named[is_zone(named)]
  if (length(named) > 0) named[1] else local_zone()
}

# Dates and date-times of properties: `day`, `second` and whether it is a date.
ical_parse <- function(value, path) {
  value <- trimws(value)
  clock <- "T([01][0-9]|2[0-3])[0-5][0-9]([0-5][0-9]|60)Z?"
  good <- is.na(value) | grepl(paste0("^[0-9]{8}(", clock, ")?$"), value)
  number <- function(from, to) suppressWarnings(as.integer(substr(value, from, to)))
  year <- number(1, 4)
  month <- number(5, 6)
  day <- number(7, 8)
  month_ok <- good & !is.na(month) & month >= 1 & month <= 12
  days <- rep(NA_integer_, length(value))
  days[month_ok] <- day_numbers(year[month_ok], month[month_ok], day[month_ok])
  real <- civil_dates(ifelse(is.na(days), 0L, days))
  good <- good & (is.na(value) | (month_ok & real$day == day & real$month == month))
  if (!all(good)) {
    refuse_file(path, paste0("\"", value[!good][1], "\" is no date or date-time."), "iCalendar")
  }
  timed <- grepl("T", value)
  second <- ifelse(timed, hour_seconds * number(10, 11) + 60 * number(12, 13) + number(14, 15), 0)
  list(day = days, second = second, timed = timed, utc = grepl("Z$", value))
}

# Instants of local date-times in the zone of their parameters.
ical_instants <- function(parsed, parameters, zones, tz) {
  local <- day_seconds * parsed$day + parsed$second
  zone <- parameter(parameters, "TZID")
  zone[is.na(zone)] <- tz
  zone[parsed$utc] <- "UTC"
  seconds <- rep(NA_real_, length(local))
  for (one in unique(zone[!is.na(local)])) {
    at <- which(zone == one & !is.na(local))
    seconds[at] <- if (is_zone(one)) instant_at(local[at], one)
    else if (!is.null(zones[[one]])) local[at] - zone_rule_offset(zones[[one]], local[at])
    else ridge_abort(c("iCalendar: no time zone {.val {one}} is known or described in the file.",
                       i = "Export it again with its time zones."), "file")
  }
  seconds
}

# Zones that a file describes itself: when, by local time, which offset begins.
ical_zones <- function(properties) {
  of_zone <- properties[properties$component == "VTIMEZONE" & properties$name == "TZID", ]
  parts <- properties[properties$component %in% c("STANDARD", "DAYLIGHT"), ]
  zones <- lapply(seq_len(nrow(of_zone)), function(i) {
    upto <- c(of_zone$number, Inf)[i + 1]
    zone_onsets(parts[parts$number > of_zone$number[i] & parts$number < upto, ])
  })
  stats::setNames(zones, of_zone$value)
}

zone_onsets <- function(parts) {
  if (nrow(parts) == 0) {
    refuse_file("the time zone", "it has neither standard nor daylight time.", "iCalendar")
  }
  onsets <- lapply(split(parts, parts$number), function(part) {
    value <- function(name) part$value[match(name, part$name)]
    first <- ical_parse(value("DTSTART"), "the time zone")
    rule <- if (!is.na(value("RRULE"))) parse_recurrence(value("RRULE"))
    days <- if (is.null(rule)) first$day
    else recurrence_days(rule, first$day, day_numbers(2100L, 1L, 1L), most = 3 * most_repeated_days)
    data.frame(local = day_seconds * days + first$second,
               offset = offset_seconds(value("TZOFFSETTO")))
  })
  onsets <- do.call(rbind, onsets)
  onsets[order(onsets$local), ]
}

offset_seconds <- function(text) {
  if (!grepl("^[-+][0-9]{4}([0-9]{2})?$", text)) {
    refuse_file("the time zone", paste0("\"", text, "\" is no offset."), "iCalendar")
  }
  sign <- if (startsWith(text, "-")) -1 else 1
  digits <- as.integer(c(substr(text, 2, 3), substr(text, 4, 5)))
  sign * sum(c(hour_seconds, 60) * digits)
}

zone_rule_offset <- function(onsets, local) {
  onsets$offset[pmax(1L, findInterval(local, onsets$local))]
}

# Start and end of each event: day numbers, the end the first day after it, or
# seconds; an end NA is open.
event_moments <- function(events, zones, tz, path) {
  start <- ical_parse(events$start, path)
  end <- ical_parse(events$end, path)
  days <- !start$timed
  first <- ifelse(days, start$day, ical_instants(start, events$start_parameters, zones, tz))
  stop <- ifelse(days, end$day, ical_instants(end, events$end_parameters, zones, tz))
  lasting <- is.na(stop) & !is.na(events$duration)
  length <- Map(ical_length, events$duration[lasting], days[lasting], path)
  stop[lasting] <- first[lasting] + as.double(unlist(length))
  # Without an end a day is that day, and a moment has no length.
  stop <- ifelse(is.na(stop), first + days, stop)
  stop[events$open %in% "TRUE"] <- NA
  list(days = days, start = first, stop = stop, day = start$day, second = start$second,
       zone = ifelse(start$utc, "UTC", parameter(events$start_parameters, "TZID")), zones = zones)
}

ical_length <- function(text, in_days, path) {
  length <- iso_durations(text)
  seconds <- day_seconds * length$days + length$seconds
  if (is.na(seconds) || length$months != 0) {
    refuse_file(path, paste0("\"", text, "\" is no duration."), "iCalendar")
  }
  if (in_days) seconds / day_seconds else seconds
}

# Which event each record is of, with its start and stop.
repeat_events <- function(events, moments, tz, until, path) {
  n <- length(events$numbers)
  extra <- lengths(lapply(events$also, `[[`, "value")) > 0
  repeating <- which((!is.na(events$rule) | extra) & is.na(events$instance))
  endless <- 0L
  lines <- lapply(repeating, function(i) {
    starts <- repeated_starts(events, moments, i, tz, until, path)
    endless <<- endless + starts$endless
    data.frame(event = rep(i, length(starts$at)), start = starts$at,
               stop = starts$at + moments$stop[i] - moments$start[i])
  })
  single <- setdiff(seq_len(n), repeating)
  rows <- rbind(data.frame(event = single, start = moments$start[single],
                           stop = moments$stop[single]),
                do.call(rbind, lines))
  if (endless > 0) {
    cli::cli_inform(c("!" = paste("{count_of(endless, 'event')} {cli::qty(endless)}repeat{?s/}",
                                  "without an end: written out to",
                                  "{format(as_date(until))}. Say",
                                  "{arg_name('repeat_until')} for another day.")))
  }
  rows$days <- moments$days[rows$event]
  rows[order(rows$event, rows$start), ]
}

last_repeat <- function(rule, path) {
  if (is.null(rule$UNTIL)) day_numbers(9999L, 12L, 31L) else ical_parse(rule$UNTIL, path)$day + 1L
}

repeated_starts <- function(events, moments, i, tz, until, path) {
  rule <- if (!is.na(events$rule[i])) parse_recurrence(events$rule[i])
  if (is.null(rule) && !is.na(events$rule[i])) {
    reason <- paste0("the rule \"", events$rule[i], "\" of event ", i, " is not one of days, ",
                     "weeks, months or years that can be written out.")
    refuse_file(path, reason, "iCalendar")
  }
  instant <- function(days) instants_on(days, i, moments, tz)
  last <- last_repeat(rule, path)
  # An end a hundred years ahead is none.
  endless <- !is.null(rule) && is.null(rule$COUNT) && last > until + 36525L
  if (endless) {
    last <- until
    rule$UNTIL <- NULL
  }
  days <- if (is.null(rule)) moments$day[i] else recurrence_days(rule, moments$day[i], last)
  at <- instant(days)
  if (!is.null(rule$UNTIL)) at <- at[at <= recurrence_limit(rule$UNTIL, moments, i, tz, path)]
  at <- c(at, listed_moments(events$also[[i]], moments, i, tz, path))
  at <- setdiff(at, listed_moments(events$without[[i]], moments, i, tz, path))
  list(at = sort(setdiff(at, replaced_starts(events, moments, i, tz, path))), endless = endless)
}

# The event's clock on these days, in its own zone.
instants_on <- function(days, i, moments, tz) {
  if (moments$days[i]) {
    return(as.double(days))
  }
  parsed <- list(day = days, second = rep(moments$second[i], length(days)),
                 utc = rep(moments$zone[i] %in% "UTC", length(days)))
  zone <- if (is.na(moments$zone[i])) "" else paste0(";TZID=", moments$zone[i])
  ical_instants(parsed, rep(zone, length(days)), moments$zones, tz)
}

recurrence_limit <- function(text, moments, i, tz, path) {
  limit <- ical_parse(text, path)
  if (moments$days[i]) {
    return(limit$day)
  }
  if (!limit$timed) {
    return(instants_on(limit$day + 1L, i, moments, tz) - moments$second[i] - 1)
  }
  zone <- if (is.na(moments$zone[i])) "" else paste0(";TZID=", moments$zone[i])
  ical_instants(limit, zone, moments$zones, tz)
}

listed_moments <- function(lines, moments, i, tz, path) {
  if (is.null(lines) || nrow(lines) == 0) {
    return(double())
  }
  unlist(lapply(seq_len(nrow(lines)), function(line) {
    if (grepl(";VALUE=PERIOD", lines$parameters[line], ignore.case = TRUE)) {
      refuse_file(path, paste0("event ", i, " has repeats of lengths of their own (PERIOD), which ",
                               "are not understood here."), "iCalendar")
    }
    values <- strsplit(lines$value[line], ",", fixed = TRUE)[[1]]
    parsed <- ical_parse(sub("/.*", "", values), path)
    if (moments$days[i]) as.double(parsed$day)
    else ical_instants(parsed, rep(lines$parameters[line], length(values)), moments$zones, tz)
  }))
}

# An instance that an event of the same UID describes anew.
replaced_starts <- function(events, moments, i, tz, path) {
  others <- which(!is.na(events$instance) & events$uid %in% events$uid[i])
  unlist(lapply(others, function(other) {
    parsed <- ical_parse(events$instance[other], path)
    if (moments$days[i]) as.double(parsed$day)
    else ical_instants(parsed, events$instance_parameters[other], moments$zones, tz)
  }))
}

ical_columns <- c(summary = "SUMMARY", location = "LOCATION", description = "DESCRIPTION",
                  categories = "CATEGORIES", status = "STATUS", uid = "UID")

# The table: columns as a file of ours names them, or the standard's own.
event_records <- function(events, rows, calendar, tz) {
  said <- function(name) calendar$value[match(name, calendar$name)]
  fields <- own_fields(events, rows)
  if (length(fields) == 0) {
    fields <- lapply(ical_columns, function(name) plain_ical_text(events$text(name))[rows$event])
    fields <- fields[vapply(fields, function(field) !all(is.na(field)), logical(1))]
  }
  dates <- event_dates(rows, tz, identical(said("X-ALMANAC-END-COUNTS"), "FALSE"))
  names(dates) <- c(first_known(said("X-ALMANAC-START"), "start"),
                    first_known(said("X-ALMANAC-END"), "end"))
  columns <- c(dates, fields[setdiff(names(fields), names(dates))])
  order <- said("X-ALMANAC-COLUMNS")
  if (!is.na(order)) {
    order <- plain_ical_text(strsplit(order, ",", fixed = TRUE)[[1]])
    columns <- columns[intersect(order, names(columns))]
  }
  tibble::new_tibble(columns, nrow = nrow(rows))
}

first_known <- function(value, otherwise) {
  if (is.na(value)) otherwise else plain_ical_text(value)
}

# Days where all events are; otherwise days run from midnight to midnight.
event_dates <- function(rows, tz, end_as_stop) {
  if (all(rows$days)) {
    return(list(as_date(rows$start), as_date(rows$stop - !end_as_stop)))
  }
  if (any(rows$days)) {
    cli::cli_inform(c("!" = paste("{count_of(sum(rows$days), 'all-day event')} among events with",
                                  "times: from midnight to midnight in {tz}.")))
    at <- which(rows$days)
    rows$start[at] <- day_starts(as.integer(rows$start[at]), tz)
    known <- at[!is.na(rows$stop[at])]
    rows$stop[known] <- day_starts(as.integer(rows$stop[known]), tz)
  }
  list(as_instant(rows$start, tz), as_instant(rows$stop, tz))
}

own_fields <- function(events, rows) {
  own <- events$own[events$own$name == "X-ALMANAC-FIELD", ]
  if (nrow(own) == 0) {
    return(list())
  }
  own$field <- decoded_names(parameter(own$parameters, "X-NAME"))
  lapply(split(own, factor(own$field, unique(own$field))), function(lines) {
    text <- plain_ical_text(lines$value)[match(events$numbers[rows$event], lines$number)]
    cells_as_numbers(text)
  })
}

# Names as we write them; what is not written so stands as it is.
decoded_names <- function(text) {
  vapply(text, function(name) {
    sound <- grepl("^([^%]|%[0-9A-Fa-f]{2})*$", name) && !grepl("%00", name, fixed = TRUE)
    plain <- if (sound) `Encoding<-`(utils::URLdecode(name), "UTF-8") else name
    if (validUTF8(plain)) plain else name
  }, "", USE.NAMES = FALSE)
}

plain_ical_text <- function(text) {
  text <- gsub("\\\\[nN]", "\n", text)
  gsub("\\\\([\\\\;,])", "\\1", text)
}
