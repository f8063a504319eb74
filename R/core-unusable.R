# Records that cannot be used, each with its row, the column and value at fault
# and the reason in words.

unusable_rows <- function(finding, rows, column, value, reason) {
  n <- length(rows)
  vctrs::new_data_frame(list(
    finding = rep_len(finding, n), row = rows, column = rep_len(column, n),
    value = if (n > 0) value else character(),
    reason = if (n > 0) rep_len(reason, n) else character()))
}

shown_value <- function(values) {
  text <- if (is.character(values) || is.factor(values)) as.character(values)
  else if (inherits(values, "POSIXct")) zoned_text(values)
  else if (inherits(values, "Date")) date_text(values)
  else as.character(format(values, trim = TRUE))
  ifelse(is.na(values) | !nzchar(text), "blank", text)
}

zoned_text <- function(values) {
  text <- format(values, "%Y-%m-%d %H:%M:%S", usetz = TRUE)
  ifelse(is.infinite(as.double(values)), as.character(as.double(values)), text)
}

# A part of a day is shown, as it is what is wrong.
date_text <- function(values) {
  days <- as.double(unclass(values))
  part <- days - floor(days)
  ifelse(is.infinite(days), as.character(days),
         paste0(format(values),
                ifelse(part > 0, paste(" and", number_texts(part), "of a day"), "")))
}

# `what` describes the columns as read by spans(); see read_columns().
find_unusable <- function(what) {
  # Records of one day have no end of their own.
  sides <- c("start", if (has_end_column(what$names)) "end")
  found <- rbind(
    missing_start(what),
    do.call(rbind, lapply(sides, unreadable, what = what)),
    do.call(rbind, lapply(sides, impossible_year, what = what)),
    end_before_start(what),
    missing_key(what),
    bad_weight(what)
  )
  found[order(found$row), ]
}

find_nothing <- function() {
  unusable_rows(character(), integer(), character(), character(), character())
}

missing_start <- function(what) {
  blank <- anyNA(what$start$values)
  rows <- if (blank) setdiff(which(is.na(what$start$values)), what$start$bad) else integer()
  unusable_rows("missing start", rows, what$names$start, "blank",
                "is blank: every record needs a start")
}

unreadable <- function(what, side) {
  rows <- what[[side]]$bad
  unusable_rows(paste("unreadable", side), rows, what$names[[side]],
                shown_value(what$raw[[side]][rows]), why_unreadable(what$raw[[side]][rows]))
}

why_unreadable <- function(values) {
  if (inherits(values, c("Date", "POSIXct"))) {
    return(ifelse(is.infinite(as.double(values)), "is infinite", "is no whole day"))
  }
  numbers <- suppressWarnings(as.double(as.character(values)))
  serial <- !is.na(numbers) & numbers > 20000 & numbers < 80000
  ifelse(serial, paste("is no date; numbers that a workbook keeps for days are read with",
                       arg_set("date_order", "days_1900")), "is no date")
}

impossible_year <- function(what, side) {
  days <- what[[side]]$days
  rows <- if (all_in_years(days)) integer() else which(!in_years(days))
  unusable_rows("impossible year", rows, what$names[[side]], shown_value(what$raw[[side]][rows]),
                paste("is not in the years", first_year, "to", last_year))
}

end_before_start <- function(what) {
  before <- what$ticks$end < what$ticks$start
  rows <- if (any(before, na.rm = TRUE)) which(before) else integer()
  unusable_rows("end before start", rows, what$names$end, shown_value(what$raw$end[rows]),
                paste("is before the start,", shown_value(what$raw$start[rows])))
}

missing_key <- function(what) {
  rows <- lapply(what$keys, function(key) which(is_blank(key)))
  do.call(rbind, Map(function(rows, name) {
    unusable_rows("missing key", rows, name, "blank", "is blank: every record needs its key")
  }, rows, names(what$keys)))
}

