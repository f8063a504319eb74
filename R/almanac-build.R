#' Build an edition of an almanac
#'
#' Asks every question of the almanac, reconciles each answer with its records, looks whether
#' what was expected holds, compares with the edition before, and writes all of it into one
#' folder: `index.html`, a report that needs no network and no server; `tables/` with a CSV file
#' for each question; `workbook.xlsx`; `figures/` as PNG and SVG; and `edition.json`, which says
#' what was asked, of which files, by which conventions and version, and what every check found.
#'
#' The folder appears whole or not at all: until it is complete an edition that was there is
#' untouched. The same files and as-of date give the same bytes, but for the time in
#' `edition.json`.
#'
#' Its questions are worked on by as many processes as [thread_count()] says, eight at most; where
#' processes cannot be forked, by one.
#'
#' Beside the almanac a folder, called as its file with `-kept` behind it, keeps what the next
#' edition is compared with: of each list of records the columns of its key, start, end, groups and
#' weight as they are used by questions. `keep_editions: 0` keeps none. Records in a database stay
#' there: of them the numbers that were told and the findings are kept, so what was restated is
#' found, but not why.
#' They are asked by one connection for each database, which can only read and sees one state of
#' the data throughout.
#'
#' @param path The almanac: a file, or what [read_almanac()] returned.
#' @param out The folder of the edition. One that no build has made is never replaced.
#' @param as_of The day the edition speaks for, in place of that of the file: a date, or words
#'   such as `"end of last month"`.
#' @param only Titles of the pages to build, or `NULL` for all. Such an edition is not kept to be
#'   compared with.
#' @param check_only `TRUE`: read and ask everything, and write nothing.
#' @return A list of class `ridge_edition`, invisibly: `out`, `as_of`, `ok` (does everything tie
#'   and hold?), `broken` (what does not, in words), `news` (what was restated, in sentences) and
#'   `questions` (how many).
#' @section Errors:
#' Those of [read_almanac()], [spans()] and of the verbs, each with the line of the almanac that
#' it comes from; a folder that cannot be written is an error of class `ridge_error_file`. A check
#' that fails is no error: `ok` says so, and the report at its top.
#' @examples
#' \donttest{
#' folder <- file.path(tempdir(), "observatory")
#' dir.create(folder)
#' file.copy(list.files(system.file("extdata", package = "almanacridge"), full.names = TRUE),
#'           folder)
#' edition <- build_almanac(file.path(folder, "almanac.yml"), out = file.path(folder, "edition"))
#' edition$ok
#' list.files(edition$out)
#' }
#' @export
build_almanac <- function(path = "almanac.yml", out = "edition", as_of = NULL, only = NULL,
                          check_only = FALSE) {
  check_flag(check_only, "check_only")
  need_edition_packages()
  if (!rlang::is_string(out) || !nzchar(out)) {
    ridge_abort("{arg_name('out')} must name one folder, not {.val {describe(out)}}.", "argument",
                arg = "out", value = out)
  }
  almanac <- if (inherits(path, "ridge_almanac")) path else read_almanac(path)
  day <- edition_day(almanac, as_of)
  if (!is.null(as_of)) as_of <- format(as_date(day))
  out <- whole_path(out)
  if (!check_only) check_out(out)
  pages <- chosen_pages(almanac, only)
  session <- open_almanac(almanac, as_of)
  desk <- open_desk()
  on.exit({
    close_desk(desk)
    close_connections(session)
  })
  edition <- in_folder_of(almanac, ask_edition(session, pages, day, desk, !check_only,
                                               !check_only && is.null(only)))
  if (!check_only) write_edition(edition, out, keeps = is.null(only))
  outcome(edition, out)
}

outcome <- function(edition, out) {
  broken <- edition_broken(edition)
  invisible(structure(list(out = out, as_of = as_date(edition$day), ok = length(broken) == 0,
                           broken = broken, news = edition$news$sentences,
                           questions = length(edition_answers(edition))),
                      class = "ridge_edition"))
}

