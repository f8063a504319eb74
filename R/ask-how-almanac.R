# A question as an almanac: what its command says, by the words of an almanac.

spell_almanac <- function(command) {
  need_package("yaml", "Spelling an almanac")
  words <- scan(text = command, what = "", quote = "'\"", quiet = TRUE)
  name <- words[2]
  options <- command_options(command_rows()[[name]])
  given <- parse_command_line(words[-(1:2)], options, name)
  told <- Filter(Negate(is.null), given)
  of_records <- gsub("-", "_", from_records())
  read <- function(list) c(list(file = list$files), list[intersect(names(list), of_records)])
  records <- list(read(told))
  names(records) <- record_name(told$files)
  if (length(told$and)) {
    records[[1]]$and <- lapply(told$and, function(list) read(Filter(Negate(is.null), list)))
  }
  asked <- told[setdiff(names(told), c("files", "and", of_records, calendar_words_told(), "compare",
                                       "earlier", "earlier_as_of", "less", "less_columns", "with",
                                       "with_columns"))]
  verb <- gsub("-", "_", if (name == "versus") told$compare %||% "active" else name)
  second <- second_lists(told, records[[1]])
  calendar <- told[intersect(names(told), calendar_words_told())]
  asked <- c(list(ask = verb, records = names(records)[1]), asked, second$asked,
             if (length(calendar)) list(calendar = "own"))
  asked$working <- NULL
  yaml_text(c(if (length(calendar)) list(calendars = list(own = calendar)),
              list(records = c(records, second$records),
                   pages = list(list(title = "Page", questions = list(asked))))))
}

calendar_words_told <- function() gsub("-", "_", c(calendar_names(), hours_names()))

record_name <- function(files) {
  name <- gsub("[^A-Za-z0-9]+", "_", file_stem(files[1]))
  if (nzchar(name)) name else "records"
}

# Lists that a question is also about, declared as the first with columns of their own.
second_lists <- function(told, first) {
  files <- told[intersect(c("earlier", "less", "with"), names(told))]
  records <- lapply(names(files), function(word) {
    second <- first
    second$file <- files[[word]]
    if (word == "earlier") second$as_of <- told$earlier_as_of
    columns <- told[[paste0(word, "_columns")]]
    if (!is.null(columns)) {
      second[c("one_day", "all_open")] <- NULL
      second[c("start", "end", "key")] <- list(columns[1], columns[2], columns[-(1:2)])
    }
    if (word != "earlier") second[c("weight", "where", "keep", "leave_out", "match")] <- NULL
    second
  })
  names(records) <- vapply(files, record_name, "")
  list(records = records, asked = as.list(stats::setNames(names(records), names(files))))
}

yaml_text <- function(tree) {
  words <- function(x) structure(ifelse(x, "true", "false"), class = "verbatim")
  sub("\n$", "", yaml::as.yaml(tree, indent.mapping.sequence = TRUE,
                               handlers = list(logical = words)))
}
