# Delimited text: all cells as text, whatever they hold, so that the whole of a column
# decides what it is.

delimiters <- c(",", ";", "\t", "|")

delimited_layout <- function(delimiter = NULL, quote = "\"", no_header = NULL, skip_top = 0,
                             skip_bottom = 0) {
  if (isTRUE(delimiter %in% c("tab", "\\t"))) delimiter <- "\t"
  if (!is.null(delimiter)) check_character(delimiter, "delimiter", most = 1)
  if (identical(quote, "none")) quote <- ""
  check_character(quote, "quote", most = 1, least = 0)
  if (!is.null(no_header)) check_flag(no_header, "no_header")
  list(delimiter = delimiter, quote = quote, no_header = no_header,
       skip_top = check_amount(skip_top, "skip_top", whole = TRUE),
       skip_bottom = check_amount(skip_bottom, "skip_bottom", whole = TRUE))
}

check_character <- function(value, arg, most, least = 1) {
  if (!rlang::is_string(value) || !(nchar(value) %in% least:most)) {
    ridge_abort("{arg_name(arg)} must be one character, not {.val {describe(value)}}.", "argument",
                arg = arg, value = value)
  }
}

# Columns named in `dates` are days at once where all their cells are.
read_delimited <- function(path, needed = NULL, format = NULL, encoding = NULL,
                           layout = delimited_layout(), dates = NULL) {
  plain <- utf8_file(path, encoding)
  if (layout$skip_bottom > 0) plain <- without_last_lines(plain, layout$skip_bottom)
  lines <- first_lines(plain, layout$skip_top)
  if (length(lines) == 0) refuse_empty(path)
  layout$separator <- layout$delimiter %||% if (identical(format, "tsv")) "\t"
  layout$separator <- layout$separator %||% find_delimiter(lines, layout$quote)
  layout$skip <- attr(lines, "skipped")
  head <- read_cells(plain, layout, lines = lines[1])
  layout$header <- if (is.null(layout$no_header)) !is_data(unlist(head)) else !layout$no_header
  names <- if (layout$header) as.character(unlist(head)) else paste0("V", seq_along(head))
  if (!layout$header && is.null(layout$no_header)) {
    cli::cli_inform(c("!" = paste("{.file {path}} has no line of column names: they are called",
                                  "{.val {names}}.")))
  }
  refuse_broken_text(list("the line of column names" = names), plain)
  named <- repair_names(stats::setNames(as.list(names), names))
  # By place, as two columns may have one name.
  at <- if (all(needed %in% names(named)) && !is.null(needed)) match(needed, names(named))
  more <- length(lines) > 1 || !layout$header
  table <- if (more) read_fields(plain, layout, length(names), at, match(dates, names(named)))
  else rep(list(character()), length(at %||% names))
  names(table) <- names(named)[at %||% seq_along(named)]
  refuse_broken_text(table, plain)
  tibble::new_tibble(as.list(table), nrow = length(table[[1]]))
}

# The columns at these places, NULL for all: days where `dates` are of nothing else, or texts.
read_fields <- function(plain, layout, fields, at, dates) {
  days <- if (!is.null(at)) days_of_fields(plain, layout, dates, fields)
  others <- if (is.null(days)) at else setdiff(at, names(days))
  table <- if (is.null(days) || length(others) > 0) read_cells(plain, layout, select = others)
  if (is.null(days)) {
    check_fields(plain, if (is.null(at)) table else read_cells(plain, layout, rows = 1), fields)
    return(table)
  }
  fits <- length(table) == length(others) && all(lengths(table) == length(days[[1]]))
  if (!fits) return(read_cells(plain, layout, select = at))
  c(stats::setNames(as.list(table), others), days)[as.character(at)]
}

check_fields <- function(plain, table, fields) {
  if (length(table) != fields) {
    refuse_file(plain, paste0("its records have ", length(table), " fields, the line of column ",
                              "names has ", fields, "."))
  }
}

