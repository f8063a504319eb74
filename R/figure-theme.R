# One theme, one set of colours and one way to label an axis for all figures.

ink <- "#22313f"
faint <- "#d5dce2"
main_colour <- "#2f6690"
pale_colour <- "#5e8fb5"
gap_colour <- "#b8590f"
other_colour <- "#7d8b99"

# Told apart by people who see colours differently, and by their lightness.
group_colours <- c("#2f6690", "#d1701d", "#3a9d7c", "#8f3f8f", "#8a7616", "#6b7785")
group_shapes <- c(16, 17, 15, 18, 4, 1)

ridge_theme <- function(size) {
  ggplot2::theme_minimal(base_size = size) +
    ggplot2::theme(
      text = ggplot2::element_text(colour = ink),
      axis.text = ggplot2::element_text(colour = "#3f4d5a"),
      axis.title = ggplot2::element_text(size = ggplot2::rel(0.85)),
      legend.title = ggplot2::element_text(size = ggplot2::rel(0.85)),
      plot.title = ggplot2::element_text(face = "bold", size = ggplot2::rel(1.25)),
      plot.subtitle = ggplot2::element_text(size = ggplot2::rel(0.8),
                                            margin = ggplot2::margin(b = 10)),
      plot.caption = ggplot2::element_text(size = ggplot2::rel(0.75), hjust = 0),
      plot.title.position = "plot", plot.caption.position = "plot",
      panel.grid.minor = ggplot2::element_blank(),
      panel.grid.major.x = ggplot2::element_blank(),
      panel.grid.major.y = ggplot2::element_line(colour = faint, linewidth = 0.4),
      axis.line.x = ggplot2::element_line(colour = ink, linewidth = 0.4),
      axis.ticks.x = ggplot2::element_line(colour = ink, linewidth = 0.4),
      strip.text = ggplot2::element_text(face = "bold", hjust = 0),
      plot.background = ggplot2::element_rect(fill = "white", colour = NA),
      plot.margin = ggplot2::margin(14, 18, 10, 14)
    )
}

wrap_subtitle <- function(text) {
  paste(strwrap(text, 150), collapse = "\n")
}

# Where the periods of an axis lie on a scale of dates, or of moments: a day reaches from half
# before its date to half behind it, so that a line at a date meets the period that holds it.
period_reach <- function(axis) {
  if (is_hourly(axis)) {
    moment <- function(ticks) as_instant(ticks, zone_of(axis$timeline))
    return(list(from = moment(axis$first), middle = moment((axis$first + axis$stop) / 2),
                to = moment(axis$stop)))
  }
  first <- as.double(axis$first_day)
  last <- as.double(axis$last_day)
  date <- function(days) structure(days, class = "Date")
  list(from = date(first - 0.5), middle = date((first + last) / 2), to = date(last + 0.5))
}

# The same for dates of one's own, which lie apart: each reaches half way to the next.
period_edges <- function(axis) {
  reach <- period_reach(axis)
  n <- axis_size(axis)
  apart <- n > 1 && any(axis$first[-1] > axis$stop[-n])
  if (apart) {
    half <- diff(as.double(reach$middle)) / 2
    reach$from <- reach$middle - half[c(1, seq_along(half))]
    reach$to <- reach$middle + half[c(seq_along(half), length(half))]
  }
  reach
}

# Of bars, in the units of the scale: that of the shortest period.
period_bar_width <- function(axis) {
  reach <- period_edges(axis)
  width <- as.double(reach$to) - as.double(reach$from)
  apart <- diff(as.double(reach$middle))
  0.82 * min(width[width > 0], apart[apart > 0])
}

# The periods by their dates; labels at round ones.
period_scale <- function(axis, form, in_panels = FALSE, expand = 0.01) {
  at <- if (in_panels) inner_places(axis) else round_places(axis, 10L)
  labels <- axis_labels(axis_part(axis, at), form %||% "code")
  scale <- if (is_hourly(axis)) ggplot2::scale_x_datetime else ggplot2::scale_x_date
  scale(name = NULL, breaks = period_reach(axis)$middle[at], labels = labels,
        expand = ggplot2::expansion(mult = expand),
        guide = ggplot2::guide_axis(check.overlap = TRUE))
}

# Small panels stand side by side, so none is labelled at its edges.
inner_places <- function(axis) {
  size <- axis_size(axis)
  at <- round_places(axis, 4L)
  inner <- at[at > 0.12 * size & at <= 0.85 * size]
  if (length(inner) > 0) inner else ceiling(size / 2)
}

round_places <- function(axis, most) {
  size <- axis_size(axis)
  if (size <= most) {
    return(seq_len(size))
  }
  if (!is_hourly(axis)) {
    date <- civil_dates(axis$first_day)
    month <- 12L * date$year + date$month - axis$calendar$year_starts
    for (months in c(1L, 3L, 12L)) {
      on_edge <- date$day[1] == 1L && month[1] %% months == 0L
      new <- which(c(on_edge, diff(month %/% months) != 0L))
      if (length(new) %in% 3:most) return(new)
    }
    if (length(new) > most) {
      return(new[seq.int(1L, length(new), by = ceiling(length(new) / most))])
    }
  }
  if (is_hourly(axis)) {
    midnights <- which(diff(day_of_tick(axis$first, axis$timeline)) != 0L) + 1L
    if (length(midnights) %in% 2:(most / 2)) return(midnights)
  }
  seq.int(1L, size, by = ceiling(size / most))
}

