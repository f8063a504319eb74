ics <- function(...) {
  file <- withr::local_tempfile(fileext = ".ics", .local_envir = parent.frame())
  writeLines(c("BEGIN:VCALENDAR", "VERSION:2.0", "PRODID:-//x//y//EN", ..., "END:VCALENDAR"), file, sep = "\r\n")
  file
}

event <- function(...) c("BEGIN:VEVENT", "UID:1", "DTSTAMP:20260101T000000Z", ..., "END:VEVENT")

read_quietly <- function(...) suppressMessages(read_records(...))

test_that("all-day events end on their last day, and without an end are one day", {
  got <- read_quietly(ics(event("DTSTART;VALUE=DATE:20260210", "DTEND;VALUE=DATE:20260213", "SUMMARY:Storm"),
                          event("DTSTART;VALUE=DATE:20260301"), event("DTSTART;VALUE=DATE:20260228", "DURATION:P2D"),
                          event("DTSTART;VALUE=DATE:20260105", "DURATION:P1W")))
  expect_identical(got$start, day(c("2026-02-10", "2026-03-01", "2026-02-28", "2026-01-05")))
  expect_identical(got$end, day(c("2026-02-12", "2026-03-01", "2026-03-01", "2026-01-11")))
  expect_identical(got$summary, c("Storm", NA, NA, NA))
})

test_that("times are of their zone: UTC, named, described in the file, or floating", {
  zone <- c("BEGIN:VTIMEZONE", "TZID:W. Europe Standard Time",
            "BEGIN:STANDARD", "DTSTART:16010101T030000", "TZOFFSETFROM:+0200", "TZOFFSETTO:+0100",
            "RRULE:FREQ=YEARLY;BYDAY=-1SU;BYMONTH=10", "END:STANDARD",
            "BEGIN:DAYLIGHT", "DTSTART:16010101T020000", "TZOFFSETFROM:+0100", "TZOFFSETTO:+0200",
            "RRULE:FREQ=YEARLY;BYDAY=-1SU;BYMONTH=3", "END:DAYLIGHT", "END:VTIMEZONE")
  file <- ics(zone, event("DTSTART:20260701T060000Z", "DTEND:20260701T080000Z"),
              event("DTSTART;TZID=Europe/Vienna:20260701T080000", "DURATION:PT90M"),
              event("DTSTART;TZID=\"W. Europe Standard Time\":20260701T080000"),
              event("DTSTART;TZID=W. Europe Standard Time:20260101T080000"),
              event("DTSTART:20260701T080000"))
  got <- read_quietly(file, tz = "Europe/Vienna")
  expect_identical(format(got$start, "%m-%d %H:%M"), c("07-01 08:00", "07-01 08:00", "07-01 08:00", "01-01 08:00", "07-01 08:00"))
  expect_equal(as.numeric(got$end - got$start, units = "mins"), c(120, 90, 0, 0, 0))
  unknown <- ics(event("DTSTART;TZID=Nowhere:20260701T080000"))
  expect_error(read_records(unknown), "no time zone \"Nowhere\"", class = "ridge_error_file")
})

test_that("folded lines, escapes, alarms and other components are read as the standard says", {
  got <- read_quietly(ics("BEGIN:VTODO", "DTSTART:20260101T000000Z", "END:VTODO",
                          event("DTSTART;VALUE=DATE:20260210", "SUMMARY:Long \\, with a com", " ma\\; and a li\\nne",
                                "BEGIN:VALARM", "DESCRIPTION:not this", "TRIGGER:-PT5M", "END:VALARM", "DESCRIPTION:this")))
  expect_identical(got$summary, "Long , with a comma; and a li\nne")
  expect_identical(got$description, "this")
})

