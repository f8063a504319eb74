# The file of an almanac as it was written: every value as text, nothing run, and for each
# place the line that it stands on.

# Plain words stay as they are written: `on` and `no` are words, 09:00 is a time of day, and
# 010 is a code. What is a number or a yes is for the word that takes it to say.
as_written <- function(text) text

yaml_handlers <- function() {
  kinds <- c("int", "int#hex", "int#oct", "int#base60", "int#na", "float", "float#fix",
             "float#exp", "float#inf", "float#neginf", "float#nan", "float#na", "float#base60",
             "bool#yes", "bool#no", "bool#na", "str#na", "timestamp#iso8601", "timestamp#spaced",
             "timestamp#ymd")
  stats::setNames(rep(list(as_written), length(kinds)), kinds)
}

parse_yaml <- function(text) {
  code <- NULL
  handlers <- c(yaml_handlers(), list(expr = function(text) {
    code <<- text
    text
  }))
  tree <- withCallingHandlers(
    yaml::yaml.load(text, eval.expr = FALSE, handlers = handlers, merge.precedence = "override"),
    warning = function(cnd) invokeRestart("muffleWarning"))
  if (!is.null(code)) stop("an almanac holds no code, such as `", code, "`")
  tree
}

# The tree of the file, with its lines for messages.
read_almanac_file <- function(path) {
  need_package("yaml", "Reading an almanac")
  if (!rlang::is_string(path) || !nzchar(path)) {
    ridge_abort("{arg_name('path')} must name one almanac file, not {.val {describe(path)}}.",
                "argument", arg = "path", value = path)
  }
  if (!file.exists(path) || dir.exists(path)) {
    ridge_abort(c("There is no file {.file {path}}.",
                  i = "{.code ridge begin FILE} writes a first almanac for a file of records."),
                "file", value = path)
  }
  lines <- almanac_lines(path)
  tree <- tryCatch(parse_yaml(paste(lines, collapse = "\n")), error = function(cnd) {
    refuse_yaml(path, lines, conditionMessage(cnd))
  })
  list(path = path, whole = normalizePath(path), lines = lines, tree = tree)
}

almanac_lines <- function(path) {
  lines <- tryCatch(readLines(path, warn = FALSE, encoding = "UTF-8"), error = function(cnd) {
    ridge_abort("{.file {path}} cannot be read: {conditionMessage(cnd)}.", "file", value = path)
  })
  if (!all(validUTF8(lines))) {
    at <- which(!validUTF8(lines))[1]
    ridge_abort(c("{.file {path}}, line {at}: this is no UTF-8 text.", i = "Save it as UTF-8."),
                "file", value = path)
  }
  sub("^\ufeff", "", lines)
}

refuse_yaml <- function(path, lines, said) {
  said <- one_sentence(said)
  if (startsWith(said, "an almanac holds no code")) {
    ridge_abort(c("{.file {path}}: {said}.", i = "Leave it out: nothing in an almanac is run."),
                "file", value = path)
  }
  twice <- regmatches(said, regexec("Duplicate map key: '(.*)'", said))[[1]][2]
  if (!is.na(twice)) {
    said <- paste0("`", twice, "` is said twice in one place")
    at <- last_line_read(lines)
  } else {
    at <- regmatches(said, regexec("at line ([0-9]+), column [0-9]+[^0-9]*$", said))[[1]][2]
  }
  where <- if (!is.na(at)) paste0(", line ", at)
  ridge_abort(c("{.file {path}}{where} is no YAML: {said}.",
                i = "Mind the spaces before each word, and quote text that holds a colon."),
              "file", value = path)
}

one_sentence <- function(text) {
  sub("[.]$", "", gsub("[[:space:]]+", " ", trimws(text)))
}

# What a condition says, as one line.
said_by <- function(cnd) {
  text <- one_sentence(cli::ansi_strip(paste(c(cnd$message, cnd$body), collapse = " ")))
  if (grepl("[?]$", text)) text else paste0(text, ".")
}

# The first line with which the text is wrong.
last_line_read <- function(lines) {
  Find(function(n) {
    said <- tryCatch({
      parse_yaml(paste(lines[seq_len(n)], collapse = "\n"))
      ""
    }, error = conditionMessage)
    grepl("Duplicate map key", said, fixed = TRUE)
  }, seq_along(lines)) %||% NA
}

# The line on which a place begins: the first with which the text, cut off behind it, holds the
# place. `at`: words and numbers from the top, such as list("pages", 2, "title").
line_of <- function(file, at) {
  if (length(at) == 0) {
    return(NA_integer_)
  }
  lines <- file$lines
  parsed <- 0L
  for (n in seq_along(lines)) {
    tree <- tryCatch(parse_yaml(paste(lines[seq_len(n)], collapse = "\n")),
                     error = function(cnd) NULL)
    if (holds_place(tree, at)) {
      return(named_line(lines, parsed + 1L, n, at[[length(at)]]))
    }
    if (!is.null(tree)) parsed <- n
  }
  NA_integer_
}

holds_place <- function(tree, at) {
  for (step in at) {
    there <- if (is.character(step)) step %in% names(tree) else length(tree) >= step
    if (is.null(tree) || !there) return(FALSE)
    tree <- if (is.list(tree) || is.numeric(step)) tree[[step]] else return(FALSE)
  }
  TRUE
}

# Braces over several lines are read as one: the line among them that names the word.
named_line <- function(lines, from, to, word) {
  if (is.numeric(word) || from >= to) {
    return(to)
  }
  hit <- which(grepl(paste0(word, ":"), lines[from:to], fixed = TRUE))
  if (length(hit)) from + hit[1] - 1L else to
}
