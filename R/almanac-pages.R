# The pages of an almanac and their questions, checked.

read_pages <- function(book, tree, settings, known) {
  if (!is.list(tree) || !is.null(names(tree)) || length(tree) == 0) {
    mistake(book, if (is.null(tree)) list() else list("pages"),
            "an almanac needs `pages`: a list of pages, each with a `title` and `questions`.")
    return(list())
  }
  pages <- lapply(seq_along(tree), function(i) {
    read_page(book, tree[[i]], list("pages", i), settings, known)
  })
  with_file_names(Filter(Negate(is.null), pages))
}

read_page <- function(book, tree, at, settings, known) {
  tree <- check_words_at(book, tree, at, page_words(), "a page")
  if (is.null(tree)) {
    return(NULL)
  }
  told <- read_words_at(book, tree, at, page_words())
  if (is.null(told$title)) mistake(book, at, "a page needs a `title`.")
  own <- read_settings(book, tree$settings, c(at, list("settings")))
  questions <- tree$questions %||% list()
  if (!is.list(questions) || !is.null(names(questions))) {
    mistake(book, c(at, list("questions")), "`questions` takes a list of questions.")
    questions <- list()
  }
  read <- lapply(seq_along(questions), function(i) {
    read_question(book, questions[[i]], c(at, list("questions", i)), list(settings, own), known)
  })
  check_settings_used(book, own, c(at, list("settings")))
  list(title = told$title, note = told$note, questions = Filter(Negate(is.null), read))
}

read_question <- function(book, tree, at, settings, known) {
  ask <- if (is.list(tree) || is.character(tree)) as.list(tree)$ask
  if (is.null(ask)) {
    return(mistake(book, at, "a question needs `ask`: ", or_list(askable()), "."))
  }
  ask <- read_value_at(book, question_words()$ask, ask, c(at, list("ask")))
  if (is.null(ask)) {
    return(NULL)
  }
  command <- command_rows()[[gsub("_", "-", ask)]]
  own <- question_words()
  asked <- asked_words(command)
  rows <- c(own, asked[setdiff(names(asked), names(own))])
  tree <- check_words_at(book, tree, at, rows, paste0("`ask: ", ask, "`"))
  if (is.null(tree)) {
    return(NULL)
  }
  told <- read_words_at(book, tree, at, rows)
  for (outer in rev(settings)) {
    usual <- use_settings(outer, setdiff(names(rows), names(told)))
    told <- c(told, usual)
  }
  question <- c(told[intersect(names(told), setdiff(names(own), "calendar"))],
                list(at = at, command = command$name))
  question$title <- told$question %||% paste0(sentence_case(command$about), "?")
  question$records <- records_named(book, told$records, at, known)
  question$expect <- read_expect(book, tree$expect, c(at, list("expect")))
  question$calendar <- calendar_named(book, told$calendar, at, known, command)
  question$told <- told[intersect(names(told), names(asked))]
  check_second_lists(book, question$told, at, known)
  check_question_given(book, question, at)
  question
}

# One list of records needs no name.
records_named <- function(book, name, at, known) {
  names <- names(known$records)
  if (is.null(name)) {
    if (length(names) == 1) return(names)
    return(mistake(book, at, "a question needs `records`", if (length(names)) {
      paste0(": ", or_list(names))
    }, "."))
  }
  named_entry(book, name, names, c(at, list("records")), "records", "list of records")
}

named_entry <- function(book, name, names, at, word, what) {
  if (name %in% names) {
    return(name)
  }
  near <- if (length(names)) nearest(name, names)
  mistake(book, at, "`", word, "`: there is no ", what, " ", dQuote(name, FALSE), ".",
          if (!is.null(near)) paste0(" Did you mean ", dQuote(near, FALSE), "?")
          else if (length(names)) paste0(" There is ", or_list(names), "."))
}

calendar_named <- function(book, name, at, known, command) {
  if (is.null(name)) {
    return(NULL)
  }
  here <- c(at, list("calendar"))
  if (!any(c(calendar_names(), hours_names()) %in% command$options)) {
    return(mistake(book, here, "`calendar` plays no part in `ask: ",
                   gsub("-", "_", command$name), "`."))
  }
  named_entry(book, name, names(known$calendars), here, "calendar", "calendar")
}

check_second_lists <- function(book, told, at, known) {
  for (word in intersect(names_records, names(told))) {
    named_entry(book, told[[word]], names(known$records), c(at, list(word)), word,
                "list of records")
  }
}

read_expect <- function(book, tree, at) {
  if (is.null(tree)) {
    return(list())
  }
  tree <- check_words_at(book, tree, at, expect_words(), "`expect`")
  told <- read_words_at(book, tree %||% list(), at, expect_words())
  change <- told$at_most_from_before
  if (!is.null(change) && !grepl("^[0-9]+([.][0-9]+)?%?$", change)) {
    mistake(book, c(at, list("at_most_from_before")),
            "`at_most_from_before` takes a number, or so many percent such as 10%, not ",
            dQuote(change, FALSE), ".")
  }
  told
}

# What a question must be told before records are read.
check_question_given <- function(book, question, at) {
  needed <- c(allocate = "amount", restated = "earlier", due = "after")
  need <- needed[question$command]
  if (!is.na(need) && is.null(question$told[[need]])) {
    mistake(book, at, "`ask: ", question$command, "` needs `", need, "`.")
  }
  if (!is.null(question$told$sums) && !isTRUE(question$told$wide)) {
    mistake(book, c(at, list("sums")), "`sums` are those of the wide form: say `wide: true` too.")
  }
  if (!is.null(question$expect$no_findings) && question$command != "check") {
    mistake(book, c(at, list("expect", "no_findings")),
            "`no_findings` is for `ask: check`: other questions have no findings.")
  }
}

# Files are called by the name that was given, or by the title; each has a name of its own.
with_file_names <- function(pages) {
  titles <- c(character(), unlist(lapply(pages, function(page) {
    vapply(page$questions, function(question) question$name %||% question$title, "")
  })))
  # What the report has of its own keeps its name.
  taken <- c("restated", "records", "pages")
  names <- make.unique(c(taken, file_word(titles)), "-")[-seq_along(taken)]
  for (i in seq_along(pages)) {
    own <- seq_along(pages[[i]]$questions)
    for (j in own) pages[[i]]$questions[[j]]$name <- names[j]
    names <- names[-own]
    pages[[i]]$name <- file_word(pages[[i]]$title %||% "")
  }
  unique_pages <- make.unique(vapply(pages, `[[`, "", "name"), "-")
  Map(function(page, name) utils::modifyList(page, list(name = name)), pages, unique_pages)
}

# Letters that any file system and any address takes.
file_word <- function(text) {
  plain <- gsub("[^a-z0-9]+", "-", fold_text(text))
  plain <- substr(gsub("^-+|-+$", "", plain), 1, 60)
  plain <- sub("-+$", "", plain)
  replace(plain, !nzchar(plain), "question")
}
