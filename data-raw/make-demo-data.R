# Makes the tables of the Almanac Ridge Observatory, a made-up trust that keeps
# seven weather stations. Run from the top of the package:
#   Rscript data-raw/make-demo-data.R

set.seed(20260630)
as_of <- as.Date("2026-06-30")
stations <- c("Cold Shoulder", "High Lantern", "Kestrel Gap", "Larch Saddle", "Stonebow",
              "Tarn Head", "Whinfell")
station_size <- c(7, 12, 22, 14, 9, 20, 16)
roles <- c("trainee", "observer", "senior observer", "technician")

# Observers come in all year round, more of them each year, most of them in
# spring; how long they stay varies widely.
first_days <- function(n) {
  year <- sample(2019:2026, n, replace = TRUE, prob = c(10, 10, 7, 12, 15, 17, 18, 10))
  month <- sample(1:12, n, replace = TRUE, prob = c(8, 6, 12, 14, 12, 8, 6, 6, 10, 9, 5, 4))
  day <- ifelse(runif(n) < 0.6, 1, sample(1:28, n, replace = TRUE))
  as.Date(sprintf("%d-%02d-%02d", year, month, day))
}

posting <- function(observer, first_day, last_day, station, role, share) {
  data.frame(observer = observer, station = station, role = role, share = share,
             first_day = first_day, last_day = last_day)
}

length_of_stay <- function() max(1, round(rgamma(1, shape = 1.3, scale = 420)))

# The career of one observer: postings that follow each other, some at another
# station the next day, some after a break, until one does not end any more.
career <- function(observer, first_day) {
  station <- sample(stations, 1, prob = station_size)
  role <- sample(roles, 1, prob = c(5, 9, 3, 3))
  share <- sample(c(1, 0.8, 0.75, 0.6, 0.5, 0.4), 1, prob = c(10, 4, 2, 3, 5, 2))
  postings <- list()
  repeat {
    last_day <- first_day + length_of_stay() - 1
    ongoing <- last_day > as_of && (last_day > as_of + 180 || runif(1) < 0.7)
    postings <- c(postings, list(posting(observer, first_day, if (ongoing) NA else last_day,
                                         station, role, share)))
    if (ongoing || last_day > as_of - 20 || runif(1) < 0.55) break
    moves <- runif(1) < 0.6
    first_day <- last_day + if (moves) 1 else sample(20:500, 1)
    if (first_day > as_of) break
    if (moves || runif(1) < 0.3) station <- sample(setdiff(stations, station), 1)
    if (role == "trainee") role <- "observer"
  }
  do.call(rbind, postings)
}

make_postings <- function(observers = 450) {
  names <- sprintf("OB-%04d", sample(1000:9999, observers))
  starts <- first_days(observers)
  starts[starts > as_of] <- starts[starts > as_of] - 365
  postings <- do.call(rbind, Map(career, names, starts))
  extra <- rbind(
    # One day only, to stand in for somebody.
    posting(sample(names, 6), as.Date(c("2020-02-29", "2021-08-14", "2023-01-02", "2024-02-29",
                                        "2025-12-31", "2026-03-08")),
            as.Date(c("2020-02-29", "2021-08-14", "2023-01-02", "2024-02-29", "2025-12-31",
                      "2026-03-08")), sample(stations, 6, replace = TRUE), "observer", 1),
    # Already agreed, not yet begun.
    posting(sprintf("OB-%04d", 10001:10005),
            as.Date(c("2026-07-01", "2026-07-15", "2026-08-01", "2026-09-01", "2026-09-14")),
            as.Date(c(NA, "2026-12-31", NA, "2027-02-28", NA)),
            sample(stations, 5, replace = TRUE), "trainee", c(1, 0.5, 1, 0.8, 1)),
    # Two stations at once, half of the time at each.
    posting("OB-0007", as.Date(c("2024-04-01", "2024-04-01")), as.Date(c(NA, "2026-01-31")),
            c("Kestrel Gap", "Tarn Head"), "technician", 0.5)
  )
  postings <- rbind(postings, extra)
  postings$station[sample(nrow(postings), 4)] <- NA
  postings <- postings[sample(nrow(postings)), ]
  postings[order(postings$first_day), ]
}

