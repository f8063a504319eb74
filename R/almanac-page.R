# The pieces of a page: each question with its heading, figure, sentences, table, line of
# conventions, and how it was asked.

#' The pieces of an almanac's page
#'
#' What [build_almanac()] puts on a page, as pieces of HTML for a document or a page of your own:
#' in R Markdown and Quarto they print as they are.
#'
#' @param almanac The path of an almanac, or what [read_almanac()] returned.
#' @param page Which page: its title, or its number.
#' @param as_of The day it speaks for in place of the one in the file, or `NULL`.
#' @return A list of class `ridge_page`, one element for each question, by its name, with
#'   `question`, `result` (of the verb, as it is shown), `sentences`, `conventions`, `checks` (of
#'   [reconcile()]) and `html` (a tag list).
#' @section Errors:
#' Those of [read_almanac()]; a page that is not there is an error of class
#' `ridge_error_argument`.
#' @examples
#' page <- almanac_page(system.file("extdata", "almanac.yml", package = "almanacridge"), 1)
#' names(page)
#' page[[1]]$sentences
#' @export
almanac_page <- function(almanac, page = 1, as_of = NULL) {
  need_report_packages()
  if (!inherits(almanac, "ridge_almanac")) almanac <- read_almanac(almanac)
  page <- almanac$pages[[which_page(almanac, page)]]
  folder <- tempfile("page-")
  dir.create(folder)
  on.exit(unlink(folder, recursive = TRUE))
  session <- open_almanac(almanac, as_of)
  answers <- in_folder_of(almanac, lapply(page$questions, function(question) {
    whole_answer(session, question)
  }))
  pieces <- lapply(answers, function(answer) {
    answer$drawn <- drawn_answer(session, answer, folder)
    c(list(question = answer$question$title, html = question_part(answer)),
      list(result = answer$shown), answer[c("sentences", "conventions", "checks")])
  })
  names(pieces) <- vapply(page$questions, `[[`, "", "name")
  structure(pieces, class = "ridge_page", title = page$title, note = page$note)
}

which_page <- function(almanac, page) {
  titles <- vapply(almanac$pages, `[[`, "", "title")
  if (rlang::is_string(page)) {
    at <- match(page, titles)
    near <- nearest(page, titles)
  } else {
    at <- if (rlang::is_scalar_integerish(page)) match(page, seq_along(titles)) else NA
    near <- NULL
  }
  if (is.na(at)) {
    ridge_abort(c("{arg_name('page')}: there is no page {.val {describe(page)}}.",
                  i = if (!is.null(near)) "Did you mean {.val {near}}?"
                  else "Pages are {.val {titles}}."), "argument", arg = "page", value = page)
  }
  at
}

#' @exportS3Method knitr::knit_print
knit_print.ridge_page <- function(x, ...) {
  style <- htmltools::HTML(style_within(".ridge-page"))
  knitr::knit_print(htmltools::tagList(htmltools::tags$style(style),
                                       htmltools::div(class = "ridge-page",
                                                      markdown_parts(attr(x, "note")),
                                                      lapply(x, `[[`, "html"))), ...)
}

# Everything that is told of a question, but its drawing.
whole_answer <- function(session, question) {
  answer <- put_question(session, question)
  answer$checks <- checks_of(session, answer)
  answer$expectations <- told_of(session$almanac, question$at, paste0("\"", question$title, "\""),
                                 expectations_of(answer))
  answer$conventions <- conventions(answer$shown)
  answer$sentences <- if (is.null(question$print) || "summary" %in% question$print) {
    own_sentences(answer)
  }
  answer$how <- how_asked_in_all(session, answer)
  answer$who <- who_answers(session, answer)
  answer
}

# Drawn into files of this folder; NULL where there is no figure.
drawn_answer <- function(session, answer, folder) {
  figure <- figure_asked(session, answer)
  if (!is.null(figure)) draw_for_edition(figure, folder, answer$question$name)
}

# What says no more than the line of conventions is not said twice.
own_sentences <- function(answer) {
  if (inherits(answer$result, "ridge_findings")) {
    return(finding_sentences(answer$result))
  }
  setdiff(summary(answer$result), conventions(answer$result))
}

