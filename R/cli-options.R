# The options of all commands. The same name means the same everywhere.
# kind: "text", "list" (comma between), "choice" (of `values`), "flag",
# "pairs" (column=value, may be repeated).

cli_option <- function(name, kind, meta, help, values = NULL, example = "station=Whinfell") {
  list(name = name, kind = kind, meta = meta, help = help, values = values, example = example)
}

record_options <- function() c(span_options(), date_options(), choose_options(), source_options())

span_options <- function() list(
  cli_option("start", "text", "COLUMN", "the column of first days or moments"),
  cli_option("end", "text", "COLUMN", "the column of last days or moments; blank is still open"),
  cli_option("start-clock", "text", "COLUMN", "the times of day that go with --start"),
  cli_option("end-clock", "text", "COLUMN", "those that go with --end; without --end, past midnight"),
  cli_option("equal", "choice", "day|nothing", "what a finish at the time of its begin means",
             values = c("day", "nothing")),
  cli_option("one-day", "flag", "", "each record is one day, there is no end"),
  cli_option("all-open", "flag", "", "all records are still open, there is no end"),
  key_option(),
  cli_option("weight", "text", "COLUMN", "the numbers that --of weight sums"),
  cli_option("end-counts", "choice", "yes|no", "does the last day count (on days: yes)",
             values = c("yes", "no")),
  cli_option("open", "list", "DATE,...", "dates that also stand for: still open")
)

key_option <- function() {
  cli_option("key", "list", "COLUMN,...", "whom or what the records belong to")
}

date_options <- function() list(
  as_of = cli_option("as-of", "text", "DATE", "the day the analysis speaks for (today)"),
  seen_on = cli_option("seen-on", "text", "DATE", "as known on that day: later starts gone, later ends open"),
  tz = zone_option(),
  order = cli_option("order", "choice", "dmy|mdy|ymd", "the order of day and month, where it is not proven",
                     values = date_orders),
  problems = cli_option("problems", "choice", "stop|set_aside", "what to do with records that cannot be used",
                        values = c("stop", "set_aside")),
  set_aside = cli_option("set-aside", "text", "FILE", "set them aside, into this file, with the reasons")
)

choose_options <- function() list(
  cli_option("keep", "pairs", "COLUMN=VALUE", "only these records; may be repeated"),
  cli_option("leave-out", "pairs", "COLUMN=VALUE", "all but these records; may be repeated"),
  cli_option("match", "choice", "WAY", "how they match: folded (case, spaces, hyphens aside), exact, containing",
             values = match_ways),
  cli_option("fold", "list", "COLUMN,...", "bring the spellings of these columns together"),
  cli_option("into", "text", "COLUMN", "fold them joined, as one name, into this new column"),
  cli_option("near", "choice", "report|fold", "labels a letter apart: report, or fold them too",
             values = c("report", "fold"))
)

source_options <- function() list(
  cli_option("format", "choice", "FORMAT", "of FILE, where its ending does not say it",
             values = record_formats),
  cli_option("sheet", "text", "SHEET", "of a workbook, by name or number (the first)"),
  cli_option("encoding", "choice", "NAME", "of a text file: UTF-8 or Latin-1",
             values = c("UTF-8", "Latin-1")),
  cli_option("until", "text", "DATE", "the last day for calendar events that repeat without end")
)

change_options <- function() list(
  cli_option("at", "text", "COLUMN", "the days or moments of the changes"),
  key_option(),
  cli_option("state", "list", "COLUMN,...", "what is so from then on"),
  cli_option("closing", "list", "STATE,...", "states that only end the one before"),
  cli_option("repeats", "choice", "merge|keep", "a change to the state that already was",
             values = c("merge", "keep")),
  cli_option("same-day", "choice", "last|stop", "two changes of a key at once: the last row is right",
             values = c("last", "stop"))
)

zone_option <- function() {
  cli_option("tz", "text", "ZONE", "the time zone of instants")
}

period_options <- function() c(list(
  cli_option("by", "text", "GRAIN", "hour, day, week, month, quarter, year, \"2 weeks\", or a CSV file of periods"),
  cli_option("whole", "text", "GRAIN", "widen what is shown to whole years, say"),
  cli_option("label", "choice", "FORM", "add labels: code, name, first_day, last_day",
             values = label_forms)
), window_options(), calendar_options())

window_options <- function() list(
  cli_option("from", "text", "DATE", "the first day shown; periods are shown whole"),
  cli_option("to", "text", "DATE", "the last day shown; periods are shown whole")
)