# Watches kept: the begin as a number, the finish as text, often past midnight,
# and a kind that everybody spells in their own way.
make_watches <- function(n = 1200) {
  kinds <- list(c("night watch", "Night Watch", "night-watch", "NIGHT WATCH", "Night  watch"),
                c("storm watch", "Storm watch", "storm-watch"), "handover", c("cleaning", "Cleaning"))
  kind <- sample(seq_along(kinds), n, replace = TRUE, prob = c(6, 3, 2, 1))
  begin <- c(1320, 1080, 420, 600)[kind] + 10 * sample(-6:6, n, replace = TRUE)
  length <- c(480, 360, 30, 120)[kind] + 5 * sample(-8:8, n, replace = TRUE)
  finish <- (begin + pmax(length, 10)) %% 1440
  twelve <- sprintf("%d:%02d %s", (finish %/% 60 - 1) %% 12 + 1, finish %% 60,
                    ifelse(finish < 720, "AM", "PM"))
  day <- as.Date("2025-07-01") + sort(sample(0:364, n, replace = TRUE))
  data.frame(
    observer = sprintf("OB-%04d", sample(1000:1060, n, replace = TRUE)),
    station = sample(stations, n, replace = TRUE, prob = station_size),
    watch_date = format(day, "%d/%m/%Y"),
    begin = 100 * (begin %/% 60) + begin %% 60,
    finish = ifelse(runif(n) < 0.7, sprintf("%d:%02d", finish %/% 60, finish %% 60), twelve),
    kind = vapply(kind, function(k) sample(kinds[[k]], 1), character(1))
  )
}

write_table <- function(table, name) {
  write.csv(table, file.path("inst/extdata", name), row.names = FALSE, na = "", quote = FALSE)
}

postings <- make_postings()
write_table(postings, "postings.csv")
write_table(make_watches(), "watches.csv")

# The two lists of the office: those still here, without a last day, and those
# who have left. Three who left in June are on both.
make_lists <- function() {
  ends <- ifelse(is.na(postings$last_day), Inf, as.numeric(as.Date(postings$last_day, origin = "1970-01-01")))
  last <- tapply(ends, postings$observer, max)
  first <- tapply(as.numeric(postings$first_day), postings$observer, min)
  known <- as.Date(first, origin = "1970-01-01") <= as_of
  as_text <- function(days) format(as.Date(days, origin = "1970-01-01"), "%d.%m.%Y")
  here <- names(last)[is.infinite(last) & known]
  left <- names(last)[is.finite(last) & known & last <= as.numeric(as_of)]
  home <- function(names) postings$station[match(names, postings$observer)]
  both <- sample(here, 3)
  list(
    here = data.frame(observer = here, station = home(here), since = as_text(first[here])),
    left = data.frame(person = c(left, both), joined = as_text(first[c(left, both)]),
                      last_day = c(as_text(last[left]), "05.06.2026", "12.06.2026", "19.06.2026"),
                      reason = sample(c("contract ended", "moved away", "studies", "retired"), length(left) + 3, TRUE))
  )
}

# When each observer reached a grade; some steps entered twice, some leave.
make_grade_changes <- function() {
  grades <- c("C", "B", "A")
  people <- sample(unique(postings$observer), 160)
  log <- do.call(rbind, lapply(people, function(person) {
    first <- min(postings$first_day[postings$observer == person])
    steps <- sample(1:3, 1)
    at <- first + cumsum(c(0, sample(150:900, steps)))[seq_len(steps)]
    gone <- runif(1) < 0.3
    data.frame(observer = person, reached_on = c(at, if (gone) at[steps] + sample(60:700, 1)),
               grade = c(grades[seq_len(steps)], if (gone) "left"))
  }))
  log <- log[log$reached_on <= as_of, ]
  twice <- log[sample(which(log$grade != "left"), 8), ]
  twice$reached_on <- pmin(twice$reached_on + sample(c(0, 40, 90), 8, TRUE), as_of)
  log <- rbind(log, twice)
  log$entered_by <- sample(c("office", "station"), nrow(log), TRUE)
  log[sample(nrow(log)), ]
}

