# An edition as a folder: everything is written beside its place, then the two folders change
# places at once, so that whoever reads never sees a part.

edition_files <- c("index.html", "workbook.xlsx", "edition.json", "tables", "figures")

# A folder that somebody else has made is not ours to replace.
check_out <- function(out) {
  parent <- dirname(out)
  if (!dir.exists(parent) || file.access(parent, 2) != 0) {
    ridge_abort(c("{arg_name('out')}: nothing can be written to {.file {parent}}.",
                  i = "Name a folder of your own."), "file", arg = "out", value = out)
  }
  if (!file.exists(out)) {
    return(invisible())
  }
  there <- if (dir.exists(out)) list.files(out, all.files = TRUE, no.. = TRUE)
  other <- setdiff(there, edition_files)
  if (!dir.exists(out) || length(other) > 0 || length(there) && !("edition.json" %in% there)) {
    seen <- if (length(other)) paste0(", which holds {.file {other[1]}}") else ""
    ridge_abort(c(paste0("{arg_name('out')}: {.file {out}}", seen,
                         ", is no edition that was built here, and is not replaced."),
                  i = "Name another folder, or move it away."), "file", arg = "out", value = out)
  }
}

write_edition <- function(edition, out, keeps) {
  aside <- tempfile(paste0(".ridge-", Sys.getpid(), "-"), dirname(out))
  on.exit(unlink(aside, recursive = TRUE))
  sweep_editions(dirname(out))
  made <- dir.create(aside) && all(vapply(c("tables", "figures"), function(name) {
    dir.create(file.path(aside, name))
  }, NA))
  if (!made) refuse_write(out, "its folder cannot be made")
  fill_edition(edition, aside)
  if (keeps) keep_edition(edition)
  put_folder(aside, out)
}

# What killed builds have left; no build takes a day.
sweep_editions <- function(folder) {
  parts <- list.files(folder, "^[.]ridge-[0-9]+-[0-9a-f]+$", all.files = TRUE, full.names = TRUE)
  old <- file.mtime(parts) < Sys.time() - as.difftime(1, units = "days")
  unlink(parts[old %in% TRUE], recursive = TRUE)
}

workbook_job <- "the workbook"

fill_edition <- function(edition, folder) {
  show_progress("writing the edition")
  workbook <- file.path(folder, "workbook.xlsx")
  begin_job(edition$desk, workbook_job, edition_workbook(edition, workbook))
  tables <- lapply(edition_answers(edition), `[[`, "table")
  names(tables) <- vapply(edition_answers(edition), function(answer) answer$question$name, "")
  if (nrow(edition$news$table) > 0) tables$restated <- edition$news$table
  for (name in names(tables)) {
    suppressMessages(write_records(tables[[name]],
                                   file.path(folder, "tables", paste0(name, ".csv"))))
  }
  # Drawing is under way meanwhile.
  edition <- with_drawings(edition, file.path(folder, "figures"))
  put_text(edition_page(edition), file.path(folder, "index.html"))
  put_text(edition_json(edition), file.path(folder, "edition.json"))
  if (is.null(fetch_job(edition$desk, workbook_job))) edition_workbook(edition, workbook)
  for (file in list.files(folder, recursive = TRUE, full.names = TRUE)) {
    flaw <- flaw_of(file, tools::file_ext(file))
    if (nzchar(flaw)) refuse_write(file, flaw)
  }
}

put_folder <- function(aside, out) {
  reason <- if (file.exists(out)) exchange_folders(aside, out) else move_file(aside, out)
  if (nzchar(reason)) refuse_write(out, reason)
}

edition_json <- function(edition) {
  questions <- lapply(edition$pages, function(page) {
    list(title = page$title, questions = lapply(page$answers, answer_json))
  })
  told <- list(title = edition$almanac$title, as_of = format(as_date(edition$day)),
               almanacridge = edition$version, built = iso_instants(Sys.time()),
               almanac = list(file = basename(edition$almanac$file$path),
                              sha256 = file_mark(edition$almanac$file$path)),
               records = lapply(edition$records, function(told) {
                 list(files = Map(function(file, mark) list(file = file, sha256 = mark),
                                  unname(told$files), told$marks),
                      records = told$records, set_aside = told$set_aside,
                      conventions = told$conventions)
               }),
               ok = length(edition_broken(edition)) == 0,
               compared_with = edition$news$before, restated = I(edition$news$sentences),
               pages = questions)
  text <- jsonlite::toJSON(told, auto_unbox = TRUE, digits = NA, na = "null", null = "null",
                           pretty = TRUE)
  paste0(enc2utf8(as.character(text)), "\n")
}

answer_json <- function(answer) {
  checks <- answer$checks
  list(question = answer$question$title, name = answer$question$name,
       ask = gsub("-", "_", answer$question$command), records = answer$question$records,
       told = answer$question$told, rows = nrow(answer$table), conventions = answer$conventions,
       how = answer$how,
       checks = if (is.null(checks)) list() else lapply(seq_len(nrow(checks)), function(i) {
         c(as.list(checks[i, c("check", "expected", "found")]), list(ok = checks$ok[i]))
       }),
       expectations = lapply(seq_len(nrow(answer$expectations)), function(i) {
         as.list(answer$expectations[i, ])
       }))
}
