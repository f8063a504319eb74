# Every refusal names the argument or the row, the value seen and the way out,
# and has a class of its own: ridge_error_argument, _column, _records or _size.
ridge_abort <- function(message, kind, .envir = parent.frame()) {
  cli::cli_abort(message, class = c(paste0("ridge_error_", kind), "ridge_error"),
                 call = NULL, .envir = .envir)
}

nearest <- function(word, words) {
  distance <- utils::adist(word, words, ignore.case = TRUE)[1, ]
  words[which.min(distance)]
}

check_choice <- function(value, choices, arg) {
  if (rlang::is_string(value, choices)) {
    return(value)
  }
  hint <- if (rlang::is_string(value)) nearest(value, choices) else choices[1]
  ridge_abort(c("{.arg {arg}} must be one of {.or {.val {choices}}}, not {.val {describe(value)}}.",
                i = "Did you mean {.code {arg} = \"{hint}\"}?"), "argument")
}

check_flag <- function(value, arg) {
  if (rlang::is_bool(value)) {
    return(value)
  }
  ridge_abort("{.arg {arg}} must be TRUE or FALSE, not {.val {describe(value)}}.", "argument")
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

and_list <- function(words) {
  if (length(words) < 2) {
    return(paste(words))
  }
  paste(paste(words[-length(words)], collapse = ", "), "and", words[length(words)])
}

count_of <- function(n, noun) {
  paste(format(n, big.mark = ",", scientific = FALSE, trim = TRUE),
        if (n == 1) noun else paste0(noun, "s"))
}

need_package <- function(package, purpose) {
  if (!requireNamespace(package, quietly = TRUE)) {
    ridge_abort(c("{purpose} needs the package {.pkg {package}}, which is not installed.",
                  i = "Install it with {.code install.packages(\"{package}\")}."), "file")
  }
}
