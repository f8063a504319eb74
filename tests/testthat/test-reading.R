# What a file says is what is read: nothing guessed, nothing lost, and told.

quietly <- function(...) suppressMessages(read_records(...))

test_that("empty and blank cells are missing, other text is not", {
  got <- quietly(text_file("who,n\nNA,1\n\"\",2\n\"  \",3\n,4\nN/A,5\n-,6\n"))
  expect_identical(got$who, c("NA", NA, NA, NA, "N/A", "-"))
  got <- quietly(text_file("who,n\nNA,1\nN/A,-\n-,6\n"), missing = c("N/A", "-"))
  expect_identical(got$who, c("NA", NA, NA))
  expect_identical(got$n, c(1L, NA, 6L))
  expect_error(read_records(text_file("a\n1\n"), missing = 1), "must be texts", class = "ridge_error_argument")
})

test_that("an end in words is answered with means_open", {
  records <- data.frame(from = "2026-01-01", to = c("present", "2026-02-01", "-"))
  expect_error(spans(records, from, to, as_of = "2026-06-30"), "if they stand for no end yet, say `means_open\n? *=", class = "ridge_error_records")
  x <- spans(records, from, to, means_open = c("present", "-"), as_of = "2026-06-30")
  expect_match(conventions(x), "2 still open")
  expect_message(spans(records[2, ], from, to, means_open = "present", as_of = "2026-06-30"), "no end says \"present\"")
  file <- text_file("from,to\n2026-01-01,current\n2026-01-05,2026-02-01\n")
  expect_match(run("active", file, "--start", "from", "--end", "to")$notes, "say --means-open current")
})

test_that("outer spaces are trimmed, quoted or not, and counted in the line", {
  file <- text_file("who,from,to\n\" a \",2026-01-01, 2026-01-31 \nb ,2026-01-01,\n\u00a0c,2026-01-01,\n")
  expect_message(got <- read_records(file), "trimmed in 4 cells")
  expect_identical(got$who, c("a", "b", "c"))
  x <- spans(got, from, to, key = who, as_of = "2026-06-30")
  expect_match(conventions(active(x)), "outer spaces trimmed in 4 cells")
  notes <- run("active", file, "--start", "from", "--end", "to", "--key", "who", "--as-of", "2026-06-30")$notes
  expect_match(notes, "outer spaces trimmed in 4 cells", all = FALSE)
})

test_that("labels may be alike exactly where two that differ are folded into one", {
  set.seed(12)
  some_alike <- function(labels) anyDuplicated(almanacridge:::plain_folds(unique(labels))) > 0
  seen <- c(alike = 0, apart = 0)
  for (letters in c("ab", "aB", "aAb", "a -", "ab 1", "a_-b", "a\tB")) {
    for (round in 1:40) {
      texts <- replicate(sample(6, 1), paste(sample(strsplit(letters, "")[[1]], sample(4, 1), TRUE), collapse = ""))
      labels <- unique(c(texts, if (round %% 2) NA))
      expect_identical(almanacridge:::may_fold_alike(labels, round %% 3 + 1), some_alike(labels[!is.na(labels)]), label = toString(labels))
      seen <- seen + c(some_alike(texts), !some_alike(texts))
    }
  }
  expect_true(all(seen > 30))
  expect_false(almanacridge:::may_fold_alike(sprintf("OB-%06d", 1:1e5), 2L))
  expect_true(almanacridge:::may_fold_alike(c(sprintf("OB-%06d", 1:1e5), "ob-000017"), 2L))
  expect_true(almanacridge:::may_fold_alike("\u00e9t\u00e9", 1L))
  expect_false(almanacridge:::may_fold_alike(character(), 2L))
})

