# Which words an almanac takes in each place, as rows like those of the options: they are checked,
# told in messages and written into the schema. What a question and its records take are the
# options themselves.

almanac_row <- function(kind, help, values = NULL, example = NULL) {
  option_row(kind, toupper(kind), help, values = values, example = example)
}

named_rows <- function(rows) {
  for (name in names(rows)) rows[[name]]$name <- gsub("_", "-", name)
  rows
}

almanac_words <- function() named_rows(list(
  title = almanac_row("text", "the title of the report"),
  note = almanac_row("text", "what stands at its head, in Markdown"),
  as_of = almanac_row("text", "the day it speaks for: a date, or words such as end of last month"),
  keep_editions = almanac_row("number",
                              "how many editions keep what the next is compared with (12)"),
  who = almanac_row("flag",
                    "may readers see who is behind a number: embeds personal data (false)"),
  settings = almanac_row("settings", "words that hold for all questions and records"),
  calendars = almanac_row("calendars", "calendars by name"),
  records = almanac_row("records", "records by name"),
  pages = almanac_row("pages", "the pages, in their order")))

page_words <- function() named_rows(list(
  title = almanac_row("text", "the title of the page"),
  note = almanac_row("text", "what stands at its head, in Markdown"),
  settings = almanac_row("settings", "words that hold for all its questions"),
  questions = almanac_row("questions", "its questions, in their order")))

printed_parts <- c("figure", "summary", "table")

question_words <- function() named_rows(list(
  question = almanac_row("text", "the question in the reader's words: its heading"),
  ask = almanac_row("choice", "the verb", values = askable()),
  records = almanac_row("text", "the records that it is asked about, by their name"),
  name = almanac_row("text", "what its files are called"),
  note = almanac_row("text", "what stands below its heading, in Markdown"),
  calendar = almanac_row("text", "a calendar, by its name"),
  print = almanac_row("texts", "what is printed of it: figure, summary, table (all that there are)",
                      values = printed_parts),
  expect = almanac_row("expect", "what must hold")))

expect_words <- function() named_rows(list(
  at_least = almanac_row("number", "no number is below it"),
  at_most = almanac_row("number", "no number is above it"),
  at_most_from_before = almanac_row("text", paste("no number is further from that of the period",
                                                  "before: 20 or 10%")),
  column = almanac_row("text", "which of its numbers (the verb's own)"),
  ties = almanac_row("flag", "it ties to the records (true, always looked at)"),
  no_findings = almanac_row("choice", "of a check: none as bad as that", values = severities)))

# Records of a file, and those that are bound with them: a log has changes, others starts and ends.
record_words <- function() {
  rows <- option_rows()
  own <- named_rows(list(
    file = almanac_row("texts", "the file, files or pattern, from the folder of the almanac")))
  logs <- c("at", "state", "ending-states", "repeats", "same-day")
  # An edition holds what its records are, which has to fit in memory.
  of_file <- rows[setdiff(c(from_records(), logs), c("and", "set-aside", "memory", "together"))]
  and <- named_rows(list(and = almanac_row("lists", "further lists, bound with the first")))
  c(own, as_words(of_file), as_words(rows[words_of_tables()]), and)
}

# What is told of records in a table of a database.
words_of_tables <- function() setdiff(from_database(), "show-sql")

# What lists that are bound share is said of the first.
further_words <- function() {
  rows <- record_words()
  rows[setdiff(names(rows), c(gsub("-", "_", shared_by_lists), words_of_tables()))]
}

words_of_calendar <- function() as_words(option_rows()[c(calendar_names(), hours_names())])

# Options by the words that they are in an almanac.
as_words <- function(rows) {
  stats::setNames(rows, gsub("-", "_", names(rows)))
}

# What a question takes beside its own words: the options of its command, but for those that say
# which records, which the entry of the records says, and where the result goes, which the almanac
# does.
asked_words <- function(command) {
  elsewhere <- c(from_anywhere(), "out", "to-format", "fail-on", "quiet", "formulas", "figure",
                 "figure-size", "title", "summary", "reconcile", "compare", "earlier-as-of",
                 "less-columns", "with-columns")
  options <- command_options(command)
  options <- options[setdiff(names(options), elsewhere)]
  if (command$name %in% compared_commands) {
    options <- c(options, option_rows()[c("against", "values")])
  }
  as_words(options)
}

compared_commands <- c("active", "movement", "allocate", "time-within")

# Records are named, not files.
names_records <- c("less", "with", "earlier")

# The commands that answer a question about records.
askable <- function() {
  elsewhere <- c("versus", "periods", "changes", "records", "build", "begin", "completion", "demo",
                 "help")
  gsub("-", "_", setdiff(names(command_rows()), elsewhere))
}

# Whatever a question or records may be told, once for all.
setting_words <- function() {
  if (is.null(register$settings)) register$settings <- made_setting_words()
  register$settings
}

made_setting_words <- function() {
  of_questions <- lapply(askable(), function(ask) {
    asked_words(command_rows()[[gsub("_", "-", ask)]])
  })
  all <- c(unlist(of_questions, recursive = FALSE), record_words(),
           question_words()[c("calendar", "print")])
  own <- c("file", "and", "as_of", names_records)
  all[setdiff(unique(names(all)), own)]
}
