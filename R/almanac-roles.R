# Which columns are the start, the end, the key, the groups and the amounts: by their type and
# content first, by their names where that leaves a choice. Each choice is told with its reason.

name_words <- list(
  start = paste0("start|begin|from|since|first|open|join|hire|arriv|report|lent|check.?in|",
                 "seit|von$|ab$|debut|inicio|desde"),
  end = paste0("end|until|till|^to$|_to$|last|clos|left|leav|exit|depart|return|mend|finish|",
               "check.?out|bis$|fin$|hasta|due"),
  key = paste0("id$|_id|^id|code|number|nr$|no$|key|person|employee|staff|member|patient|",
               "customer|client|asset|device|unit"),
  amount = paste0("amount|sum|total|price|cost|fee|value|money|budget|grant|rent|salary|pledge|",
                  "monthly|betrag|montant|importe"))

named_like <- function(column, role) {
  grepl(name_words[[role]], tolower(column$name), perl = TRUE)
}

of_kind <- function(columns, kinds) {
  Filter(function(column) column$kind %in% kinds, columns)
}

# What the records are: list(told = words of the almanac, said = reasons, ...).
choose_roles <- function(columns, file, told) {
  moments <- Filter(function(column) column$kind == "moment" && is_record_date(column), columns)
  intervals <- of_kind(columns, "intervals")
  if (length(moments) + length(intervals) == 0) {
    ridge_abort(c("{.file {file}} has no column of dates.",
                  i = "Columns are {.val {names(columns)}}."), "records", value = file)
  }
  key <- choose_key(columns)
  span <- if (length(intervals)) interval_span(intervals[[1]])
  else if (length(moments) == 1) single_span(moments[[1]], columns, key)
  else pair_span(moments, columns, key)
  counts <- if (!isTRUE(span$log) && !is.null(span$days)) end_that_meets(span, key)
  groups <- choose_groups(columns, key)
  list(told = c(span$told, list(key = key$column$name), counts$told),
       said = c(span$said, key$said, counts$said, groups$said), span = span, key = key$column,
       groups = groups$names, numbers = choose_numbers(columns, span))
}

# A column that hardly has a value is no date of the records.
is_record_date <- function(column) {
  column$n == 0 || column$blank < column$n
}

interval_span <- function(column) {
  list(told = list(start = column$name, end = column$name),
       said = paste0("start and end: \"", column$name, "\", which holds intervals"))
}

# The pair in which the second is never before the first; where several are left the one with
# fewest blanks at its start, then the one that is named so.
pair_span <- function(moments, columns, key) {
  pairs <- expand.grid(start = seq_along(moments), end = seq_along(moments))
  pairs <- pairs[pairs$start != pairs$end, ]
  score <- mapply(function(i, j) pair_score(moments[[i]], moments[[j]]), pairs$start, pairs$end)
  best <- which.max(score)
  start <- moments[[pairs$start[best]]]
  end <- moments[[pairs$end[best]]]
  fits <- order_share(start, end)
  open <- c(if (end$blank > 0) paste(format_number(end$blank), "blank"),
            if (length(end$words)) paste0("\"", end$words, "\""))
  told <- list(start = start$name, end = end$name)
  means <- c(end$words, format(end$far))
  if (length(means)) told$means_open <- means
  order <- unique(c(start$order, end$order))
  list(told = told, days = list(start = start$days, end = end$days), on = start$on,
       end = end, start = start,
       said = c(paste0("start: \"", start$name, "\"; end: \"", end$name, "\", not before it in ",
                       as_percent(fits), " of records",
                       if (length(open)) paste0("; ", paste(open, collapse = " and "),
                                                " taken for still open")),
                if (length(order)) {
                  paste0("dates are ", order_words[order], ": the columns prove it")
                },
                if (length(end$far)) paste0("ends on ", paste(format(end$far), collapse = ", "),
                                            " taken for still open")))
}

pair_score <- function(start, end) {
  if (start$on != end$on) {
    return(-Inf)
  }
  fits <- order_share(start, end)
  both <- mean(!is.na(start$days) & !is.na(end$days))
  10 * fits - 4 * start$blank / start$n + (both > 0) +
    named_like(start, "start") + named_like(end, "end") -
    0.5 * named_like(start, "end") - 0.5 * named_like(end, "start") -
    2 * (length(start$words) > 0 || length(start$far) > 0) - (mean_gap(start, end) == 0)
}

order_share <- function(start, end) {
  known <- !is.na(start$ticks) & !is.na(end$ticks)
  if (!any(known)) return(0)
  mean(end$ticks[known] >= start$ticks[known])
}

mean_gap <- function(start, end) {
  gap <- mean(end$ticks - start$ticks, na.rm = TRUE)
  if (is.nan(gap)) 0 else gap
}

