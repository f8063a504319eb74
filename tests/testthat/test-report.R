# The report: every number in it is that of the same question in R, and nothing that came from data
# or was written in the almanac is anything but text.

skip_if_no_reports()

# The cells of a page equal a result: numbers exactly, dates and texts as they are written.
expect_shown <- function(report, name, result, label = name) {
  shown <- report_table(report, name)
  plain <- almanacridge:::with_all_named(tibble::as_tibble(result), c("character", "factor"))
  expect_identical(names(shown), names(plain), label = label)
  expect_identical(nrow(shown), nrow(plain), label = label)
  for (column in names(plain)) {
    found <- shown[[column]]
    expected <- plain[[column]]
    if (is.numeric(expected)) {
      expect_identical(suppressWarnings(as.numeric(found)), as.numeric(expected), label = paste(label, column))
    } else {
      text <- if (inherits(expected, "POSIXct")) almanacridge:::iso_instants(expected) else as.character(expected)
      expect_identical(as.character(found), replace(text, is.na(text), ""), label = paste(label, column))
    }
  }
}

page_of <- function(edition) xml2::read_html(file.path(edition$out, "index.html"))

test_that("every number of the observatory's report is that of the question in R", {
  folder <- observatory()
  built <- quietly_built(folder)
  expect_true(built$ok)
  report <- page_of(built)
  withr::local_dir(folder)
  office <- suppressMessages(calendar_rules(holidays = read_records("closures.ics", repeat_until = "2027-12-31"), hours = c("09:00", "17:30")))
  day <- "2026-06-30"
  staff <- spans(demo_records("postings"), first_day, last_day, key = observer, weight = share, as_of = day)
  grades <- suppressMessages(spans_from_changes(demo_records("grade_changes"), at = reached_on, key = observer, state = grade,
                                                ending_states = "left", as_of = day))
  kept <- suppressMessages(fold_labels(demo_records("watches"), kind))
  clocks <- between_clocks(kept$watch_date, kept$begin, kept$finish, tz = "Europe/Vienna", date_order = "dmy")
  kept[c("begin", "finish")] <- clocks[c("start", "end")]
  watches <- spans(kept[tolower(kept$kind) %in% c("night watch", "storm watch"), ], begin, finish, key = observer, tz = "Europe/Vienna", as_of = day)
  readings <- spans(demo_records("stake_readings"), read_on, NULL, key = stake, as_of = day)
  loans <- spans(demo_records("instrument_loans"), lent_on, returned_on, key = instrument, end_counts = FALSE, as_of = day)
  faults <- spans(demo_records("faults"), reported, mended, key = fault, tz = "Europe/Vienna", as_of = day)
  grants <- spans(demo_records("grants"), first_day, last_day, key = grant, as_of = day)
  pledges <- spans(demo_records("pledges"), first_day, last_day, key = supporter, as_of = day)
  since <- "2025-07-01"
  answers <- list(
    "how-many-observers-were-posted" = active(staff, from = since),
    "at-which-stations" = active(staff, group = station, total = TRUE, from = since),
    "how-many-full-posts-is-that-on-average-over-the-month" = active(staff, of = "weight", rule = "mean_day", from = since),
    "who-came-who-went-who-moved" = movement(staff, by = "quarter", group = station, total = TRUE, from = since),
    "how-do-the-quarters-compare-with-the-year-before" = versus(active(staff, by = "quarter", from = since), "year_before"),
    "how-many-held-each-grade-at-the-end-of-the-year" = widen(active(grades, by = "year", group = grade, rule = "last_day", from = "2022-01-01")),
    "how-many-hours-of-watches-were-kept" = time_within(watches, by = "month", group = kind, total = TRUE, from = since),
    "for-how-many-days-in-a-row-was-each-stake-read" = consecutive(readings),
    "where-were-working-days-without-a-reading" = gaps(readings, calendar = office, min_days = 3, from = since),
    "how-many-instruments-were-lent-out-at-once" = concurrency(loans, capacity = 9, from = since),
    "which-were-promised-twice" = local({
      found <- overlaps(loans)
      found[order(-found$days), ]
    }),
    "how-long-did-it-take-until-a-fault-was-mended-in-working-hou" = elapsed(faults, "hours", calendar = office, by = "month", within = 24, from = since),
    "how-much-of-the-grants-belongs-to-each-quarter" = allocate(grants, amount, by = "quarter", group = funder, digits = 2, total = TRUE, from = since),
    "what-was-billed-and-what-is-not-recognised-yet" = allocate(grants, amount, by = "year", digits = 2, show = "balance", from = "2024-01-01"),
    "what-do-supporters-pledge-each-month" = allocate(pledges, monthly, by = "month", spread = "repeat", total = TRUE, from = since, to = day),
    "what-should-be-looked-at-in-the-list-of-postings" = check_spans(staff))
  shown <- xml2::xml_attr(xml2::xml_find_all(report, "//table[@data-name]"), "data-name")
  expect_setequal(setdiff(shown, "restated"), names(answers))
  for (name in names(answers)) {
    expect_shown(report, name, answers[[name]])
    article <- xml2::xml_find_first(report, sprintf("//article[@id='%s']", name))
    said <- xml2::xml_text(xml2::xml_find_first(article, "./p[@class='conventions']"))
    said <- sub("; 289 left out", "", said)
    said <- sub("; to \"end of this month\" is 2026-06-30", "", said, fixed = TRUE)
    expect_identical(said, conventions(answers[[name]]), label = name)
    written <- csv_cells(file.path(built$out, "tables", paste0(name, ".csv")))
    expect_identical(report_table(report, name), written, label = name)
  }
  said <- xml2::xml_text(xml2::xml_find_first(report, "//article[@id='at-which-stations']/p[@class='sentences']"))
  expect_identical(said, paste(summary(answers[["at-which-stations"]]), collapse = " "))
  marks <- jsonlite::fromJSON(xml2::xml_text(xml2::xml_find_first(report, "//figure[@data-name='at-which-stations']/script")))
  by_station <- answers[["at-which-stations"]]
  name <- ifelse(by_station$total, "All", ifelse(is.na(by_station$station), "(missing)", by_station$station))
  expect_setequal(marks$tip, paste0(name, ", ", format(by_station$period, "%Y-%m"), ": ", by_station$active))
})