finding_sentences <- function(found) {
  if (nrow(found) == 0) {
    return("Nothing was found.")
  }
  kinds <- summary(found)
  sprintf("%s: %s, %s (%s).", sentence_case(kinds$severity), kinds$finding,
          vapply(kinds$records, count_of, "", "record"), kinds$example)
}

question_part <- function(answer) {
  name <- answer$question$name
  printed <- answer$question$print %||% printed_parts
  htmltools::tags$article(
    class = "question", id = name, `aria-labelledby` = paste0("head-", name),
    htmltools::h3(id = paste0("head-", name), printable_text(answer$question$title)),
    markdown_parts(answer$question$note), broken_part(answer), sentences_part(answer),
    figure_part(answer), if ("table" %in% printed) table_part(answer),
    htmltools::p(class = "conventions", printable_text(answer$conventions)), ties_part(answer),
    who_part(answer), how_part(answer))
}

# What does not tie or hold stands first.
broken_part <- function(answer) {
  broken <- broken_of(answer)
  if (length(broken)) {
    htmltools::tags$ul(class = "broken", lapply(broken, htmltools::tags$li))
  }
}

sentences_part <- function(answer) {
  if (length(answer$sentences)) {
    htmltools::p(class = "sentences", printable_text(paste(answer$sentences, collapse = " ")))
  }
}

figure_part <- function(answer) {
  drawn <- answer$drawn
  if (is.null(drawn)) {
    return(NULL)
  }
  name <- answer$question$name
  htmltools::tags$figure(
    class = "figure", `data-name` = name,
    htmltools::div(class = "plate", role = "img", `aria-label` = printable_text(drawn$alt),
                   htmltools::HTML(drawn$svg)),
    if (!is.null(drawn$marks)) {
      htmltools::tags$script(type = "application/json", class = "marks",
                             htmltools::HTML(script_json(marks_list(drawn$marks))))
    })
}

# Lines by their number, so that each is named once.
marks_list <- function(marks) {
  lines <- unique(marks$line)
  list(lines = I(lines), x = I(marks$x), y = I(marks$y), line = I(match(marks$line, lines) - 1L),
       tip = I(printable_text(marks$tip)))
}

table_part <- function(answer) {
  table <- answer$table
  name <- answer$question$name
  htmltools::tags$details(
    class = "table", open = NA,
    htmltools::tags$summary(paste0("Table, ", count_of(nrow(table), "row"))),
    page_table(table, name, printable_text(answer$question$title)),
    if (!is.null(cut_words(table))) {
      htmltools::p(class = "cut", cut_words(table),
                   htmltools::a(href = paste0("tables/", name, ".csv"), "The whole table"))
    })
}

ties_part <- function(answer) {
  checks <- answer$checks
  if (is.null(checks)) {
    return(NULL)
  }
  said <- paste0(vapply(sum(checks$ok), count_of, "", "check"), " against the records ",
                 if (all(checks$ok)) "tie." else paste0("of ", nrow(checks), " tie."))
  rows <- lapply(check_lines(checks), htmltools::tags$li)
  htmltools::tags$details(class = "ties", htmltools::tags$summary(said), htmltools::tags$ul(rows))
}

how_part <- function(answer) {
  htmltools::tags$details(
    class = "how", htmltools::tags$summary("How this was asked"),
    lapply(names(answer$how), function(way) {
      htmltools::tagList(htmltools::h4(way),
                         htmltools::HTML(paste0("<pre tabindex='0'><code>",
                                                escaped(answer$how[[way]]), "</code></pre>")))
    }))
}

page_style <- function(name = "page.css") {
  paste(readLines(almanac_file_of(name)), collapse = "\n")
}

# In a document of somebody else's it holds for our pieces alone.
style_within <- function(selector) {
  rules <- gsub(":root", "&", page_style(), fixed = TRUE)
  paste0(selector, " {\ncolor: var(--ink);\n", rules, "\n}")
}

almanac_file_of <- function(name) {
  system.file("almanac", name, package = "almanacridge", mustWork = TRUE)
}

need_report_packages <- function() {
  for (package in c("htmltools", "jsonlite", "commonmark", "xml2", "svglite", "rsvg")) {
    need_package(package, "Building an almanac")
  }
}