# One reading a day and stake, but for days on which nobody came up.
make_stake_readings <- function() {
  stakes <- sprintf("%s %d", rep(c("Kestrel Gap", "Tarn Head", "Whinfell"), each = 2), 1:2)
  do.call(rbind, lapply(stakes, function(stake) {
    days <- seq(as.Date("2025-11-15"), as.Date("2026-04-30"), by = "day")
    snow <- pmax(0, round(90 * sin(seq(0.15, pi, length.out = length(days))) + cumsum(rnorm(length(days), 0, 3))))
    open <- runif(length(days)) > 0.08
    for (k in 1:3) open[sample(length(days) - 12, 1) + 0:sample(3:11, 1)] <- FALSE
    data.frame(stake = stake, read_on = days, depth_cm = snow)[open, ]
  }))
}

# The day of return is free again; a few were promised twice.
make_loans <- function() {
  instruments <- sprintf("%s-%02d", rep(c("BAR", "HYG", "ANE", "CAM"), c(4, 4, 3, 3)), c(1:4, 1:4, 1:3, 1:3))
  borrowers <- c("Valley School", "Glacier Survey", "Road Office", "Mountain Rescue", "University", "Radio Station")
  loans <- do.call(rbind, lapply(instruments, function(instrument) {
    out <- as.Date("2025-07-01") + cumsum(sample(2:55, 14, TRUE))
    days <- pmin(sample(1:40, 14, TRUE), c(as.numeric(diff(out)), 40))
    data.frame(instrument = instrument, borrower = sample(borrowers, 14, TRUE), lent_on = out, returned_on = out + days)
  }))
  loans <- loans[loans$lent_on <= as_of, ]
  clash <- sample(nrow(loans), 9)
  loans$returned_on[clash] <- loans$returned_on[clash] + sample(4:25, 9, TRUE)
  loans$returned_on[loans$returned_on > as_of] <- NA
  loans[order(loans$lent_on), ]
}

make_grants <- function() {
  funders <- c("Ridge Foundation", "Valley Council", "Weather Fund", "Alpine Trust")
  first <- as.Date("2024-01-01") + sample(0:800, 24)
  grants <- data.frame(
    grant = sprintf("G-%03d", 1:24), funder = sample(funders, 24, TRUE),
    amount = round(sample(c(1200, 2500, 4800, 12000, 18000, 36000), 24, TRUE) * runif(24, 0.8, 1.2), 2),
    first_day = first, last_day = first + sample(c(30, 79, 181, 364, 729), 24, TRUE)
  )
  # The one whose months are worked by hand in the help pages.
  grants[1, ] <- list("G-001", "Ridge Foundation", 12000, as.Date("2026-03-07"), as.Date("2026-05-25"))
  grants
}

make_pledges <- function() {
  first <- as.Date("2024-06-01") + sample(0:700, 120, TRUE)
  last <- first + sample(20:600, 120, TRUE)
  last[runif(120) < 0.45] <- NA
  data.frame(supporter = sprintf("S-%04d", sample(1000:9999, 120)),
             monthly = sample(c(5, 10, 10, 15, 20, 25, 50), 120, TRUE),
             first_day = first, last_day = last)
}

# To the minute, reported in working hours more often than not.
make_faults <- function() {
  day <- sample(seq(as.Date("2025-10-01"), as.Date("2026-06-29"), by = "day"), 180, TRUE)
  minute <- round(ifelse(runif(180) < 0.75, runif(180, 480, 1080), runif(180, 0, 1439)))
  reported <- as.POSIXct(format(day), tz = "UTC") + 60 * minute
  mended <- reported + 60 * round(rgamma(180, 0.9, 1 / 2600) + 12)
  shown <- function(moment) ifelse(is.na(moment), "", format(moment, "%Y-%m-%d %H:%M", tz = "UTC"))
  mended[mended > as.POSIXct("2026-06-30 18:00", tz = "UTC")] <- NA
  table <- data.frame(
    fault = sprintf("F-%04d", 1:180), instrument = sprintf("%s-%02d", sample(c("BAR", "HYG", "ANE", "CAM"), 180, TRUE), sample(1:4, 180, TRUE)),
    station = sample(stations, 180, TRUE, prob = station_size), reported = shown(sort(reported)), mended = shown(mended[order(reported)])
  )
  table[1, c("reported", "mended")] <- c("2025-10-03 16:00", "2025-10-07 09:30")
  table
}