calendar_options <- function() list(
  cli_option("week-starts", "text", "DAY", "the first day of a week (Monday)"),
  cli_option("year-starts", "text", "MONTH", "the first month of a year (January)"),
  cli_option("weekend", "list", "DAY,...", "the weekend (Saturday,Sunday), or none"),
  cli_option("holidays", "list", "DATE,...", "days that are no working days, or a file of them, such as closed.ics"),
  cli_option("yearly", "list", "MM-DD,...", "holidays that come every year")
)

hours_options <- function() list(
  cli_option("hours", "list", "CLOCK,CLOCK,...", "working hours, begin and end: 09:00,12:00,13:00,17:30"),
  cli_option("hours-on", "pairs", "DAY=CLOCK,CLOCK", "those of one weekday; may be repeated", example = "Friday=09:00,15:00"),
  cli_option("hours-tz", "text", "ZONE", "the time zone of the hours (that of the records)")
)

working_options <- function() c(list(
  cli_option("working", "flag", "", "only working days count: see --weekend and --holidays")
), calendar_options())

line_options <- function() list(
  cli_option("per", "list", "COLUMN,...", "whose values are looked at one by one (the key), or none")
)

stretch_options <- function() list(
  cli_option("same", "list", "COLUMN,...", "columns that must stay equal within a stretch"),
  cli_option("tolerance", "text", "NUMBER", "so many uncovered days do not break a stretch (0)"),
  cli_option("longest", "flag", "", "only the longest stretch of each"),
  cli_option("show", "choice", "WHAT", "stretches, or the records, each with the number of its stretch",
             values = c("stretches", "records"))
)

gap_options <- function() list(
  cli_option("edges", "flag", "", "also what lies before the first and after the last"),
  min_days_option()
)

min_days_option <- function() {
  cli_option("min-days", "text", "NUMBER", "only those at least so many days long")
}

overlap_options <- function() list(
  cli_option("across", "list", "COLUMN,...", "columns in which the two must differ"),
  min_days_option(),
  cli_option("total", "flag", "", "not the pairs, but how many and on how many days")
)

level_options <- function() list(
  cli_option("group", "list", "COLUMN,...", "break the level down by these columns"),
  of_option(),
  cli_option("peaks", "flag", "", "only when it is fullest, or above --capacity"),
  cli_option("capacity", "text", "NUMBER", "what is above it is shown apart")
)

amount_options <- function() list(
  cli_option("amount", "text", "COLUMN", "the numbers to spread over the spans"),
  cli_option("group", "list", "COLUMN,...", "total by these columns, not a row per record"),
  cli_option("digits", "text", "NUMBER", "round the pieces so that they add up to the last digit"),
  cli_option("basis", "choice", "BASIS", "evenly by day, working_day, or in equal parts per period",
             values = c("day", "working_day", "period")),
  cli_option("spread", "choice", "HOW", "even, or repeat: the whole amount in each period",
             values = c("even", "repeat")),
  cli_option("rule", "choice", "RULE", paste("periods in which it is due:", paste(count_rules[1:4], collapse = ", ")),
             values = count_rules[1:4]),
  cli_option("carry", "list", "COLUMN,...", "columns of the records to carry along"),
  cli_option("until-as-of", "flag", "", "open spans end on the as-of date"),
  cli_option("total", "flag", "", "also the line over all groups; without groups only it"),
  cli_option("show", "choice", "WHAT", "amounts, or also the calculation", values = c("amounts", "calculation"))
)

of_option <- function() {
  cli_option("of", "choice", "WHAT", "keys, records or weight", values = c("keys", "records", "weight"))
}

roster_options <- function() list(
  on = cli_option("on", "list", "DATE[,DATE]", "a day, or the first and last of a period (the as-of date)"),
  group = cli_option("group", "list", "COLUMN,...", "sort by these columns, and show them first"),
  count = cli_option("count", "choice", "RULE", paste("for a period:", paste(count_rules[1:4], collapse = ", ")),
                     values = count_rules[1:4]),
  of = of_option(),
  show = cli_option("show", "choice", "WHAT", "steps, or the records that are not counted, with the reason",
                    values = c("steps", "records"))
)

movement_options <- function() list(
  cli_option("group", "list", "COLUMN,...", "the columns that keys move between"),
  of_option(),
  cli_option("returned", "flag", "", "those who start again after a break in a column of their own"),
  cli_option("rates", "flag", "", "also turnover and growth"),
  total_option(),
  cli_option("panels", "choice", "WHICH", "of the figure: groups, or the total alone", values = c("groups", "total"))
)