test_that("repeated events are written out, but for the days taken out or moved", {
  got <- read_quietly(ics(
    event("DTSTART;TZID=Europe/Vienna:20260323T090000", "DTEND;TZID=Europe/Vienna:20260323T103000",
          "RRULE:FREQ=WEEKLY;BYDAY=MO,WE;COUNT=5", "EXDATE;TZID=Europe/Vienna:20260325T090000", "SUMMARY:Round"),
    event("RECURRENCE-ID;TZID=Europe/Vienna:20260401T090000", "DTSTART;TZID=Europe/Vienna:20260402T140000", "SUMMARY:Moved")
  ))
  expect_identical(format(got$start, "%Y-%m-%d %H:%M"), c("2026-03-23 09:00", "2026-03-30 09:00", "2026-04-06 09:00", "2026-04-02 14:00"))
  expect_identical(attr(got$start, "tzone"), "Europe/Vienna")
  until <- read_quietly(ics(event("DTSTART:20260101T230000Z", "RRULE:FREQ=DAILY;UNTIL=20260103T230000Z")))
  expect_identical(nrow(until), 3L)
  also <- read_quietly(ics(event("DTSTART;VALUE=DATE:20260101", "RDATE;VALUE=DATE:20260301,20260405")))
  expect_identical(also$start, day(c("2026-01-01", "2026-03-01", "2026-04-05")))
})

test_that("what repeats without an end is written out to the day named, and said", {
  file <- ics(event("DTSTART;VALUE=DATE:20200229", "RRULE:FREQ=YEARLY"))
  expect_message(got <- read_records(file, repeat_until = "2030-12-31"), "repeats without an end: written out to 2030-12-31")
  expect_identical(got$start, day(c("2020-02-29", "2024-02-29", "2028-02-29")))
  expect_error(read_records(file, repeat_until = "soon"), "`repeat_until` must be a date", class = "ridge_error_argument")
})

test_that("days among times run from midnight to midnight", {
  expect_message(
    got <- read_records(ics(event("DTSTART;VALUE=DATE:20260329"), event("DTSTART:20260401T000000Z")), tz = "Europe/Vienna"),
    "1 all-day event among events with times"
  )
  expect_equal(as.numeric(got$end - got$start, units = "hours"), c(23, 0))
})

test_that("what is no iCalendar is refused with its reason", {
  expect_error(read_records(ics(event("SUMMARY:x"))), "event 1 has no DTSTART", class = "ridge_error_file")
  expect_error(read_records(ics(event("DTSTART:20260230T000000Z"))), "\"20260230T000000Z\" is no date", class = "ridge_error_file")
  expect_error(read_records(ics(event("DTSTART:20260220T000000Z", "DURATION:2 hours"))), "no duration", class = "ridge_error_file")
  expect_error(read_records(ics(event("DTSTART:20260220T000000Z", "RRULE:FREQ=SECONDLY"))), "is not one of days, weeks", class = "ridge_error_file")
  expect_error(read_records(ics("BEGIN:VEVENT", "DTSTART:20260220T000000Z")), "closes nothing", class = "ridge_error_file")
  expect_error(read_records(ics("no property")), "is no property", class = "ridge_error_file")
  file <- withr::local_tempfile(fileext = ".ics")
  writeLines(c("BEGIN:VCALENDAR", event("DTSTART:20260220T000000Z")), file)
  expect_error(read_records(file), "cut short: VCALENDAR", class = "ridge_error_file")
})

test_that("another parser reads what is written here", {
  staff <- demo_staff()
  file <- withr::local_tempfile(fileext = ".ics")
  write_records(staff, file)
  expect_true(all(nchar(readLines(file), "bytes") <= 75))
  lines <- run_python(c(
    "import sys, icalendar, datetime",
    sprintf("cal = icalendar.Calendar.from_ical(open('%s', 'rb').read())", file),
    "for e in cal.walk('VEVENT'):",
    "    end = e.decoded('DTEND') - datetime.timedelta(1) if 'DTEND' in e else ''",
    "    print(e['SUMMARY'], e.decoded('DTSTART'), end, len(e.errors))"
  ))
  end <- ifelse(is.na(staff$last_day), "", format(staff$last_day))
  expect_identical(lines, paste(staff$observer, staff$first_day, end, 0))
})

