# Options and commands are rows: each feeds an argument that is there, and is offered.

test_that("every option of a command feeds an argument of its verb, of spans() or of reading", {
  rows <- option_rows()
  ways <- unlist(lapply(list(spans, read_records, calendar_rules, as_seen_on, fold_labels, split_intervals),
                        function(f) names(formals(f))))
  own <- c("seen_on", "end_clock", "start_clock", "equal_clocks", "one_day", "all_open", "set_aside", "fold", "into", "near",
           "hours_on", "hours_tz", "working", "wide", "summary", "reconcile", "out", "figure", "panels", "cells",
           "target", "text", "compare", "more", "less_columns", "earlier_as_of", "quiet", "fail_on",
           "and", "with_columns", "years", "week_year", "select", "rename", "sort", "limit", "in_r",
           "figure_size", "memory", "together", "database", "table", "timeout", "show_sql", figure_arguments)
  of_figures <- unlist(lapply(command_rows(), function(command) names(command$figure)))
  for (command in command_rows()) {
    expect_true(all(command$options %in% names(rows)), label = command$name)
    expect_identical(anyDuplicated(command$options), 0L, label = command$name)
    verb <- if (!is.null(command$verb)) names(formals(verb_named(command$verb)))
    methods <- names(formals(elapsed.ridge_spans))
    args <- vapply(rows[command$options], function(row) row$arg, "")
    if (is.null(command$verb)) next
    printed <- args %in% c("to_format", "formulas")
    known <- args %in% c(verb, methods, ways, own, of_figures, names(formals(widen))) | printed
    expect_identical(unname(args[!known]), character(), label = command$name)
  }
})

test_that("the help of each command shows each of its options once", {
  for (command in command_rows()) {
    page <- run("help", command$name)$out
    shown <- trimws(regmatches(page, regexpr("^ +--[a-z-]+", page)))
    offered <- if (length(command$options)) paste0("--", command$options) else character()
    expect_setequal(setdiff(shown, "--help"), offered)
    expect_identical(anyDuplicated(shown), 0L, label = command$name)
  }
})

test_that("every verb that answers has a command, and each verb of a command is there", {
  verbs <- unlist(lapply(command_rows(), function(command) command$verb))
  expect_true(all(vapply(verbs, function(verb) is.function(verb_named(verb)), NA)))
  asked <- sub("^answer_", "", grep("^answer_", ls(asNamespace("almanacridge")), value = TRUE))
  # Those of time_within(), length_of_stay() and explain_count() have shorter names.
  expect_identical(setdiff(asked, c(verbs, "time", "stays", "explained")), character())
})

