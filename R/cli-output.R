# What a command hands over: the table, its conventions, a figure, sentences and checks.

# 1600x900 as two numbers.
pixels_given <- function(size) {
  if (is.null(size)) {
    return(figure_pixels)
  }
  pixels <- suppressWarnings(as.integer(strsplit(size, "x", fixed = TRUE)[[1]]))
  if (!grepl("^[0-9]+x[0-9]+$", size) || anyNA(pixels) || any(pixels < 200 | pixels > 10000)) {
    usage_abort(c("{.code --figure-size} takes a width and a height in pixels, not {.val {size}}.",
                  i = "Such as 1600x900, each from 200 to 10000."))
  }
  pixels
}

# What is said of a figure plays no part without one.
check_figure_asked <- function(given) {
  told <- names(only_given(given, c("figure_size", figure_arguments)))
  if (is.null(given$figure) && length(told) > 0) {
    usage_abort(c("{arg_name(told[1])} plays no part without a figure.",
                  i = "Say {.code --figure FILE} too."))
  }
  pixels_given(given$figure_size)
}

# Wrong endings and folders are found before any work is done.
check_outputs <- function(given) {
  if (to_folder(given)) check_to_folder(given)
  else for (file in setdiff(given$out, "-")) check_ending(file, table_endings, "out")
  if (!is.null(given$set_aside)) check_ending(given$set_aside, table_endings, "set_aside")
  if (!is.null(given$figure)) check_ending(given$figure, figure_formats, "figure")
  check_figure_asked(given)
  check_apart(only_given(given, c("out", "set_aside", "figure")))
  for (option in c("set_aside", "figure")) {
    file <- given[[option]]
    if (!is.null(file) && one_name(file) %in% one_name(given$files)) {
      ridge_abort(c("{arg_name(option)}: {.file {file}} is the file that is read.",
                    i = "Name another file."), "argument", arg = option, value = file)
    }
  }
  if (!is.null(given$to_format) && !is.null(given$out) && !("-" %in% given$out)) {
    usage_abort(c(paste("{.code --to-format} is that of standard output, and the table goes to",
                        "{.file {given$out[1]}}."),
                  i = "The ending of the file says its format. Leave one of them out."))
  }
  files <- sub("[.]gz$", "", setdiff(given$out, "-"))
  printed <- if (is.null(given$out) || "-" %in% given$out) given$to_format %||% "csv"
  if (!is.null(given$formulas) && !any(c(file_ending(files), printed) %in% c("csv", "tsv"))) {
    usage_abort("{.code --formulas} plays no part: elsewhere than in CSV they always are text.")
  }
  if (!is.null(given$limit) && (given$limit < 1 || given$limit != round(given$limit))) {
    usage_abort("{.code --limit} takes a whole number of rows from 1, not {.val {given$limit}}.")
  }
  if (!is.null(given$sums) && !isTRUE(given$wide)) {
    usage_abort("{.code --sums} are those of the wide form: say {.code --wide} too.")
  }
}

# A folder of answers, one for each part of a folder that is read.
to_folder <- function(given) {
  length(given$out) == 1 && endsWith(given$out, "/")
}

check_to_folder <- function(given) {
  if (!is_folder(given$files)) {
    usage_abort(c(paste("{.code --out} names a folder, {.file {given$out}}, which takes the",
                        "answers about a folder of records."), i = "Name a file."))
  }
  whole <- c("select", "rename", "sort", "limit", "wide", "sums", "summary", "reconcile", "figure",
             "fail_on", "formulas")
  told <- names(only_given(given, whole))
  if (length(told) > 0) {
    usage_abort(c("{arg_name(told[1])} plays no part where answers are written part by part.",
                  i = "Leave it out."))
  }
}

write_answers <- function(x, command, given, options) {
  ask <- function(part) ask_verb(command$verb, part, given, options, command$calendar)
  written <- write_parts(x, ask, sub("/+$", "", given$out))
  cli::cli_inform(paste("Written: {given$out} ({count_of(nrow(written), 'file')},",
                        "{count_of(sum(written$rows), 'row')})"))
}

