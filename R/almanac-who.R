# Who is behind the numbers of a question, where the almanac allows it: personal data.

most_who_rows <- 20000L

who_answers <- function(session, answer) {
  made <- about(answer$result)
  fits <- inherits(answer$result, "ridge_active") && inherits(answer$result, "ridge_by_period") &&
    is.null(answer$given$against) && !is.null(made$axis)
  if (!session$almanac$who || !fits) {
    return(NULL)
  }
  question <- made$question
  question$arguments[c("show", "total", "label")] <- list("records", FALSE, NULL)
  listed <- tryCatch(ask_again(question, records_asked(session, answer$question$records), NULL),
                     ridge_error = function(cnd) NULL)
  if (is.null(listed) || nrow(listed) > most_who_rows) NULL else listed
}

# A period is chosen from a list; without a script nobody is shown.
who_part <- function(answer) {
  listed <- answer$who
  if (is.null(listed)) {
    return(NULL)
  }
  made <- about(listed)
  plain <- text_columns(plain_tibble(listed))
  shown <- setdiff(names(plain), c("period_end", "label"))
  values <- lapply(plain[shown], function(column) {
    text <- as.character(column)
    I(printable_text(ifelse(is.na(text), "", text)))
  })
  name <- answer$question$name
  htmltools::tags$details(
    class = "who", htmltools::tags$summary("Who is behind the numbers"),
    htmltools::p(class = "personal", "This report holds personal data: pass it on with care."),
    htmltools::div(class = "who-list", `data-name` = name),
    htmltools::tags$script(type = "application/json", class = "who-data",
                           htmltools::HTML(script_json(list(
                             columns = I(shown), groups = I(unlist(made$question$arguments$group)),
                             values = unname(values))))))
}
