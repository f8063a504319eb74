# One row for each command: the verb that it asks, its options (by name, in the order of
# its help), what is special about them, and what it is for.

command_row <- function(about, options, verb = NULL, values = list(), helps = list(),
                        needs = "--start COLUMN --end COLUMN", figure = NULL,
                        calendar = "always") {
  list(about = about, options = options, verb = verb, values = values, helps = helps,
       needs = needs, figure = figure, calendar = calendar)
}

from_records <- function() c("and", names(span_options()), from_file())
from_file <- function() c("keep", "leave-out", "where", "match", "fold", "into", "near", "format",
                          "sheet", "encoding", "missing", "decimal", "delimiter", "quote",
                          "no-header", "skip-top", "skip-bottom", "memory", "together",
                          "repeat-until")
from_database <- function() c("database", "table", "row", "timeout", "show-sql")
from_anywhere <- function() c(from_records(), from_database())
by_option_names <- function() c("by", "years", "week-year")
by_period <- function() c(by_option_names(), "whole", "label", "from", "to", calendar_names())
calendar_names <- function() c("week-starts", "year-starts", "weekend", "holidays", "every-year")
hours_names <- function() c("hours", "hours-on", "hours-tz")
as_asked <- function(...) c(..., "reconcile", table_names(), figure_names())
figure_names <- function() c("figure", "figure-size", figure_arguments)
less_names <- function() c("less", "less-columns")
table_names <- function() c("select", "rename", "sort", "limit", "out", "to-format", "formulas",
                            "fail-on", "quiet")

command_rows <- function() {
  if (is.null(register$commands)) register$commands <- made_command_rows()
  register$commands
}

made_command_rows <- function() {
  rows <- c(period_commands(), range_commands(), record_commands(), other_commands())
  for (name in names(rows)) {
    rows[[name]]$name <- name
    if (is.null(rows[[name]]$verb)) rows[[name]]["verb"] <- list(NULL)
  }
  rows
}

choosing <- function() list(rule = rule_names(choosing = TRUE))

period_commands <- function() list(
  active = command_row(
    "how many are active, by period or on your own dates", verb = "active",
    options = c(from_anywhere(), by_period(), "group", "rule", "of", "on", "total", less_names(),
                "show", "wide", "sums", "summary", as_asked()),
    values = list(show = c("counts", "records")),
    helps = list(show = "counts, or the keys (or records) behind each of them")),
  scaffold = command_row(
    "one row per record (or key) and period", verb = "scaffold",
    options = c(from_anywhere(), by_period(), "rule", "of", "every-period", "carry", "wide", "sums",
                as_asked()),
    values = c(choosing(), list(of = c("records", "keys"))),
    helps = list(of = "a row per period of each record, or of each key",
                 rule = paste("periods to keep:", paste(rule_names(TRUE), collapse = ", ")))),
  movement = command_row(
    "who came, who went, who moved", verb = "movement",
    options = c(from_anywhere(), by_period(), "group", "of", "returns", "rates", "total", "show",
                "panels", "wide", "sums", "summary", as_asked()),
    values = list(show = c("counts", "records", "routes")),
    helps = list(group = "the columns that keys move between",
                 show = "counts, the records behind each of them, or routes between groups",
                 returns = "those who start again after a break in a column of their own (no)"),
    figure = c(panels = "panels"), needs = "--start COLUMN --end COLUMN --key COLUMN"),
  cohorts = command_row(
    "of those who started together, who is left", verb = "cohorts",
    options = c(from_anywhere(), by_option_names(), "from", "to", "week-starts", "year-starts",
                "group", "rule", "returns", "show", "cells", "wide", "sums", "summary", as_asked()),
    values = c(choosing(), list(show = c("counts", "records"))), figure = c(show = "cells"),
    helps = list(show = "counts, or each key of a cohort at each age",
                 returns = "is who comes back after a break active again (yes)"),
    needs = "--start COLUMN --end COLUMN --key COLUMN"),
  allocate = command_row(
    "how much falls in each period", verb = "allocate",
    options = c(from_anywhere(), by_period(), "amount", "group", "digits", "basis", "spread",
                "rule", "carry", "open-to-as-of", "total", "show", "date", "wide", "sums",
                "summary", as_asked()),
    values = c(choosing(), list(show = c("amounts", "calculation", "balance"))),
    helps = list(group = "total by these columns, not a row per record",
                 rule = paste("periods in which it is due:",
                              paste(rule_names(TRUE), collapse = ", ")),
                 show = "amounts, also the calculation, or balances: billed and recognised",
                 total = "also the line over all groups; without groups only it"),
    needs = "--start COLUMN --end COLUMN --amount COLUMN"),
  "time-within" = command_row(
    "how much time lies in each period", verb = "time_within",
    options = c(from_anywhere(), by_period(), hours_names(), "unit", "group", "total", "bands",
                "carry", "day-hours", "wide", "sums", "summary", as_asked()),
    helps = list(group = "total by these columns, not a row per record",
                 total = "also the line over all groups; without groups only it")),
  restated = command_row(
    "why a number is another one than last time", verb = "restated",
    options = c("earlier", "earlier-as-of", from_anywhere(), by_period(), "group", "rule", "of",
                "same-by", "total", "show", "wide", "sums", "summary", as_asked()),
    values = list(show = c("counts", "records")),
    helps = list(show = "the numbers with what changed them, or the records that changed"),
    needs = "--earlier FILE --earlier-as-of DATE --start COLUMN --end COLUMN --key COLUMN"),
  versus = command_row(
    "against the period or the year before, a date, another group",
    options = c(from_records(), by_period(), "compare", "against", "values", "group", "rule", "of",
                "total", "amount", "digits", "wide", "sums", "summary", "reconcile", table_names()),
    needs = "--start COLUMN --end COLUMN --against WHAT"),
  periods = command_row(
    "the periods of a window", verb = "periods", options = c(by_period(), "tz", table_names()),
    needs = "--by GRAIN --from DATE --to DATE")
)

