# Years of whole weeks: 52, and where the rule makes it so 53. Each ends on one weekday, the last
# one in a month or the one nearest to its end, and is cut into periods of 4 and 5 weeks.

week_patterns <- list("4-4-5" = rep(c(4L, 4L, 5L), 4), "4-5-4" = rep(c(4L, 5L, 4L), 4),
                      "5-4-4" = rep(c(5L, 4L, 4L), 4), "13x4" = rep(4L, 13))
week_grains <- c("period", "week", "quarter", "year")

# list(first, last, label, year, nth) of all periods of these years.
week_years <- function(how) {
  end <- year_ends(how)
  weeks <- diff(end) %/% 7L
  parts <- lapply(seq_along(how$years), function(i) {
    of_year <- year_weeks(weeks[i], how)
    data.frame(first = end[i] + 1L + 7L * cumsum(c(0L, of_year[-length(of_year)])),
               weeks = of_year, year = how$years[i], nth = seq_along(of_year))
  })
  table <- do.call(rbind, parts)
  code <- switch(how$grain, period = "-P%02d", week = "-W%02d", quarter = "-Q%d", year = "")
  table$label <- paste0(table$year, if (nzchar(code)) sprintf(code, table$nth))
  list(table = table, last = end[length(end)])
}

# The last day of the year before the first, and of each.
year_ends <- function(how) {
  by_rule <- rule_ends(c(how$years[1] - 1L, how$years), how)
  if (is.null(how$long_years)) {
    return(by_rule)
  }
  by_rule[1] + 7L * cumsum(c(0L, 52L + how$years %in% how$long_years))
}

rule_ends <- function(years, how) {
  month <- how$month + 12L * (years + (how$named_by == "start")) - 1L
  behind <- month + 1L
  month_end <- day_numbers(as.integer(behind %/% 12L), as.integer(behind %% 12L) + 1L,
                           rep(1L, length(years))) - 1L
  weekday <- civil_dates(as.integer(month_end))$weekday
  back <- (weekday - how$ends_on) %% 7L
  if (how$ends == "nearest") back <- back - 7L * (back > 3L)
  as.integer(month_end - back)
}

# The weeks of each period of a year; the 53rd lengthens one of them.
year_weeks <- function(weeks, how) {
  periods <- week_patterns[[how$pattern]]
  if (weeks == 53L) periods[how$extra_week] <- periods[how$extra_week] + 1L
  switch(how$grain, period = periods, week = rep(1L, weeks), year = weeks,
         quarter = as.integer(rowsum(periods, rep(1:4, each = 3))))
}

# The same pattern for further years, as many as reach a day.
further_years <- function(table, day) {
  how <- table$how
  last <- max(table$stop)
  if (day >= last) {
    how$years <- min(how$years):(max(how$years) + ceiling((day - last) / 364) + 1L)
  }
  own_week_years(how)
}

own_week_years <- function(how) {
  made <- week_years(how)
  table <- made$table
  own <- new_own_periods(as.integer(table$first), made$last, table$label)
  own[c("year", "nth", "how")] <- list(as.integer(table$year), table$nth, how)
  own
}
