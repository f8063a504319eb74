# Answers that list records, of a table in a database: these are fetched, and listed here.

# answer(spans, question): what would be answered in memory.
answer_at_hand <- function(x, question, answer) {
  refuse_of_shards(x, "An answer that lists records by period")
  columns <- if (question$verb == "consecutive") names(x)
  else c(unlist(question$arguments[question$columns]), about(x)$names$weight)
  answer_about(answer(records_behind(x, list(kind = "all"), columns), question), x)
}

# A result that was made of some records for those that it is about.
answer_about <- function(result, x) {
  attr(result, "ridge")$records <- records_handle(x)
  result
}
