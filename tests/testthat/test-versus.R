made <- function(...) {
  data <- data.frame(g = rep(c("x", "y"), each = 3), s = day(c("2024-01-10", "2024-03-01", "2025-01-05", "2024-01-01", "2024-02-01", "2025-02-01")),
                     e = day(c("2024-02-29", "2024-03-31", "2025-03-31", "2024-01-31", "2024-12-31", "2025-03-31")), a = c(51, 31, 86, 31, 335, 59))
  spans(data, s, e, as_of = "2025-03-31", ...)
}

test_that("the period before, a year before, a base period, another group, the total", {
  months <- active(made(), group = g, total = TRUE)
  size <- nrow(months) / 3
  before <- versus(months)
  expect_identical(before$against[1:size], c(NA, utils::head(months$active[1:size], -1)))
  expect_identical(before$against_label[1:2], c("nothing there", "2024-01"))
  year <- versus(months, "year_before")
  expect_identical(year$against[13:15], months$active[1:3])
  expect_identical(year$against_label[c(1, 13)], c("nothing there", "2024-01"))
  expect_true(all(is.na(year$against[1:12])))
  fixed <- versus(months, "2024-02-15")
  expect_identical(fixed$against, rep(months$active[c(2, size + 2, 2 * size + 2)], each = size))
  other <- versus(months, list(g = "x"))
  expect_identical(other$against[size + 1:size], months$active[1:size])
  expect_identical(other$difference, months$active - rep(months$active[1:size], 3))
  all <- versus(months, "total")
  expect_identical(all$against[1:size], months$active[2 * size + 1:size])
  expect_identical(all$against_label[1], "All")
  expect_equal(before$percent[2:3], 100 * (months$active[2:3] - months$active[1:2]) / months$active[1:2])
  zero <- versus(active(made()[1:3, ], to = "2025-01-31"))
  expect_true(is.na(zero$percent[zero$against %in% 0][1]))
  expect_match(conventions(before), "active compared with the period before, 3 rows with nothing to compare")
})

test_that("amounts, time and movement compare too, and tie", {
  amounts <- allocate(made(), a, group = g, digits = 2, by = "quarter")
  by_hand <- versus(amounts)
  expect_identical(by_hand$difference[2], round(amounts$amount[2] - amounts$amount[1], 2))
  for (result in list(by_hand, versus(time_within(made(), "quarter", total = TRUE), "year_before"), versus(movement(made(), "quarter"), values = "ended"))) {
    expect_true(all(reconcile(result)$ok))
  }
  weeks <- versus(active(made(), "week"), "year_before")
  expect_identical(weeks$against[53], weeks$active[1])
  days <- versus(active(made(), "day"), "year_before")
  expect_identical(days$against_label[days$period == day("2025-02-10")], "2024-02-10")
  leap <- versus(active(made(), "day", from = "2023-02-01", to = "2024-03-31"), "year_before")
  expect_identical(leap$against_label[leap$period == day("2024-02-29")], "nothing there")
  wide <- widen(versus(active(made(), "quarter", group = g)), values = "difference")
  expect_identical(dim(wide), c(2L, 6L))
})

test_that("bases that are not there are refused", {
  months <- active(made(), group = g)
  expect_error(versus(months, "2026-01-01"), "no period of the result holds 2026-01-01", class = "ridge_error_argument")
  expect_error(versus(months, "last_year"), "must be one of", class = "ridge_error_argument")
  expect_error(versus(months, list(g = "z")), "no group \"z\"", class = "ridge_error_argument")
  expect_error(versus(months, list(site = "x")), "a value for each group column", class = "ridge_error_argument")
  expect_error(versus(months, "total"), "total = TRUE", class = "ridge_error_argument")
  expect_error(versus(gaps(made())), "compares results by period and group", class = "ridge_error_argument")
  expect_error(versus(allocate(made(), a)), "compares results by period and group", class = "ridge_error_argument")
  own <- own_periods(c("2024-01-01", "2024-07-01"), "2025-03-31")
  expect_error(versus(active(made(), own), "year_before"), "periods of a grain", class = "ridge_error_argument")
  expect_identical(nrow(versus(active(made()[0, ]))), 0L)
})