# The days of fields straight from the bytes, by place; NULL where that takes a closer look.
days_of_fields <- function(plain, layout, at, fields) {
  quoted <- nzchar(layout$quote) && (layout$quote != "\"" || attr(plain, "marks")[["quotes"]])
  if (length(at) == 0 || anyNA(at) || quoted || nchar(layout$separator, "bytes") != 1) {
    return(NULL)
  }
  days <- days_in_lines(plain, layout$separator, layout$skip + layout$header, fields, at,
                        threads_for(file.size(plain)))
  if (is.null(days) || any(vapply(days, function(column) all(is.na(column)), NA))) NULL
  else stats::setNames(lapply(days, as_date), at)
}

# The lines that show what the file is like, after those that are blank or to be skipped.
first_lines <- function(plain, skip_top) {
  lines <- readLines(plain, 200 + skip_top, warn = FALSE, encoding = "UTF-8")
  # What is no UTF-8 is found, and told, where it is read.
  lines <- iconv(lines, "UTF-8", "UTF-8", sub = "?")
  skipped <- seq_along(lines) <= skip_top
  blank <- which(!skipped & !is_blank_text(lines))
  first <- if (length(blank)) blank[1] else length(lines) + 1
  structure(lines[seq_along(lines) >= first], skipped = first - 1)
}

# The mark that cuts most lines into the same number of fields, quoted text aside.
find_delimiter <- function(lines, quote) {
  lines <- utils::head(lines[!is_blank_text(lines)], 100)
  mark <- paste0("\\", quote)
  quoted <- paste0(mark, "[^", mark, "]*", mark)
  bare <- if (nzchar(quote)) gsub(quoted, "", lines, perl = TRUE, useBytes = TRUE) else lines
  counts <- vapply(delimiters, function(mark) {
    found <- gregexpr(mark, bare, fixed = TRUE, useBytes = TRUE)
    vapply(found, function(places) sum(places > 0), 0L)
  }, integer(length(bare)))
  counts <- matrix(counts, ncol = length(delimiters))
  usual <- apply(counts, 2, function(n) as.integer(names(which.max(table(n)))))
  agree <- colMeans(counts == rep(usual, each = nrow(counts))) * (usual > 0)
  if (all(agree == 0)) return(delimiters[max(1, which.max(counts[1, ]))])
  best <- which(agree == max(agree))
  delimiters[best[which.max(usual[best])]]
}

# A line of which every field is a date or a number, one of them a date, names nothing.
is_data <- function(fields) {
  fields <- fields[!is_blank_text(fields)]
  form <- read_date_text(tolower(trimws(fields)), month_words())$form
  any(form %in% 1:2) && all(form %in% 1:3)
}

# The reader of the tables package; its remarks are said in our words.
read_cells <- function(plain, layout, lines = NULL, select = NULL, rows = Inf) {
  input <- if (is.null(lines)) list(file = as.character(plain), skip = layout$skip + layout$header)
  else list(text = paste0(lines, "\n"))
  warned <- NULL
  # Refusing only afterwards leaves the reader in order for the next file.
  table <- tryCatch(
    withCallingHandlers(
      do.call(data.table::fread, c(input, list(
        header = FALSE, colClasses = "character", na.strings = NULL, strip.white = FALSE,
        sep = layout$separator, quote = layout$quote, encoding = "UTF-8", select = select,
        nrows = rows, blank.lines.skip = TRUE, showProgress = shows_progress(), data.table = FALSE
      ))),
      warning = function(cnd) {
        warned <<- c(warned, conditionMessage(cnd))
        invokeRestart("muffleWarning")
      }
    ),
    error = function(cnd) refuse_delimited(plain, conditionMessage(cnd), layout)
  )
  if (length(warned) > 0) refuse_delimited(plain, warned[1], layout)
  if (isFALSE(attr(plain, "marks")[["doubled_quotes"]])) table else single_quotes(table)
}

