# Conditions on records: comparisons of columns, put together by & and |. They are parsed,
# checked against the list of what a condition may hold, and worked out on the columns by this
# file alone: nothing in them is ever evaluated as code.

#' Conditions on records
#'
#' `where` in [read_records()] and [spans()], and `--where` on the command line, choose records by
#' a condition such as `share >= 0.8 & station == "Kestrel Gap" & first_day >= "2025-01-01"`,
#' given as it stands or as text.
#'
#' It may hold column names (in backticks where they have spaces), numbers, texts, `TRUE` and
#' `FALSE`, and of these:
#' * `==`, `!=`, `<`, `<=`, `>`, `>=`; `&`, `|`, `!` and brackets;
#' * `%in% c("a", "b")`, `is.na(column)`, `between(column, low, high)` (both included);
#' * `starts_with(column, "text")`, `matches(column, "pattern")` (a regular expression; not of a
#'   table in a database).
#'
#' Anything else is refused before a record is looked at. Columns are what all of their rows prove
#' them to be, before any are left out: dates are compared with text such as `"2025-01-01"`. Text
#' is compared exactly; which of two texts is the larger is not asked. A missing value meets no
#' comparison, so that such a record is left out, also by the opposite condition.
#'
#' @section Errors:
#' What is no condition, and a comparison of two kinds, are errors of class
#' `ridge_error_argument`; a column that is not there is one of class `ridge_error_column`.
#' @name conditions_on_records
#' @examples
#' recent <- spans(demo_records("postings"), first_day, last_day, key = observer,
#'                 as_of = "2026-06-30", where = share >= 0.8 & first_day >= "2025-01-01")
#' recent
#' spans(demo_records("postings"), first_day, last_day, as_of = "2026-06-30",
#'       where = "is.na(last_day) & starts_with(station, 'K')")
NULL

where_comparisons <- c("==", "!=", "<", "<=", ">", ">=")
where_calls <- c(where_comparisons, "&", "&&", "|", "||", "!", "(", "%in%", "is.na", "between",
                 "starts_with", "matches")

# The condition as text; a name that is no column may hold one.
where_text <- function(quo, columns) {
  expr <- rlang::quo_get_expr(quo)
  if (rlang::is_symbol(expr) && !(rlang::as_string(expr) %in% columns)) {
    value <- tryCatch(rlang::eval_tidy(quo), error = function(cnd) NULL)
    if (rlang::is_string(value)) expr <- value
  }
  if (is.null(expr)) {
    return(NULL)
  }
  if (rlang::is_string(expr)) expr else paste(deparse(expr, width.cutoff = 500L), collapse = " ")
}

# The parsed condition, with nothing in it that may not be.
parse_where <- function(text, columns) {
  parsed <- tryCatch(parse(text = text, keep.source = FALSE), error = function(cnd) NULL)
  if (length(parsed) != 1) {
    refuse_where("it is not one condition", text)
  }
  check_where(parsed[[1]], columns, text)
  parsed[[1]]
}

refuse_where <- function(why, text, class = "argument") {
  ridge_abort(
    c("{arg_name('where')}: {why}, in {.val {text}}.",
      i = paste("Such as {.code share >= 0.8 & station == \"Kestrel Gap\"}; with",
                "{.code %in% c()}, {.code is.na()}, {.code !}, {.code between()},",
                "{.code starts_with()} and {.code matches()}.")), class, arg = "where",
    value = text)
}

check_where <- function(expr, columns, text) {
  if (is.symbol(expr)) {
    name <- as.character(expr)
    if (!(name %in% columns)) {
      near <- nearest(name, columns)
      refuse_where(paste0("there is no column \"", name, "\"",
                          if (!is.null(near)) paste0(" (is it \"", near, "\"?)")), text, "column")
    }
    return(invisible())
  }
  if (is.atomic(expr) && length(expr) == 1) {
    return(invisible())
  }
  if (!is.call(expr) || !is.symbol(expr[[1]])) refuse_where("it holds what is no condition", text)
  call <- as.character(expr[[1]])
  if (call %in% c("c", "-")) {
    check_where_values(expr, text)
    return(invisible())
  }
  if (!(call %in% where_calls)) {
    refuse_where(paste0("`", call, "()` is no part of a condition"), text)
  }
  takes <- switch(call, "!" = , "(" = , is.na = 1L, between = 3L, 2L)
  if (length(expr) - 1L != takes || !is.null(names(expr))) {
    refuse_where(paste0("`", call, "` takes ", takes, if (takes == 1) " value" else " values"),
                 text)
  }
  for (part in as.list(expr)[-1]) check_where(part, columns, text)
}

# Numbers and texts alone.
check_where_values <- function(expr, text) {
  parts <- as.list(expr)[-1]
  plain <- vapply(parts, function(part) {
    is.atomic(part) || is.call(part) && identical(part[[1]], as.symbol("-")) &&
      length(part) == 2 && is.numeric(part[[2]])
  }, NA)
  if (!all(plain) || identical(expr[[1]], as.symbol("-")) && length(parts) != 1) {
    refuse_where("a list or a number is written out, without columns", text)
  }
}

# Which rows meet it; NA where a value is missing.
meets_where <- function(expr, columns, text) {
  part <- function(i) meets_where(expr[[i + 1]], columns, text)
  call <- if (is.call(expr)) as.character(expr[[1]]) else ""
  switch(call,
    "(" = part(1), "!" = !part(1), "&" = , "&&" = part(1) & part(2),
    "|" = , "||" = part(1) | part(2),
    is.na = is_blank(where_value(expr[[2]], columns)),
    between = compared_values(expr[[2]], expr[[3]], ">=", columns, text) &
      compared_values(expr[[2]], expr[[4]], "<=", columns, text),
    "%in%" = value_in(expr, columns, text),
    starts_with = text_test(expr, columns, text, startsWith),
    matches = text_test(expr, columns, text, matched_pattern(text)),
    if (call %in% where_comparisons) compared_values(expr[[2]], expr[[3]], call, columns, text)
    else yes_or_no(where_value(expr, columns), text))
}

