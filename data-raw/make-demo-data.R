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

write_table(make_postings(), "postings.csv")
write_table(make_watches(), "watches.csv")
