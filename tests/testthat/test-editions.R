# What an edition tells of the one before.

skip_if_no_reports()

two_editions <- function(env = parent.frame()) {
  folder <- observatory(env)
  file.copy(file.path(folder, "postings_may.csv"), file.path(folder, "postings.csv"), overwrite = TRUE)
  path <- file.path(folder, "almanac.yml")
  may <- build_almanac(path, out = file.path(folder, "may"), as_of = "2026-05-31")
  file.copy(system.file("extdata", "postings.csv", package = "almanacridge"), file.path(folder, "postings.csv"), overwrite = TRUE)
  june <- build_almanac(path, out = file.path(folder, "june"))
  list(folder = folder, may = may, june = june)
}

test_that("the observatory's two editions: what was restated is what restated() says", {
  both <- two_editions()
  expect_length(both$may$news, 0)
  staff <- spans(demo_records("postings"), first_day, last_day, key = observer, as_of = "2026-06-30")
  may <- spans(demo_records("postings_may"), first_day, last_day, key = observer, as_of = "2026-05-31")
  told <- restated(staff, may, from = "2025-07-01")
  moved <- told[told$difference != 0, ]
  expect_identical(both$june$news[1], paste0(
    "How many observers were posted? 2026-05: told as 178, now 177: records added late (+3), ",
    "records removed (-2), ends changed (-2). 3 numbers in all."))
  expect_identical(unlist(tail(moved, 1)[c("before", "now", "added", "removed", "end_changed")], use.names = FALSE),
                   c(178L, 177L, 3L, -2L, -2L))
  page <- xml2::read_html(file.path(both$june$out, "index.html"))
  shown <- report_table(page, "restated")
  own <- shown[shown$question == "How many observers were posted?", ]
  expect_identical(own$period, format(moved$period, "%Y-%m"))
  expect_identical(as.integer(own$before), moved$before)
  expect_identical(as.integer(own$now), moved$now)
  by_station <- restated(staff, may, from = "2025-07-01", group = station, total = TRUE)
  expect_identical(sum(shown$question == "At which stations?"), sum(by_station$difference != 0))
  expect_identical(shown, csv_cells(file.path(both$june$out, "tables", "restated.csv"))[names(shown)])
  found <- function(x) paste(x$finding, x$key, x$detail)
  now <- found(check_spans(staff))
  was <- found(check_spans(may))
  expect_match(both$june$news, sprintf("^%d findings in postings are new", length(setdiff(now, was))), all = FALSE)
  expect_match(both$june$news, sprintf("^%d findings in postings are gone", length(setdiff(was, now))), all = FALSE)
  # A number without causes is compared with what was told.
  moves <- movement(staff, by = "quarter", group = station, total = TRUE, from = "2025-07-01")
  before <- csv_cells(file.path(both$may$out, "tables", "who-came-who-went-who-moved.csv"))
  ended <- as.Date(before$period_end) <= as.Date("2026-05-31")
  line <- function(x) paste(ifelse(x$total %in% c(TRUE, "TRUE"), "All", ifelse(is.na(x$station), "", x$station)), x$period)
  at <- match(line(before[ended, ]), line(moves))
  moved <- sum(vapply(c("opening", "started", "ended", "moved_in", "moved_out", "net", "closing"), function(name) {
    sum(as.integer(before[[name]][ended]) != moves[[name]][at])
  }, 0L))
  expect_identical(sum(shown$question == "Who came, who went, who moved?"), moved)
})

test_that("so many editions are kept as the almanac says, the latest before this one is compared with", {
  records <- random_records(12)
  write <- function(records) utils::write.csv(records, file.path(folder, "moves.csv"), row.names = FALSE, na = "")
  folder <- almanac_folder(small_almanac("{question: How many?, ask: active, by: month}", top = "keep_editions: 2"), moves = records)
  kept <- function() list.files(file.path(folder, "almanac-kept"))
  quietly_built(folder, as_of = "2024-02-29")
  expect_identical(kept(), "2024-02-29")
  expect_identical(quietly_built(folder, as_of = "2024-02-29")$news, character())
  records$start[1] <- records$start[1] - 40
  write(records)
  march <- quietly_built(folder, as_of = "2024-03-31")
  expect_match(march$news[1], "^How many\\? 2024-0[12]: told as [0-9]+, now [0-9]+: ")
  expect_identical(quietly_built(folder, as_of = "2024-03-31")$news, march$news)
  quietly_built(folder, as_of = "2024-04-30")
  expect_identical(kept(), c("2024-03-31", "2024-04-30"))
  held <- nanoparquet::read_parquet(file.path(folder, "almanac-kept", "2024-04-30", "records-moves.parquet"))
  # Of the records only what the questions use.
  expect_setequal(names(held), c("who", "start", "end", "share"))
  text <- small_almanac("{question: How many?, ask: active, by: month}", top = "keep_editions: 0")
  writeLines(text, file.path(folder, "almanac.yml"))
  quietly_built(folder, as_of = "2024-05-31")
  expect_length(kept(), 0)
})

test_that("what cannot be compared is said, and is no error", {
  records <- random_records(13)
  folder <- almanac_folder(small_almanac("{question: How many?, ask: active, by: month}"), moves = records)
  quietly_built(folder, as_of = "2024-03-31")
  text <- sub("key: who", "key: site", small_almanac("{question: How many?, ask: active, by: month}"))
  records$site[is.na(records$site)] <- "north"
  utils::write.csv(records, file.path(folder, "moves.csv"), row.names = FALSE, na = "")
  writeLines(text, file.path(folder, "almanac.yml"))
  expect_match(quietly_built(folder)$news, "^How many\\?: cannot be compared with the edition of 2024-03-31")
})

test_that("restated numbers are those of restated() for generated lists, of days and of moments", {
  for (seed in 21:26) {
    records <- random_records(seed)
    if (nrow(records) < 3) next
    moments <- seed %% 2 == 0
    if (moments) records[c("start", "end")] <- lapply(records[c("start", "end")], function(x) ifelse(is.na(x), NA, paste(format(x), "08:30")))
    text <- small_almanac("{question: N, ask: active, by: month, group: site, total: true, rule: last_day, to: 2024-05-31}")
    text <- sub("key: who,", paste0("key: who,", if (moments) " tz: Europe/Vienna,"), text)
    folder <- almanac_folder(text, moves = records)
    quietly_built(folder, as_of = "2024-03-31")
    later <- records[-1, ]
    later$site[1] <- "west"
    later$end[2] <- later$start[2]
    later$who[nrow(later)] <- "new"
    if (moments) later$end[2] <- sub("08:30", "09:45", later$end[2])
    utils::write.csv(later, file.path(folder, "moves.csv"), row.names = FALSE, na = "")
    built <- quietly_built(folder)
    of <- function(records, day) {
      spans(records, start, end, key = who, weight = share, as_of = day, tz = if (moments) "Europe/Vienna")
    }
    told <- restated(of(later, "2024-04-30"), of(records, "2024-03-31"), by = "month", group = site, total = TRUE, rule = "last_day",
                     to = "2024-03-31")
    moved <- told[told$difference != 0, ]
    path <- file.path(built$out, "tables", "restated.csv")
    found <- if (file.exists(path)) csv_cells(path) else data.frame()
    expect_identical(nrow(found), nrow(moved), label = seed)
    if (nrow(moved)) {
      expect_equal(as.numeric(found$before), as.numeric(moved$before), label = seed)
      expect_equal(as.numeric(found$now), as.numeric(moved$now), label = seed)
    }
  }
})
