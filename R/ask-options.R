# One row for each option of the command line. The same name means the same everywhere.
#   kind: "text", "number", "limit" (a number, a column or a file), "texts" (comma between),
#     "choice" (of `values`), "flag", "yes_no", "pairs" (NAME=VALUE, may be repeated), "column",
#     "columns", "grain", "file"; "files" and "tables" (may be repeated)
#   arg: the argument in R; `also`: other arguments that it feeds, so that a message about
#     one of them names the option.

option_row <- function(kind, meta, help, arg = NULL, values = NULL, also = NULL,
                       example = NULL) {
  list(kind = kind, meta = meta, help = help, arg = arg, values = values, also = also,
       example = example)
}

is_numeral <- function(text) {
  !is.na(suppressWarnings(as.numeric(text)))
}

is_file_of_limits <- function(value) {
  grepl("[.][a-z]+$", value, ignore.case = TRUE)
}

names_columns <- function(row) {
  row$kind %in% c("column", "columns")
}

# The rows are made once.
register <- new.env(parent = emptyenv())

option_rows <- function() {
  if (is.null(register$options)) register$options <- made_option_rows()
  register$options
}

made_option_rows <- function() {
  rows <- c(span_options(), source_options(), period_options(), verb_options(),
            output_options())
  for (name in names(rows)) {
    rows[[name]]$name <- name
    rows[[name]]$arg <- rows[[name]]$arg %||% gsub("-", "_", name)
  }
  rows
}

# What may be said of years of weeks.
week_year_names <- c("ends_on", "month", "ends", "named_by", "long_years", "extra_week", "grain")

span_options <- function() list(
  start = option_row("column", "COLUMN", "the column of first days or moments"),
  end = option_row("column", "COLUMN", "the column of last days or moments; blank is still open",
                   also = "finish_date"),
  "start-clock" = option_row("column", "COLUMN", "the times of day that go with --start",
                             also = "begin"),
  "end-clock" = option_row("column", "COLUMN",
                           "those that go with --end; without --end, past midnight",
                           also = "finish"),
  "equal-clocks" = option_row("choice", "day|nothing",
                              "what a finish at the time of its begin means",
                              values = c("day", "nothing")),
  "one-day" = option_row("flag", "", "each record is one day, there is no end"),
  "all-open" = option_row("flag", "", "all records are still open, there is no end"),
  key = option_row("columns", "COLUMN,...", "whom or what the records belong to"),
  weight = option_row("column", "COLUMN", "the numbers that --of weight sums"),
  "end-counts" = option_row("yes_no", "yes|no", "does the last day count (on days: yes)"),
  "means-open" = option_row("texts", "VALUE,...",
                            "dates, or texts, that also stand for: still open"),
  "as-of" = option_row("text", "DATE", "the day the analysis speaks for (today)"),
  "seen-on" = option_row("text", "DATE",
                         "as known on that day: later starts gone, later ends open"),
  tz = option_row("text", "ZONE", "the time zone of instants"),
  "date-order" = option_row("choice", "ORDER",
                            paste("of day and month, where it is not proven: dmy, mdy, ymd; or",
                                  "what numbers are"),
                            values = c(date_orders, number_orders)),
  days = option_row("flag", "", "date-times are dates: their clocks do not matter"),
  unusable = option_row("choice", "stop|set_aside", "what to do with records that cannot be used",
                        values = c("stop", "set_aside")),
  "set-aside" = option_row("file", "FILE", "set them aside, into this file, with the reasons")
)

