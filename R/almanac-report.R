# The report: one page of HTML that needs nothing beside it.

edition_page <- function(edition) {
  script <- paste(readLines(almanac_file_of("page.js")), collapse = "\n")
  page <- htmltools::tagList(
    masthead(edition), state_part(edition), news_part(edition), contents_part(edition),
    htmltools::tags$main(id = "pages", lapply(edition$pages, page_part),
                         restated_part(edition), records_part(edition)),
    colophon(edition))
  head <- paste0(
    "<!doctype html>\n<html lang='en'>\n<head>\n<meta charset='utf-8'>\n",
    "<meta http-equiv='Content-Security-Policy' content=\"", content_policy(script), "\">\n",
    "<meta name='viewport' content='width=device-width, initial-scale=1'>\n",
    "<meta name='referrer' content='no-referrer'>\n",
    "<title>", escaped(edition_title(edition)), "</title>\n",
    "<style>\n", page_style(), "\n", page_style("report.css"), "\n</style>\n</head>\n<body>\n",
    "<a class='skip' href='#pages'>To the pages</a>\n")
  paste0(head, as.character(page), "\n<script>", script, "</script>\n</body>\n</html>\n")
}

# Nothing from outside, and no script but the one that is in the page.
content_policy <- function(script) {
  mark <- digest::digest(enc2utf8(script), algo = "sha256", serialize = FALSE, raw = TRUE)
  paste0("default-src 'none'; style-src 'unsafe-inline'; img-src data:; script-src 'sha256-",
         jsonlite::base64_enc(mark), "'; base-uri 'none'; form-action 'none'")
}

edition_title <- function(edition) {
  paste0(edition$almanac$title, ", ", long_date(edition$day))
}

# Whatever the locale.
long_date <- function(day) {
  date <- civil_dates(as.integer(day))
  paste(date$day, month.name[date$month], date$year)
}

masthead <- function(edition) {
  htmltools::tags$header(
    class = "masthead",
    htmltools::h1(printable_text(edition$almanac$title)),
    htmltools::p(class = "as-of", "As of ", long_date(edition$day)),
    markdown_parts(edition$almanac$note))
}

# Whether everything ties and holds; what does not, with a way to it.
state_part <- function(edition) {
  answers <- edition_answers(edition)
  broken <- Filter(function(answer) length(broken_of(answer)) > 0, answers)
  checks <- sum(vapply(answers, function(answer) NROW(answer$checks), 0L))
  expected <- sum(vapply(answers, function(answer) nrow(answer$expectations), 0L))
  if (length(broken) == 0) {
    said <- paste0("Every number ties to its records: ", count_of(checks, "check"), ".",
                   if (expected > 0) paste0(" ", count_of(expected, "expectation"), " held."))
    return(htmltools::tags$section(class = "state holds", `aria-label` = "Checks",
                                   htmltools::p(said)))
  }
  lines <- lapply(broken, function(answer) {
    lapply(broken_of(answer), function(what) {
      htmltools::tags$li(htmltools::a(href = paste0("#", answer$question$name),
                                      printable_text(answer$question$title)), " ",
                         printable_text(what))
    })
  })
  htmltools::tags$section(class = "state fails", `aria-labelledby` = "head-state",
                          htmltools::h2(id = "head-state", "This does not hold"),
                          htmltools::tags$ul(lines))
}

news_part <- function(edition) {
  news <- edition$news
  if (is.null(news$before)) {
    return(NULL)
  }
  said <- if (length(news$sentences)) {
    htmltools::tags$ul(lapply(printable_text(news$sentences), htmltools::tags$li))
  } else htmltools::p("No number was restated, and no finding is new.")
  htmltools::tags$section(
    class = "news", `aria-labelledby` = "head-news",
    htmltools::h2(id = "head-news", "What is new since ",
                  long_date(whole_days(as.Date(news$before)))),
    said, if (nrow(news$table) > 0) {
      htmltools::p(htmltools::a(href = "#restated", "All restated numbers"))
    })
}

contents_part <- function(edition) {
  page_item <- function(page) {
    questions <- lapply(page$answers, function(answer) {
      htmltools::tags$li(htmltools::a(href = paste0("#", answer$question$name),
                                      printable_text(answer$question$title)))
    })
    htmltools::tags$li(htmltools::a(href = paste0("#page-", page$name),
                                    printable_text(page$title)),
                       htmltools::tags$ol(questions))
  }
  htmltools::tags$nav(class = "contents", `aria-labelledby` = "head-contents",
                      htmltools::h2(id = "head-contents", "Contents"),
                      htmltools::tags$ol(lapply(edition$pages, page_item),
                                         if (nrow(edition$news$table) > 0) {
                                           end_item("restated", "Restated numbers")
                                         },
                                         end_item("records", "The records")))
}

end_item <- function(id, title) {
  htmltools::tags$li(htmltools::a(href = paste0("#", id), title))
}

page_part <- function(page) {
  id <- paste0("page-", page$name)
  htmltools::tags$section(
    class = "page", id = id, `aria-labelledby` = paste0("head-", id),
    htmltools::h2(id = paste0("head-", id), printable_text(page$title)),
    markdown_parts(page$note), lapply(page$answers, question_part))
}

restated_part <- function(edition) {
  table <- edition$news$table
  if (nrow(table) == 0) {
    return(NULL)
  }
  caption <- paste0("Numbers that were told otherwise in the edition of ", edition$news$before)
  htmltools::tags$section(
    class = "page", id = "restated", `aria-labelledby` = "head-restated",
    htmltools::h2(id = "head-restated", "Restated numbers"),
    htmltools::p("Each number as it was told before and as it is now. Causes are applied to the ",
                 "earlier list one after the other, so that they add up to the difference."),
    page_table(tibble::as_tibble(table), "restated", caption),
    if (!is.null(cut_words(table))) {
      htmltools::p(class = "cut", cut_words(table),
                   htmltools::a(href = "tables/restated.csv", "The whole table"))
    })
}

records_part <- function(edition) {
  one <- function(name) {
    told <- edition$records[[name]]
    set_aside <- if (told$set_aside > 0) {
      paste0(", ", format_number(told$set_aside), " set aside")
    }
    files <- Map(function(file, mark) {
      htmltools::tags$li(htmltools::tags$code(file), " ",
                         htmltools::tags$small("sha256 ", htmltools::tags$code(mark)))
    }, unname(told$files), told$marks)
    htmltools::tagList(htmltools::h3(printable_text(name)),
                       htmltools::p(paste0(count_of(told$records, "record"), set_aside, ".")),
                       htmltools::tags$ul(class = "files", files, table_told(told$table)),
                       if (length(told$notes)) {
                         htmltools::tags$ul(class = "notes", lapply(printable_text(told$notes),
                                                                    htmltools::tags$li))
                       },
                       htmltools::p(class = "conventions", printable_text(told$conventions)))
  }
  htmltools::tags$section(class = "page", id = "records", `aria-labelledby` = "head-records",
                          htmltools::h2(id = "head-records", "The records"),
                          lapply(names(edition$records), one))
}

# The tables of a database that the records lie in.
table_told <- function(told) {
  lapply(told$table, function(table) {
    htmltools::tags$li(htmltools::tags$code(printable_text(table)), " of ",
                       htmltools::tags$code(printable_text(told$database)))
  })
}

colophon <- function(edition) {
  htmltools::tags$footer(htmltools::p(
    "Built by almanacridge ", edition$version, " from ",
    htmltools::tags$code(basename(edition$almanac$file$path), .noWS = "outside"),
    ". Tables, a workbook and figures are in the folder of this report."))
}