test_that("keys and groups that differ only as spellings do are told", {
  records <- data.frame(who = c("OB-1", "ob-1", "B"), site = c("Hill", "hill ", "Dale"), from = "2026-01-01", to = "2026-03-01")
  expect_message(x <- spans(records, from, to, key = who, as_of = "2026-06-30"), "Keys in \"who\": \"OB-1\" and \"ob-1\" differ only")
  expect_message(active(x, group = site), "Groups by \"site\".*fold_labels")
  found <- check_spans(x)
  expect_setequal(found$finding, c("key spelled two ways", "label spelled two ways"))
  file <- text_file("who,from,to\nOB-1,2026-01-01,\nob-1,2026-01-01,\n")
  expect_match(run("active", file, "--start", "from", "--end", "to", "--key", "who")$notes, "--fold who brings them together", all = FALSE)
  expect_no_message(spans(records[2:3, ], from, to, key = who, as_of = "2026-06-30"))
})

test_that("numbers are proven by their column, or named", {
  read <- function(cells, ...) quietly(text_file(paste0("n;x\n", paste0(cells, ";1\n", collapse = ""))), ...)$n
  expect_identical(read(c("1,5", "12,25")), c(1.5, 12.25))
  expect_identical(read(c("1.234,50", "7,1")), c(1234.5, 7.1))
  expect_identical(read(c("1,234", "12,345,678")), c(1234L, 12345678L))
  expect_identical(read(c("1'234'567", "5")), c(1234567L, 5L))
  expect_identical(read(c("1 234", "5")), c(1234L, 5L))
  expect_identical(read(c("0.125", "1.250")), c(0.125, 1.25))
  expect_identical(read(c("1.250", "12.500")), c("1.250", "12.500"))
  expect_identical(read(c("1.250", "12.500"), decimal = ","), c(1250L, 12500L))
  expect_identical(read(c("1.250", "12.500"), decimal = "."), c(1.25, 12.5))
  expect_identical(read(c("-3", "4")), c(-3L, 4L))
  for (codes in list(c("007", "7"), c("1E5", "100000"), c("12345678901234567", "2"), c("+43", "1"), c("3 %", "4"))) {
    expect_identical(read(codes), codes)
  }
  unclear <- text_file("from,to,n\n2026-01-01,2026-02-01,1.250\n2026-01-01,2026-02-01,12.500\n")
  expect_message(read_records(unclear), "\"n\" is left as text: \"1.250\" is 1.25 or 1250")
  x <- spans(quietly(unclear), from, to, as_of = "2026-06-30")
  expect_error(allocate(x, n), "does not prove what its points and commas mean: \"1.250\" is 1.25 or 1250", class = "ridge_error_records")
  got <- run("allocate", unclear, "--start", "from", "--end", "to", "--amount", "n", "--total", "--by", "year")
  expect_match(got$notes, "Name it with --decimal . or --decimal ,", fixed = TRUE, all = FALSE)
  got <- run("allocate", unclear, "--start", "from", "--end", "to", "--amount", "n", "--total", "--by", "year", "--decimal", ",")
  expect_match(got$out[2], ",13750$")
})

test_that("what decides a column may stand anywhere in it", {
  for (rows in c(100, 200, 10000)) {
    read <- function(usual, last) quietly(text_file(paste0("a,b\n", strrep(paste0(usual, ",x\n"), rows), last, ",y\n")))$a
    expect_identical(unique(read("7", "007")), c("7", "007"), label = rows)
    expect_identical(read("3", "3.5")[rows + 1], 3.5)
    expect_identical(read("3", "x")[1], "3")
    expect_identical(read("03/04/2026", "25/04/2026")[1], day("2026-04-03"))
    expect_type(read("2026-01-01", "soon"), "character")
    expect_identical(unique(read("", "007")), c(NA, "007"))
  }
  book <- withr::local_tempfile(fileext = ".xlsx")
  suppressMessages(write_records(data.frame(a = c(rep(NA, 300), "007"), b = c(rep("1", 300), "x")), book))
  expect_identical(quietly(book)$a[301], "007")
})