source_options <- function() list(
  and = option_row("files", "FILE",
                   paste("a further list, bound with the first; options behind it that say how",
                         "records are read are its own")),
  keep = option_row("pairs", "COLUMN=VALUE", "only these records; may be repeated",
                    example = "station=Whinfell"),
  "leave-out" = option_row("pairs", "COLUMN=VALUE", "all but these records; may be repeated",
                           example = "station=Whinfell"),
  where = option_row("text", "CONDITION",
                     "only records that meet it: share >= 0.8 & station == \"Kestrel Gap\""),
  match = option_row("choice", "WAY",
                     "how they match: folded (case, spaces, hyphens aside), exact, containing",
                     values = match_ways),
  fold = option_row("columns", "COLUMN,...", "bring the spellings of these columns together"),
  into = option_row("text", "COLUMN", "fold them joined, as one name, into this new column"),
  near = option_row("choice", "report|fold", "labels a letter apart: report, or fold them too",
                    values = c("report", "fold")),
  format = option_row("choice", "FORMAT", "of FILE, where its ending does not say it",
                      values = record_formats),
  sheet = option_row("text", "SHEET", "of a workbook, by name or number (the first)"),
  encoding = option_row("text", "NAME", "of a text file: UTF-8, UTF-16, Latin-1, Windows-1252"),
  missing = option_row("texts", "TEXT,...", "cells that are missing too, such as N/A,-"),
  decimal = option_row("choice", ".|,", "what stands before decimals, where it is not proven",
                       values = decimal_marks),
  delimiter = option_row("text", "CHARACTER", "what stands between fields (tab for a tab)"),
  quote = option_row("text", "CHARACTER", "what quotes text (\"), or none"),
  "no-header" = option_row("flag", "", "there is no line of column names: they are V1, V2, ..."),
  "skip-top" = option_row("number", "NUMBER", "so many lines at the top are no records"),
  "skip-bottom" = option_row("number", "NUMBER", "so many lines at the bottom are no records"),
  memory = option_row("text", "SIZE", "of a folder: how much memory a part may take (2 GB)"),
  together = option_row("flag", "", "of a folder: each key lies in one of its files"),
  database = option_row("text", "ADDRESS",
                        paste("postgresql://USER@HOST/NAME, sqlite:FILE, duckdb:FILE or",
                              "odbc:NAME, in place of a file")),
  table = option_row("tables", "NAME",
                     "a table, a view or SCHEMA.NAME; again for a table of other keys"),
  row = option_row("column", "COLUMN",
                   "of the table (and --earlier, --with): what numbers records, to show which"),
  timeout = option_row("number", "SECONDS", "how long a statement may take in the database"),
  "show-sql" = option_row("flag", "", "note the statements that the database was asked"),
  "repeat-until" = option_row("text", "DATE",
                              "the last day for calendar events that repeat without end"),
  at = option_row("column", "COLUMN", "the days or moments of the changes"),
  state = option_row("columns", "COLUMN,...", "what is so from then on"),
  "ending-states" = option_row("texts", "STATE,...", "states that only end the one before"),
  repeats = option_row("choice", "merge|keep", "a change to the state that already was",
                       values = c("merge", "keep")),
  "same-day" = option_row("choice", "last|stop",
                          "two changes of a key at once: the last row is right",
                          values = c("last", "stop"))
)

period_options <- function() list(
  by = option_row("grain", "GRAIN",
                  paste("hour, day, week, month, quarter, year, \"2 weeks\", a CSV file of",
                        "periods, or 4-4-5, 4-5-4, 5-4-4, 13x4")),
  years = option_row("text", "YEAR-YEAR", "of a year of weeks (4-4-5): the first and the last"),
  "week-year" = option_row("pairs", "NAME=VALUE",
                           paste("how it ends: ends-on, month, ends (last or nearest), named-by,",
                                 "long-years, extra-week; or its grain"),
                           example = "month=June", also = week_year_names),
  whole = option_row("text", "GRAIN", "widen what is shown to whole years, say"),
  label = option_row("choice", "FORM", "add labels: code, name, first_day, last_day",
                     values = label_forms),
  from = option_row("text", "DATE", "the first day shown; periods are shown whole"),
  to = option_row("text", "DATE", "the last day shown; periods are shown whole"),
  "week-starts" = option_row("text", "DAY", "the first day of a week (Monday)"),
  "year-starts" = option_row("text", "MONTH", "the first month of a year (January)"),
  weekend = option_row("texts", "DAY,...", "the weekend (Saturday,Sunday), or none"),
  holidays = option_row("texts", "DATE,...",
                        "days that are no working days, or a file of them, such as closed.ics"),
  "every-year" = option_row("texts", "MM-DD,...", "holidays that come every year"),
  hours = option_row("texts", "CLOCK,CLOCK,...",
                     "working hours, begin and end: 09:00,12:00,13:00,17:30"),
  "hours-on" = option_row("pairs", "DAY=CLOCK,CLOCK", "those of one weekday; may be repeated",
                          example = "Friday=09:00,15:00"),
  "hours-tz" = option_row("text", "ZONE", "the time zone of the hours (that of the records)"),
  working = option_row("flag", "", "only working days count: see --weekend and --holidays"),
  expected = option_row("texts", "DATE,...", "the days on which a record is expected")
)