test_that("what is told of how it was asked gives the same table, as a command and in R", {
  folder <- observatory()
  built <- quietly_built(folder)
  report <- page_of(built)
  withr::local_dir(folder)
  told <- jsonlite::read_json(file.path(built$out, "edition.json"))
  asked <- unlist(lapply(told$pages, `[[`, "questions"), recursive = FALSE)
  for (one in asked) {
    for (command in strsplit(one$how[["As a command"]], "\n")[[1]]) {
      words <- scan(text = command, what = "", quote = "'\"", quiet = TRUE)
      answer <- run(words[-1], "--quiet")
      expect_identical(answer$status, 0L, label = command)
    }
    expect_identical(answer$out, readLines(file.path(built$out, "tables", paste0(one$name, ".csv")), encoding = "UTF-8"), label = command)
    result <- suppressMessages(eval(parse(text = one$how[["In R"]]), list(), asNamespace("almanacridge")))
    file <- withr::local_tempfile(fileext = ".csv")
    suppressMessages(write_records(result, file))
    expect_identical(readLines(file), readLines(file.path(built$out, "tables", paste0(one$name, ".csv"))), label = one$how[["In R"]])
  }
  # In the almanac: one of its own that asks this alone.
  for (one in asked[c(1, 2, 8, 9, 11, 14)]) {
    writeLines(one$how[["In the almanac"]], "one.yml")
    page <- suppressMessages(almanac_page("one.yml", 1))
    again <- withr::local_tempfile(fileext = ".csv")
    suppressMessages(write_records(page[[1]]$result, again))
    expect_identical(readLines(again), readLines(file.path(built$out, "tables", paste0(one$name, ".csv"))), label = one$name)
  }
})

