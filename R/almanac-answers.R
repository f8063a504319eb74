# What is told of the answers of an edition.

edition_answers <- function(edition) {
  unlist(lapply(edition$pages, `[[`, "answers"), recursive = FALSE)
}

# What does not tie or hold, each with its question.
edition_broken <- function(edition) {
  unlist(lapply(edition_answers(edition), function(answer) {
    broken <- broken_of(answer)
    if (length(broken)) paste0(answer$question$title, ": ", broken)
  }))
}

broken_of <- function(answer) {
  checks <- answer$checks
  wrong <- if (!is.null(checks)) which(!checks$ok)
  c(if (length(wrong)) paste0("Does not tie: ", checks$check[wrong], ", ",
                              format_plain(checks$expected[wrong], 4), " expected, ",
                              format_plain(checks$found[wrong], 4), " found."),
    with_seen(answer$expectations))
}

with_seen <- function(expectations) {
  broken <- expectations[!expectations$ok, ]
  if (nrow(broken) > 0) paste0("Expected: ", broken$expected, ". Seen: ", broken$seen, ".")
}

file_mark <- function(path) {
  digest::digest(file = path, algo = "sha256")
}

told_files <- function(told) {
  as.character(unlist(lapply(unlist(c(told$file, lapply(told$and, `[[`, "file"))), files_of)))
}
