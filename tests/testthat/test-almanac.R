# The file of an almanac: what it takes, and the message for each mistake, with its line.

skip_if_not_installed("yaml")

read_text <- function(...) {
  folder <- almanac_folder(c(...), env = parent.frame())
  read_almanac(file.path(folder, "almanac.yml"))
}

mistakes <- function(...) {
  cnd <- rlang::catch_cnd(read_text(...), "ridge_error_almanac")
  expect_s3_class(cnd, "ridge_error_almanac")
  cnd$value
}

head_lines <- c("records:", "  moves: {file: moves.csv, start: from, end: to, key: who}")
page_lines <- function(...) c("pages:", "  - title: One", "    questions:", paste0("      ", c(...)))

test_that("plain words are text as they are written, whatever older YAML makes of them", {
  read <- read_text("title: no", head_lines, page_lines(
    "- ask: active", "  on: [2026-01-01, 2026-02-29x]", "- ask: gaps", "  min_days: 0x10", "- ask: active", "  by: 10 days"))
  expect_identical(read$title, "no")
  told <- read$pages[[1]]$questions
  expect_identical(told[[1]]$told$on, c("2026-01-01", "2026-02-29x"))
  expect_identical(told[[2]]$told$min_days, 16)
  clocks <- read_text("calendars:", "  office: {hours: [09:00, 17:30], hours_on: {Friday: [09:00, 12:00]}}", head_lines,
                      page_lines("- ask: gaps", "  calendar: office"))
  expect_identical(clocks$calendars$office$hours, c("09:00", "17:30"))
  expect_identical(clocks$calendars$office$hours_on$Friday, "09:00,12:00")
  codes <- read_text("records:", "  moves: {file: 010, start: y, end: on, key: [no, 1e3]}", page_lines("- ask: active"))
  expect_identical(codes$records$moves[c("file", "start", "end", "key")],
                   list(file = "010", start = "y", end = "on", key = c("no", "1e3")))
})

test_that("each mistake is told with its line, what the word takes, and the nearest right one", {
  found <- mistakes(
    "titel: Staff",                                        # 1
    "keep_editions: 2.5",
    "who: yes",
    "settings: {rule: anyday}",
    "calendars: {office: {weekends: Friday}}",             # 5
    "records:",
    "  moves:",
    "    file: moves.csv",
    "    start: from",                                     # 9: no end
    "  empty: {start: from, one_day: true}",
    "  late: {file: a.csv, start: a, end: b, one_day: true}",
    "pages:",
    "  - title: One",
    "    questions:",
    "      - ask: activ",                                  # 15
    "      - ask: active",
    "        records: move",
    "        by: month",
    "        grup: site",
    "      - ask: gaps",                                   # 20
    "        records: moves",
    "        calendar: offce",
    "        min_days: many",
    "      - {ask: allocate, records: moves}")
  expect_snapshot(writeLines(found))
})

test_that("what plays no part is refused, and what is missing is named", {
  one <- function(...) mistakes(head_lines, page_lines(...))
  expect_snapshot(writeLines(c(
    one("- question: How many?"), one("- ask: roster", "  by: month"), one("- ask: active", "  sums: rows"),
    one("- ask: active", "  expect: {at_least: some, no_findings: error}"),
    one("- ask: active", "  expect: {at_most_from_before: ten}"),
    one("- ask: active", "  title: x", "  print: [figure, picture]"),
    one("- ask: roster", "  calendar: office"), one("- ask: active", "  less: away"), one("- ask: restated"),
    one("- ask: active", "  keep: {site: north}"), one("- ask: active", "  group: {a: b}"),
    one("- ask: active", "  total: 1"), one("- ask: active", "  group: []"), one("- ask: active", "  by:"),
    mistakes("settings: {amount: share}", head_lines, page_lines("- ask: active")),
    mistakes(head_lines), mistakes(head_lines, "pages: {}"), mistakes(head_lines, "pages:", "  - questions: [1]"),
    mistakes("records: [a]", page_lines("- ask: active")), mistakes("just a text"))))
})

test_that("settings stand once, are taken where they play a part, and are overridden", {
  read <- read_text("settings: {by: month, from: 2026-01-01, means_open: 9999-12-31}", head_lines, "pages:",
                    "  - title: One", "    settings: {by: week}", "    questions:", "      - {ask: active}",
                    "      - {ask: active, by: day}", "      - {ask: roster}", "  - {title: Two, questions: [{ask: active}]}")
  told <- lapply(read$pages[[1]]$questions, `[[`, "told")
  expect_identical(read$pages[[2]]$questions[[1]]$told$by, "month")
  expect_identical(vapply(told[1:2], `[[`, "", "by"), c("week", "day"))
  expect_identical(told[[1]]$from, "2026-01-01")
  expect_length(told[[3]], 0)
  expect_identical(read$records$moves$means_open, "9999-12-31")
})

