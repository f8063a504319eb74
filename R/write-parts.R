#' Answer about each record, part by part, into files
#'
#' What has a row for each record, or for each key, may be larger than memory as the records are:
#' a scaffold, lengths, pairs that overlap, pieces of amounts. Here the question is asked of one
#' part of [record_files()] after the other, and each answer goes to a file of its own. Where
#' there is a key all records of it are in one part.
#'
#' The files appear together, in a folder that has to be new or empty, when all of them are
#' whole; a run that fails or is stopped leaves nothing behind. [record_files()] reads them again.
#' Rows are those of the records, counted on through the files.
#'
#' @param x A [spans()] object about [record_files()].
#' @param ask A function of a part, a [spans()] object, that asks one question about each record
#'   or each key: by [scaffold()], [elapsed()], [overlaps()], [consecutive()], [gaps()],
#'   [allocate()] and [time_within()] without groups, [roster()] or [working_days()]. Periods
#'   are those that all records reach.
#' @param folder The folder to write to, new or empty.
#' @param format `"parquet"` or `"csv"`.
#' @return A tibble with a row for each file: `file` and `rows`, how many are in it.
#' @section Errors:
#' A question whose parts do not add up, such as a total, is an error of class
#' `ridge_error_engine`: ask it of `x`. A folder that holds something is one of class
#' `ridge_error_argument`; a file that cannot be written is one of class `ridge_error_file`.
#' @examples
#' folder <- tempfile()
#' dir.create(folder)
#' write_records(demo_records("postings"), file.path(folder, "all.csv"))
#' staff <- spans(record_files(folder), first_day, last_day, key = observer, as_of = "2026-06-30")
#' write_parts(staff, function(part) overlaps(part), tempfile("overlaps-"), format = "csv")
#' @export
write_parts <- function(x, ask, folder, format = "parquet") {
  check_spans_class(x, "write_parts")
  if (!in_parts(x)) {
    where <- if (in_database(x)) "in a database" else "in memory"
    ridge_abort(c("{.fn write_parts} is about records in files, and these are {where}.",
                  i = "Ask them at once, and write the answer with {.fn write_records}."),
                "argument", arg = "x")
  }
  if (!is.function(ask)) {
    ridge_abort("{arg_name('ask')} must be a function of a part, not {.val {describe(ask)}}.",
                "argument", arg = "ask", value = ask)
  }
  check_choice(format, c("parquet", "csv"), "format")
  check_new_folder(folder)
  parent <- dirname(folder)
  aside <- tempfile(".ridge-", parent)
  dir.create(aside)
  on.exit(unlink(aside, recursive = TRUE))
  written <- over_parts(x, names(x), about(x)$names$key, function(part, i) {
    answer <- ask(among_all(part, x))
    check_of_each(answer, x)
    file <- sprintf("part-%04d.%s", i, format)
    write_table(answer, file.path(aside, file), format)
    data.frame(file = file.path(folder, file), rows = nrow(answer))
  }, rbind)
  # What a worker that was lost had begun.
  unlink(setdiff(list.files(aside, all.files = TRUE, no.. = TRUE, full.names = TRUE),
                 file.path(aside, basename(written$file))))
  unlink(folder, recursive = TRUE)
  if (!file.rename(aside, folder)) refuse_write(folder, "the folder cannot be made")
  tibble::as_tibble(written)
}

check_new_folder <- function(folder) {
  if (!rlang::is_string(folder)) {
    ridge_abort("{arg_name('folder')} must be one folder, not {.val {describe(folder)}}.",
                "argument", arg = "folder", value = folder)
  }
  if (!dir.exists(dirname(folder))) {
    ridge_abort(c("There is no folder {.file {dirname(folder)}}.", i = "Make it first."),
                "argument", arg = "folder", value = folder)
  }
  held <- file_kind(path.expand(folder)) == "file" || length(list.files(folder, all.files = TRUE,
                                                                        no.. = TRUE)) > 0
  if (held) {
    ridge_abort(c("{.file {folder}} is there and holds something.",
                  i = "Name a folder that is new or empty."), "argument", arg = "folder",
                value = folder)
  }
}

# What says something of each record, and of each key where there is one.
verbs_of_records <- c("scaffold", "elapsed", "allocate", "time_within", "roster", "working_days",
                      "move_working_days")
verbs_of_keys <- c("overlaps", "consecutive", "gaps", "missing_days", "active", "movement",
                   "cohorts")

# Parts of other answers are not the answer.
check_of_each <- function(answer, x) {
  if (!inherits(answer, "ridge_result")) {
    ridge_abort(paste("{arg_name('ask')} must return the result of a verb, not",
                      "{.val {describe(answer)}}."), "argument", arg = "ask", value = answer)
  }
  question <- about(answer)$question
  asked <- question$arguments
  listed <- identical(asked$show, "records")
  counts <- question$verb %in% c("active", "movement", "cohorts") && !listed
  known <- question$verb %in% c(verbs_of_records, if (has_key(x)) verbs_of_keys)
  grouped <- length(asked$group) > 0 && !listed
  if (!known || counts || grouped || length(asked$per) > 0 || length(question$then) > 0 ||
      isTRUE(asked$total)) {
    ridge_abort(c("The parts of this answer of {.fn {question$verb}} are not an answer about all.",
                  i = paste("Ask about each record or each key, without {.code group} and",
                            "{.code per}; counts and totals are asked of all records at once.")),
                "engine", arg = "ask")
  }
}
