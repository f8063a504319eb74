# Numbers in columns of text. Whether a point or a comma stands before the decimals, what
# one text cannot prove the whole column must prove, or the user must name.

decimal_marks <- c(".", ",")

# How a column reads: "." or "," (what stands before its decimals), "unclear" where both
# are possible and differ, NA where it holds no numbers.
decimal_of <- function(texts, proof = prove_numbers(texts)) {
  if (proof$point && proof$comma) (if (proof$differs > 0) "unclear" else ".")
  else if (proof$point) "." else if (proof$comma) "," else NA_character_
}

is_number_column <- function(texts) {
  !is.na(decimal_of(texts))
}

# Whole numbers as integers, where they fit.
numbers_in <- function(texts, decimal) {
  numbers <- texts_to_numbers(texts, decimal)
  if (all_small_integers(numbers)) as.integer(numbers) else numbers
}

# The two readings of a number that its column does not decide.
both_readings <- function(texts) {
  text <- texts[prove_numbers(texts)$differs]
  paste0("\"", text, "\" is ", number_texts(texts_to_numbers(text, ".")), " or ",
         number_texts(texts_to_numbers(text, ",")))
}

decimal_ways <- function() {
  paste(arg_set("decimal", "."), "or", arg_set("decimal", ","))
}

# A column that is used as numbers: a weight, an amount.
as_numbers <- function(column, name, arg) {
  if (inherits(column, "integer64")) {
    return(wide_integers(column, name, arg))
  }
  if (is.numeric(column) && !inherits(column, c("Date", "POSIXct", "difftime"))) {
    return(as.double(column))
  }
  if (all(is.na(column)) && is.atomic(column)) {
    return(rep(NA_real_, length(column)))
  }
  refuse_numbers(column, name, arg)
}

refuse_numbers <- function(column, name, arg) {
  if (is.character(column) && decimal_of(column) %in% "unclear") {
    readings <- both_readings(column)
    ridge_abort(c(paste("Column {.val {name}}, the {arg_name(arg)}, does not prove what its",
                        "points and commas mean: {readings}."),
                  i = in_r(paste("Name it where the file is read, with {decimal_ways()}."),
                           "Name it with {decimal_ways()}.")),
                "records", arg = arg, value = column[prove_numbers(column)$differs])
  }
  kind <- class(column)[1]
  at <- if (is.character(column)) max(1, prove_numbers(column)$no)
  else which(!is.na(column))[1]
  seen <- as.character(column[at])
  ridge_abort(
    c("Column {.val {name}}, the {arg_name(arg)}, must hold numbers.",
      i = "It holds {.cls {kind}}, such as {.val {seen}}{row_words(at)}."), "records", arg = arg,
    row = at, value = seen)
}

row_words <- function(row) {
  paste0(" (row ", format_number(row), ")")
}

# Whole numbers of 64 bits, of whichever package: exact up to 2^53.
wide_integers <- function(column, name, arg) {
  values <- doubles_of_int64(unclass(column))
  large <- which(abs(values) > 2^53)
  if (length(large) > 0) {
    ridge_abort(c("Column {.val {name}}, the {arg_name(arg)}, has numbers beyond 2^53.",
                  i = "They cannot be summed exactly: give them in a larger unit."), "records",
                arg = arg, row = large[1], value = values[large[1]])
  }
  values
}