test_that("every number of generated almanacs is that of the question in R", {
  asks <- list(
    list("ask: active, by: month, group: site, total: true", function(x) active(x, by = "month", group = site, total = TRUE)),
    list("ask: active, by: week, of: weight, rule: mean_day", function(x) active(x, by = "week", of = "weight", rule = "mean_day")),
    list("ask: active, by: month, group: site, against: period_before", function(x) versus(active(x, by = "month", group = site))),
    list("ask: movement, by: month, group: site, total: true, returns: true", function(x) movement(x, by = "month", group = site, total = TRUE, returns = TRUE)),
    list("ask: scaffold, by: month, carry: share", function(x) scaffold(x, by = "month", carry = share)),
    list("ask: allocate, amount: share, by: month, digits: 2, open_to_as_of: true, group: site",
         function(x) allocate(x, share, by = "month", digits = 2, open_to_as_of = TRUE, group = site)),
    list("ask: time_within, by: month, total: true, unit: days", function(x) time_within(x, by = "month", total = TRUE, unit = "days")),
    list("ask: gaps, edges: true", function(x) gaps(x, edges = TRUE)), list("ask: consecutive, same: site", function(x) consecutive(x, same = site)),
    list("ask: overlaps", overlaps), list("ask: concurrency, group: site", function(x) concurrency(x, group = site)),
    list("ask: missing_days, per: who", missing_days), list("ask: cohorts, by: month", function(x) cohorts(x, by = "month")),
    list("ask: elapsed, unit: days", function(x) elapsed(x, "days")), list("ask: roster, on: 2024-03-01", function(x) roster(x, on = "2024-03-01")),
    list("ask: explain_count, on: 2024-03-01", function(x) explain_count(x, on = "2024-03-01")),
    list("ask: working_days", working_days), list("ask: due, after: 5", function(x) move_working_days(x, 5)),
    list("ask: active, by: month, group: site, wide: true", function(x) widen(active(x, by = "month", group = site))),
    list("ask: check", check_spans))
  for (seed in 31:50) {
    set.seed(seed)
    chosen <- asks[sample(length(asks), 6)]
    # Only the last has figures, so that all of them are built in good time.
    lines <- paste0("{question: Q", seq_along(chosen), ", ", vapply(chosen, `[[`, "", 1), ", print: [table, summary]}")
    records <- random_records(seed)
    if (nrow(records) == 0) records <- random_records(seed + 100)
    # As the file of the test holds them.
    records$share <- signif(records$share, 15)
    records$site[1] <- "north"
    built <- quietly_built(almanac_folder(small_almanac(lines), moves = records))
    report <- page_of(built)
    x <- spans(records, start, end, key = who, weight = share, as_of = "2024-04-30")
    for (i in seq_along(chosen)) {
      expect_shown(report, paste0("q", i), suppressMessages(chosen[[i]][[2]](x)), label = paste(seed, chosen[[i]][[1]]))
    }
    expect_true(built$ok, label = seed)
  }
})