test_that("dates are proven on all rows before any are left out", {
  file <- text_file("from,to,kind\n03/04/2026,,x\n17/04/2026,,y\n")
  expect_identical(quietly(file, keep = list(kind = "x"))$from, day("2026-04-03"))
  got <- run("active", file, "--start", "from", "--end", "to", "--keep", "kind=x", "--as-of", "2026-04-30")
  expect_identical(got$out[2], "2026-04-01,2026-04-30,1")
  expect_match(run("active", file, "--start", "from", "--end", "to", "--date-order", "mdy")$notes, "is not month-day-year: \"17/04/2026\"")
  expect_match(run("records", file, "--date-order", "mdy")$notes, "is not month-day-year", all = FALSE)
  expect_match(run("active", file, "--start", "from", "--end", "to", "--date-order", "dmy", "--as-of", "2026-06-30")$notes, "from read as day-month-year")
})

test_that("what is no day in a calendar is refused, and midnights are dates", {
  at <- function(...) data.frame(from = structure(c(...), class = "Date"), to = day(NA))
  expect_error(spans(at(Inf, 20000), from, to), "\"Inf\" is infinite", class = "ridge_error_records")
  expect_error(spans(at(20000, -Inf), from, to), "Row 2: \"from\" \"-Inf\" is infinite")
  expect_error(spans(at(20000.5), from, to), "and 0.5 of a day\" is no whole day")
  expect_error(working_days(structure(20000.5, class = "Date"), day("2026-01-01")), "is no whole day")
  expect_error(elapsed(structure(20000.5, class = "Date"), day("2026-01-01")), "is no whole day")
  expect_error(overlap_length(structure(-0.5, class = "Date"), day("2026-01-01"), day("2026-01-01"), day("2026-01-01")), "is no whole day")
  expect_error(spans(data.frame(a = "46000", b = NA), a, b), "date_order = \"days_1900\"")
  midnight <- data.frame(from = as.POSIXct(c("2026-01-01", "2026-01-03"), tz = "Europe/Vienna"), to = as.POSIXct(c(NA, "2026-01-04"), tz = "Europe/Vienna"))
  x <- spans(midnight, from, to, as_of = "2026-01-31")
  expect_match(conventions(active(x)), "date-times at midnight taken for dates")
  expect_identical(active(x, by = "day", to = "2026-01-05")$active, c(1L, 1L, 2L, 2L, 1L))
  expect_match(conventions(spans(midnight, from, to, days = FALSE)), "times of Europe/Vienna")
  late <- text_file("from,to\n2026-01-01 23:30,2026-01-02 00:30\n")
  got <- run("active", late, "--start", "from", "--end", "to", "--days", "--by", "day", "--tz", "Europe/Vienna", "--as-of", "2026-01-02")
  expect_identical(got$out[-1], c("2026-01-01,2026-01-01,1", "2026-01-02,2026-01-02,1"))
  zones <- data.frame(from = as.POSIXct("2026-01-02 08:00", tz = "Europe/Vienna"), to = as.POSIXct("2026-01-02 06:00", tz = "UTC"))
  expect_error(spans(zones, from, to), "06:00:00 UTC\" is before the start, 2026-01-02 08:00:00.*CET")
})

