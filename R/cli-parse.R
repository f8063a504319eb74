# From the words of a command line to a list: `files`, and every option there is by its
# name with underscores, NULL where it was not given.

usage_abort <- function(message, .envir = parent.frame()) {
  ridge_abort(message, "usage", .envir = .envir)
}

parse_command_line <- function(args, options, command) {
  check_option_names(args, options, command)
  args <- join_repeated(args, options)
  parser <- optparse::OptionParser(option_list = lapply(unname(options), as_optparse),
                                   add_help_option = FALSE)
  parsed <- tryCatch(
    optparse::parse_args(parser, args, positional_arguments = TRUE),
    error = function(cnd) refuse_syntax(conditionMessage(cnd), command)
  )
  given <- parsed$options[intersect(names(parsed$options), names(options))]
  values <- lapply(names(given), function(name) read_option(options[[name]], given[[name]]))
  # Every name is there, so that none is taken for the beginning of another.
  all <- gsub("-", "_", names(cli_options()))
  result <- stats::setNames(vector("list", length(all)), all)
  result[gsub("-", "_", names(given))] <- values
  c(list(files = parsed$args), result)
}

# Those of these options that were given.
only_given <- function(given, names) {
  Filter(Negate(is.null), given[names])
}

as_optparse <- function(row) {
  flag <- row$kind == "flag"
  optparse::make_option(paste0("--", row$name), dest = row$name,
                        action = if (flag) "store_true" else "store",
                        type = if (flag) "logical" else "character")
}

check_option_names <- function(args, options, command) {
  given <- sub("=.*", "", args[grepl("^-", args) & args != "-"])
  known <- paste0("--", names(options))
  unknown <- setdiff(given[!grepl("^-[0-9]", given)], known)
  if (length(unknown) > 0) {
    near <- if (length(options)) nearest(unknown[1], known)
    usage_abort(c("{.code ridge {command}} has no option {.code {unknown[1]}}.",
                  i = if (!is.null(near)) "Did you mean {.code {near}}?",
                  i = "See {.code ridge help {command}}."))
  }
}

# What joins the values of an option that is said more than once; others may not be.
joins <- c(pairs = "\n", files = "\n", texts = ",", columns = ",")

# --keep a=1 --keep b=2 becomes one option, its parts a line each.
join_repeated <- function(args, options) {
  for (row in Filter(function(row) row$kind != "flag", options)) {
    flag <- paste0("--", row$name)
    if (sum(args == flag | startsWith(args, paste0(flag, "="))) < 2) next
    args <- unlist(lapply(args, split_at_equals, flag))
    at <- which(args == flag)
    at <- at[at < length(args)]
    values <- args[at + 1L]
    if (!(row$kind %in% names(joins))) {
      usage_abort(c("{.code {flag}} is given {length(at)} times: {.val {values}}.",
                    i = "Say it once."))
    }
    args <- c(args[-c(at, at + 1L)], flag, paste(values, collapse = joins[[row$kind]]))
  }
  args
}

split_at_equals <- function(arg, flag) {
  if (startsWith(arg, paste0(flag, "="))) c(flag, substring(arg, nchar(flag) + 2L)) else arg
}

refuse_syntax <- function(reason, command) {
  flag <- regmatches(reason, regexpr("\"[a-z-]+\"", reason))
  if (grepl("requires an argument", reason) && length(flag)) {
    flag <- gsub("\"", "", flag)
    usage_abort(c("{.code --{flag}} needs a value.", i = "See {.code ridge help {command}}."))
  }
  if (grepl("accepts no arguments", reason) && length(flag)) {
    flag <- gsub("\"", "", flag)
    usage_abort(c("{.code --{flag}} takes no value.", i = "See {.code ridge help {command}}."))
  }
  usage_abort(c("The options cannot be told apart.", i = "See {.code ridge help {command}}."))
}

read_option <- function(row, value) {
  switch(row$kind,
    choice = one_of(row, value, row$values),
    yes_no = one_of(row, value, c("yes", "no")) == "yes",
    number = read_number(row, value),
    texts = , columns = read_words(row, value),
    column = , text = , grain = , file = , limit = filled(row, value),
    files = vapply(strsplit(value, "\n", fixed = TRUE)[[1]], filled, "", row = row,
                   USE.NAMES = FALSE),
    pairs = read_pairs(row, strsplit(value, "\n", fixed = TRUE)[[1]]),
    value)
}

# "" is no name: to leave an option out is to leave it out. A space may be a delimiter.
filled <- function(row, value) {
  if (!nzchar(if (row$kind == "text") value else trimws(value))) {
    usage_abort("{.code --{row$name}} needs a value: it was given as {.val {value}}.")
  }
  value
}

read_words <- function(row, value) {
  words <- split_words(filled(row, value))
  for (word in words) filled(row, word)
  words
}

one_of <- function(row, value, values) {
  if (!(value %in% values)) {
    near <- nearest(value, values)
    usage_abort(c("{.code --{row$name}} does not know {.val {value}}: it takes {.or {values}}.",
                  i = if (!is.null(near)) "Did you mean {.val {near}}?"))
  }
  value
}

read_number <- function(row, value) {
  number <- suppressWarnings(as.double(value))
  if (is.na(number)) usage_abort("{.code --{row$name}} takes a number, not {.val {value}}.")
  number
}

read_pairs <- function(row, pairs) {
  wrong <- pairs[!grepl("^[^=]+=", pairs)]
  if (length(wrong) > 0) {
    usage_abort(paste("{.code --{row$name}} takes {row$meta}, such as",
                      "{.code --{row$name} {row$example}}, not {.val {wrong[1]}}."))
  }
  split(sub("^[^=]+=", "", pairs), sub("=.*", "", pairs))
}

split_words <- function(text) {
  trimws(unlist(strsplit(text, ",", fixed = TRUE)))
}

# 09:00,17:30 or 09:00-17:30.
clock_words <- function(text) {
  split_words(gsub("-", ",", text, fixed = TRUE))
}

number_or_text <- function(words) {
  if (all(grepl("^[0-9]+$", words))) as.integer(words) else words
}
