# What is allocated, over what it is spread, and which spans have no even share.

# The amounts, in units of the last digit where they are rounded. Of records that are elsewhere
# `values` says how they are read there: see engine-parts-periods.R, engine-database-amounts.R.
read_amounts <- function(x, name, digits) {
  if (in_parts(x)) {
    return(amounts_in_parts(x, name, digits))
  }
  if (in_database(x)) {
    return(amounts_in_database(x, name, digits))
  }
  amounts <- as_numbers(x[[name]], name, "amount")
  read <- amount_units(amounts, if (!is.null(digits)) 10^digits, threads_for(length(amounts)))
  if (read$wrong > 0) {
    row <- source_rows(x, read$wrong)
    seen <- amounts[read$wrong]
    ridge_abort("{.val {name}}: {.val {seen}} in row {row} is too large to be kept exactly.",
                "records", arg = "amount", row = row, value = seen)
  }
  list(values = read$units, unit = 10^(digits %||% 0), sum = sum(read$units, na.rm = TRUE),
       missing = read$missing, finer = read$finer)
}

amounts_in_parts <- function(x, name, digits) {
  met <- over_parts(x, name, NULL, function(part, i) {
    own <- read_amounts(part, name, digits)
    c(own[c("sum", "missing", "finer")], list(digits = number_digits(none_as_zero(own$values))))
  }, function(a, b) {
    list(sum = a$sum + b$sum, missing = a$missing + b$missing, finer = a$finer + b$finer,
         digits = rbind(a$digits, b$digits))
  })
  values <- list(names = name, scale = scale_of_numbers(met$digits),
                 of = function(part) read_amounts(part, name, digits)$values)
  c(met[c("sum", "missing", "finer")], list(values = values, unit = 10^(digits %||% 0)))
}

none_as_zero <- function(values) {
  if (!is.list(values)) {
    return(replace(values, is.na(values), 0))
  }
  read <- values$of
  # A database leaves out what is missing.
  if (is.null(read)) return(values)
  values$of <- function(part) none_as_zero(read(part))
  values
}

# What amounts are spread over: days or time, working days, or equal parts.
spread_basis <- function(x, question) {
  asked <- question$arguments
  all <- all_periods(question$axis)
  table <- if (asked$basis == "working_day") working_table(x, asked$calendar,
                                                           unlist(all[c("first", "stop")]))
  spread_over(table, equal_parts = asked$basis == "period", rounded = !is.null(asked$digits))
}

# First what is open or empty: working days are only known where records are.
refuse_unshared <- function(x, question, over) {
  facts <- facts_of(x)
  by_working_day <- question$arguments$basis == "working_day" && !is.null(over)
  if (facts$open + facts$empty == 0 && !by_working_day) {
    return(invisible())
  }
  if (in_database(x)) {
    return(refuse_unshared_counts(unshared_in_database(x, question, over)))
  }
  wrong <- unshared_rows(x, question, over)
  n <- nrow(wrong)
  if (n == 0) {
    return(invisible())
  }
  first <- utils::head(wrong[order(wrong$row), ], 5)
  lines <- sprintf("Row %s is %s.", format_rows(first$row), first$reason)
  ridge_abort(
    c("{n} span{?s} {?has/have} no even share.", stats::setNames(lines, rep("x", length(lines))),
      i = unshared_way_out(n, any(wrong$open))), "records", arg = "basis", row = first$row)
}

# Records that have no rows are counted.
refuse_unshared_counts <- function(counts) {
  n <- sum(counts)
  if (n == 0) return(invisible())
  words <- c(open = "open: without an end", empty = "empty: they cover nothing",
             idle = "without a working day")
  lines <- paste0(format_number(counts), " ", words[names(counts)], ".")[counts > 0]
  ridge_abort(
    c("{n} span{?s} {?has/have} no even share.", stats::setNames(lines, rep("x", length(lines))),
      i = unshared_way_out(n, counts[["open"]] > 0)), "records", arg = "basis")
}

unshared_way_out <- function(n, any_open) {
  if (any_open) paste("Say {arg_set('open_to_as_of', TRUE)} to end open ones on the as-of date, or",
                      "leave them out.")
  else paste("Leave", if (n == 1) "it" else "them",
             "out, or choose another {arg_name('basis')}.")
}

unshared_rows <- function(x, question, over) {
  if (in_parts(x)) {
    return(over_parts(x, NULL, NULL, function(part, i) unshared_rows(part, question, over),
                      rbind))
  }
  ticks <- record_ticks(x)
  open <- is_never(ticks$stop, timeline_of(x))
  empty <- ticks$stop <= ticks$start
  wrong <- which(open | empty)
  if (length(wrong) == 0) {
    found <- spread_of(x, question$axis, NULL, over, "wholes")
    wrong <- sort(found$record[found$whole <= 0])
  }
  open <- open[wrong]
  reason <- ifelse(open, "open: it has no end",
                   ifelse(empty[wrong], "empty: it covers nothing", "without a working day"))
  data.frame(row = source_rows(x, wrong), reason = reason, open = open)
}

# What a row of amounts or of time stands for.
level_words <- function(group, grain, to_totals) {
  if (!to_totals) paste("by record and", grain)
  else if (length(group)) paste("by", and_list(group), "and", grain) else paste("in all by", grain)
}

# Sums by period: what there is in all, and how it ran.
amount_sentences <- function(object, value, noun) {
  made <- about(object)
  sums <- period_sums(object, value)
  there <- sums[!is.na(sums)]
  c(paste0(noun, " was ", format_plain(sum(there), 2), " in all, ",
           format_plain(sum(there) / length(there), 2), " in the average period."),
    series_sentences(sums, period_labels(made), "By period it"))
}

# The sum of a measure in each period, without the line over all groups; NA where no row
# of a period is left.
period_sums <- function(object, value) {
  made <- about(object)
  own <- own_rows(object)
  place <- if (inherits(object, "ridge_by_period")) cells_of(object)$place[own]
  else period_places(object$period, made$axis)
  sums <- tapply(object[[value]][own], factor(place, seq_len(axis_size(made$axis))), sum,
                 na.rm = TRUE, default = if (is_whole(object)) 0 else NA)
  as.vector(sums)
}

# Rows of groups, or those of the line over all where there is nothing else.
own_rows <- function(object) {
  made <- about(object)
  if (!inherits(object, "ridge_by_period")) {
    return(rep(TRUE, nrow(object)))
  }
  in_all <- is_total_line(made)[cells_of(object)$line]
  if (all(in_all)) in_all else !in_all
}