test_that("files come in many forms", {
  expect_identical(quietly(text_file("2026-05-01\n2026-12-25\n"))$V1, day(c("2026-05-01", "2026-12-25")))
  expect_identical(names(quietly(text_file("a,1\nb,2\n"), no_header = TRUE)), c("V1", "V2"))
  expect_identical(quietly(text_file("a|b\n1|2\n"))$b, 2L)
  expect_identical(quietly(text_file("a b\n1 2\n"), delimiter = " ")$b, 2L)
  for (quote in c("'", "*", "^")) {
    expect_identical(quietly(text_file(paste0("a,b\n", quote, "x,y", quote, ",2\n")), quote = quote)$a, "x,y", label = quote)
  }
  spaced <- text_file("from to\n2026-01-01 2026-01-31\n")
  expect_identical(run("active", spaced, "--delimiter", " ", "--start", "from", "--end", "to", "--as-of", "2026-01-31")$out[2], "2026-01-01,2026-01-31,1")
  topped <- text_file("Our list\n\na,b\nx,1\ny,2\nTotal: 2 records\n")
  expect_identical(quietly(topped, skip_top = 1, skip_bottom = 1)$b, 1:2)
  expect_error(read_records(text_file("a,b\nx,1\ny,2\nTotal: 2 records\n")), "Say `skip_bottom = 1` if it is no record", class = "ridge_error_file")
  expect_error(read_records(text_file("a,b\n1,2\n1,2,3\n")), "fields", class = "ridge_error_file")
  sixteen <- c(as.raw(c(0xff, 0xfe)), iconv("who,n\nJos\u00e9,1\n", "UTF-8", "UTF-16LE", toRaw = TRUE)[[1]])
  expect_identical(quietly(text_file(sixteen))$who, "Jos\u00e9")
  old <- as.raw(c(charToRaw("who,n\nJos"), 0xe9, 0x80, charToRaw(",1\n")))
  for (name in c("Windows-1252", "cp1252", "ansi")) expect_identical(quietly(text_file(old), encoding = name)$who, "Jos\u00e9\u20ac")
  expect_error(read_records(text_file(old)), "encoding = \"Windows-1252\"", class = "ridge_error_file")
  twice <- text_file("a,b,a\n1,2,3\n")
  expect_identical(names(quietly(twice)), c("a_1", "b", "a_2"))
  expect_match(run("active", twice, "--start", "a", "--end", "b")$notes, "there is no column \"a\"", all = FALSE)
  expect_match(run("active", text_file("from,to\n"), "--start", "from", "--end", "to")$notes, "holds no records, only column names")
  closed <- text_file("2026-05-01\n2026-12-25\n")
  got <- run("periods", "--by", "year", "--from", "2026-01-01", "--to", "2026-12-31", "--holidays", closed)
  expect_match(got$out[2], ",259$")
})

test_that("several files are one list, with their names, where they have the same columns", {
  withr::local_dir(withr::local_tempdir())
  writeLines(c("who,from,to", "7,2026-01-01,"), "a.csv")
  writeLines(c("to,who,from", "2026-02-01,007,2026-01-15"), "b.csv")
  writeLines(c("who,since", "7,2026-01-01"), "c.csv")
  got <- quietly(c("a.csv", "b.csv"))
  expect_identical(got$source, c("a.csv", "b.csv"))
  expect_identical(got$who, c("7", "007"))
  expect_identical(quietly("[ab].csv")$from, got$from)
  x <- spans(got, from, to, key = who, as_of = "2026-01-31")
  expect_match(how_asked(active(x), as = "command"), "^ridge active a.csv b.csv --start from")
  expect_error(quietly("*.csv"), "do not have the same columns: 'c.csv' differs.*It has no \"from\" and \"to\"", class = "ridge_error_file")
  got <- run("active", "a.csv", "b.csv", "--start", "from", "--end", "to", "--key", "who", "--group", "source", "--as-of", "2026-01-31")
  expect_identical(got$out[-1], c("a.csv,2026-01-01,2026-01-31,1", "b.csv,2026-01-01,2026-01-31,1"))
  expect_error(read_records("none*.csv"), "No file is called as", class = "ridge_error_file")
})