yes_or_no <- function(value, text) {
  if (!is.logical(value)) refuse_where("a column by itself must hold yes or no", text)
  value
}

# A column, or the values that are written out.
where_value <- function(expr, columns) {
  if (is.symbol(expr)) {
    value <- columns[[as.character(expr)]]
    return(if (is.factor(value)) as.character(value) else value)
  }
  if (!is.call(expr)) {
    return(expr)
  }
  values <- lapply(as.list(expr)[-1], where_value, columns)
  if (identical(expr[[1]], as.symbol("-"))) -values[[1]] else unlist(values)
}

compared_values <- function(a, b, how, columns, text) {
  both <- alike_values(where_value(a, columns), where_value(b, columns), text)
  if (is.character(both$a) && !(how %in% c("==", "!="))) {
    refuse_where("which of two texts is the larger is not asked", text)
  }
  get(how, baseenv())(both$a, both$b)
}

value_in <- function(expr, columns, text) {
  both <- alike_values(where_value(expr[[2]], columns), where_value(expr[[3]], columns), text)
  ifelse(is.na(both$a), NA, both$a %in% both$b)
}

text_test <- function(expr, columns, text, test) {
  value <- where_value(expr[[2]], columns)
  pattern <- where_value(expr[[3]], columns)
  if (!is.character(value) || !rlang::is_string(pattern)) {
    refuse_where(paste0("`", as.character(expr[[1]]), "()` takes a column of text and a text"),
                 text)
  }
  ifelse(is.na(value), NA, test(value, pattern))
}

matched_pattern <- function(text) {
  function(value, pattern) {
    tryCatch(suppressWarnings(grepl(pattern, value, perl = TRUE)), error = function(cnd) {
      refuse_where(paste0("\"", pattern, "\" is no regular expression"), text)
    })
  }
}

# The checked condition as an expression that a database is asked, of the same meaning.
where_in_sql <- function(expr, columns, text) {
  if (!is.call(expr)) return(expr)
  call <- as.character(expr[[1]])
  part <- function(i) where_in_sql(expr[[i + 1]], columns, text)
  switch(call,
    matches = refuse_where("a database does not know `matches()`", text),
    starts_with = rlang::expr(substr(!!expr[[2]], 1L, !!nchar(expr[[3]])) == !!expr[[3]]),
    is.na = if (!is.character(where_value(expr[[2]], columns))) expr
    else rlang::expr((is.na(!!expr[[2]]) | trimws(!!expr[[2]]) == "")),
    "&&" = rlang::expr(!!part(1) & !!part(2)), "||" = rlang::expr(!!part(1) | !!part(2)),
    # As a call: to write it around what is put in would leave it out.
    "(" = rlang::call2("(", part(1)), "!" = rlang::call2("!", rlang::call2("(", part(1))),
    if (call %in% c("&", "|")) rlang::call2(call, part(1), part(2)) else expr)
}

# Both sides of a comparison of one kind: texts beside dates are dates.
alike_values <- function(a, b, text) {
  if (is.character(a) && is_time(b)) {
    turned <- alike_values(b, a, text)
    return(list(a = turned$b, b = turned$a))
  }
  if (is_time(a) && is.character(b)) b <- times_of_texts(b, a, text)
  kind <- function(x) if (is_time(x)) class(x)[1] else if (is.numeric(x)) "number" else typeof(x)
  if (kind(a) != kind(b)) {
    told <- c(Date = "dates", POSIXct = "date-times", number = "numbers", character = "text",
              logical = "yes or no")[c(kind(a), kind(b))]
    refuse_where(paste(told[1], "cannot be compared with", told[2]), text)
  }
  list(a = a, b = b)
}

is_time <- function(value) {
  inherits(value, c("Date", "POSIXct"))
}

times_of_texts <- function(texts, like, text) {
  read <- read_iso_text(texts)
  wrong <- which(!is.na(texts) & !(read$kind %in% 1:2))[1]
  if (!is.na(wrong)) {
    refuse_where(paste0("\"", texts[wrong], "\" is no date such as 2025-01-01"), text)
  }
  if (inherits(like, "Date")) as_date(read$day)
  else as.POSIXct(texts, tz = attr(like, "tzone")[1] %||% "",
                  tryFormats = c("%Y-%m-%dT%H:%M:%OS", "%Y-%m-%d %H:%M:%OS", "%Y-%m-%dT%H:%M",
                                 "%Y-%m-%d %H:%M", "%Y-%m-%d"), optional = FALSE)
}

# Rows of `data` that meet a condition on `from`, which has the same rows.
choose_where <- function(data, where, from = data) {
  if (is.null(where)) {
    return(data)
  }
  condition <- parse_where(where, names(from))
  met <- meets_where(condition, as.list(plain_tibble(from)), where)
  kept <- which(rep_len(met, nrow(data)))
  source <- source_of(data)
  source$left_out <- source$left_out + nrow(data) - length(kept)
  source$rows <- source$rows[kept]
  source$where <- c(source$where, where)
  with_source(data[kept, ], source)
}

# The columns that a condition names.
where_columns <- function(where) {
  parsed <- tryCatch(parse(text = where, keep.source = FALSE), error = function(cnd) NULL)
  if (length(parsed) == 1) all.vars(parsed[[1]])
}