# Of the options by period those that cohorts know.
cohort_options <- function() c(Filter(function(option) option$name %in% c("by", "from", "to", "week-starts", "year-starts"), period_options()), list(
  cli_option("group", "list", "COLUMN,...", "break the cohorts down by these columns"),
  cli_option("count", "choice", "RULE", paste("what active means:", paste(count_rules[1:4], collapse = ", ")), values = count_rules[1:4]),
  cli_option("first-stay", "flag", "", "who comes back after a break is not active again"),
  cli_option("lasting", "flag", "", "not the cohorts, but the share still there by age, with its interval"),
  cli_option("unit", "choice", "UNIT", "of age with --lasting: days, weeks, months, years", values = names(age_units)),
  cli_option("cells", "choice", "WHAT", "in the figure: percent or number", values = c("percent", "number"))
))

versus_options <- function() list(
  cli_option("compare", "choice", "WHAT", "active, movement, allocate or time-in (active)", values = c("active", "movement", "allocate", "time-in")),
  cli_option("base", "text", "BASE", "previous, year_before, total, a date, or group values: Whinfell"),
  cli_option("values", "text", "COLUMN", "which of its numbers"),
  cli_option("group", "list", "COLUMN,...", "by these columns"),
  cli_option("count", "choice", "RULE", paste(count_rules, collapse = ", "), values = count_rules),
  of_option(),
  total_option(),
  cli_option("amount", "text", "COLUMN", "the amounts, with --compare allocate"),
  cli_option("digits", "text", "NUMBER", "round them to so many digits")
)

total_option <- function() {
  cli_option("total", "flag", "", "also the line over all groups")
}

summary_options <- function() list(
  cli_option("summary", "flag", "", "note what stands out, in two or three sentences")
)

time_options <- function() c(hours_options(), list(
  unit_option(),
  cli_option("group", "list", "COLUMN,...", "total by these columns, not a row per record"),
  cli_option("total", "flag", "", "also the line over all groups; without groups only it"),
  cli_option("bands", "pairs", "NAME=CLOCK,CLOCK", "the part in a range of the clock, or NAME=DAY,DAY; may be repeated",
             example = "night=22:00,06:00"),
  cli_option("carry", "list", "COLUMN,...", "columns of the records to carry along"),
  day_hours_option()
))

elapsed_options <- function() c(hours_options(), list(
  unit_option(),
  day_hours_option(),
  cli_option("text", "flag", "", "also in words, such as 11 days 6 hours"),
  cli_option("target", "text", "NUMBER", "a length of time to mark in the figure")
))

unit_option <- function() {
  cli_option("unit", "choice", "UNIT", paste(names(time_units), collapse = ", "), values = names(time_units))
}

day_hours_option <- function() {
  cli_option("day-hours", "text", "NUMBER", "how many hours make a day (24), or working: those of a working day")
}

# What ties is noted; what does not makes the exit status 1.
reconcile_options <- function() list(
  cli_option("reconcile", "flag", "", "check the result against the records; exit status 1 where it does not tie")
)

wide_options <- function() list(
  cli_option("wide", "flag", "", "periods across the top"),
  cli_option("totals", "choice", "WHICH", "of the wide form: rows, columns, both", values = c("none", "rows", "columns", "both"))
)

output_options <- function() list(
  cli_option("out", "text", "FILE", "write the table there: csv, tsv, xlsx, parquet, json, ndjson or ics")
)

figure_options <- function() list(
  cli_option("figure", "text", "FILE", "draw it: FILE ends in .png, .svg or .pdf")
)

active_options <- function() list(
  cli_option("group", "list", "COLUMN,...", "break the count down by these columns"),
  cli_option("count", "choice", "RULE", paste(count_rules, collapse = ", "), values = count_rules),
  cli_option("of", "choice", "WHAT", "keys, records or weight", values = c("keys", "records", "weight")),
  cli_option("on", "list", "DATE,...", "count on these dates, in place of --by"),
  total_option()
)

scaffold_options <- function() list(
  cli_option("rule", "choice", "RULE", paste("periods to keep:", paste(count_rules[1:4], collapse = ", ")),
             values = count_rules[1:4]),
  cli_option("of", "choice", "WHAT", "a row per period of each record, or of each key",
             values = c("records", "keys")),
  cli_option("shape", "choice", "SHAPE", "rows: where active; full: every key in every period",
             values = c("rows", "full")),
  cli_option("carry", "list", "COLUMN,...", "columns of the records to carry along")
)

