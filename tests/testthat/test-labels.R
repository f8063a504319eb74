test_that("case, spaces, hyphens, non-breaking spaces and accents fold into the most frequent spelling", {
  kinds <- c(rep("Night watch", 4), "night-watch", "NIGHT  WATCH", "night\u00a0watch ", "Night\u2013Watch", NA, "", "caf\u00e9", "cafe\u0301", "CAF\u00c9")
  folded <- suppressMessages(fold_labels(data.frame(kind = kinds), kind))$kind
  expect_identical(folded, c(rep("Night watch", 8), NA, NA, rep(folded[11], 3)))
  expect_identical(length(unique(folded)), 3L)
  expect_message(fold_labels(data.frame(kind = kinds), kind), "8 spellings of 2 labels")
})

test_that("near labels are reported with their counts, and folded only when told to", {
  site <- c(rep("Whinfell", 5), "Whinfel", "Whnifell", "Whinfall", "Whinfelll", "Tarn Head", "Stonebow")
  data <- data.frame(site = site)
  expect_message(same <- fold_labels(data, site), "\"Whinfel\" \\(1\\) is near \"Whinfell\" \\(5\\)")
  expect_identical(same$site, site)
  suppressMessages(folded <- fold_labels(data, site, near = "fold"))
  expect_identical(folded$site, c(rep("Whinfell", 9), "Tarn Head", "Stonebow"))
  spellings <- label_spellings(data, site)
  expect_identical(names(spellings), c("column", "label", "spelling", "records", "near"))
  expect_identical(sum(spellings$records), length(site))
  expect_identical(spellings$near[spellings$label == "Whnifell"], "Whinfell")
})

test_that("codes that differ in a digit, single letters and short labels are not near", {
  labels <- c(rep("OB-1001", 3), "OB-1002", "site a", rep("site b", 2), "A", "B", "AB", "AC")
  expect_true(all(is.na(label_spellings(data.frame(x = labels), x)$near)))
})

test_that("near labels are those of an oracle on generated words", {
  set.seed(5)
  base <- vapply(1:30, function(i) paste(sample(letters[1:6], sample(4:7, 1), TRUE), collapse = ""), "")
  words <- unique(c(base, sub("(.)(.)", "\\2\\1", base[1:10]), sub(".$", "", base[11:20]), paste0(base[21:30], "x")))
  found <- label_spellings(data.frame(w = rep(words, seq_along(words))), w)
  swapped <- function(a, b) {
    nchar(a) == nchar(b) && any(vapply(seq_len(nchar(a) - 1), function(i) {
      x <- strsplit(a, "")[[1]]
      x[c(i, i + 1)] <- x[c(i + 1, i)]
      paste(x, collapse = "") == b
    }, NA))
  }
  for (i in seq_along(words)) {
    more <- if (i < length(words)) words[(i + 1):length(words)] else character()
    near <- if (nchar(words[i]) < 4) character() else
      more[nchar(more) >= 4 & (utils::adist(words[i], more)[1, ] == 1 | vapply(more, function(m) swapped(words[i], m), NA))]
    want <- if (length(near)) near[length(near)] else NA_character_
    expect_identical(found$near[found$spelling == words[i]], unname(want), label = words[i])
  }
})

test_that("a name of several columns is folded as one; factors stay factors", {
  people <- data.frame(first = c("Ada", "ADA ", NA), last = c("Lovelace-King", "lovelace king", "Solo"))
  suppressMessages(folded <- fold_labels(people, c(first, last), into = "name"))
  expect_identical(folded$name, c(folded$name[1], folded$name[1], "Solo"))
  expect_identical(folded$first, people$first)
  f <- suppressMessages(fold_labels(data.frame(k = factor(c("b", "B", "a"))), k))$k
  expect_s3_class(f, "factor")
  expect_identical(as.character(f), c("B", "B", "a"))
})

test_that("wrong columns and arguments are refused", {
  data <- data.frame(a = "x", n = 1)
  expect_error(fold_labels(1, a), "must be a data frame", class = "ridge_error_argument")
  expect_error(fold_labels(data, b), "no column \"b\"", class = "ridge_error_column")
  expect_error(fold_labels(data, n), "must hold labels as text", class = "ridge_error_records")
  expect_error(fold_labels(data, a, near = "guess"), "must be one of", class = "ridge_error_argument")
  expect_error(fold_labels(data, a, into = "n"), "already", class = "ridge_error_argument")
})

test_that("records are chosen by the folded label, exactly, or by a part of it", {
  path <- system.file("extdata", "watches.csv", package = "almanacridge")
  count <- function(...) nrow(suppressMessages(read_records(path, date_order = "dmy", ...)))
  kinds <- utils::read.csv(path)$kind
  night <- sum(tolower(gsub("[- ]+", " ", kinds)) == "night watch")
  expect_identical(count(keep = list(kind = "night watch")), night)
  expect_identical(count(keep = list(kind = "night watch"), match = "exact"), sum(kinds == "night watch"))
  expect_identical(count(keep = list(kind = "WATCH"), match = "containing"), sum(grepl("watch", kinds, ignore.case = TRUE)))
  expect_identical(count(leave_out = list(kind = c("Night-Watch", "handover"))), sum(!grepl("night|handover", kinds, ignore.case = TRUE)))
  expect_message(read_records(path, date_order = "dmy", keep = list(kind = "night wach")), "The nearest is \"night watch\"")
  expect_error(read_records(path, match = "fuzzy"), "must be one of", class = "ridge_error_argument")
})

test_that("what is spelled nearly as a label that was left out is told of", {
  said <- function(data, ...) {
    path <- withr::local_tempfile(fileext = ".csv")
    write_records(data, path)
    paste(testthat::capture_messages(read_records(path, ...)), collapse = "")
  }
  kinds <- data.frame(kind = c("Cleaning", "cleaning", "Cleanning", "Cleaing", "Celaning", "Watch", NA, "Cleaning "))
  told <- said(kinds, leave_out = list(kind = "cleaning"))
  expect_match(told, "\"Celaning\", \"Cleaing\", and \"Cleanning\" in \"kind\" are\\s+spelled nearly so, and stay \\(3 records\\)")
  expect_match(said(kinds, leave_out = list(kind = "Cleaning"), match = "exact"), "\"cleaning\".*stay \\(4 records\\)")
  expect_no_match(said(kinds, leave_out = list(kind = "Watch")), "nearly")
  codes <- data.frame(code = c("OB-1001", "OB-1002", "OB-1003"))
  expect_no_match(said(codes, leave_out = list(code = "OB-1001")), "nearly")
  many <- data.frame(code = paste0("OB-", 1:2e5))
  expect_no_match(said(many, leave_out = list(code = "OB-77")), "nearly")
  names <- data.frame(who = c("Anna Berg", "Ana Berg", do.call(paste0, expand.grid(LETTERS, LETTERS, LETTERS, " Wxyz"))))
  expect_match(said(names, leave_out = list(who = "Anna Berg")), "\"Ana Berg\" in \"who\" is\\s+spelled nearly so, and stays \\(1 record\\)")
})