make_trips <- function() {
  people <- sample(unique(postings$observer[is.na(postings$last_day)]), 45)
  first <- as.Date("2026-01-05") + sample(0:220, 130, TRUE)
  who <- sample(people, 130, TRUE)
  data.frame(observer = who, station = postings$station[match(who, postings$observer)], first_day = first,
             last_day = first + sample(0:13, 130, TRUE, prob = c(2, 3, 4, 3, 6, 2, 3, 2, 1, 1, 1, 3, 2, 2)),
             purpose = sample(c("survey", "training", "leave", "repairs"), 130, TRUE))
}

closures <- c(
  "BEGIN:VCALENDAR", "VERSION:2.0", "PRODID:-//Almanac Ridge Observatory//Office//EN",
  "BEGIN:VEVENT", "UID:new-year@observatory.example", "DTSTAMP:20231201T090000Z",
  "DTSTART;VALUE=DATE:20190101", "RRULE:FREQ=YEARLY", "SUMMARY:New Year", "END:VEVENT",
  "BEGIN:VEVENT", "UID:founders@observatory.example", "DTSTAMP:20231201T090000Z",
  "DTSTART;VALUE=DATE:20190612", "RRULE:FREQ=YEARLY", "SUMMARY:Founders' day", "END:VEVENT",
  "BEGIN:VEVENT", "UID:christmas@observatory.example", "DTSTAMP:20231201T090000Z",
  "DTSTART;VALUE=DATE:20191225", "DTEND;VALUE=DATE:20191227", "RRULE:FREQ=YEARLY", "SUMMARY:Christmas", "END:VEVENT",
  "BEGIN:VEVENT", "UID:inventory@observatory.example", "DTSTAMP:20231201T090000Z",
  "DTSTART;VALUE=DATE:20190930", "RRULE:FREQ=YEARLY;BYMONTH=9;BYDAY=-1MO;COUNT=12",
  "SUMMARY:Inventory of all instruments\\, stores and sledges: the stations are ", "  closed to visitors that day", "END:VEVENT",
  "BEGIN:VEVENT", "UID:storm@observatory.example", "DTSTAMP:20260212T090000Z",
  "DTSTART;VALUE=DATE:20260210", "DTEND;VALUE=DATE:20260213", "SUMMARY:Storm damage", "END:VEVENT",
  "END:VCALENDAR"
)

lists <- make_lists()
write_table(lists$here, "observers_here.csv")
write_table(lists$left, "observers_left.csv")
write_table(make_grade_changes(), "grade_changes.csv")
write_table(make_stake_readings(), "stake_readings.csv")
write_table(make_loans(), "instrument_loans.csv")
write_table(make_grants(), "grants.csv")
write_table(make_pledges(), "pledges.csv")
write_table(make_faults(), "faults.csv")
write_table(make_trips(), "field_trips.csv")
writeLines(closures, "inst/extdata/closures.ics", sep = "\r\n")

# The same list as the office exported it a month before: what came late, was corrected or
# taken back since then is as it was.
make_may <- function() {
  told_on <- as.Date("2026-05-31")
  may <- postings
  agreed <- may$first_day > told_on & runif(nrow(may)) < 0.6
  may <- may[may$first_day <= told_on | may$first_day > told_on + 40 | agreed, ]
  announced <- runif(nrow(may)) < 0.5
  may$last_day[which(may$last_day > told_on & !announced)] <- NA
  late <- which(may$last_day >= as.Date("2026-03-20") & may$last_day <= told_on)
  may$last_day[sample(late, 5)] <- NA
  wrong <- sample(which(may$last_day > as.Date("2025-06-01") & may$last_day < as.Date("2026-03-01")), 2)
  may$last_day[wrong] <- may$last_day[wrong] + c(31, -31)
  may <- may[-sample(which(may$first_day > as.Date("2026-01-10") & may$first_day < as.Date("2026-05-01")), 3), ]
  moved <- sample(which(is.na(may$last_day) & !is.na(may$station)), 3)
  may$station[moved] <- c("Tarn Head", "Whinfell", "High Lantern")
  may$share[sample(which(is.na(may$last_day)), 4)] <- 1
  never <- posting(c("OB-0811", "OB-0812"), as.Date(c("2026-03-01", "2026-05-04")), NA, c("Stonebow", "Tarn Head"), "trainee", 1)
  rbind(may, never)
}

write_table(make_may(), "postings_may.csv")