test_that("a file never leads to another, and damage is a plain refusal", {
  secret <- text_file("password\nx\n")
  expect_error(read_records(text_file(secret, ".json")), "begins with neither [ nor {", fixed = TRUE)
  expect_error(read_records(text_file("http://localhost:9/x", ".json")), "begins with neither")
  ids <- quietly(text_file("[{\"id\":9007199254740993,\"x\":1},{\"id\":9007199254740992,\"x\":2}]", ".json"))$id
  expect_length(unique(ids), 2)
  set.seed(11)
  for (ending in c(".xlsx", ".parquet")) {
    sound <- withr::local_tempfile(fileext = ending)
    suppressMessages(write_records(demo_records("grants"), sound))
    bytes <- readBin(sound, "raw", file.size(sound))
    for (i in 1:40) {
      at <- sample(length(bytes), sample(1:20, 1))
      bad <- replace(bytes, at, as.raw(sample(0:255, length(at), TRUE)))
      got <- tryCatch(quietly(text_file(bad, ending)), ridge_error = identity)
      expect_true(inherits(got, c("tbl_df", "ridge_error")), label = paste(ending, i))
    }
  }
})

test_that("a JSON field without a name is a column with one", {
  expect_message(table <- read_records(text_file("[{\"\": \"F-1\", \"n\": 1}, {\"n\": 2}]", ".json")), "without a name of their own are called")
  expect_identical(table$column_1, c("F-1", NA))
  expect_no_match(format(table), "[*]")
})

test_that("a last line that is no record is quoted, whatever its bytes", {
  lines <- c("observer,from,to", "OB-1,2026-01-01,2026-02-01", "OB-2,2026-01-01,2026-02-01")
  bytes <- c(charToRaw(paste0(paste(lines, collapse = "\n"), "\nOB-3")), as.raw(0xd5), charToRaw("9,2026\n"))
  expect_error(read_records(text_file(bytes)), "its last line, \"OB-3?9,2026\", has other fields", fixed = TRUE, class = "ridge_error_file")
})

test_that("Parquet is proven sound page by page, and read whole in a process of its own where it is not", {
  folder <- withr::local_tempdir()
  table <- data.frame(label = rep(c("Whinfell", NA, "Scar"), 40), id = sprintf("%d-%x", 1:120, 1:120), day = day("2026-01-01") + 1:120, share = 1:120 / 7,
                      here = c(TRUE, NA, FALSE), n = 1:120)
  sound <- function(file) {
    found <- lapply(1:2, function(threads) almanacridge:::sound_parquet_columns(file, threads))
    expect_identical(found[[1]], found[[2]])
    !is.null(found[[1]])
  }
  for (version in 1:2) {
    for (packed in c("snappy", "uncompressed", "gzip")) {
      file <- file.path(folder, paste0(packed, version, ".parquet"))
      nanoparquet::write_parquet(table, file, compression = packed, options = nanoparquet::parquet_options(write_data_page_version = version, num_rows_per_row_group = 50))
      expect_identical(sound(file), packed != "gzip")
      texts <- stats::setNames(names(table) %in% c("label", "id"), names(table))
      if (packed != "gzip") expect_identical(almanacridge:::sound_parquet_columns(file, 2), texts)
      expect_equal(as.data.frame(quietly(file)), table, ignore_attr = TRUE)
      bytes <- readBin(file, "raw", file.size(file))
      verdicts <- vapply(seq(5, length(bytes) - 9, by = 3), function(at) {
        sound(text_file(replace(bytes, at, xor(bytes[at], as.raw(0xff))), ".parquet"))
      }, NA)
      expect_false(all(verdicts))
    }
  }
  expect_false(sound(text_file("PAR1 and no more", ".parquet")))
  expect_false(sound(file.path(folder, "none.parquet")))
})