all_options <- function() {
  options <- do.call(c, unname(lapply(cli_commands(), `[[`, "options")))
  options[!duplicated(option_names(options))]
}

option_names <- function(options) {
  vapply(options, `[[`, character(1), "name")
}

usage_abort <- function(message, .envir = parent.frame()) {
  ridge_abort(message, "usage", .envir = .envir)
}

# Arguments of one command as a list: `files`, and every option there is, NULL
# where it was not given.
parse_command_line <- function(args, options, command) {
  check_option_names(args, options, command)
  args <- join_repeated(args, options)
  parser <- optparse::OptionParser(
    option_list = lapply(options, as_optparse), add_help_option = FALSE
  )
  parsed <- tryCatch(
    optparse::parse_args(parser, args, positional_arguments = TRUE),
    error = function(cnd) refuse_syntax(conditionMessage(cnd), command)
  )
  given <- parsed$options[intersect(names(parsed$options), option_names(options))]
  values <- lapply(options[match(names(given), option_names(options))], function(option) {
    read_option(option, given[[option$name]], command)
  })
  all_names <- gsub("-", "_", option_names(all_options()))
  result <- stats::setNames(vector("list", length(all_names)), all_names)
  result[gsub("-", "_", names(given))] <- values
  c(list(files = parsed$args), result)
}

as_optparse <- function(option) {
  flag <- option$kind == "flag"
  optparse::make_option(paste0("--", option$name), dest = option$name,
                        action = if (flag) "store_true" else "store",
                        type = if (flag) "logical" else "character")
}

check_option_names <- function(args, options, command) {
  given <- sub("=.*", "", args[grepl("^-", args) & args != "-"])
  known <- paste0("--", option_names(options))
  unknown <- setdiff(given[!grepl("^-[0-9]", given)], known)
  if (length(unknown) > 0) {
    usage_abort(c("{.code ridge {command}} has no option {.code {unknown[1]}}.",
                  i = "Did you mean {.code {nearest(unknown[1], known)}}? See {.code ridge help {command}}."))
  }
}

# --keep a=1 --keep b=2 becomes one option, its parts a line each.
join_repeated <- function(args, options) {
  for (option in options[vapply(options, function(o) o$kind == "pairs", logical(1))]) {
    flag <- paste0("--", option$name)
    args <- unlist(strsplit_once(args, flag))
    at <- which(args == flag)
    at <- at[at < length(args)]
    if (length(at) > 1) {
      value <- paste(args[at + 1L], collapse = "\n")
      args <- c(args[-c(at, at + 1L)], flag, value)
    }
  }
  args
}

strsplit_once <- function(args, flag) {
  lapply(args, function(arg) {
    if (startsWith(arg, paste0(flag, "="))) c(flag, substring(arg, nchar(flag) + 2L)) else arg
  })
}

refuse_syntax <- function(reason, command) {
  flag <- regmatches(reason, regexpr("\"[a-z-]+\"", reason))
  if (grepl("requires an argument", reason) && length(flag)) {
    flag <- gsub("\"", "", flag)
    usage_abort(c("{.code --{flag}} needs a value.", i = "See {.code ridge help {command}}."))
  }
  usage_abort(c("{reason}", i = "See {.code ridge help {command}}."))
}

read_option <- function(option, value, command) {
  if (option$kind == "flag") {
    return(value)
  }
  if (option$kind == "list") {
    return(trimws(strsplit(value, ",", fixed = TRUE)[[1]]))
  }
  if (option$kind == "pairs") {
    return(read_pairs(option, strsplit(value, "\n", fixed = TRUE)[[1]]))
  }
  if (option$kind == "choice" && !(value %in% option$values)) {
    usage_abort(c("{.code --{option$name}} does not know {.val {value}}: it takes {.or {option$values}}.",
                  i = "Did you mean {.val {nearest(value, option$values)}}?"))
  }
  value
}

read_pairs <- function(option, pairs) {
  if (!all(grepl("^[^=]+=", pairs))) {
    wrong <- pairs[!grepl("^[^=]+=", pairs)][1]
    usage_abort("{.code --{option$name}} takes {option$meta}, such as {.code --{option$name} {option$example}}, not {.val {wrong}}.")
  }
  split(sub("^[^=]+=", "", pairs), sub("=.*", "", pairs))
}
