# From the words of a command line to a list: `files`, and every option there is by its
# name with underscores, NULL where it was not given.

parse_command_line <- function(args, options, command) {
  words <- spelled_out(args, options, command)
  first <- cumsum(startsWith(words$options, "--and=")) == 0
  if (!all(first)) {
    return(parse_lists(words, first, options, command))
  }
  parse_words(words$options, words$files, options, command)
}

parse_words <- function(words, files, options, command) {
  words <- join_repeated(words, options)
  # Each option that the parser knows takes it some time.
  options <- options[unique(sub("=.*", "", sub("^--", "", words)))]
  words <- apart(words)
  parser <- optparse::OptionParser(option_list = lapply(unname(options), as_optparse),
                                   add_help_option = FALSE)
  parsed <- tryCatch(
    optparse::parse_args(parser, words, positional_arguments = TRUE),
    error = function(cnd) {
      usage_abort(c("The options cannot be told apart.",
                    i = "See {.code ridge help {command}}."))
    }
  )
  given <- parsed$options[intersect(names(parsed$options), names(options))]
  values <- lapply(names(given), function(name) read_option(options[[name]], given[[name]]))
  # Every name is there, so that none is taken for the beginning of another.
  all <- gsub("-", "_", names(option_rows()))
  result <- stats::setNames(vector("list", length(all)), all)
  result[gsub("-", "_", names(given))] <- values
  c(list(files = files), result)
}

# Options and values as words of their own, but for values that look like options.
apart <- function(words) {
  unlist(lapply(words, function(word) {
    value <- sub("^[^=]*=", "", word)
    if (!grepl("=", word, fixed = TRUE) || startsWith(value, "-")) word
    else c(sub("=.*", "", word), value)
  }))
}

# The words with every option by its full name and its value behind "=", and the files:
# what is no option, or stands behind --.
spelled_out <- function(args, options, command) {
  spelled <- files <- character()
  i <- 1
  while (i <= length(args) && args[i] != "--") {
    arg <- args[i]
    if (!startsWith(arg, "-") || arg == "-") {
      files <- c(files, arg)
    } else {
      name <- option_meant(sub("=.*", "", arg), options, command)
      takes_none <- options[[name]]$kind == "flag"
      own <- grepl("=", arg, fixed = TRUE)
      if (takes_none && own) {
        usage_abort(c("{.code --{name}} takes no value.", i = "See {.code ridge help {command}}."))
      }
      if (!takes_none && !own) i <- i + 1
      value <- if (own) sub("^[^=]*=", "", arg) else if (!takes_none) {
        value_after(args, i, name, command)
      }
      if (identical(value, "")) filled(options[[name]], value)
      spelled <- c(spelled, paste0("--", name, if (!is.null(value)) "=", value))
    }
    i <- i + 1
  }
  list(options = spelled, files = c(files, args[-seq_len(min(i, length(args)))]))
}

# A value may begin with a hyphen, such as -1, but is no other option.
value_after <- function(args, i, name, command) {
  if (i > length(args) || startsWith(args[i], "--")) {
    usage_abort(c("{.code --{name}} needs a value.", i = "See {.code ridge help {command}}."))
  }
  args[i]
}

# The option of that name, or the only one that begins like it.
option_meant <- function(word, options, command) {
  name <- sub("^--", "", word)
  if (name %in% names(options)) {
    return(name)
  }
  begun <- if (startsWith(word, "--")) names(options)[startsWith(names(options), name)]
  if (length(begun) == 1) {
    return(begun)
  }
  known <- paste0("--", names(options))
  if (length(begun) > 1) {
    usage_abort(c("{.code {word}} is the beginning of several options of {.code ridge {command}}.",
                  i = "Say {.or {.code {paste0('--', begun)}}}."))
  }
  near <- if (length(options)) nearest(word, known)
  usage_abort(c("{.code ridge {command}} has no option {.code {word}}.",
                i = if (!is.null(near)) "Did you mean {.code {near}}?",
                i = "See {.code ridge help {command}}."))
}

# What lists that are bound share, wherever it is said.
shared_by_lists <- c("and", "as-of", "seen-on", "end-counts", "tz", "unusable", "set-aside")

# Several lists: what stands behind --and FILE and tells how records are read is said of that
# list, what tells what is asked is said of all. `and` are the lists, each as it was told.
parse_lists <- function(words, first, options, command) {
  of_records <- options[setdiff(intersect(from_records(), names(options)), shared_by_lists)]
  said_of_list <- sub("=.*", "", sub("^--", "", words$options)) %in% c("and", names(of_records))
  list_number <- cumsum(startsWith(words$options, "--and="))
  given <- parse_words(words$options[first | !said_of_list], words$files, options, command)
  given$and <- lapply(seq_len(max(list_number)), function(i) {
    said <- words$options[list_number == i & said_of_list]
    file <- filled(options$and, sub("^--and=", "", said[1]))
    parse_words(said[-1], file, of_records, command)
  })
  given
}

as_optparse <- function(row) {
  flag <- row$kind == "flag"
  optparse::make_option(paste0("--", row$name), dest = row$name,
                        action = if (flag) "store_true" else "store",
                        type = if (flag) "logical" else "character")
}

# What joins the values of an option that is said more than once; others may not be.
joins <- c(pairs = "\n", files = "\n", tables = "\n", texts = ",", columns = ",")

# --keep a=1 --keep b=2 becomes one option, its parts a line each.
join_repeated <- function(words, options) {
  for (row in Filter(function(row) row$kind != "flag", options)) {
    flag <- paste0("--", row$name, "=")
    at <- which(startsWith(words, flag))
    if (length(at) < 2) next
    values <- substring(words[at], nchar(flag) + 1L)
    if (!(row$kind %in% names(joins))) {
      usage_abort(c("{.code --{row$name}} is given {length(at)} times: {.val {values}}.",
                    i = "Say it once."))
    }
    words <- c(words[-at], paste0(flag, paste(values, collapse = joins[[row$kind]])))
  }
  words
}
