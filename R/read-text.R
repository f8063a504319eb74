# Text in whichever encoding, as a file in UTF-8.

encodings <- c("UTF-8" = "UTF-8", "UTF-16" = "UTF-16LE", "UTF-16LE" = "UTF-16LE",
               "UTF-16BE" = "UTF-16BE", "Latin-1" = "ISO-8859-1", "Latin-9" = "ISO-8859-15",
               "Windows-1252" = "CP1252")

other_encoding_names <- c(
  utf8 = "UTF-8", utf8bom = "UTF-8", utf8sig = "UTF-8", unicode = "UTF-16", ucs2 = "UTF-16",
  utf16 = "UTF-16", utf16le = "UTF-16LE", utf16be = "UTF-16BE", latin1 = "Latin-1",
  l1 = "Latin-1", iso88591 = "Latin-1", latin9 = "Latin-9", iso885915 = "Latin-9",
  windows1252 = "Windows-1252", cp1252 = "Windows-1252", win1252 = "Windows-1252",
  ansi = "Windows-1252", westerneuropean = "Windows-1252"
)

# By any of its usual names; NULL where the file is to tell.
check_encoding <- function(encoding) {
  if (is.null(encoding)) {
    return(NULL)
  }
  plain <- if (rlang::is_string(encoding)) gsub("[^a-z0-9]", "", tolower(encoding)) else ""
  if (plain %in% names(other_encoding_names)) other_encoding_names[[plain]]
  else check_choice(encoding, names(encodings), "encoding")
}

# The marks that some programs put at the beginning.
byte_marks <- list("UTF-8" = c(0xef, 0xbb, 0xbf), "UTF-16LE" = c(0xff, 0xfe),
                   "UTF-16BE" = c(0xfe, 0xff))

mark_of <- function(plain) {
  head <- as.integer(readBin(plain, "raw", 3))
  found <- vapply(byte_marks, function(mark) identical(head[seq_along(mark)], as.integer(mark)), NA)
  names(byte_marks)[found][1]
}

# A file that holds the text in UTF-8, without a mark. What the text holds goes along.
utf8_file <- function(path, encoding = NULL) {
  plain <- unpacked(path)
  refuse_packed(plain, path)
  mark <- mark_of(plain)
  named <- if (!is.na(mark)) mark else check_encoding(encoding) %||% "UTF-8"
  if (named != "UTF-8" || !is.na(mark)) plain <- recoded(plain, path, encodings[[named]], mark)
  marks <- file_marks(plain)
  if (marks[["nul"]]) {
    ridge_abort(c("{.file {path}} is no text in UTF-8: it holds NUL bytes.",
                  i = "Say {arg_set('encoding', 'UTF-16')} if it is that, or export it in UTF-8."),
                "file", arg = "encoding", value = path)
  }
  structure(plain, shown = path, marks = marks)
}

refuse_packed <- function(plain, path) {
  if (identical(readBin(plain, "raw", 2), as.raw(c(0x50, 0x4b)))) {
    ridge_abort(c("{.file {path}} is no text: it is packed like a workbook.",
                  i = "Say {arg_set('format', 'xlsx')} if it is one."), "file", value = path)
  }
}

recoded <- function(plain, path, from, mark) {
  bytes <- readBin(plain, "raw", file.size(plain))
  if (!is.na(mark)) bytes <- bytes[-seq_along(byte_marks[[mark]])]
  text <- if (from == "UTF-8") bytes else iconv(list(bytes), from, "UTF-8", toRaw = TRUE)[[1]]
  if (is.null(text)) {
    ridge_abort(c("{.file {path}} is not in {from}: some of its bytes mean nothing there.",
                  i = "Name another {arg_name('encoding')}, or export it in UTF-8."), "file",
                arg = "encoding", value = path)
  }
  to <- tempfile("utf8-")
  writeBin(text, to)
  to
}

# The whole of it, for formats that are read at once.
whole_text <- function(path, encoding = NULL) {
  plain <- utf8_file(path, encoding)
  text <- `Encoding<-`(rawToChar(readBin(plain, "raw", file.size(plain))), "UTF-8")
  if (!validUTF8(text)) {
    ridge_abort(c("{.file {path}} is not in UTF-8.", i = "Export it in UTF-8."), "file",
                value = path)
  }
  text
}