#' @export
print.ridge_edition <- function(x, ...) {
  cat("Edition as of ", format(x$as_of), ", ", count_of(x$questions, "question"), ": ",
      if (x$ok) "everything ties and holds" else count_of(length(x$broken), "failure"), "\n",
      x$out, "\n", sep = "")
  if (!x$ok) cat(paste0("- ", x$broken, "\n"), sep = "")
  invisible(x)
}

need_edition_packages <- function() {
  need_report_packages()
  for (package in c("openxlsx", "digest", "nanoparquet", "yaml", "zip")) {
    need_package(package, "Building an almanac")
  }
  invisible(TRUE)
}

edition_day <- function(almanac, as_of) {
  said <- as_of %||% almanac$as_of
  if (is.null(said)) {
    return(today())
  }
  day <- function() as_single_day(in_iso_words(said, today(), "last"), "as_of", "UTC")
  if (is.null(as_of)) told_of(almanac, list("as_of"), "`as_of`", day()) else day()
}

whole_path <- function(path) {
  path <- path.expand(path)
  if (!grepl("^(/|[A-Za-z]:)", path)) path <- file.path(getwd(), path)
  sub("/+$", "", path)
}

chosen_pages <- function(almanac, only) {
  if (is.null(only)) {
    return(almanac$pages)
  }
  titles <- vapply(almanac$pages, `[[`, "", "title")
  for (title in setdiff(only, titles)) {
    near <- nearest(title, titles)
    ridge_abort(c("{arg_name('only')}: there is no page {.val {title}}.",
                  i = if (!is.null(near)) "Did you mean {.val {near}}?"
                  else "Pages are {.val {titles}}."), "argument", arg = "only", value = title)
  }
  almanac$pages[titles %in% only]
}

# Everything that the report tells, asked and drawn.
ask_edition <- function(session, pages, day, desk, draws, compares) {
  questions <- unlist(lapply(pages, `[[`, "questions"), recursive = FALSE)
  read_ahead(session, questions)
  answers <- keep_worked_out(share_work(desk, questions, function(question) {
    show_progress(question$title, environment())
    answer <- whole_answer(session, question)
    if (draws) answer$drawn <- drawn_answer(session, answer, drawings_of(desk))
    without_records(answer)
  }, !vapply(questions, function(question) asks_database(session, question), NA)))
  on_page <- rep(seq_along(pages), lengths(lapply(pages, `[[`, "questions")))
  asked <- lapply(seq_along(pages), function(i) {
    c(pages[[i]][c("title", "note", "name")], list(answers = answers[on_page == i]))
  })
  edition <- list(almanac = session$almanac, session = session, pages = asked, day = day,
                  desk = desk, version = format(utils::packageVersion("almanacridge")))
  edition$records <- records_told(session)
  edition$news <- if (compares) edition_news(edition) else no_news()
  edition
}

# Once, before several processes ask about them.
read_ahead <- function(session, questions) {
  for (question in questions) {
    records_asked(session, question$records, question$command == "check")
    told_of(session$almanac, question$at, paste0("\"", question$title, "\""),
            given_of(session, question))
  }
}

# What is handed on from one process to another.
without_records <- function(answer) {
  answer$given[names_records] <- NULL
  answer
}

# Each list of records: its files with their marks or its table, how many records, how many were
# set aside.
records_told <- function(session) {
  names <- setdiff(names(session$records), grep("^findings of ", names(session$records),
                                                value = TRUE))
  lapply(stats::setNames(nm = names), function(name) {
    told <- session$almanac$records[[name]]
    files <- told_files(told)
    x <- session$records[[name]]
    list(files = files, marks = vapply(files, file_mark, "", USE.NAMES = FALSE),
         table = if (!is.null(told$database)) told[c("database", "table")],
         records = facts_of(x)$records, set_aside = aside_count(x), conventions = conventions(x),
         notes = session$notes[[name]])
  })
}
