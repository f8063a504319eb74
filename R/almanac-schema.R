# The schema of an almanac (JSON Schema, draft 7), from the same rows that check it, so that an
# editor completes and checks it while it is written. In one line, with words that several questions
# take written once: it is read by programs, and would be several times as large.

almanac_schema <- function() {
  asks <- askable()
  questions <- lapply(asks, schema_of_question)
  shared <- words_of_several(questions)
  settings <- schema_object(setting_words(), extra = list(as_of = NULL))
  list(`$schema` = "http://json-schema.org/draft-07/schema#", title = "Almanac",
       type = "object", required = I("pages"), additionalProperties = FALSE,
       properties = schema_words(almanac_words()),
       definitions = c(list(
         settings = settings, calendar = schema_object(words_of_calendar()),
         records = schema_object(record_words()),
         further = schema_object(further_words(), required = "file"),
         page = schema_object(page_words(), required = "title"),
         expect = schema_object(expect_words()),
         question = list(type = "object", required = I("ask"),
                         properties = list(ask = list(enum = I(asks))),
                         allOf = lapply(questions, with_shared_words, shared))),
         shared))
}

# By a name of their own, as one word may mean two things.
words_of_several <- function(questions) {
  words <- do.call(c, lapply(questions, function(question) question$then$properties))
  hashes <- vapply(words, rlang::hash, "")
  several <- words[!duplicated(hashes) & hashes %in% hashes[duplicated(hashes)]]
  stats::setNames(several, make.unique(paste0("the_", names(several)), sep = "_"))
}

with_shared_words <- function(question, shared) {
  words <- question$then$properties
  at <- match(vapply(words, rlang::hash, ""), vapply(shared, rlang::hash, ""))
  found <- !is.na(at)
  words[found] <- lapply(names(shared)[at[found]], schema_held)
  question$then$properties <- words
  question
}

schema_held <- function(name) list(`$ref` = paste0("#/definitions/", name))

schema_of_question <- function(ask) {
  own <- question_words()
  asked <- asked_words(command_rows()[[gsub("_", "-", ask)]])
  list(`if` = list(properties = list(ask = list(const = ask)), required = I("ask")),
       then = schema_object(c(own, asked[setdiff(names(asked), names(own))])))
}

schema_object <- function(rows, required = NULL, extra = NULL) {
  c(list(type = "object", additionalProperties = FALSE, properties = schema_words(rows)),
    if (!is.null(required)) list(required = I(required)))
}

schema_words <- function(rows) {
  lapply(rows, function(row) c(list(description = row$help), schema_of_row(row)))
}

schema_of_row <- function(row) {
  one <- list(type = I(c("string", "number")))
  if (!is.null(row$values)) one <- list(enum = I(row$values))
  many <- list(anyOf = list(one, list(type = "array", items = one, minItems = 1)))
  by_name <- function(name) list(type = "object", additionalProperties = schema_held(name))
  in_order <- function(name) list(type = "array", items = schema_held(name))
  switch(row$kind, flag = , yes_no = list(type = "boolean"), number = list(type = "number"),
         texts = , columns = , files = , tables = many,
         pairs = list(type = "object", additionalProperties = many),
         settings = schema_held("settings"), expect = schema_held("expect"),
         calendars = by_name("calendar"), records = by_name("records"), lists = in_order("further"),
         pages = in_order("page"), questions = in_order("question"), one)
}

schema_text <- function() {
  paste0(jsonlite::toJSON(almanac_schema(), auto_unbox = TRUE), "\n")
}