totals_by_group <- "not each by itself, but totals by these columns"

range_commands <- function() list(
  consecutive = command_row(
    "stretches without a break", verb = "consecutive", calendar = "working",
    options = c(from_anywhere(), "per", "group", "same", "tolerance", "longest", "carry", "carried",
                "show", "working", calendar_names(), as_asked()),
    values = list(show = c("stretches", "records")),
    helps = list(show = "stretches, or the records, each with the number of its stretch",
                 group = totals_by_group)),
  gaps = command_row(
    "where nothing is", verb = "gaps", calendar = "working",
    options = c(from_anywhere(), "per", "group", "edges", "min-days", "carry", "from", "to",
                "working", calendar_names(), as_asked()), helps = list(group = totals_by_group)),
  "missing-days" = command_row(
    "the days without a record", verb = "missing_days", calendar = "working",
    options = c(from_anywhere(), "per", "group", "expected", "from", "to", "working",
                calendar_names(), "reconcile", table_names()),
    helps = list(group = totals_by_group)),
  overlaps = command_row(
    "which records overlap, for how long", verb = "overlaps",
    options = c(from_anywhere(), "with", "with-columns", "per", "group", "differing", "min-days",
                "total", "carry", as_asked()),
    helps = list(total = "not the pairs, but how many and on how many days",
                 group = totals_by_group)),
  concurrency = command_row(
    "how many at once, change by change", verb = "concurrency",
    options = c(from_anywhere(), "group", "of", "from", "to", "capacity", "floor", less_names(),
                "working", calendar_names(), "summary", as_asked()), calendar = "working"),
  peaks = command_row(
    "when most are there at once, or more than a capacity, or less than a floor", verb = "peaks",
    options = c(from_anywhere(), "group", "of", "capacity", "floor", less_names(), "from", "to",
                "show", "working", calendar_names(), "summary", "reconcile", table_names()),
    values = list(show = c("stretches", "days")), calendar = "working",
    helps = list(show = "the stretches outside the limits, or how many days of each group are"))
)