test_that("a file that is no YAML says where, and runs nothing", {
  say <- function(...) {
    cnd <- rlang::catch_cnd(read_text(...), "ridge_error")
    gsub("'[^ ]*almanac.yml'", "almanac.yml", paste(c(cnd$message, cnd$body), collapse = "\n"))
  }
  marker <- withr::local_tempfile()
  expect_snapshot(writeLines(c(
    say("title: a", " pages: b"), say("title: a", "pages: [1", "x: y"), say("title: a", "title: b"),
    say("title: !expr file.create('marker')"))))
  say(sprintf("title: !expr file.create('%s')", marker), page_lines("- ask: active"))
  expect_false(file.exists(marker))
  folder <- withr::local_tempdir()
  writeBin(c(charToRaw("title: caf"), as.raw(0xe9), charToRaw("\n")), file.path(folder, "a.yml"))
  expect_error(read_almanac(file.path(folder, "a.yml")), "line 1: this is no UTF-8", class = "ridge_error_file")
  expect_error(read_almanac(file.path(folder, "none.yml")), "ridge begin", class = "ridge_error_file")
  expect_error(read_almanac(c("a", "b")), class = "ridge_error_argument")
})

test_that("anchors, other line ends and a mark at the head of the file are read", {
  folder <- withr::local_tempdir()
  text <- c("\ufefftitle: Zw\u00f6lf", "records:", "  a: &list {file: a.csv, start: s, end: e, key: k}", "  b: {<<: *list, file: b.csv}",
            "pages:", "- {title: P, questions: [{ask: active, records: b}]}")
  writeBin(charToRaw(enc2utf8(paste(text, collapse = "\r\n"))), file.path(folder, "a.yml"))
  read <- read_almanac(file.path(folder, "a.yml"))
  expect_identical(read$title, "Zw\u00f6lf")
  expect_identical(read$records$b[c("file", "start")], list(file = "b.csv", start = "s"))
})

test_that("files have names of their own, in letters that any system takes", {
  read <- read_text(head_lines, page_lines("- {ask: active, question: 'How many?'}", "- {ask: gaps, question: 'how MANY'}",
                                           "- {ask: roster, question: \u4f55\u4eba}", "- {ask: active, question: '../../etc/passwd'}",
                                           "- {ask: active, name: own}", "- {ask: gaps, question: Restated}"))
  expect_identical(vapply(read$pages[[1]]$questions, `[[`, "", "name"),
                   c("how-many", "how-many-1", "question", "etc-passwd", "own", "restated-1"))
})

test_that("the schema is that of the register, and takes the observatory's almanac", {
  skip_if_not_installed("jsonlite")
  held <- system.file("almanac", "almanac.schema.json", package = "almanacridge")
  expect_identical(paste(readLines(held, encoding = "UTF-8"), collapse = "\n"), trimws(almanacridge:::schema_text(), "right"))
  # Words that several questions take stand there once, and each that is named is there.
  tree <- jsonlite::read_json(held)
  named <- unlist(tree, use.names = TRUE)
  named <- unique(named[grepl("[$]ref$", names(named))])
  expect_gt(length(named), 40)
  expect_identical(setdiff(sub("#/definitions/", "", named, fixed = TRUE), names(tree$definitions)), character())
  judged <- run_python(c(
    "import json, sys", "try:", "    import jsonschema", "except ImportError:", "    print('none'); sys.exit()",
    "schema, good, bad = [json.loads(line) for line in sys.stdin.read().splitlines()]",
    "jsonschema.Draft7Validator.check_schema(schema)", "check = jsonschema.Draft7Validator(schema)",
    "print(*[len(list(check.iter_errors(one))) for one in [good] + bad])"),
    input = local({
      tree <- yaml::yaml.load_file(system.file("extdata", "almanac.yml", package = "almanacridge"))
      json <- function(x) as.character(jsonlite::toJSON(x, auto_unbox = TRUE))
      wrong <- list(utils::modifyList(tree, list(titel = "a")), utils::modifyList(tree, list(pages = NULL)))
      broken <- tree
      broken$pages[[1]]$questions[[1]]$rule <- "anyday"
      foreign <- tree
      foreign$pages[[1]]$questions[[1]]$capacity <- 4
      c(json(jsonlite::fromJSON(held)[[1]] |> (\(x) jsonlite::read_json(held))()), json(tree), json(c(wrong, list(broken, foreign))))
    }))
  if (identical(judged, "none")) skip("There is no judge of schemas.")
  counts <- as.integer(strsplit(judged, " ")[[1]])
  expect_identical(counts[1], 0L)
  expect_true(all(counts[-1] > 0))
})

test_that("a question spelled as an almanac asks the same", {
  skip_if_no_reports()
  records <- random_records(7)[c("who", "site", "share", "start", "end")]
  folder <- almanac_folder("", moves = records)
  withr::local_dir(folder)
  x <- suppressMessages(spans(read_records("moves.csv"), start, end, key = who, weight = share, as_of = "2024-04-30"))
  office <- calendar_rules(weekend = "Friday", holidays = "2024-03-05")
  results <- list(active(x, by = "week", group = site, total = TRUE), movement(x, by = "month", from = "2024-01-01"),
                  versus(active(x, by = "month"), "period_before"), gaps(x, calendar = office), consecutive(x, per = NULL),
                  active(x, on = c("2024-03-01", "2024-04-01"), of = "weight"), overlaps(x), roster(x, on = "2024-03-01"),
                  widen(active(x, by = "month", group = site)), cohorts(x, by = "month"))
  for (result in results) {
    text <- how_asked(result, as = "almanac")
    writeLines(text, "spelled.yml")
    page <- suppressMessages(almanac_page("spelled.yml", 1))
    expect_identical(as.list(page[[1]]$result), as.list(result), label = text)
  }
})