verb_options <- function() list(
  group = option_row("columns", "COLUMN,...", "break the result down by these columns"),
  per = option_row("columns", "COLUMN,...",
                   "whose values are looked at one by one (the key), or none"),
  rule = option_row("choice", "RULE",
                    paste("what active means:", paste(rule_names(), collapse = ", ")),
                    values = rule_names()),
  of = option_row("choice", "WHAT", "what is counted: keys, records or weight",
                  values = c("keys", "records", "weight")),
  on = option_row("texts", "DATE,...", "on these dates, in place of --by"),
  carry = option_row("columns", "COLUMN,...", "columns of the records to carry along"),
  carried = option_row("choice", "WHICH", "of each stretch: first, last (that ends it), or all",
                       values = c("first", "last", "all")),
  total = option_row("flag", "", "also the line over all groups"),
  "every-period" = option_row("flag", "", "every key in every period, present or not"),
  same = option_row("columns", "COLUMN,...", "columns that must stay equal within a stretch"),
  tolerance = option_row("number", "NUMBER", "so many uncovered days do not break a stretch (0)"),
  "by-start" = option_row("flag", "", "periods are those of the start, not of the end"),
  within = option_row("number", "NUMBER", "a target: how many ended within it"),
  longest = option_row("flag", "", "only the longest stretch of each"),
  show = option_row("choice", "WHAT", "what comes back"),
  edges = option_row("flag", "", "also what lies before the first and after the last"),
  "min-days" = option_row("number", "NUMBER", "only those at least so many days long"),
  differing = option_row("columns", "COLUMN,...", "columns in which the two must differ"),
  capacity = option_row("limit", "LIMIT",
                        paste("a number, a column, or a CSV file with the columns capacity,",
                              "those of --group, and from where it changes")),
  floor = option_row("limit", "LIMIT", "the same of the least that should be there"),
  less = option_row("file", "FILE", "records of those who are away, taken away key by key"),
  "less-columns" = option_row("texts", "COLUMN,...",
                              "their start, end and key, where they are called otherwise"),
  with = option_row("file", "FILE",
                    "overlaps with the records of this list (of a database a table), key by key",
                    arg = "y"),
  "with-columns" = option_row("texts", "COLUMN,...",
                              "their start, end and key, where they are called otherwise"),
  amount = option_row("column", "COLUMN", "the numbers to spread over the spans"),
  digits = option_row("number", "NUMBER", "round the pieces so that they add up to the last digit"),
  date = option_row("column", "COLUMN", "of balances: the days on which amounts are billed"),
  basis = option_row("choice", "BASIS", "evenly by day, working_day, or in equal parts by period",
                     values = c("day", "working_day", "period")),
  spread = option_row("choice", "HOW", "even, or repeat: the whole amount in each period",
                      values = c("even", "repeat")),
  "open-to-as-of" = option_row("flag", "", "open spans end on the as-of date"),
  returns = option_row("yes_no", "yes|no", "do those who come back after a break count again"),
  rates = option_row("flag", "", "also turnover and growth"),
  unit = option_row("choice", "UNIT", paste(names(time_units), collapse = ", "),
                    values = names(time_units)),
  bands = option_row("pairs", "NAME=CLOCK,CLOCK",
                     "the part in a range of the clock, or NAME=DAY,DAY; may be repeated",
                     example = "night=22:00,06:00"),
  "day-hours" = option_row("text", "NUMBER",
                           "how many hours make a day (24), or working: those of a working day"),
  after = option_row("limit", "NUMBER", "so many working days, or the column that says how many",
                     arg = "days", also = "after"),
  confidence = option_row("number", "NUMBER", "of the interval, between 0 and 1 (0.95)"),
  compare = option_row("choice", "WHAT", "active, movement, allocate or time-within (active)",
                       values = c("active", "movement", "allocate", "time-within")),
  against = option_row("text", "WHAT",
                       "period_before, year_before, total, a date, or group values: Whinfell"),
  values = option_row("text", "COLUMN", "which of its numbers"),
  earlier = option_row("file", "FILE",
                       "the list as it was before, with the same columns (of a database a table)"),
  "earlier-as-of" = option_row("text", "DATE", "the day that the earlier list speaks for"),
  "same-by" = option_row("columns", "COLUMN,...",
                         "what says which records are the same (the key and the start)",
                         arg = "match")
)