record_commands <- function() list(
  elapsed = command_row(
    "how long it took, in calendar or working time: each record, or by group and period",
    verb = "elapsed", calendar = "working",
    options = c(from_anywhere(), "working", calendar_names(), hours_names(), "unit", "day-hours",
                "group", by_option_names(), "by-start", "within", "from", "to", "whole", "label",
                "carry", "text", "target", "wide", "sums", "summary", as_asked()),
    figure = c(target = "target"),
    helps = list(by = "not each record, but the periods in which they ended, such as month")),
  "working-days" = command_row(
    "how many working days each record has", verb = "working_days",
    options = c(from_records(), calendar_names(), "reconcile", table_names())),
  due = command_row(
    "the day so many working days after the start", verb = "move_working_days",
    options = c(from_records(), "after", calendar_names(), "reconcile", table_names()),
    needs = "--start COLUMN --after NUMBER"),
  "length-of-stay" = command_row(
    "how long they stay: the share still there by age", verb = "length_of_stay",
    options = c(from_records(), "group", "unit", "confidence", "summary", as_asked()),
    values = list(unit = names(age_units)),
    helps = list(unit = paste("of age:", paste(names(age_units), collapse = ", "))),
    needs = "--start COLUMN --end COLUMN --key COLUMN"),
  roster = command_row(
    "who is active on a day or in a period", verb = "roster",
    options = c(from_anywhere(), "on", "group", "rule", "of", less_names(), "reconcile",
                table_names()),
    values = c(choosing(), list(of = c("records", "keys"))),
    helps = list(on = "a day, or the first and last of a period (the as-of date)",
                 of = "a row for each record, or for each key with its records folded",
                 group = "sort by these columns, and show them first"),
    needs = "--start COLUMN --end COLUMN [--on DATE]"),
  "explain-count" = command_row(
    "how a count comes about, step by step", verb = "explain_count",
    options = c(from_anywhere(), "on", "rule", "of", "show", "reconcile", table_names()),
    values = c(choosing(), list(show = c("steps", "records"))),
    helps = list(on = "a day, or the first and last of a period (the as-of date)",
                 show = "steps, or the records that are not counted, with the reason"),
    needs = "--start COLUMN --end COLUMN [--on DATE]")
)

other_commands <- function() list(
  check = command_row(
    "what is wrong with the records; exit status 1 where something is",
    options = c(setdiff(from_anywhere(), c("seen-on", "unusable", "set-aside")), table_names(),
                figure_names())),
  changes = command_row(
    "a log of changes as records with a start and an end",
    options = c("at", "key", "state", "ending-states", "repeats", "same-day", "as-of", "tz",
                "date-order", "unusable", "set-aside", from_file(), table_names()),
    needs = "--at COLUMN --key COLUMN --state COLUMN"),
  records = command_row(
    "read, choose, clean and write again, in any format",
    options = c(from_file(), "date-order", "tz", table_names()), needs = "",
    values = list("date-order" = date_orders)),
  begin = command_row(
    "a first almanac for files of records: what they are, and why it was taken so",
    options = c("out", "as-of", "tz", "date-order", "means-open", "missing", "decimal", "delimiter",
                "encoding", "sheet", "quiet"), needs = "",
    helps = list(out = "the almanac to write (almanac.yml); one that is there is not replaced")),
  build = command_row(
    "an edition of an almanac: its questions asked, checked and told in a report",
    options = c("out", "as-of", "only", "check-only", "browse", "quiet"), needs = "",
    helps = list(out = "the folder of the edition (edition)",
                 only = "only these pages, by their titles",
                 "as-of" = "the day it speaks for, in place of that of the almanac")),
  completion = command_row("the script that completes words in a shell: bash or zsh",
                           options = character(), needs = ""),
  demo = command_row("a walk through the demo data", options = c("more", "in-r"), needs = ""),
  help = command_row("this page, or the options of a command", options = character(), needs = "")
)

# The option rows of a command, with what it says of its own about them.
command_options <- function(command, rows = option_rows()) {
  lapply(stats::setNames(command$options, command$options), function(name) {
    row <- rows[[name]]
    row$values <- command$values[[name]] %||% row$values
    row$help <- command$helps[[name]] %||% row$help
    if (name == "rule" && is.null(command$helps$rule)) {
      row$help <- paste("what active means:", paste(row$values, collapse = ", "))
    }
    row
  })
}
