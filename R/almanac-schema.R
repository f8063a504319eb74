# The schema of an almanac (JSON Schema, draft 7), from the same rows that check it, so that an
# editor completes and checks it while it is written. In one line: it is read by programs, and
# would be twice as large.

almanac_schema <- function() {
  asks <- askable()
  settings <- schema_object(setting_words(), extra = list(as_of = NULL))
  list(`$schema` = "http://json-schema.org/draft-07/schema#", title = "Almanac",
       type = "object", required = I("pages"), additionalProperties = FALSE,
       properties = schema_words(almanac_words()),
       definitions = list(
         settings = settings, calendar = schema_object(words_of_calendar()),
         records = schema_object(record_words()),
         further = schema_object(further_words(), required = "file"),
         page = schema_object(page_words(), required = "title"),
         expect = schema_object(expect_words()),
         question = list(type = "object", required = I("ask"),
                         properties = list(ask = list(enum = I(asks))),
                         allOf = lapply(asks, schema_of_question))))
}

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
  held <- function(name) list(`$ref` = paste0("#/definitions/", name))
  by_name <- function(name) list(type = "object", additionalProperties = held(name))
  in_order <- function(name) list(type = "array", items = held(name))
  switch(row$kind, flag = , yes_no = list(type = "boolean"), number = list(type = "number"),
         texts = , columns = , files = many,
         pairs = list(type = "object", additionalProperties = many),
         settings = held("settings"), expect = held("expect"), calendars = by_name("calendar"),
         records = by_name("records"), lists = in_order("further"), pages = in_order("page"),
         questions = in_order("question"), one)
}

schema_text <- function() {
  paste0(jsonlite::toJSON(almanac_schema(), auto_unbox = TRUE), "\n")
}
