# What goes wrong around a writing process: killed, no room, no right, a closed pipe, another
# one at once. Each time the old or the new file is there, whole.

skip_on_os("windows")

# `ridge` in a process of its own, through a shell that may stand in its way. Its own file
# sets what the program sets for itself.
shell <- function(before, ..., after = "") {
  ridge <- system.file("exec", "ridge", package = "almanacridge")
  libraries <- paste(.libPaths(), collapse = .Platform$path.sep)
  words <- paste(shQuote(c("sh", ridge, ...)), collapse = " ")
  notes <- withr::local_tempfile()
  if (!grepl(">|\\|", after)) after <- paste(after, "> /dev/null")
  status <- system(paste0("export R_LIBS=", shQuote(libraries), "; ", before, " ", words, " 2> ", notes, " ", after))
  list(status = status, notes = paste(readLines(notes, warn = FALSE), collapse = "\n"))
}

postings <- function() system.file("extdata", "postings.csv", package = "almanacridge")

asked <- c("--start", "first_day", "--end", "last_day", "--key", "observer", "--by", "year", "--as-of", "2026-06-30")

test_that("what a killed process left behind is swept a day later, and nothing else", {
  folder <- withr::local_tempdir()
  parts <- file.path(folder, c(".ridge-12-3fa0.csv", ".ridge-13-3fa1.csv", ".ridge-notes.csv"))
  file.create(parts)
  Sys.setFileTime(parts[c(1, 3)], Sys.time() - 90000)
  write_records(demo_records("grants"), file.path(folder, "grants.csv"))
  expect_setequal(list.files(folder, all.files = TRUE, no.. = TRUE), c(basename(parts)[2:3], "grants.csv"))
})

test_that("a process that is killed while it writes leaves the old or the new file", {
  skip_if_not_installed("parallel")
  file <- withr::local_tempfile(fileext = ".csv")
  table <- function(letter) data.frame(n = 1:40000, text = strrep(letter, 20))
  # How long a write takes on this machine says when to kill.
  took <- system.time(write_records(table("a"), file))[["elapsed"]]
  sound <- lapply(c("a", "b"), function(letter) {
    other <- withr::local_tempfile(fileext = ".csv")
    write_records(table(letter), other)
    unname(tools::md5sum(other))
  })
  set.seed(5)
  seen <- vapply(1:200, function(i) {
    job <- parallel::mcparallel(repeat for (letter in c("b", "a")) write_records(table(letter), file), silent = TRUE)
    Sys.sleep(stats::runif(1, 0, max(0.06, 4 * took)))
    tools::pskill(job$pid, tools::SIGKILL)
    suppressWarnings(parallel::mccollect(job))
    unname(tools::md5sum(file))
  }, "")
  expect_true(all(seen %in% unlist(sound)))
  expect_setequal(unique(seen), unlist(sound))
})

test_that("of two that write the same name one is there, whole", {
  skip_if_not_installed("parallel")
  file <- file.path(withr::local_tempdir(), "x.csv")
  jobs <- lapply(c("a", "b"), function(letter) {
    parallel::mcparallel(for (i in 1:30) write_records(data.frame(n = 1:20000, text = strrep(letter, 20)), file), silent = TRUE)
  })
  for (i in 1:40) {
    Sys.sleep(0.01)
    if (file.exists(file)) {
      lines <- readLines(file)
      expect_length(lines, 20001)
      expect_length(unique(sub("^[0-9]+,", "", lines[-1])), 1)
    }
  }
  parallel::mccollect(jobs)
  expect_length(list.files(dirname(file), "^[.]ridge-", all.files = TRUE), 0)
})

# Where the machine lets us, a disk of a few kilobytes; else a limit on how long a file may
# get. Neither leaves room for the table.
small_disk <- function(env = parent.frame()) {
  folder <- withr::local_tempdir(.local_envir = env)
  mounted <- suppressWarnings(system2("mount", c("-t", "tmpfs", "-o", "size=12k", "tmpfs", folder), stdout = FALSE, stderr = FALSE)) == 0
  if (mounted) withr::defer(system2("umount", folder), envir = env)
  list(folder = folder, limit = if (mounted) "" else "trap '' XFSZ; ulimit -f 8;")
}

test_that("a full disk is told, and no part of a file is left", {
  disk <- small_disk()
  writeLines("old", file.path(disk$folder, "x.csv"))
  for (ending in c("csv", "csv.gz", "tsv", "json", "ndjson", "md", "html", "xlsx", "parquet")) {
    file <- file.path(disk$folder, paste0("x.", ending))
    many <- c("scaffold", postings(), asked, "--out", file)
    got <- shell(disk$limit, many)
    expect_identical(got$status, 1L, label = ending)
    expect_match(got$notes, "cannot be written", label = ending)
    expect_no_match(got$notes, "Table:", label = ending)
  }
  figure <- file.path(disk$folder, "x.png")
  got <- shell(disk$limit, "active", postings(), asked, "--figure", figure)
  expect_identical(got$status, 1L)
  expect_identical(list.files(disk$folder, all.files = TRUE, no.. = TRUE), "x.csv")
  expect_identical(readLines(file.path(disk$folder, "x.csv")), "old")
})