bad_weight <- function(what) {
  weight <- what$weight
  if (is.null(weight)) {
    return(NULL)
  }
  rows <- which(!is.finite(weight) | weight < 0)
  values <- ifelse(is.na(weight[rows]), "blank", format(weight[rows]))
  unusable_rows("unusable weight", rows, what$names$weight, values,
                ifelse(values == "blank", "is blank: every record needs a weight",
                       "is no weight of 0 or more"))
}

refuse_unusable <- function(found, source) {
  rows <- unique(found$row)
  first <- utils::head(found, 5)
  lines <- sprintf("Row %s: \"%s\" %s%s.", format_number(source$rows[first$row]),
                   escape_braces(first$column), escape_braces(quoted(first$value)),
                   escape_braces(first$reason))
  more <- nrow(found) - nrow(first)
  bullets <- stats::setNames(lines, rep("x", length(lines)))
  if (more > 0) {
    bullets <- c(bullets, x = paste("... and", format_number(more), "more."))
  }
  of <- count_of(length(source$rows), "record")
  ridge_abort(
    c("{format_number(length(rows))} of {of} cannot be used.", bullets,
      i = open_hint(found),
      i = "Mend them, or say {arg_set('unusable', 'set_aside')} to keep them apart."),
    "records", arg = first$column[1], row = source$rows[first$row], value = first$value)
}

# A few words that stand where ends should be stand for something: for no end yet, as like
# as not.
open_hint <- function(found) {
  ends <- unique(found$value[found$finding == "unreadable end"])
  words <- ends[!grepl("[0-9]", ends)]
  if (length(words) == 0 || length(words) > 5) {
    return(NULL)
  }
  it <- if (length(words) == 1) "that stands" else "they stand"
  escape_braces(paste0(and_list(paste0("\"", words, "\"")), ": if ", it, " for no end yet, say ",
                       arg_set("means_open", words), "."))
}

# The value at fault before the words about it; a blank is named by the words.
quoted <- function(values) {
  ifelse(values == "blank", "", paste0("\"", values, "\" "))
}

# An end that lies this far ahead stands for "no end", so it must be named.
most_days_ahead <- 36525L

far_ends <- function(what) {
  if (!has_end_column(what$names)) return(find_nothing())
  limit <- what$as_of_day + most_days_ahead
  far <- any(what$end$days > limit, na.rm = TRUE)
  rows <- if (far) which(what$end$days > limit & in_years(what$end$days)) else integer()
  reason <- paste("is more than 100 years after the as-of date: name it with",
                  arg_name("means_open"), "if it stands for no end yet")
  unusable_rows("far end", rows, what$names$end, shown_value(what$end$values[rows]), reason)
}

refuse_far_ends <- function(far, source) {
  n <- nrow(far)
  if (n == 0) {
    return(invisible())
  }
  row <- source$rows[far$row[1]]
  ridge_abort(
    c(paste(paste("{n} end{?s} in {.val {far$column[1]}} {cli::qty(n)}{?lies/lie} more than 100",
                  "years after the"),
            "as-of date; the first is {far$value[1]}, row {row}."),
      i = paste("If that stands for {.emph no end yet}, say",
                "{arg_set('means_open', substr(far$value[1], 1, 10))}; otherwise mend it.")),
    "records", arg = "means_open", row = row, value = far$value[1])
}

unusable_in_source <- function(found, source) {
  found$row <- source$rows[found$row]
  found
}

# The records set aside as they came, behind their row and the reasons.
reasons_with_rows <- function(data, found, source) {
  shown <- sprintf("%s %s%s", found$column, quoted(found$value), found$reason)
  reasons <- vapply(split(shown, found$row), paste, character(1), collapse = "; ")
  rows <- as.integer(names(reasons))
  columns <- lapply(as.list(data), function(column) column[rows])
  names(columns) <- make.unique(c("row", "reason", names(columns)), "_")[-(1:2)]
  tibble::new_tibble(c(list(row = source$rows[rows], reason = unname(reasons)), columns),
                     nrow = length(rows))
}
