# What a refusal carries for who catches it, and says to who types.

test_that("conditions carry the argument, the row and the value", {
  staff <- demo_staff()
  caught <- function(expr) {
    cnd <- rlang::catch_cnd(expr, "ridge_error")
    expect_s3_class(cnd, "ridge_error")
    cnd[c("arg", "row", "value")]
  }
  expect_identical(caught(active(staff, rule = "some_day"))[c("arg", "value")],
                   list(arg = "rule", value = "some_day"))
  expect_identical(caught(active(staff, from = "soon"))$arg, "from")
  expect_identical(caught(gaps(staff, min_days = -1))[c("arg", "value")], list(arg = "min_days", value = -1))
  expect_identical(caught(consecutive(staff, same = nowhere))$arg, "same")
  bad <- data.frame(from = c("2026-01-01", "2026-02-30"), to = "2026-03-01")
  expect_identical(caught(spans(bad, from, to))[c("row", "value")], list(row = 2L, value = "2026-02-30"))
  turned <- data.frame(from = as.Date("2026-03-01"), to = as.Date("2026-02-01"))
  expect_identical(caught(spans(turned, from, to))$row, 1L)
  expect_identical(caught(active(staff, "day", from = "1700-01-01", to = "9999-12-31", group = observer))$arg, NULL)
  expect_s3_class(rlang::catch_cnd(read_records("nowhere.csv")), "ridge_error_file")
})

# R's own spelling, which means nothing to who types a command.
r_words <- paste0("spans\\(|c\\(\"|list\\(|as\\.|\\bTRUE\\b|\\bFALSE\\b|\\bNULL\\b|\\bNA\\b|<-|%in%|\\{\\.|",
                  "`[a-z]+_[a-z_]+`|`[a-z_.]+\\(\\)`|[a-z_]+ = \"|calendar_rules|data frame|tibble|ridge_")

wrong_lines <- function(file, bad, shifts) {
  days <- c(file, "--start", "first_day", "--end", "last_day", "--key", "observer")
  with <- function(command, ...) c(command, days, ...)
  shift <- function(command, ...) c(command, shifts, "--start", "start", "--end", "end", "--key", "who", ...)
  list(
    with("active", "--rule", "some_day"), with("active", "--rule", "last day"), with("active", "--of", "weight"),
    with("active", "--by", "fortnight"), with("active", "--by", "role"), with("active", "--by", "0 days"),
    with("active", "--from", "31.12.2025"), with("active", "--from", "2026-02-30"),
    with("active", "--from", "2026-02-01", "--to", "2026-01-01"), with("active", "--group", "grup"),
    with("active", "--on", "2026-01-01,x"), with("active", "--as-of", "someday"),
    with("active", "--tz", "Mars/Base"), with("active", "--weight", "role"), with("active", "--wide", "--sums", "all"),
    with("active", "--wide", "--sums", "rows"), with("active", "--by", "hour", "--tz", "UTC"),
    with("active", "--end-counts", "maybe"), with("active", "--means-open", "31/12/9999"),
    with("active", "--keep", "station"), with("active", "--keep", "stn=Whinfell"), with("active", "--match", "near"),
    with("active", "--out", "x.doc"), with("active", "--figure", "x.gif"), with("active", "--whole", "moon"),
    with("active", "--week-starts", "Someday"), with("active", "--year-starts", "13"), with("active", "--label", "long"),
    with("scaffold", "--rule", "mean_day"), with("scaffold", "--of", "weight"), with("scaffold", "--carry", "colour"),
    with("movement", "--returns", "perhaps"), with("movement", "--panels", "all"), with("cohorts", "--rule", "peak_day"),
    with("cohorts", "--cells", "bars"), with("allocate", "--amount", "role"), with("allocate", "--amount", "share"),
    with("allocate", "--amount", "share", "--digits", "-1"), with("allocate", "--amount", "share", "--basis", "week"),
    with("allocate"), with("versus", "--against", "yesteryear"), with("versus", "--against", "2036-01-01"),
    with("versus", "--group", "station", "--against", "Nowhere"), with("versus", "--against", "total"),
    with("versus", "--values", "closing"), with("versus", "--compare", "gaps"), with("gaps", "--min-days", "x"),
    with("gaps", "--per", "nothing"), with("gaps", "--working", "--weekend", "Sunday,Monday,Noday"),
    with("missing-days", "--expected", "Monday"), with("consecutive", "--tolerance=-1"),
    with("consecutive", "--show", "all"), with("overlaps", "--differing", "whom"), with("concurrency", "--of", "people"),
    with("peaks", "--capacity", "many"), with("roster", "--on", "someday"), with("roster", "--on", "2026-01-01", "--rule", "any_day"),
    with("explain-count", "--on", "2026-01-01,2026-02-01,2026-03-01"), with("elapsed", "--unit", "fortnights"),
    with("elapsed", "--working", "--hours", "9,17"), with("elapsed", "--hours", "09:00"), with("elapsed", "--holidays", "no.csv"),
    with("elapsed", "--day-hours", "-1"), with("elapsed", "--hours-on", "Friday"), with("length-of-stay", "--confidence", "2"),
    with("time-within", "--bands", "early=0,90"), shift("time-within", "--bands", "night=22:00"),
    shift("time-within", "--bands", "night"), shift("active", "--by", "5 hours"),
    shift("tenure"), shift("scaffold", "--by", "hour", "--of", "weight"),
    c("active", file, "--start", "first_day"), c("active", file, "--start", "first", "--end", "last_day"),
    c("active", file, "--start", "first_day", "--end", "last_day", "--one-day"), c("active", "nowhere.csv", "--start", "a", "--end", "b"),
    c("active", bad, "--start", "from", "--end", "to"), c("check", bad, "--start", "from", "--end", "upto"),
    c("active", file, "--start", "role", "--end", "last_day"), c("active", file, bad, "--start", "first_day", "--end", "last_day"),
    c("changes", file, "--at", "first_day"), c("periods", "--by", "week"), c("periods", "--by", "week", "--from", "2026-01-01"),
    c("periods", "--by", "month", "--from", "2026-05-01", "--to", "2026-01-01"), c("actve", file), c("help", "nothing"),
    c("active", file, "--start"), c("active", file, "--rul", "x"), c("demo", "x"), c("active", file, "--sheet", "2", "--start", "first_day", "--end", "last_day")
  )
}

test_that("what the command line says has no R in it, and says what to change", {
  withr::local_dir(withr::local_tempdir())
  data.table::fwrite(demo_records("postings"), "postings.csv")
  writeLines(c("from,to", "2026-01-01,2026-02-30", "2026-05-01,2026-04-01", ",2026-01-01"), "bad.csv")
  writeLines(c("who,start,end", "a,2026-03-28 21:00,2026-03-29 06:00", "b,2026-03-29 04:00,"), "shifts.csv")
  lines <- wrong_lines("postings.csv", "bad.csv", "shifts.csv")
  for (line in lines) {
    got <- run(line)
    said <- paste(got$notes, collapse = "\n")
    label <- paste0("ridge ", paste(line, collapse = " "), ": ", said)
    expect_true(got$status %in% c(1L, 2L), label = label)
    expect_false(grepl(r_words, said), label = label)
    expect_false(file.exists("Rplots.pdf"))
  }
})