test_that("summaries say what stands out", {
  x <- spans(data.frame(s = day(c("2026-01-01", "2026-02-01", "2026-02-05", "2026-03-01")), e = day(c("2026-02-28", "2026-02-28", "2026-04-30", "2026-03-31"))), s, e, as_of = "2026-04-30")
  expect_identical(summary(active(x)), c("The number active ran from 1 (2026-01) to 1 (2026-04); the highest was 3 (2026-02), the lowest 1 (2026-01).",
                                         "The largest rise was by 2 from 2026-01 to 2026-02, the largest fall was by 1 from 2026-02 to 2026-03."))
  expect_identical(summary(movement(x)), c("From 0 at the opening of 2026-01 to 0 at the closing of 2026-04: 4 started, 4 ended.",
                                           "Most started in 2026-02 (2), most ended in 2026-02 (2); 1 of 4 periods grew."))
  expect_match(summary(time_within(x, total = TRUE))[1], "Time in hours was [0-9,]+ in all")
  expect_match(summary(allocate(made(), a, digits = 2))[1], "The allocated a was 593 in all, 39.53 in the average period.", fixed = TRUE)
  expect_match(summary(elapsed(x)), "Of 4 records half took up to 45 days", all = FALSE)
  expect_identical(summary(active(x[0, ])), "There is nothing in the window.")
  expect_identical(summary(gaps(x)), if (nrow(gaps(x))) conventions(gaps(x)) else "There is nothing in the window.")
  staff <- demo_staff()
  text <- summary(cohorts(staff, "quarter", from = "2025-01-01"))
  expect_match(text[1], "124 started in 6 cohorts; at age 3, 80 % of those known are left.", fixed = TRUE)
  expect_match(text[2], "the best cohort is 2025-Q1 (91 % of 23), the worst 2025-Q2 (73 % of 26)", fixed = TRUE)
  expect_match(text[3], "from age 2 to 3")
  expect_match(summary(length_of_stay(staff)), "Half have ended by 17.6 months.")
  expect_match(summary(versus(active(staff, "year"), "period_before")), "are above and", all = FALSE)
  expect_match(summary(active(staff, "year", group = station, total = TRUE)), "most were in Tarn Head", all = FALSE)
})

test_that("ridge movement, cohorts and versus give what R gives", {
  file <- system.file("extdata", "postings.csv", package = "almanacridge")
  declared <- c(file, "--start", "first_day", "--end", "last_day", "--key", "observer", "--as-of", "2026-06-30")
  staff <- demo_staff()
  moved <- run("movement", declared, "--group", "station", "--by", "quarter", "--total", "--returns", "yes", "--rates", "--to", "2026-06-30", "--reconcile", "--summary")
  want <- movement(staff, "quarter", group = station, total = TRUE, returns = TRUE, rates = TRUE, to = "2026-06-30")
  table <- utils::read.csv(text = moved$out)
  expect_identical(table$closing, want$closing)
  expect_equal(table$turnover, want$turnover)
  expect_true(all(c(conventions(want), summary(want)) %in% moved$notes))
  expect_identical(moved$status, 0L)
  seen <- run("movement", declared, "--by", "year", "--seen-on", "2025-12-31")
  expect_identical(utils::read.csv(text = seen$out)$ended, movement(as_seen_on(staff, "2025-12-31"), "year")$ended)
  left <- run("cohorts", declared, "--by", "quarter", "--rule", "last_day", "--returns", "no", "--from", "2025-01-01")
  expect_equal(utils::read.csv(text = left$out)$retained, cohorts(staff, "quarter", rule = "last_day", returns = FALSE, from = "2025-01-01")$retained)
  stay <- run("length-of-stay", declared, "--unit", "years")
  expect_equal(utils::read.csv(text = stay$out)$share, length_of_stay(staff, unit = "years")$share)
  beside <- run("versus", declared, "--group", "station", "--by", "year", "--against", "Whinfell", "--to", "2026-06-30")
  expect_identical(utils::read.csv(text = beside$out)$difference, versus(active(staff, "year", group = station, to = "2026-06-30"), list(station = "Whinfell"))$difference)
  wrong <- run("versus", declared, "--against", "lastyear")
  expect_identical(wrong$status, 2L)
  expect_match(wrong$notes, "takes period_before, year_before, a date", all = FALSE)
  expect_identical(run("cohorts", declared, "--whole", "year")$status, 2L)
  expect_match(run("versus", declared, "--compare", "movement", "--rule", "any_day")$notes, "--rule` plays no part with `--compare movement`", all = FALSE)
  expect_match(run("length-of-stay", declared, "--by", "year")$notes, "`ridge length-of-stay` has no option `--by`", all = FALSE)
  expect_match(run("active", declared, "--sums", "both")$notes, "say `--wide` too", all = FALSE)
  expect_identical(run("active", declared, "--hours", "09:00,17:00")$status, 2L)
  future <- run("movement", declared, "--seen-on", "2027-01-01")
  expect_match(future$notes, "--seen-on \\(2027-01-01\\) is after the as-of date", all = FALSE)
})