test_that("labels, titles, file names and values of an almanac are text, whatever they hold", {
  evil <- c("<script>alert(1)</script>", "\"><img src=x onerror=alert(1)>", "</script><script>alert(2)//", "'; DROP", "{1+1} `id` $(id)",
            "=HYPERLINK(\"http://x\")", "\u202eabc", "&amp;<b>", "javascript:alert(3)")
  records <- data.frame(who = evil, site = rev(evil), share = 1, start = "2024-03-01", end = c("2024-03-20", "", rep("2024-04-02", 7)))
  quoted <- function(text) as.character(jsonlite::toJSON(text, auto_unbox = TRUE))
  text <- c(paste0("title: ", quoted(evil[1])), paste0("note: ", quoted(paste(c(evil, "[a](javascript:alert(4)) ![i](http://x/y.png) <iframe src=//x></iframe>",
                                                                                "<style>*{color:red}</style>", "[fine](https://example.org)"), collapse = "\n\n"))),
            "as_of: 2024-04-30", "who: true", "records:", "  \"a<b>\": {file: \"moves.csv\", start: start, end: end, key: who}", "pages:",
            paste0("  - title: ", quoted(evil[2])), "    questions:",
            paste0("      - {question: ", quoted(evil[3]), ", ask: active, by: month, group: site, note: ", quoted(evil[2]), "}"),
            paste0("      - {question: ", quoted(evil[5]), ", ask: consecutive}"), paste0("      - {question: ", quoted(evil[6]), ", ask: check}"))
  folder <- almanac_folder(text, moves = records)
  built <- quietly_built(folder)
  report <- page_of(built)
  kinds <- xml2::xml_attr(xml2::xml_find_all(report, "//script"), "type")
  expect_identical(sum(is.na(kinds)), 1L)
  expect_true(all(kinds %in% c(NA, "application/json")))
  expect_length(xml2::xml_find_all(report, "//img | //iframe | //link | //object | //embed | //form | //base"), 0)
  expect_length(xml2::xml_find_all(report, "//style"), 1)
  attributes <- xml2::xml_text(xml2::xml_find_all(report, "//@*[starts-with(name(), 'on')]"))
  expect_length(attributes, 0)
  targets <- xml2::xml_text(xml2::xml_find_all(report, "//@href"))
  expect_true(all(grepl("^(#|https://example.org$|tables/)", targets)))
  cells <- report_table(report, "script-script-alert-2")
  expect_setequal(cells$site, evil)
  expect_identical(xml2::xml_text(xml2::xml_find_first(report, "//h1")), evil[1])
  policy <- xml2::xml_attr(xml2::xml_find_first(report, "//meta[@http-equiv]"), "content")
  expect_match(policy, "^default-src 'none'; style-src 'unsafe-inline'; img-src data:; script-src 'sha256-[A-Za-z0-9+/]{43}='")
  files <- list.files(built$out, recursive = TRUE)
  expect_true(all(grepl("^[a-z0-9./-]+$", files)))
})

test_that("without data there is a page that says so, and a long table is cut where it is said", {
  folder <- almanac_folder(small_almanac(c("{ask: active, by: month, from: 2024-01-01, to: 2024-03-31}", "{ask: gaps}", "{ask: check}")),
                           moves = random_records(1)[0, ])
  built <- quietly_built(folder)
  expect_true(built$ok)
  expect_identical(report_table(page_of(built), "how-many-are-active-by-period-or-on-your-own-dates")$active, c("0", "0", "0"))
  many <- data.frame(who = sprintf("k%04d", 1:1500), site = "n", share = 1, start = "2024-03-01", end = "2024-03-20")
  built <- quietly_built(almanac_folder(small_almanac("{question: All, ask: roster, on: 2024-03-05}"), moves = many))
  report <- page_of(built)
  expect_identical(nrow(report_table(report, "all")), 1000L)
  expect_match(xml2::xml_text(xml2::xml_find_first(report, "//p[@class='cut']")), "The first 1,000 of 1,500 rows.", fixed = TRUE)
  expect_identical(nrow(csv_cells(file.path(built$out, "tables", "all.csv"))), 1500L)
})

test_that("who is behind the numbers is there only where the almanac allows it", {
  records <- random_records(14)
  question <- "{question: How many?, ask: active, by: month, group: site}"
  built <- quietly_built(almanac_folder(small_almanac(question), moves = records))
  expect_length(xml2::xml_find_all(page_of(built), "//details[@class='who']"), 0)
  built <- quietly_built(almanac_folder(small_almanac(question, top = "who: true"), moves = records))
  who <- xml2::xml_find_first(page_of(built), "//details[@class='who']")
  expect_match(xml2::xml_text(who), "personal data")
  told <- jsonlite::fromJSON(xml2::xml_text(xml2::xml_find_first(who, "./script")), simplifyMatrix = FALSE)
  x <- spans(records, start, end, key = who, weight = share, as_of = "2024-04-30")
  listed <- active(x, by = "month", group = site, show = "records")
  expect_identical(told$values[[match("who", told$columns)]], as.character(listed$who))
  expect_identical(told$values[[match("period", told$columns)]], format(listed$period))
})
