# When something is active in a period. A rule that chooses periods is decided at two
# moments of the period: it is met by what has begun by the one and is not over by the
# other. `words` and `period` say it of days, then of instants.

active_rule <- function(begun_by, over_by, words, period) {
  list(begun_by = begun_by, over_by = over_by, words = words, period = period,
       chooses = !is.na(begun_by), averages = FALSE)
}

active_rules <- list(
  any_day = active_rule("last", "first",
                        c("active on any day of the %s", "active at any moment of the %s"),
                        c("on any day of", "at any moment of")),
  first_day = active_rule("first", "first",
                          c("active on the first day of the %s",
                            "active at the first moment of the %s"),
                          c("on the first day of", "at the first moment of")),
  last_day = active_rule("last", "last",
                         c("active on the last day of the %s",
                           "active at the last moment of the %s"),
                         c("on the last day of", "at the last moment of")),
  every_day = active_rule("first", "last",
                          c("active on every day of the %s", "active throughout the %s"),
                          c("on every day of", "throughout")),
  mean_day = active_rule(NA, NA,
                         c("the average over the days of the %s",
                           "the average over the time of the %s"),
                         c("on average over", "on average over the time of")),
  peak_day = active_rule(NA, NA,
                         c("the most on one day of the %s", "the most at one moment of the %s"),
                         c("on the fullest day of", "at the fullest moment of"))
)
active_rules$mean_day$averages <- TRUE

rule_names <- function(choosing = FALSE) {
  names(Filter(function(rule) rule$chooses || !choosing, active_rules))
}

check_rule <- function(rule, choosing = FALSE) {
  check_choice(rule, rule_names(choosing), "rule")
}

is_average <- function(rule) {
  active_rules[[rule]]$averages
}

# Is what all keys (or records) come to the sum of what each comes to by itself?
adds_up <- function(rule) {
  active_rules[[rule]]$chooses || is_average(rule)
}

# What is active throughout a period is also active on its first day, and so on: with
# a single day there is nothing to choose but how weights are averaged.
rule_words <- function(rule, grain, timeline) {
  if (on_days(timeline) && !is_average(rule) && grain == "day") {
    return("active that day")
  }
  sprintf(active_rules[[rule]]$words[if (on_days(timeline)) 1 else 2], grain)
}

period_rule_words <- function(rule, timeline) {
  active_rules[[rule]]$period[if (on_days(timeline)) 1 else 2]
}

# The last ticks by which a span has to have begun, and must not be over, to be active
# in [first, stop).
deciding_ticks <- function(rule, first, stop, timeline) {
  at <- list(first = first, last = tick_before(stop, timeline))
  list(begun_by = at[[active_rules[[rule]]$begun_by]], over_by = at[[active_rules[[rule]]$over_by]])
}

# May several records that meet be active by it where none of them is by itself? So it is where
# the whole of a period has to be covered.
is_met_jointly <- function(rule) {
  identical(unlist(active_rules[[rule]][c("begun_by", "over_by")], use.names = FALSE),
            c("first", "last"))
}

# Is the rule only decided by the last moment of a period: can what is not over yet still
# fail it?
is_decided_late <- function(rule) {
  identical(active_rules[[rule]]$over_by, "last")
}

# A record counts where it began by `begun_by` and stops after `over_by`.
record_conditions <- function(ticks, when, timeline) {
  at <- deciding_ticks(when$rule, when$first, when$stop, timeline)
  started <- ticks$start <= at$begun_by
  ended <- ticks$stop <= at$over_by
  empty <- ticks$stop <= ticks$start
  c(at, list(started = started, ended = ended, empty = empty,
             open = is_never(ticks$stop, timeline), active = started & !ended & !empty))
}