# One date: a log of states where a key changes them, each a day of its own where keys come often,
# still there where each key comes once.
single_span <- function(moment, columns, key) {
  clocks <- of_kind(columns, "clock")
  if (length(clocks) >= 2 && moment$on == "days") {
    return(clock_span(moment, clocks))
  }
  again <- if (!is.null(key$column)) seen_again(key$column$values, moment$days)
  states <- Filter(function(column) column$kind == "label", columns)
  order <- if (length(moment$order)) {
    paste0("dates are ", order_words[moment$order], ": the column proves it")
  }
  if (!is.null(again) && again$often && again$apart > 45 && length(states) > 0) {
    state <- states[[which.max(vapply(states, changes_with, 0, key$column$values, moment$days))]]
    return(list(told = list(at = moment$name, state = state$name), log = TRUE, state = state$name,
                said = c(paste0("a log of changes: \"", moment$name, "\" comes again for each ",
                                "key, months apart, and \"", state$name, "\" changes with it"),
                         order)))
  }
  if (is.null(again) || again$often) {
    return(list(told = list(start = moment$name, one_day = TRUE), days = list(start = moment$days),
                one_day = TRUE, on = moment$on,
                said = c(paste0("one day each: \"", moment$name,
                                "\" is the only date; say all_open: true if they last"), order)))
  }
  list(told = list(start = moment$name, all_open = TRUE), on = moment$on,
       said = c(paste0("start: \"", moment$name, "\", the only date, once for each key: all are ",
                       "taken to be still there; say one_day: true if each is a day"), order))
}

# Do keys come again, and how many days apart?
seen_again <- function(key, days) {
  order <- order(as.character(key), days)
  key <- as.character(key)[order]
  apart <- diff(as.double(days)[order])
  same <- key[-1] == key[-length(key)]
  again <- apart[same %in% TRUE]
  list(often = mean(same, na.rm = TRUE) > 0.2,
       apart = if (length(again)) stats::median(again, na.rm = TRUE) else 0)
}

# In which share of a key's next rows the label is another one.
changes_with <- function(column, key, days) {
  order <- order(as.character(key), days)
  key <- as.character(key)[order]
  value <- as.character(column$values)[order]
  same <- key[-1] == key[-length(key)]
  mean((value[-1] != value[-length(value)])[same %in% TRUE], na.rm = TRUE)
}

clock_span <- function(moment, clocks) {
  score <- vapply(clocks, function(clock) {
    named_like(clock, "end") - named_like(clock, "start")
  }, 0)
  pair <- clocks[order(score, seq_along(clocks))][c(1, length(clocks))]
  list(told = list(start = moment$name, start_clock = pair[[1]]$name, end_clock = pair[[2]]$name),
       on = "instants",
       said = paste0("start: \"", moment$name, "\" with the clock \"", pair[[1]]$name,
                     "\"; end: the clock \"", pair[[2]]$name,
                     "\", past midnight where it is earlier"))
}

# Codes first, then what is called so, then texts; of several the one with most values.
choose_key <- function(columns) {
  fits <- of_kind(columns, c("code", "text", "label"))
  fits <- Filter(function(column) column$blank < 0.02 * column$n, fits)
  if (length(fits) == 0) {
    return(list(said = "key: none was found; counts are of records"))
  }
  score <- vapply(fits, function(column) {
    2 * (column$kind == "code") + 1.5 * named_like(column, "key") + column$distinct / column$n -
      3 * (column$distinct < 2)
  }, 0)
  column <- fits[[which.max(score)]]
  why <- if (column$kind == "code") "codes" else "names"
  list(column = column,
       said = paste0("key: \"", column$name, "\", ", format_number(column$distinct), " ", why,
                     " in ", count_of(column$n, "record")))
}

choose_groups <- function(columns, key) {
  labels <- Filter(function(column) {
    column$kind == "label" && column$distinct > 1 && !identical(column$name, key$column$name)
  }, columns)
  labels <- labels[order(vapply(labels, `[[`, 0L, "distinct"), decreasing = TRUE)]
  names <- vapply(labels, `[[`, "", "name")
  fitting <- names[vapply(labels, `[[`, 0L, "distinct") <= 24]
  list(names = unname(fitting),
       said = if (length(fitting)) {
         paste0("groups: ", paste0("\"", fitting, "\"", collapse = ", "),
                ", labels that come again")
       })
}

# Shares of one are weights; other numbers are amounts where they have decimals, or are called so.
choose_numbers <- function(columns, span) {
  shares <- of_kind(columns, "share")
  numbers <- Filter(function(column) {
    column$kind == "number" && (!column$whole || named_like(column, "amount"))
  }, columns)
  numbers <- numbers[order(!vapply(numbers, named_like, NA, "amount"))]
  lasts <- !is.null(span$end) || !is.null(span$told$end)
  list(weight = if (length(shares)) shares[[1]]$name,
       amount = if (length(numbers) && lasts) numbers[[1]]$name)
}

# Where the next of a key begins on the day on which the one before ends, that day does not count.
end_that_meets <- function(span, key) {
  if (is.null(key$column) || is.null(span$days$end) || span$on != "days") {
    return(NULL)
  }
  order <- order(as.character(key$column$values), span$days$start)
  who <- as.character(key$column$values)[order]
  start <- as.double(span$days$start)[order]
  end <- as.double(span$days$end)[order]
  n <- length(who)
  gap <- (start[-1] - end[-n])[(who[-1] == who[-n]) %in% TRUE]
  meets <- sum(gap == 0, na.rm = TRUE)
  follows <- sum(gap == 1, na.rm = TRUE)
  if (meets >= 5 && meets > 4 * follows) {
    list(told = list(end_counts = FALSE),
         said = paste0("the last day does not count: ", count_of(meets, "record"),
                       " of a key begin on the day on which the one before ends"))
  }
}