# What the reader found, as it helps who has to mend the file.
refuse_delimited <- function(plain, remark, layout) {
  remark <- iconv(remark, "UTF-8", "UTF-8", sub = "?")
  found <- function(pattern) regmatches(remark, regexec(pattern, remark))[[1]][-1]
  leave_out <- paste0("leave lines out with ", arg_name("skip_top"), " and ",
                      arg_name("skip_bottom"), ".")
  stopped <- found("on line ([0-9]+)[.] Expected ([0-9]+) fields but found ([0-9]+)")
  footer <- found("footer: <<(.*)>>")
  if (length(stopped) > 0) {
    refuse_file(plain, paste0("line ", stopped[1], " has ", stopped[3],
                              " fields, the lines before it ", stopped[2], "."),
                way_out = paste0("Quote text that holds a \"", layout$separator, "\", or ",
                                 leave_out))
  }
  if (length(footer) > 0) {
    refuse_file(plain, paste0("its last line, \"", footer, "\", has other fields than a record."),
                way_out = paste0("Say ", arg_set("skip_bottom", 1), " if it is no record."))
  }
  if (grepl("quot", remark, ignore.case = TRUE)) {
    refuse_file(plain, "a quoted text in it has a quote of its own, or no end.",
                way_out = paste0("Write such a quote twice, or say which mark quotes text with ",
                                 arg_name("quote"), "."))
  }
  refuse_file(plain, "its lines do not have one number of fields.",
              way_out = paste0("Name what stands between them with ", arg_name("delimiter"),
                               ", or ", leave_out))
}

# Text in another encoding would be shown, and compared, wrongly.
refuse_broken_text <- function(table, plain) {
  if (isFALSE(attr(plain, "marks")[["beyond_ascii"]])) {
    return(invisible())
  }
  for (i in which(vapply(table, is.character, NA))) {
    if (is_all_ascii(table[[i]], threads_for(length(table[[i]])))) next
    broken <- which(!validUTF8(table[[i]]))
    if (length(broken) > 0) {
      name <- names(table)[i]
      shown <- attr(plain, "shown")
      ridge_abort(c("{.file {shown}} is not in UTF-8: see column {.val {name}}, row {broken[1]}.",
                    i = paste("Say {arg_set('encoding', 'Windows-1252')} or",
                              "{arg_set('encoding', 'Latin-1')} if it is that, or export it in",
                              "UTF-8.")), "file", arg = "encoding", row = broken[1])
    }
  }
}

# A quote within quoted text is written twice; not every version of the reader
# takes that back.
single_quotes <- function(table) {
  if (reader_keeps_doubled()) {
    twice <- vapply(table, holds_doubled_quotes, NA)
    table[twice] <- lapply(table[twice], function(column) gsub("\"\"", "\"", column, fixed = TRUE))
  }
  table
}

reader_keeps_doubled <- local({
  keeps <- NULL
  function() {
    if (is.null(keeps)) {
      probe <- data.table::fread(text = "a,b\n\"x\"\"y\",1\n", header = TRUE, sep = ",",
                                 data.table = FALSE)
      keeps <<- grepl("\"\"", probe$a, fixed = TRUE)
    }
    keeps
  }
})

# A copy that ends before the last lines that hold something.
without_last_lines <- function(plain, lines) {
  bytes <- readBin(plain, "raw", file.size(plain))
  ends <- which(bytes == as.raw(10L))
  used <- max(0, which(!(bytes %in% as.raw(c(9L, 10L, 13L, 32L)))))
  before <- ends[ends < used]
  cut <- if (length(before) >= lines) before[length(before) - lines + 1] else 0
  shorter <- tempfile("cut-")
  writeBin(bytes[seq_len(cut)], shorter)
  structure(shorter, shown = attr(plain, "shown"), marks = attr(plain, "marks"))
}
