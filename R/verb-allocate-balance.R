# What was billed and is not recognised yet: opening, billed, recognised and closing by period,
# in units of the last digit until they are shown.

balance_columns <- c("opening", "billed", "recognised", "closing")

allocate_balance <- function(x, question, source) {
  asked <- question$arguments
  amounts <- read_amounts(x, asked$amount, asked$digits)
  groups <- groups_of(x, asked$group)
  total <- asked$total && length(asked$group) > 0
  check_lines_fit(groups, total, question$axis, 6, "This table")
  cells <- if (is.null(question$axis)) rep(list(double()), 4)
  else balance_cells(x, question, amounts, groups, total)
  values <- stats::setNames(lapply(cells, function(units) units / amounts$unit + 0),
                            balance_columns)
  adds <- c(FALSE, TRUE, TRUE, FALSE)
  measures <- Map(function(values, over_periods) new_measure(values, over_periods, TRUE), values,
                  adds)
  new_by_period(question, source, groups, measures, describe_balance(x, question, amounts),
                title = "amount", total = total, class = "ridge_balance", main = "closing")
}

# Over all periods that the spans touch, of which the window is cut out.
balance_cells <- function(x, question, amounts, groups, total) {
  axis <- question$axis
  all <- all_periods(axis)
  whole <- axis
  whole[c("first", "stop", "all")] <- list(all$first, all$stop, NULL)
  question$axis <- whole
  over <- spread_basis(x, question)
  refuse_unshared(x, question, over)
  size <- length(all$first)
  lines <- function(groups) {
    recognised <- matrix(spread_of(x, whole, amounts$values, over, "groups", groups), size)
    billed <- billed_cells(x, question$arguments, amounts, groups, all)
    # What was billed before all periods opens the first.
    change <- rbind(billed[1, ], billed[-1, , drop = FALSE] - recognised)
    running <- matrix(apply(change, 2, cumsum), size + 1L)
    list(running[seq_len(size), , drop = FALSE], billed[-1, , drop = FALSE], recognised,
         running[-1, , drop = FALSE])
  }
  own <- lines(groups)
  shown <- seq_len(size)[seq_len(size) > all$from & seq_len(size) <= all$to]
  in_all <- if (total) lines(groups_of(x, character()))
  lapply(seq_along(own), function(i) {
    c(own[[i]][shown, ], if (total) in_all[[i]][shown, ])
  })
}

# Units billed by period and line; the first row is what was billed before all periods.
billed_cells <- function(x, asked, amounts, groups, all) {
  if (in_database(x)) {
    if (!is.null(asked$date)) refuse_in_database(arg_set("date", asked$date))
    return(billed_in_database(x, groups, amounts$values, all))
  }
  at <- billing_ticks(x, asked$date)
  line <- codes_of(x, groups$names) + 1L
  lines <- groups$size
  size <- length(all$first)
  place <- findInterval(at, all$first)
  known <- which(!is.na(amounts$values) & at < all$stop[size])
  sums <- rowsum(c(amounts$values[known], numeric(1)),
                 c((line[known] - 1) * (size + 1) + place[known] + 1, 1))
  cells <- numeric((size + 1) * lines)
  cells[as.numeric(rownames(sums))] <- sums[, 1]
  matrix(cells, size + 1)
}

# The tick on which each amount is billed: its span's first, or that of a column of dates.
billing_ticks <- function(x, date) {
  if (is.null(date)) {
    return(record_ticks(x)$start)
  }
  timeline <- timeline_of(x)
  read <- read_moments(x[[date]], date, timeline$tz)
  wrong <- which(is.na(read$values))[1]
  if (!is.na(wrong)) {
    ridge_abort(c("{arg_name('date')}: row {source_rows(x, wrong)} of {.val {date}} holds no date.",
                  i = "Each amount needs the day on which it is billed. Leave it out, or mend it."),
                "records", arg = "date", row = source_rows(x, wrong))
  }
  first_ticks(days_of(read$values, timeline), timeline)
}

describe_balance <- function(x, question, amounts) {
  asked <- question$arguments
  when <- if (is.null(asked$date)) "on the first day of its span" else paste("on", asked$date)
  sentence_of(
    paste0("Balance: ", asked$amount, " billed ", when, ", recognised ",
           if (asked$basis == "working_day") "evenly by working day"
           else if (asked$basis == "period") "in equal parts by period" else "evenly by day", ", ",
           level_words(asked$group, grain_name(question$axis), TRUE)),
    paste("rounded to", count_of(asked$digits, "digit")),
    if (amounts$missing > 0) paste(count_of(amounts$missing, "missing amount"), "left out"),
    "opening + billed - recognised = closing", usual_words(x))
}

balance_sentences <- function(object) {
  made <- about(object)
  money <- function(x) format_plain(x, 2)
  sums <- function(name) period_sums(object, name)
  last <- max(which(!is.na(sums("closing"))))
  closing <- sums("closing")
  most <- which.max(closing)
  labels <- period_labels(made)
  c(paste0(money(sum(sums("billed"), na.rm = TRUE)), " was billed and ",
           money(sum(sums("recognised"), na.rm = TRUE)), " recognised; ", money(closing[last]),
           " is left at the end of ", labels[last], "."),
    if (length(labels) > 1) {
      paste0("Most was left at the end of ", labels[most], ": ", money(closing[most]), ".")
    })
}