test_that("standard output that takes nothing is an error, a reader that has enough is none", {
  skip_if_not(file.exists("/dev/full"))
  got <- shell("", "active", postings(), asked, after = "> /dev/full")
  expect_identical(got$status, 1L)
  expect_match(got$notes, "Standard output could not take the table")
  expect_identical(shell("", "help", after = "> /dev/full")$status, 1L)
  statuses <- withr::local_tempfile()
  got <- shell("(", "scaffold", postings(), asked, after = paste("; echo $? >", statuses, ") | head -1"))
  expect_identical(readLines(statuses), "0")
})

test_that("a signal ends it with its status, and nothing half-written stays", {
  folder <- withr::local_tempdir()
  big <- file.path(folder, "big.csv")
  records <- demo_records("postings")
  data.table::fwrite(records[rep(seq_len(nrow(records)), 400), ], big)
  for (signal in c(INT = 2L, TERM = 15L)) {
    file <- file.path(folder, "out.csv")
    # On a busy machine it takes longer to be at work.
    for (seconds in c(1.6, 3, 5)) {
      got <- shell(paste("timeout --preserve-status -s", signal, seconds), "scaffold", big, asked[1:4], "--by", "day",
                   "--as-of", "2026-06-30", "--out", file)
      if (grepl("stopped", got$notes)) break
    }
    expect_identical(got$status, 128L + signal)
    expect_match(got$notes, "stopped", label = paste(signal, got$notes))
    expect_false(file.exists(file))
    expect_identical(list.files(folder, "ridge", all.files = TRUE), character())
  }
})

test_that("a folder without permission is refused before any work", {
  skip_if(identical(system("id -u", intern = TRUE), "0"), "Whoever may write everywhere is refused nowhere.")
  folder <- withr::local_tempdir()
  Sys.chmod(folder, "500")
  got <- run("active", postings(), asked, "--out", file.path(folder, "x.csv"))
  expect_identical(got$status, 1L)
  expect_match(got$notes, "you have no right to")
})

test_that("it reads from pipes, named ones, standard input and what is packed there", {
  withr::local_dir(withr::local_tempdir())
  direct <- shell("", "active", postings(), asked, after = "--out direct.csv")
  expect_identical(direct$status, 0L)
  ways <- c(pipe = "cat POSTINGS |", packed = "gzip -c POSTINGS |")
  for (way in names(ways)) {
    got <- shell(sub("POSTINGS", shQuote(postings()), ways[[way]]), "active", "-", asked, after = "--out piped.csv")
    expect_identical(readLines("piped.csv"), readLines("direct.csv"), label = paste(way, got$notes))
  }
  got <- shell("", "active", "/dev/stdin", asked, after = paste("--out piped.csv <", shQuote(postings())))
  expect_identical(readLines("piped.csv"), readLines("direct.csv"), label = got$notes)
  system(paste("mkfifo p; cat", shQuote(postings()), "> p &"))
  got <- shell("", "active", "p", asked, after = "--out named.csv")
  expect_identical(readLines("named.csv"), readLines("direct.csv"), label = got$notes)
})

test_that("the same bytes come out in any locale", {
  withr::local_dir(withr::local_tempdir())
  writeLines(c("obs\u00e9rvateur,from,to", "\u00c9va,2026-01-01,", "Zo\u00eb,2026-02-01,2026-03-01", "anna,2026-01-05,", "Bo,2026-01-05,"), "l.csv", useBytes = TRUE)
  outs <- vapply(c("C", "POSIX", "C.UTF-8"), function(locale) {
    file <- paste0(locale, ".csv")
    got <- shell(paste0("LC_ALL=", locale), "active", "l.csv", "--start", "from", "--end", "to", "--group", "obs\u00e9rvateur",
                 "--by", "quarter", "--as-of", "2026-06-30", "--keep", "from=2026-01-05", "--keep", "from=2026-01-01", after = paste("--out", file))
    expect_identical(got$status, 0L, label = paste(locale, got$notes))
    paste(unname(tools::md5sum(file)), got$notes)
  }, "")
  expect_length(unique(gsub("C.UTF-8|POSIX|\\bC\\b", "", outs)), 1)
  expect_match(readLines("C.csv", encoding = "UTF-8")[c(2, 4, 6)], "^(Bo|anna|\u00c9va)")
})