output_options <- function() list(
  wide = option_row("flag", "", "periods across the top"),
  sums = option_row("choice", "WHICH", "of the wide form: rows, columns, both",
                    values = c("none", "rows", "columns", "both")),
  text = option_row("flag", "", "also in words, such as 11 days 6 hours"),
  summary = option_row("flag", "", "note what stands out, in two or three sentences"),
  reconcile = option_row("flag", "",
                         "check the result against the records; exit status 1 if it does not tie"),
  out = option_row("files", "FILE",
                   "write the table there, by its ending; may be repeated, - is standard output"),
  "to-format" = option_row("choice", "FORMAT", "of standard output (csv)",
                           values = printed_formats),
  "fail-on" = option_row("texts", "WHAT,...",
                         "exit status 1 where the table is empty, or untied; of check: warning"),
  select = option_row("texts", "COLUMN,...", "only these columns of the table, in this order"),
  rename = option_row("pairs", "COLUMN=NAME", "call a column of the table so; may be repeated",
                      example = "active=observers"),
  sort = option_row("texts", "COLUMN,...", "order its rows; COLUMN:down is from the highest"),
  limit = option_row("number", "NUMBER", "only so many rows, from the first"),
  quiet = option_row("flag", "", "say nothing but errors"),
  formulas = option_row("choice", "as_is|as_text",
                        "cells of a CSV that a spreadsheet would run: with an apostrophe, as text",
                        values = formula_ways),
  figure = option_row("file", "FILE", "draw it: FILE ends in .png, .svg or .pdf"),
  "figure-size" = option_row("text", "WIDTHxHEIGHT", "of the figure in pixels (1280x800)"),
  title = option_row("text", "TEXT", "of the figure, in place of its own"),
  size = option_row("number", "NUMBER", "of the text in the figure, in points (12)"),
  only = option_row("texts", "GROUP,...", "the groups (or keys) that are drawn"),
  lump = option_row("number", "NUMBER", "draw so many groups, and all others as one"),
  panels = option_row("choice", "WHICH", "of the figure: groups, or the total alone",
                      values = c("groups", "total")),
  cells = option_row("choice", "WHAT", "in the figure: percent or number",
                     values = c("percent", "number")),
  target = option_row("number", "NUMBER", "a length of time to mark in the figure"),
  "check-only" = option_row("flag", "", "read, ask and check everything, and write nothing"),
  browse = option_row("flag", "", "open the report in a browser"),
  more = option_row("flag", "", "clocks, logs, lists, gaps, overlaps, elapsed time, cohorts"),
  "in-r" = option_row("flag", "", "the same steps in R")
)

# What an argument is called on the command line: the option that feeds it.
option_of <- function(arg, rows = option_rows()) {
  by_arg <- Filter(function(row) identical(row$arg, arg), rows)
  also <- Filter(function(row) arg %in% row$also, rows)
  c(by_arg, also)[1][[1]]
}

# How messages name arguments, settings and options on the command line, and in an almanac.
command_speech <- function() {
  rows <- option_rows()
  list(argument = function(arg) option_called(arg, rows, "--"),
       setting = function(arg, value) spell_option(arg, value, rows),
       verb = function(verb) paste("ridge", command_of(verb)), in_r = FALSE,
       option = function(name, value) paste(c(paste0("--", name), value), collapse = " "))
}

almanac_speech <- function() {
  rows <- option_rows()
  as_word <- function(text) gsub("-", "_", text)
  set <- function(name, value) paste0(as_word(name), if (!is.null(value)) paste0(": ", value))
  list(argument = function(arg) as_word(option_called(arg, rows, "")),
       setting = function(arg, value) {
         said <- strsplit(sub("^--", "", spell_option(arg, value, rows)), " ", fixed = TRUE)[[1]]
         set(said[1], if (length(said) > 1) paste(said[-1], collapse = " ") else "true")
       },
       verb = function(verb) paste("ask:", verb), in_r = FALSE, option = set)
}

option_called <- function(arg, rows, mark) {
  row <- option_of(arg, rows)
  if (is.null(row)) gsub("_", " ", arg) else paste0(mark, row$name)
}

# An option, with a value of it, as it is written where the question is asked.
spelled <- function(name, value = NULL) {
  paste0("`", spoken()$option(name, value), "`")
}

command_of <- function(verb) {
  gsub("_", "-", verb)
}

# A setting as it is typed: the option and its value.
spell_option <- function(arg, value, rows = option_rows()) {
  if (arg == "end" && is.null(value)) {
    return("--one-day")
  }
  if (arg == "end" && length(value) == 1 && is.na(value)) {
    return("--all-open")
  }
  row <- option_of(arg, rows)
  paste0("--", row$name, spell_option_value(row, value))
}

spell_option_value <- function(row, value) {
  if (row$kind == "flag") {
    return("")
  }
  if (row$kind == "yes_no") {
    return(if (value) " yes" else " no")
  }
  text <- vapply(value, function(one) {
    as.character(if (inherits(one, "Date")) format(one) else one)
  }, "")
  text <- paste(text, collapse = ",")
  paste0(" ", if (grepl("[^A-Za-z0-9_,.:/=+-]", text)) shQuote(text) else text)
}
