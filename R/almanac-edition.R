# What an edition holds, written.

write_edition <- function(edition, out, keeps) {
  aside <- tempfile(paste0(".ridge-", Sys.getpid(), "-"), dirname(out))
  on.exit({
    stop_helpers(edition$desk)
    unlink(aside, recursive = TRUE)
  })
  sweep_editions(dirname(out))
  made <- dir.create(aside) && all(vapply(c("tables", "figures"), function(name) {
    dir.create(file.path(aside, name))
  }, NA))
  if (!made) refuse_write(out, "its folder cannot be made")
  fill_edition(edition, aside)
  if (keeps) keep_edition(edition)
  put_folder(aside, out)
}

fill_edition <- function(edition, folder) {
  show_progress("writing the edition")
  share_work(edition$desk, list(put_workbook, put_tables, put_report), function(put) {
    put(edition, folder)
  })
  drawn <- list.files(drawings_of(edition$desk), full.names = TRUE)
  if (!all(file.copy(drawn, file.path(folder, "figures")))) {
    refuse_write(folder, "the disk may be full")
  }
  for (file in list.files(folder, recursive = TRUE, full.names = TRUE)) {
    flaw <- flaw_of(file, file_ending(file))
    if (nzchar(flaw)) refuse_write(file, flaw)
  }
}

put_workbook <- function(edition, folder) {
  edition_workbook(edition, file.path(folder, "workbook.xlsx"))
}

put_tables <- function(edition, folder) {
  tables <- lapply(edition_answers(edition), `[[`, "table")
  names(tables) <- vapply(edition_answers(edition), function(answer) answer$question$name, "")
  if (nrow(edition$news$table) > 0) tables$restated <- edition$news$table
  for (name in names(tables)) {
    suppressMessages(write_records(tables[[name]],
                                   file.path(folder, "tables", paste0(name, ".csv"))))
  }
}

put_report <- function(edition, folder) {
  put_text(edition_page(edition), file.path(folder, "index.html"))
  put_text(edition_json(edition), file.path(folder, "edition.json"))
}

edition_json <- function(edition) {
  questions <- lapply(edition$pages, function(page) {
    list(title = page$title, questions = lapply(page$answers, json_of_answer))
  })
  told <- list(title = edition$almanac$title, as_of = format(as_date(edition$day)),
               almanacridge = edition$version, built = iso_instants(Sys.time()),
               almanac = list(file = basename(edition$almanac$file$path),
                              sha256 = file_mark(edition$almanac$file$whole)),
               records = lapply(edition$records, function(told) {
                 where <- told$table %||%
                   list(files = Map(function(file, mark) list(file = file, sha256 = mark),
                                    unname(told$files), told$marks))
                 c(where, told[c("records", "set_aside", "conventions")])
               }),
               ok = length(edition_broken(edition)) == 0,
               compared_with = edition$news$before, restated = I(edition$news$sentences),
               pages = questions)
  text <- jsonlite::toJSON(told, auto_unbox = TRUE, digits = NA, na = "null", null = "null",
                           pretty = TRUE)
  paste0(enc2utf8(as.character(text)), "\n")
}

json_of_answer <- function(answer) {
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
