# Answers that list records: those of a table in a database are fetched, and listed here.

# answer(spans, question): what is answered in memory; it shows `columns`.
list_at_hand <- function(x, question, answer,
                         columns = c(unlist(question$arguments[question$columns]),
                                     about(x)$names$weight)) {
  if (!in_database(x)) return(answer(x, question))
  made_about(answer(records_behind(x, list(kind = "all"), columns), question), x)
}

# A result that was made of some records for those that it is about.
made_about <- function(result, x) {
  attr(result, "ridge")$records <- records_handle(x)
  result
}
