#' Begin an almanac
#'
#' Looks at files of records: which columns are the start, the end, the key, groups and amounts
#' (by their type and content first, by their names second), what order their dates have, and
#' what the checks find. Writes a first almanac with comments, which builds as it is, and says
#' what it took and why. What the files do not prove is never guessed: an order of day and month
#' that is open is an error that asks for `date_order`.
#'
#' @param files Files of records, each a list of its own.
#' @param out The almanac to write. One that is there is never replaced; `NULL` writes none.
#' @param as_of The day the almanac speaks for: a date, or words; `NULL`: today, whenever it is
#'   built.
#' @param tz The time zone of instants, by default that of the session.
#' @param date_order,decimal,missing,encoding,delimiter,sheet How the files are to be read, where
#'   they do not say it: see [read_records()].
#' @param means_open Values of the end that mean "still open", beside those that are found.
#' @return A list, invisibly: `almanac` (the text), `said` (what was taken, and why) and `out`.
#' @section Errors:
#' A file without a column of dates, and one whose columns leave open how they are read, are
#' errors of class `ridge_error_records`; an almanac that is there already is one of class
#' `ridge_error_file`.
#' @examples
#' begun <- begin_almanac(system.file("extdata", "pledges.csv", package = "almanacridge"),
#'                        out = NULL, as_of = "2026-06-30")
#' begun$said
#' cat(begun$almanac)
#' @export
begin_almanac <- function(files, out = "almanac.yml", as_of = NULL, tz = NULL, date_order = NULL,
                          decimal = NULL, missing = NULL, encoding = NULL, delimiter = NULL,
                          sheet = NULL, means_open = NULL) {
  for (package in c("yaml", "jsonlite")) need_package(package, "Beginning an almanac")
  check_new_file(out)
  check_date_order(date_order)
  check_zone_given(tz)
  told <- Filter(Negate(is.null), list(tz = tz, date_order = date_order, decimal = decimal,
                                       missing = missing, encoding = encoding,
                                       delimiter = delimiter, sheet = sheet,
                                       means_open = means_open))
  folder <- dirname(whole_path(out %||% "almanac.yml"))
  files <- files_of(files)
  lists <- lapply(files, begun_list, told = told, folder = folder, as_of = as_of)
  names(lists) <- make.unique(gsub("-", "_", file_word(file_stem(files))), "_")
  text <- first_almanac(lists, as_of)
  if (!is.null(out)) {
    write_whole(out, "yml", function(aside) put_text(text, aside))
  }
  said <- unlist(Map(function(list, name) paste0(name, ": ", list$said), lists, names(lists)),
                 use.names = FALSE)
  invisible(list(almanac = text, said = said, out = out))
}

check_new_file <- function(out) {
  if (is.null(out)) {
    return(invisible())
  }
  if (!rlang::is_string(out) || !nzchar(out)) {
    ridge_abort("{arg_name('out')} must name one file, not {.val {describe(out)}}.", "argument",
                arg = "out", value = out)
  }
  if (file.exists(out)) {
    ridge_abort(c("{arg_name('out')}: {.file {out}} is there already, and is not replaced.",
                  i = "Name another file, or move it away."), "file", arg = "out", value = out)
  }
}

# One file: what it holds, how it is declared, what the checks find.
begun_list <- function(file, told, folder, as_of) {
  reading <- told[setdiff(names(told), "means_open")]
  reads <- reading[setdiff(names(reading), "date_order")]
  if (!is.null(reads$sheet)) reads$sheet <- number_or_text(reads$sheet)
  records <- rlang::inject(read_table(file, !!!reads))
  if (nrow(records) == 0) {
    ridge_abort(c("{.file {file}} holds no records, only column names.",
                  i = "Begin with a file that holds some."), "records", value = file)
  }
  columns <- look_at_columns(plain_tibble(records), told)
  roles <- choose_roles(columns, file, told)
  words <- c(list(file = path_from(folder, file)), roles$told)
  words$means_open <- unique(c(words$means_open, told$means_open))
  if (length(words$means_open) == 0) words$means_open <- NULL
  if (!is.null(roles$numbers$weight)) words$weight <- roles$numbers$weight
  on_instants <- identical(roles$span$on, "instants")
  if (on_instants) words$tz <- told$tz %||% local_zone()
  words[setdiff(names(reading), "tz")] <- reading[setdiff(names(reading), "tz")]
  words <- Filter(Negate(is.null), words)
  folded <- Filter(function(name) length(twin_labels(records[[name]])) > 0,
                   c(roles$groups, roles$span$state))
  if (length(folded)) words$fold <- unique(folded)
  found <- begun_findings(words, file, as_of)
  if (found$errors > 0 && is.null(words$at)) words$unusable <- "set_aside"
  said <- c(roles$said, number_reasons(roles$numbers), found$said,
            if (length(folded)) {
              paste0("spellings of ", paste0("\"", unique(folded), "\"", collapse = ", "),
                     " are brought together: fold")
            },
            if (on_instants) paste0("times are those of ", words$tz))
  list(words = words, roles = roles, said = said, records = nrow(records), days = all_days(columns))
}

number_reasons <- function(numbers) {
  c(if (!is.null(numbers$weight)) paste0("weight: \"", numbers$weight, "\", from 0 to 1"),
    if (!is.null(numbers$amount)) paste0("amount: \"", numbers$amount, "\""))
}

# As seen from the folder of the almanac, where it lies below it.
path_from <- function(folder, file) {
  whole <- normalizePath(file)
  below <- paste0(normalizePath(folder, mustWork = FALSE), "/")
  if (startsWith(whole, below)) substring(whole, nchar(below) + 1) else whole
}

all_days <- function(columns) {
  days <- unlist(lapply(of_kind(columns, "moment"), function(column) {
    as.double(column$days[!column$days %in% column$far])
  }))
  range(days, na.rm = TRUE)
}

# What the checks find in the records as they were taken.
begun_findings <- function(words, file, as_of) {
  if (!is.null(words$at)) {
    return(list(errors = 0L))
  }
  given <- as_given(utils::modifyList(words, list(unusable = "set_aside")))
  given$files <- file
  if (!is.null(as_of)) given$as_of <- as_of
  given$end_counts <- words$end_counts
  found <- suppressMessages(check_list(given))
  kinds <- summary(found)
  errors <- sum(found$severity == "error")
  list(errors = errors,
       said = c(if (nrow(kinds) > 0) {
         paste0("found: ", paste(vapply(kinds$records, count_of, "", "record"), "with",
                                 kinds$finding, collapse = ", "))
       }, if (errors > 0) "records that cannot be used are set aside: see the question about them"))
}
