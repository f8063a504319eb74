# Every refusal names the argument or the row, the value seen and the way out. It
# has a class of its own (ridge_error_argument, _column, _records, _file, _size) and
# carries `arg`, `row` and `value`.
ridge_abort <- function(message, kind, arg = NULL, row = NULL, value = NULL,
                        .envir = parent.frame()) {
  cli::cli_abort(message, class = c(paste0("ridge_error_", kind), "ridge_error"), call = NULL,
                 arg = arg, row = row, value = value, .envir = .envir)
}

# How messages name an argument, and a setting of one: R's way, until an interface
# says otherwise. `in_r` are sentences that only help those who write R.
speech <- new.env(parent = emptyenv())

r_speech <- list(
  argument = function(arg) paste0("`", arg, "`"),
  setting = function(arg, value) paste0("`", arg, " = ", spell_value(value), "`"),
  verb = function(verb) paste0("`", verb, "()`"),
  in_r = TRUE
)

speak <- function(way) {
  before <- speech$way
  speech$way <- way
  invisible(before)
}

spoken <- function() {
  speech$way %||% r_speech
}

arg_name <- function(arg) {
  spoken()$argument(arg)
}

arg_set <- function(arg, value) {
  spoken()$setting(arg, value)
}

verb_name <- function(verb) {
  spoken()$verb(verb)
}

in_r <- function(text, otherwise = NULL) {
  if (spoken()$in_r) text else otherwise
}

# A value as it is written in R.
spell_value <- function(value) {
  if (inherits(value, "Date")) value <- format(value)
  paste(deparse(value, width.cutoff = 500L), collapse = " ")
}

# The word that was probably meant; NULL where none is near.
nearest <- function(word, words) {
  plain <- function(text) tolower(substr(enc2utf8(text), 1, 60))
  words <- utils::head(words, 5000)
  distance <- utils::adist(plain(word), plain(words))[1, ]
  part <- nchar(word) >= 3 & grepl(plain(word), plain(words), fixed = TRUE)
  at <- which.min(distance - 1000 * part)
  near <- length(at) == 1 && (part[at] || distance[at] <= max(1, nchar(word) / 2))
  if (near) words[at]
}

# A value as it is shown in a message: short, and whatever its type.
describe <- function(value) {
  if (is.null(value)) {
    return("NULL")
  }
  if (is.atomic(value) && length(value) == 1) {
    return(format(value))
  }
  paste0(class(value)[1], " of length ", length(value))
}

check_choice <- function(value, choices, arg) {
  if (rlang::is_string(value, choices)) {
    return(value)
  }
  hint <- if (rlang::is_string(value)) nearest(value, choices) else choices[1]
  ridge_abort(
    c("{arg_name(arg)} must be one of {.or {.val {choices}}}, not {.val {describe(value)}}.",
      i = if (!is.null(hint)) "Did you mean {arg_set(arg, hint)}?"), "argument", arg = arg,
    value = value)
}

check_flag <- function(value, arg) {
  if (rlang::is_bool(value)) {
    return(value)
  }
  ridge_abort("{arg_name(arg)} must be TRUE or FALSE, not {.val {describe(value)}}.", "argument",
              arg = arg, value = value)
}

check_amount <- function(value, arg, whole = FALSE, most = Inf) {
  number <- rlang::is_scalar_double(value) || rlang::is_scalar_integer(value)
  if (number && !is.na(value) && value >= 0 && value <= most && (!whole || value == round(value))) {
    return(as.double(value))
  }
  what <- if (whole) "a whole number" else "a number"
  range <- if (is.finite(most)) paste("from 0 to", most) else "of 0 or more"
  ridge_abort("{arg_name(arg)} must be {what} {range}, not {.val {describe(value)}}.", "argument",
              arg = arg, value = value)
}

need_package <- function(package, purpose) {
  if (!rlang::is_installed(package)) {
    ridge_abort(c("{purpose} needs the package {.pkg {package}}, which is not installed.",
                  i = "Install it with {.code install.packages(\"{package}\")}."), "file")
  }
}

# Two arguments of which one makes the other say nothing.
refuse_together <- function(arg, given, because) {
  given <- names(given)[!vapply(given, is.null, NA)]
  if (length(given) > 0) {
    ridge_abort(c("{arg_name(arg)} and {arg_name(given[1])} cannot go together: {because}.",
                  i = "Leave one of them out."), "argument", arg = given[1])
  }
}
