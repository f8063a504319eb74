# What is new since the edition before: numbers that were told otherwise, with their causes, and
# findings that came and went.

no_news <- function() {
  list(before = NULL, sentences = character(), table = news_rows())
}

# Without groups, or without a known cause, there is nothing to say in their columns.
news_rows <- function(question = character(), line = character(), period = character(),
                      measure = character(), before = numeric(), now = numeric(),
                      because = character()) {
  n <- length(now)
  data.frame(question = rep_len(question, n), group = rep_len(line, n), period = period,
             number = rep_len(measure, n), before = as.double(before), now = as.double(now),
             difference = as.double(now) - as.double(before), because = rep_len(because, n))
}

edition_news <- function(edition) {
  before <- edition_before(edition$almanac, edition$day)
  if (is.null(before)) {
    return(no_news())
  }
  show_progress("comparing with the edition before")
  seen <- new.env(parent = emptyenv())
  told <- lapply(edition_answers(edition), function(answer) {
    tryCatch(question_news(edition, answer, before, seen), ridge_error = function(cnd) {
      list(sentences = paste0(answer$question$title, ": cannot be compared with the edition of ",
                              before$day, ". ", one_sentence(cli::ansi_strip(cnd$message)), "."))
    })
  })
  said <- unlist(lapply(told, `[[`, "sentences"))
  list(before = before$day, sentences = unique(c(character(), said)),
       table = do.call(rbind, c(list(news_rows()), lapply(told, `[[`, "table"))))
}

question_news <- function(edition, answer, before, seen) {
  if (answer$question$command == "check") {
    return(list(sentences = findings_news(answer, before)))
  }
  table <- if (can_restate(edition$session, answer)) restated_news(edition, answer, before)
  else if (tells_numbers(edition$session, answer)) numbers_news(answer, before)
  list(table = table, sentences = news_sentences(answer, table, seen))
}

restated_news <- function(edition, answer, before) {
  name <- answer$question$records
  earlier <- kept_records(before, name)
  result <- answer$result
  if (is.null(earlier) || nrow(result) == 0) {
    return(NULL)
  }
  made <- about(result)
  asked <- made$question$arguments
  # Without a first day that was asked for it is the first of both lists.
  first <- if (!is.null(asked$from)) axis_days(made$axis)[1]
  last <- min(utils::tail(axis_last_days(made$axis), 1), about(earlier)$as_of_day)
  if (!is.null(first) && first > last) {
    return(NULL)
  }
  x <- records_asked(edition$session, name)
  told <- rlang::inject(restated(x, earlier, by = asked$by, group = !!by_names(asked$group),
                                 rule = asked$rule, of = asked$of,
                                 from = if (!is.null(first)) as_date(first), to = as_date(last),
                                 calendar = asked$calendar, total = asked$total,
                                 label = asked$label))
  moved <- which(told$difference != 0)
  cells <- cells_of(told)
  news_rows(answer$question$title,
            if (length(asked$group)) line_labels(about(told))[cells$line[moved]]
            else NA_character_,
            period_labels(about(told))[cells$place[moved]], "active", told$before[moved],
            told$now[moved], because_words(told, moved))
}

news_causes <- c(added = "records added late", removed = "records removed",
                 start_changed = "starts changed", end_changed = "ends changed",
                 key_changed = "keys changed", group_changed = "groups changed",
                 weight_changed = "weights changed")

# "ends changed (-2), records added late (+1)".
because_words <- function(told, rows) {
  causes <- intersect(names(news_causes), names(told))
  vapply(rows, function(row) {
    effects <- vapply(causes, function(cause) as.double(told[[cause]][row]), 0)
    at <- which(effects != 0)
    paste0(news_causes[causes[at]], " (", signed_number(effects[at]), ")", collapse = ", ")
  }, "")
}

signed_number <- function(values) {
  paste0(ifelse(values > 0, "+", ""), format_plain(values, 2))
}

# Periods that had not ended then are no restatement.
numbers_news <- function(answer, before) {
  path <- kept_path(before$folder, "told", answer$question$name)
  if (!file.exists(path)) {
    return(NULL)
  }
  was <- nanoparquet::read_parquet(path)
  was <- was[was$last_day <= as.integer(as.Date(before$day)), ]
  now <- told_numbers(answer$result)
  at <- match(paste(was$line, was$period, sep = "\r"), paste(now$line, now$period, sep = "\r"))
  measures <- intersect(about(answer$result)$values, names(was))
  rows <- lapply(measures, function(measure) {
    difference <- now[[measure]][at] - was[[measure]]
    moved <- which(abs(difference) > 1e-9 * pmax(1, abs(was[[measure]])))
    news_rows(answer$question$title,
              if (length(about(answer$result)$groups)) was$line[moved] else NA_character_,
              was$label[moved], gsub("_", " ", measure), was[[measure]][moved],
              now[[measure]][at][moved], NA_character_)
  })
  do.call(rbind, rows)
}

# The largest of them, the latest of several, and how many there are; of groups that of the line
# over all, where it is there. `seen`: numbers that were told of another question already.
news_sentences <- function(answer, table, seen) {
  if (is.null(table) || nrow(table) == 0) {
    return(NULL)
  }
  title <- answer$question$title
  whole <- table[table$group %in% c(NA, "All"), ]
  told <- if (nrow(whole) > 0) whole else table
  told <- told[order(-abs(told$difference), -seq_len(nrow(told))), ][1, ]
  mark <- paste(answer$question$records, told$period, told$number, told$before, told$now)
  again <- exists(mark, envir = seen, inherits = FALSE)
  assign(mark, TRUE, envir = seen)
  all <- count_of(nrow(table), "number")
  if (again) {
    return(paste0(title, " ", all, if (nrow(table) == 1) " was" else " were", " restated."))
  }
  group <- if (!(told$group %in% c(NA, "All"))) paste0(told$group, ", ")
  number <- if (told$number != "active") paste0(", ", told$number)
  because <- if (!is.na(told$because)) paste0(": ", told$because)
  more <- if (nrow(table) > 1) paste0(" ", sentence_case(all), " in all.")
  paste0(title, " ", group, told$period, number, ": told as ", format_plain(told$before, 2),
         ", now ", format_plain(told$now, 2), because, ".", more)
}

findings_news <- function(answer, before) {
  path <- kept_path(before$folder, "findings", answer$question$records)
  if (!file.exists(path)) {
    return(NULL)
  }
  of <- function(found) paste(found$finding, found$key, found$detail, sep = "\r")
  was <- nanoparquet::read_parquet(path)
  now <- kept_findings(answer$result)
  fresh <- now[!(of(now) %in% of(was)), ]
  gone <- was[!(of(was) %in% of(now)), ]
  told <- function(found, words) {
    if (nrow(found) > 0) {
      kinds <- unique(found$finding)
      paste0(count_of(nrow(found), "finding"), " in ", answer$question$records,
             if (nrow(found) == 1) " is " else " are ", words, " (", and_list(kinds), ").")
    }
  }
  sentence_case(c(told(fresh, "new"), told(gone, "gone")))
}