test_that("a workbook of cohorts has a shaded grid", {
  skip_if_not_installed("openxlsx")
  skip_if_not_installed("readxl")
  left <- cohorts(demo_staff(), "quarter", from = "2025-01-01")
  file <- withr::local_tempfile(fileext = ".xlsx")
  write_records(left, file)
  expect_identical(readxl::excel_sheets(file), c("Table", "Grid", "Conventions"))
  grid <- readxl::read_excel(file, "Grid")
  expect_equal(grid$`1`, widen(left)$`1`)
  book <- openxlsx::loadWorkbook(file)
  expect_match(book$worksheets[[2]]$conditionalFormatting, "colorScale", all = FALSE)
  write_records(widen(left), file)
  expect_match(openxlsx::loadWorkbook(file)$worksheets[[1]]$conditionalFormatting, "colorScale", all = FALSE)
})

test_that("what a window hides is looked up before it: as a wider window has it", {
  grains <- c("day", "week", "month", "quarter", "year", "2 weeks")
  for (seed in 1:40) {
    data <- random_records(seed)
    if (nrow(data) == 0) next
    x <- spans(data, start, end, key = who, as_of = "2024-08-31")
    by <- grains[seed %% 6 + 1]
    against <- if (seed %% 2 && by != "2 weeks") "year_before" else "period_before"
    whole <- active(x, by, group = site)
    from <- whole$period[ceiling(nrow(whole) / 2)]
    cut <- versus(active(x, by, group = site, from = from), against)
    wide <- tibble::as_tibble(versus(whole, against))
    expect_identical(tibble::as_tibble(cut), wide[wide$period >= from, ])
    expect_true(all(reconcile(cut)$ok))
  }
})

test_that("a group may be called like a date", {
  data <- data.frame(g = c("2024-01-05", "3rd floor"), s = day(c("2024-01-10", "2024-02-01")), e = day("2024-12-31"))
  rooms <- active(spans(data, s, e, as_of = "2024-12-31"), group = g, from = "2024-06-01")
  for (name in data$g) {
    beside <- versus(rooms, name)
    expect_identical(beside$against_label, rep(name, nrow(rooms)))
    expect_ties(beside)
  }
})

test_that("the line says from when on; saved results, chosen rows and days of one's own stay as they are", {
  months <- active(made(), group = g, from = "2025-02-01")
  before <- versus(months)
  expect_identical(before$against[1], 1L)
  expect_match(conventions(before), "looked up from 2025-01-01 on")
  expect_identical(versus(months, "2024-05-15")$against_label, rep("2024-05", nrow(months)))
  expect_error(versus(months, "2020-01-01"), "no period of the result holds 2020-01-01", class = "ridge_error_argument")
  file <- withr::local_tempfile(fileext = ".rds")
  saveRDS(months, file)
  rm(months)
  saved <- versus(readRDS(file)[1:2, ])
  expect_identical(saved$against_label, c("nothing there", "2025-02"))
  dates <- versus(active(made(), on = c("2025-02-01", "2025-03-01")))
  expect_identical(dates$against_label[1], "nothing there")
  moved <- versus(movement(spans(demo_records("postings"), first_day, last_day, key = observer, as_of = "2026-06-30"),
                           "quarter", from = "2026-01-01"), values = "closing")
  expect_identical(moved$against_label, c("2025-Q4", "2026-Q1"))
  expect_identical(moved$against[2], moved$closing[1])
  hours <- spans(data.frame(s = as.POSIXct("2026-03-02 08:00", tz = "UTC") + 3600 * 0:5, e = as.POSIXct("2026-03-02 20:00", tz = "UTC")),
                 s, e, as_of = "2026-03-02")
  cut <- versus(active(hours, "hour", from = as.POSIXct("2026-03-02 11:00", tz = "UTC")))
  expect_identical(cut$against[1:2], c(3L, 4L))
  expect_true(all(reconcile(cut)$ok))
})