#' Draw a result
#'
#' Draws a result of this package as a ggplot, with its conventions as the
#' subtitle. Other objects are passed on to the method that ggplot2 has for them.
#'
#' @param object A result of [active()], of [scaffold()] with `every_period`, of
#'   [check_spans()], [consecutive()], [gaps()], [overlaps()], [concurrency()],
#'   [allocate()], [time_within()], [elapsed()], [movement()], [cohorts()],
#'   [length_of_stay()] or [restated()].
#' @param ... What every figure has: `title`, a text in place of its own; `size` of its text in
#'   points (12); `only`, the names of the groups (keys, partitions) that are drawn, or a list of
#'   values by column; and, where groups add up, `lump`: so many groups are drawn, those with the
#'   most, and all others as one, called how many they are. Further arguments are those of the
#'   methods.
#' @return A ggplot. Its data keeps the columns of the result under their names, so that
#'   `facet_wrap()` by them and further layers work; `ggplot2::get_alt_text()` gives a sentence
#'   for those who cannot see it.
#' @section Errors:
#' A result without a row, one that has no figure, an unknown argument, and a group that the
#' result does not have are errors of class `ridge_error_argument`.
#' @examples
#' staff <- spans(demo_records("postings"), first_day, last_day, key = observer,
#'                as_of = "2026-06-30")
#' autoplot(active(staff, by = "month"))
#' stations <- active(staff, by = "month", group = station)
#' autoplot(stations, lump = 3, title = "Where most observers are")
#' autoplot(stations, only = c("Stonebow", "Whinfell"))
#' @export
autoplot <- function(object, ...) {
  ggplot2::autoplot(object, ...)
}

#' @exportS3Method ggplot2::autoplot
autoplot.ridge_result <- function(object, ...) {
  drawn <- c("active", "scaffold with every_period", "check_spans", "consecutive", "gaps",
             "overlaps", "concurrency", "allocate", "time_within", "elapsed", "movement",
             "cohorts", "length_of_stay", "restated")
  refuse_list_of_records(object)
  verb <- about(object)$question$verb
  ridge_abort(c("There is no figure for {.fn {verb}}.", i = "Figures are drawn of {.or {drawn}}."),
              "argument", arg = "object", value = verb)
}

refuse_list_of_records <- function(object) {
  if (is_listed(object)) {
    ridge_abort(c("A list of records has no figure.",
                  i = "Leave {arg_name('show')} out to draw what they are counted as."),
                "argument", arg = "object")
  }
}

check_drawable <- function(object) {
  if (nrow(object) == 0) {
    ridge_abort(
      c("There is nothing to draw: the result has no rows.",
        i = paste("Look at the table first; name {arg_name('from')} and {arg_name('to')} where",
                  "there are no records.")),
      "argument", arg = "object")
  }
}

# The text of each row's group, a missing one named, levels in the order met.
group_labels <- function(object, names) {
  text <- group_names(object, names)
  factor(text, levels = unique(text))
}

group_names <- function(object, names) {
  line_names(plain_tibble(object)[names])
}

# From a share of nothing to that of all.
tile_colours <- c("#eef3f7", "#1d4e73")

# On which of these shares white text can be read, and not black: by the lightness of the colour.
white_reads_on <- function(share) {
  colours <- grDevices::colorRamp(tile_colours, space = "Lab")(share) / 255
  linear <- ifelse(colours <= 0.03928, colours / 12.92, ((colours + 0.055) / 1.055)^2.4)
  drop(linear %*% c(0.2126, 0.7152, 0.0722)) < 0.179
}

# Each of these groups in its colour, what is lumped in one of its own.
stack_colours <- function(groups) {
  colours <- rep_len(group_colours, length(groups))
  colours[is_others(groups)] <- other_colour
  stats::setNames(colours, groups)
}

is_others <- function(groups) {
  grepl("^[0-9,]+ others$", groups)
}

# By which columns a figure is broken down.
by_words <- function(names) {
  if (length(names)) paste(", by", and_list(names)) else ""
}

# Dates as they are written in tables, as exact as the width asks for.
time_scale <- function(timeline, from, to, beside = 0, in_panels = FALSE) {
  reach <- as.numeric(max(to, na.rm = TRUE)) - as.numeric(min(from, na.rm = TRUE))
  days <- reach / ticks_in_day(timeline)
  form <- if (days < 3 && !on_days(timeline)) "%m-%d %H:%M"
  else if (days < 200) "%Y-%m-%d" else if (days < 3000) "%Y-%m" else "%Y"
  room <- ggplot2::expansion(mult = c(0.01, 0.01 + beside))
  # Labels of panels side by side stand within them.
  breaks <- if (in_panels) inner_breaks else ggplot2::waiver()
  if (on_days(timeline)) {
    return(ggplot2::scale_x_date(name = NULL, date_labels = form, expand = room, breaks = breaks))
  }
  ggplot2::scale_x_datetime(name = NULL, date_labels = form, timezone = timeline$tz, expand = room,
                            breaks = breaks)
}

inner_breaks <- function(limits) {
  edge <- 0.12 * as.numeric(diff(limits), units = "secs")
  if (inherits(limits, "Date")) edge <- edge / day_seconds
  for (n in 3:8) {
    at <- pretty(limits, n)
    at <- at[at > limits[1] + edge & at < limits[2] - edge]
    if (length(at) > 1) break
  }
  # Two are as many as fit below a panel.
  at[seq.int(1, length(at), by = max(1, ceiling(length(at) / 2)))]
}

# Lines at the dates, and room for the last one's label.
time_theme <- function() {
  ggplot2::theme(panel.grid.major.x = ggplot2::element_line(colour = faint, linewidth = 0.3),
                 plot.margin = ggplot2::margin(14, 44, 10, 14))
}
