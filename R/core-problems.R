# Records that cannot be used, each with its row, the column and value at fault
# and the reason in words.

problem_rows <- function(finding, rows, column, value, reason) {
  data.frame(finding = rep_len(finding, length(rows)), row = rows, column = rep_len(column, length(rows)),
             value = if (length(rows)) value else character(),
             reason = if (length(rows)) rep_len(reason, length(rows)) else character())
}

shown_value <- function(values) {
  text <- as.character(format(values))
  ifelse(is.na(values) | !nzchar(text), "blank", text)
}

# `what` describes the columns as read by spans(); see read_columns().
find_problems <- function(what) {
  found <- rbind(
    missing_start(what),
    unreadable(what, "start"),
    unreadable(what, "end"),
    impossible_year(what, "start"),
    impossible_year(what, "end"),
    end_before_start(what),
    missing_key(what),
    bad_weight(what)
  )
  found[order(found$row), ]
}

missing_start <- function(what) {
  rows <- if (anyNA(what$start$values)) setdiff(which(is.na(what$start$values)), what$start$bad)
  else integer()
  problem_rows("missing start", rows, what$names$start, "blank", "is blank: every record needs a start")
}

unreadable <- function(what, side) {
  rows <- what[[side]]$bad
  problem_rows(paste("unreadable", side), rows, what$names[[side]], shown_value(what$raw[[side]][rows]),
               "is no date")
}

impossible_year <- function(what, side) {
  days <- what[[side]]$days
  rows <- if (all_in_years(days)) integer() else which(!in_years(days))
  problem_rows("impossible year", rows, what$names[[side]], shown_value(what$raw[[side]][rows]),
               paste("is not in the years", first_year, "to", last_year))
}

end_before_start <- function(what) {
  before <- what$ticks$end < what$ticks$start
  rows <- if (any(before, na.rm = TRUE)) which(before) else integer()
  problem_rows("end before start", rows, what$names$end, shown_value(what$raw$end[rows]),
               paste("is before the start,", shown_value(what$raw$start[rows])))
}

missing_key <- function(what) {
  rows <- lapply(what$keys, function(key) which(is_blank(key)))
  do.call(rbind, Map(function(rows, name) problem_rows("missing key", rows, name, "blank", "is blank: every record needs its key"),
                     rows, names(what$keys)))
}

is_blank <- function(values) {
  if (is.factor(values)) {
    return(is.na(values) | values %in% levels(values)[is_blank_text(levels(values))])
  }
  if (is.character(values)) is_blank_text(values) else is.na(values)
}

bad_weight <- function(what) {
  weight <- what$weight
  if (is.null(weight)) {
    return(NULL)
  }
  rows <- which(!is.finite(weight) | weight < 0)
  values <- ifelse(is.na(weight[rows]), "blank", format(weight[rows]))
  problem_rows("unusable weight", rows, what$names$weight, values,
               ifelse(values == "blank", "is blank: every record needs a weight", "is no weight of 0 or more"))
}

refuse_problems <- function(problems, source) {
  rows <- unique(problems$row)
  first <- utils::head(problems, 5)
  lines <- sprintf("Row %s: \"%s\" %s%s.", format_number(source$rows[first$row]),
                   escape_braces(first$column), escape_braces(quoted(first$value)),
                   escape_braces(first$reason))
  more <- nrow(problems) - nrow(first)
  bullets <- stats::setNames(lines, rep("x", length(lines)))
  if (more > 0) {
    bullets <- c(bullets, x = paste("... and", format_number(more), "more."))
  }
  ridge_abort(c(paste(format_number(length(rows)), "of", count_of(length(source$rows), "record"),
                      "cannot be used."),
                bullets,
                i = "Mend them, or say {.code problems = \"set_aside\"} to keep them apart."),
              "records")
}

# The value at fault before the words about it; a blank is named by the words.
quoted <- function(values) {
  ifelse(values == "blank", "", paste0("\"", values, "\" "))
}

format_number <- function(n) {
  format(n, big.mark = ",", scientific = FALSE, trim = TRUE)
}

escape_braces <- function(text) {
  gsub("}", "}}", gsub("{", "{{", text, fixed = TRUE), fixed = TRUE)
}

# An end that lies this far ahead stands for "no end", so it must be named.
far_ends <- function(what) {
  limit <- what$as_of_day + 36525L
  far <- any(what$end$days > limit, na.rm = TRUE)
  rows <- if (far) which(what$end$days > limit & in_years(what$end$days)) else integer()
  problem_rows("far end", rows, what$names$end, shown_value(what$end$values[rows]),
               "is more than 100 years after the as-of date: name it with open if it stands for no end yet")
}

refuse_far_ends <- function(far, source) {
  if (nrow(far) == 0) {
    return(invisible())
  }
  ridge_abort(c("{count_of(nrow(far), 'end')} in {.val {far$column[1]}} {cli::qty(nrow(far))}lie{?s/} more than 100 years after the as-of date; the first is {far$value[1]}, row {source$rows[far$row[1]]}.",
                i = "If that stands for {.emph no end yet}, say {.code open = as.Date(\"{substr(far$value[1], 1, 10)}\")}; otherwise mend it."),
              "records")
}