test_that("texts of Parquet are trimmed wherever one has outer spaces, in whatever page", {
  set.seed(8)
  folder <- withr::local_tempdir()
  whole <- function(n) sample(c("Whinfell", "Scar", "Tarn Head", NA), n, TRUE)
  untidy <- list(none = NULL, outer = " Scar", end = "Scar\t", wide = "\u00a0Scar", beyond = "Sc\u00e2r", blank = "  ", empty = "")
  oracle <- function(texts) {
    trimmed <- gsub("^[ \t\u00a0]+|[ \t\u00a0]+$", "", texts)
    replace(trimmed, which(trimmed == ""), NA)
  }
  for (kind in names(untidy)) {
    for (many in c(FALSE, TRUE)) {
      table <- data.frame(id = if (many) sprintf("%d-%x", 1:200, 1:200) else rep("OB-1", 200), site = whole(200), here = whole(200),
                          from = "2026-01-01", to = "2026-02-01")
      at <- sample(200, 1)
      if (!is.null(untidy[[kind]])) table$site[at] <- table$id[201 - at] <- untidy[[kind]]
      file <- file.path(folder, paste0(kind, many, ".parquet"))
      nanoparquet::write_parquet(table, file, options = nanoparquet::parquet_options(num_rows_per_row_group = 37))
      tidy <- almanacridge:::sound_parquet_columns(file, 1)
      expect_identical(unname(tidy), c(kind == "none", kind == "none", TRUE, TRUE, TRUE), label = kind)
      read <- quietly(file)
      expect_identical(as.list(read[1:3]), lapply(table[1:3], oracle), label = kind, ignore_attr = TRUE)
      expect_null(attr(read, "tidy"))
      without <- function(texts) replace(oracle(texts), texts %in% "Tarn Head", NA)
      expect_identical(as.list(quietly(file, missing = "Tarn Head")[2:3]), lapply(table[2:3], without), label = kind, ignore_attr = TRUE)
      # The same of records that are read part by part.
      in_parts <- suppressMessages(spans(record_files(file), from, to, key = id, as_of = "2026-06-30", unusable = "set_aside"))
      in_memory <- suppressMessages(spans(read, from, to, key = id, as_of = "2026-06-30", unusable = "set_aside"))
      expect_identical(as.data.frame(active(in_parts, by = "month", group = site)), as.data.frame(active(in_memory, by = "month", group = site)), label = kind)
    }
  }
  # A column that comes by another column's name is not taken for it.
  table <- stats::setNames(data.frame(" Scar", "Scar", "Scar"), c(" a", "a", "a_1"))
  file <- file.path(folder, "names.parquet")
  nanoparquet::write_parquet(table, file)
  expect_true(all(unlist(quietly(file)) == "Scar"))
})

test_that("a large damaged Parquet file does not end the session", {
  set.seed(3)
  ids <- sample(2e5)
  large <- withr::local_tempfile(fileext = ".parquet")
  nanoparquet::write_parquet(data.frame(id = sprintf("%d-%x", ids, rev(ids)), share = stats::runif(2e5)), large, compression = "uncompressed")
  bytes <- readBin(large, "raw", file.size(large))
  expect_gt(length(bytes), 4e6)
  # The lengths of the first texts, a thousand of them, reach far beyond the file.
  bytes[1000 + 1:12000] <- as.raw(0x7f)
  refused <- tryCatch(quietly(text_file(bytes, ".parquet")), ridge_error = identity)
  expect_s3_class(refused, "ridge_error_file")
  expect_match(conditionMessage(refused), "it is damaged, or no Parquet")
})

test_that("a small file that asks for all the memory there is is refused before it gets it", {
  greedy <- testthat::test_path("../fuzz/corpus/file-23-postings.parquet")
  skip_if_not(file.exists(greedy), "The corpus is not beside the tests.")
  expect_error(read_records(greedy), "it is damaged, or no Parquet", class = "ridge_error_file")
})

