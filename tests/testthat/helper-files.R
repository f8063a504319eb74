# A file of this text, for as long as the caller runs.
text_file <- function(text, ending = ".csv", env = parent.frame()) {
  file <- withr::local_tempfile(fileext = ending, .local_envir = env)
  writeBin(if (is.raw(text)) text else charToRaw(enc2utf8(text)), file)
  file
}

# Records written to several files, cut anywhere, and declared from there.

in_files <- function(records, cuts = 3, format = "csv", folder = withr::local_tempdir(.local_envir = env),
                     env = parent.frame(), ...) {
  part <- findInterval(seq_len(nrow(records)), sort(sample(nrow(records) + 1, cuts, TRUE)))
  for (i in 0:cuts) {
    path <- file.path(folder, sprintf("%02d.%s", i, format))
    suppressMessages(write_records(records[part == i, , drop = FALSE], path))
  }
  record_files(folder, ...)
}

# What verbs say of records in files is what they say in memory: table, types and line, and it
# ties.
expect_same_answer <- function(ask, in_memory, filed, label, ties = TRUE) {
  expected <- ask(in_memory)
  found <- ask(filed)
  expect_identical(as.data.frame(found), as.data.frame(expected), label = label)
  expect_identical(conventions(found), conventions(expected), label = paste(label, "(line)"))
  if (ties) expect_true(all(reconcile(found)$ok), label = paste(label, "(ties)"))
}