test_that("files that another program writes are read", {
  file <- withr::local_tempfile(fileext = ".ics")
  run_python(c(
    "from icalendar import Calendar, Event, vRecur", "from datetime import datetime, date, timedelta", "import pytz",
    "cal = Calendar(); cal.add('prodid', '-//Other//EN'); cal.add('version', '2.0')",
    "e = Event(); e.add('summary', 'Inspection, with a very long title that has to be folded: \\u00e9\\u00e8\\u00ea' * 2)",
    "e.add('dtstart', date(2026, 2, 10)); e.add('dtend', date(2026, 2, 13)); cal.add_component(e)",
    "e = Event(); e.add('summary', 'Round'); tz = pytz.timezone('Europe/Vienna')",
    "e.add('dtstart', tz.localize(datetime(2026, 3, 28, 22, 0))); e.add('duration', timedelta(hours=8))",
    "e.add('rrule', {'freq': 'daily', 'count': 3}); cal.add_component(e)",
    sprintf("open('%s', 'wb').write(cal.to_ical())", file)
  ))
  got <- read_quietly(file)
  expect_identical(nrow(got), 4L)
  expect_identical(got$summary[1], strrep("Inspection, with a very long title that has to be folded: \u00e9\u00e8\u00ea", 2))
  expect_identical(format(got$start[-1], "%m-%d %H:%M", tz = "Europe/Vienna"), c("03-28 22:00", "03-29 22:00", "03-30 22:00"))
  expect_identical(format(got$end[-1], "%m-%d %H:%M", tz = "Europe/Vienna"), c("03-29 07:00", "03-30 06:00", "03-31 06:00"))
})

test_that("repeated days are those of another program", {
  rules <- c("FREQ=DAILY;COUNT=10", "FREQ=DAILY;INTERVAL=3;UNTIL=20261101", "FREQ=WEEKLY;COUNT=8;BYDAY=MO,WE",
             "FREQ=WEEKLY;INTERVAL=2;COUNT=9;BYDAY=TU,SU;WKST=SU", "FREQ=MONTHLY;COUNT=9;BYMONTHDAY=31",
             "FREQ=MONTHLY;COUNT=12;BYDAY=-1FR", "FREQ=MONTHLY;BYDAY=1MO,3WE;COUNT=11", "FREQ=YEARLY;COUNT=5",
             "FREQ=YEARLY;BYMONTH=3,10;BYDAY=-1SU;COUNT=7", "FREQ=YEARLY;BYDAY=20MO;COUNT=4",
             "FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-1;COUNT=8", "FREQ=YEARLY;BYMONTHDAY=13;BYDAY=FR;COUNT=6",
             "FREQ=DAILY;BYMONTH=1;COUNT=40", "FREQ=MONTHLY;BYMONTHDAY=-1,15;COUNT=9", "FREQ=YEARLY;BYMONTH=6,7;COUNT=6")
  cases <- expand.grid(start = c("20260101", "20260331", "20240229", "20261031"), rule = rules, stringsAsFactors = FALSE)
  want <- run_python(c(
    "import sys", "from dateutil.rrule import rrulestr", "from datetime import datetime",
    "for line in sys.stdin:", "    start, rule = line.strip().split(' ')",
    "    days = rrulestr(rule, dtstart=datetime.strptime(start, '%Y%m%d'))",
    "    print(' '.join(d.strftime('%Y-%m-%d') for d in days))"
  ), input = paste(cases$start, cases$rule))
  for (i in seq_len(nrow(cases))) {
    start <- format(as.Date(cases$start[i], "%Y%m%d"))
    days <- strsplit(want[i], " ")[[1]]
    # The other one leaves the first day out where the rule does not hold there.
    if (!(start %in% days)) days <- c(start, if (grepl("COUNT", cases$rule[i])) utils::head(days, -1) else days)
    got <- read_quietly(ics(event(paste0("DTSTART;VALUE=DATE:", cases$start[i]), paste0("RRULE:", cases$rule[i]))))
    expect_identical(format(got$start), days, label = paste(cases$start[i], cases$rule[i]))
  }
})