# One file cannot hold two things.
check_apart <- function(written) {
  args <- rep(names(written), lengths(written))
  files <- as.character(unlist(written))
  args <- args[files != "-"]
  files <- files[files != "-"]
  again <- anyDuplicated(one_name(files))
  if (again > 0) {
    first <- match(one_name(files)[again], one_name(files))
    named <- vapply(args[c(first, again)], arg_name, "")
    ridge_abort(c("{named[1]} and {named[2]} both name {.file {files[again]}}.",
                  i = "Give each a file of its own."), "argument", arg = args[again],
                value = files[again])
  }
}

# The same file by whichever way it is named.
one_name <- function(files) {
  file.path(normalizePath(dirname(files), mustWork = FALSE), basename(files))
}

hand_over <- function(result, given, figure = NULL) {
  shown <- result
  if (isTRUE(given$wide)) {
    shown <- widen(result, sums = given$sums %||% "none", label = given$label %||% "code")
  }
  # What cannot be drawn, ordered or named is told before anything is written.
  drawn <- if (!is.null(given$figure)) figure_of(result, given, figure)
  chosen <- choose_rows(shown, given$sort, given$limit)
  table <- choose_columns(if (isTRUE(given$text)) with_text(chosen) else chosen, given$select,
                          given$rename)
  say_note(conventions(chosen))
  write_out(table, given, records_lost(result))
  if (!is.null(drawn)) {
    write_figure(drawn, given$figure, pixels_given(given$figure_size))
    say_note("Figure: ", given$figure)
  }
  if (isTRUE(given$summary)) for (sentence in summary(result)) say_note(sentence)
  outcome <- if (isTRUE(given$reconcile)) report_checks(reconcile(shown))
  if (inherits(outcome, "exit_status") && outcome != 0L) outcome else failed(shown, given$fail_on)
}

# For jobs: a status that stops them where the table is empty or does not tie.
failed <- function(shown, fail_on) {
  if ("empty" %in% fail_on && nrow(shown) == 0) {
    say_error("the table has no rows.")
    return(exit_with(1L))
  }
  if (!("untied" %in% fail_on)) {
    return(exit_with(0L))
  }
  checks <- reconcile(shown)
  wrong <- checks$check[!checks$ok]
  if (length(wrong)) say_error(paste0("it does not tie to the source: ", and_list(wrong), "."))
  exit_with(if (length(wrong)) 1L else 0L)
}

write_out <- function(table, given, lost) {
  formulas <- given$formulas %||% "as_is"
  for (file in given$out %||% "-") {
    if (file == "-") {
      print_table(table, given$to_format %||% "csv", formulas)
    } else {
      refuse_loss(file, given, lost)
      write_records(table, file, formulas = formulas)
      say_note("Table: ", file, " (", count_of(nrow(table), "row"), ")")
    }
  }
}

# How many records of the file did not come along.
records_lost <- function(result) {
  x <- if (inherits(result, "ridge_spans")) result
  else if (inherits(result, "ridge_result")) records_of_handle(about(result)$records)
  if (is.null(x)) source_of(result)$left_out else aside_count(x) + about(x)$left_out
}

# A file is not replaced by less than was in it.
refuse_loss <- function(file, given, lost) {
  if (lost > 0 && file.exists(file) && one_name(file) %in% one_name(given$files)) {
    ridge_abort(c(paste("{arg_name('out')}: {.file {file}} is the file that was read, and",
                        "{count_of(lost, 'record')} of it would be lost: left out or set aside."),
                  i = "Name another file."), "argument", arg = "out", value = file)
  }
}

# One line for each check, and a status that says whether all tie.
report_checks <- function(checks) {
  say_note("Reconciled: ", conventions(checks))
  for (line in check_lines(checks)) say_note("- ", line)
  exit_with(if (all(checks$ok)) 0L else 1L)
}

# A status that is not 0 although the command did what it was asked.
exit_with <- function(status) {
  structure(status, class = "exit_status")
}