test_that("cells with errors, cells far away and days of other centuries do not vanish", {
  skip_if_not_installed("openxlsx")
  book <- openxlsx::createWorkbook()
  openxlsx::addWorksheet(book, "A")
  openxlsx::writeData(book, 1, data.frame(from = "2026-01-01", to = "2026-02-01"))
  openxlsx::writeData(book, 1, "x", startCol = 16384, startRow = 1048576)
  far <- withr::local_tempfile(fileext = ".xlsx")
  openxlsx::saveWorkbook(book, far)
  expect_error(read_records(far), "reaches to row 1,048,576 and", class = "ridge_error_size")
  extent <- almanacridge:::sheet_extent(charToRaw("<c r=\"A1\"><v>1</v></c><c r=\"B7\" t=\"e\"><v>#N/A</v></c>"))
  expect_identical(extent, list(rows = 7L, columns = 2L, errors = "B7"))
  old <- withr::local_tempfile(fileext = ".xlsx")
  table <- data.frame(from = day(c("1850-06-01", "1900-02-28", NA)), to = day(c(NA, "1910-01-01", "2026-01-01")))
  write_records(table, old)
  expect_identical(as.double(quietly(old)$from), as.double(table$from))
})

test_that("types of every kind are taken, or refused with the way out", {
  days <- list(from = day(c("2026-01-01", "2026-01-01")), to = day(c(NA, NA)))
  whole <- structure(c(4.94065645841247e-324, 9.88131291682493e-324), class = "integer64")
  x <- spans(tibble::tibble(!!!days, w = whole), from, to, weight = w, as_of = "2026-01-31")
  expect_identical(active(x, of = "weight")$active, 3)
  expect_error(spans(tibble::tibble(!!!days, w = as.difftime(1:2, units = "hours")), from, to, weight = w), "must hold numbers")
  for (odd in list(complex(2), as.raw(1:2), list(1, 2))) {
    expect_error(spans(tibble::tibble(!!!days, k = odd), from, to, key = k), "not one plain value each", class = "ridge_error_column")
  }
  # As a package for dates makes them: a start, and a length in seconds.
  stay <- structure(86400 * c(30, 9), start = as.POSIXct(c("2026-01-01", "2026-02-01"), tz = "UTC"), tzone = "UTC", class = "Interval")
  x <- spans(tibble::new_tibble(list(who = 1:2, stay = stay), nrow = 2L), stay, stay, key = who, as_of = "2026-06-30")
  expect_identical(names(x), c("who", "stay_start", "stay_end"))
  expect_identical(consecutive(x)$days, c(31L, 10L))
  expect_error(spans(tibble::new_tibble(list(stay = stay), nrow = 2L), stay, NULL), "ends of their own", class = "ridge_error_argument")
  latin <- c("Jos\xe9", "Ann")
  Encoding(latin) <- "latin1"
  unmarked <- enc2utf8(latin)
  Encoding(unmarked) <- "unknown"
  for (names in list(latin, unmarked, factor(latin))) {
    x <- spans(data.frame(from = days$from, to = days$to, k = names), from, to, key = k, as_of = "2026-01-31")
    expect_identical(as.character(sort(active(x, group = k)$k)), c("Ann", "Jos\u00e9"))
    file <- withr::local_tempfile(fileext = ".csv")
    suppressMessages(write_records(active(x, group = k), file))
    expect_true(all(validUTF8(readLines(file, encoding = "UTF-8"))))
  }
  expect_identical(levels(active(spans(data.frame(from = days$from, to = days$to, g = factor(c("x", "x"), c("z", "x"))), from, to, as_of = "2026-01-31"), group = g)$g), c("z", "x"))
  expect_error(spans(data.frame(), from, to), "the records have no columns")
})

test_that("the environment's zone is read right or refused", {
  zone <- function(tz) {
    withr::local_envvar(TZ = tz)
    attr(read_dates("2026-07-01 08:00"), "tzone")
  }
  expect_identical(zone(":Europe/Vienna"), "Europe/Vienna")
  expect_identical(zone("/usr/share/zoneinfo/Europe/Vienna"), "Europe/Vienna")
  expect_error(zone("CET-1CEST,M3.5.0,M10.5.0/3"), "no time zone that this machine knows", class = "ridge_error_argument")
})
