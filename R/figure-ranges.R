gap_colour <- "#d1701d"

#' Draw stretches, gaps, overlaps and levels
#'
#' Stretches are strips by key over time, with the gaps between them marked and,
#' where there is room, labelled with their days. Gaps alone are drawn the same
#' way. Up to 45 keys are named, more are numbered, 2000 is the most. Overlaps are
#' pairs of strips with the part in common filled, the 16 longest at most. Levels
#' are steps; with `capacity` what is above it is told apart; of several groups
#' each has a panel, the 24 with the highest level at most.
#'
#' @param object A result of [consecutive()], [gaps()], [overlaps()] or
#'   [concurrency()].
#' @param capacity For levels: `NULL`, or a number to draw as a line.
#' @param ... Not used.
#' @return A ggplot.
#' @section Errors:
#' A result without a row, or with too many keys, is an error of class
#' `ridge_error_argument`.
#' @examples
#' readings <- spans(demo_records("stake_readings"), read_on, NULL, key = stake)
#' autoplot(consecutive(readings))
#' autoplot(gaps(readings, min_days = 3))
#' @name autoplot.ranges
#' @exportS3Method ggplot2::autoplot
autoplot.ridge_consecutive <- function(object, ...) {
  check_drawable(object)
  drawn <- strip_lines(object)
  drawn <- drawn[!is.na(drawn$end), ]
  between <- gaps_between(drawn)
  strips <- ggplot2::ggplot(drawn) +
    ggplot2::geom_rect(ggplot2::aes(xmin = .data$start, xmax = .data$stop, ymin = .data$place - .data$half,
                                    ymax = .data$place + .data$half), fill = main_colour)
  few <- max(drawn$place) <= most_named_keys
  if (few && nrow(between) > 0) strips <- strips + gap_marks(between)
  finish_strips(strips, drawn, about(object), "Stretches without a break", few,
                if (few && nrow(between) > 0) "Orange lines are the gaps, with their days where there is room." else NULL)
}

#' @rdname autoplot.ranges
#' @exportS3Method ggplot2::autoplot
autoplot.ridge_gaps <- function(object, ...) {
  check_drawable(object)
  drawn <- strip_lines(object)
  few <- max(drawn$place) <= most_named_keys
  width <- as.numeric(max(drawn$stop)) - as.numeric(min(drawn$start))
  drawn$label <- ifelse(as.numeric(drawn$stop) - as.numeric(drawn$start) > width / 50, format(drawn$length), "")
  strips <- ggplot2::ggplot(drawn) +
    ggplot2::geom_hline(ggplot2::aes(yintercept = .data$place), data = unique(drawn["place"]), colour = faint,
                        linewidth = if (few) 0.5 else 0.1) +
    ggplot2::geom_rect(ggplot2::aes(xmin = .data$start, xmax = .data$stop, ymin = .data$place - .data$half,
                                    ymax = .data$place + .data$half), fill = gap_colour)
  if (few) {
    strips <- strips + ggplot2::geom_text(ggplot2::aes(x = halfway(.data$start, .data$stop), y = .data$place,
                                                       label = .data$label), size = 3, colour = "white")
  }
  finish_strips(strips, drawn, about(object), "Gaps", few,
                if (few) sprintf("Numbers in the bars are %s.", if (is.null(about(object)$tz)) "days" else "hours"))
}

# A place from the top for each line, the ends as the moments after them.
strip_lines <- function(object) {
  made <- about(object)
  names <- if (length(made$line)) group_names(object, made$line) else rep("all", nrow(object))
  place <- match(names, unique(names))
  lines <- max(place)
  # What cannot be named is ranked by its beginning.
  if (lines > most_named_keys) place <- rank(tapply(as.numeric(object$start), place, min), ties.method = "first")[place]
  if (lines > most_drawn_keys) {
    ridge_abort(c("{format_number(lines)} lines cannot be told apart in one figure; {most_drawn_keys} is the most.",
                  i = "Narrow the records first, for example with {.fn subset}."), "argument")
  }
  length <- if (is.null(made$tz)) object$days else round(object$hours, 1)
  data.frame(name = names, place = place, half = if (lines > most_named_keys) 0.5 else 0.32, start = object$start,
             end = object$end, stop = object$end + is.null(made$tz), length = length)
}

gaps_between <- function(drawn) {
  n <- nrow(drawn)
  if (n < 2) {
    return(drawn[0, ])
  }
  i <- which(drawn$place[-1] == drawn$place[-n] & drawn$start[-1] > drawn$stop[-n])
  gaps <- data.frame(place = drawn$place[i], from = drawn$stop[i], to = drawn$start[i + 1])
  gaps$length <- as.numeric(gaps$to) - as.numeric(gaps$from)
  width <- as.numeric(max(drawn$stop)) - as.numeric(min(drawn$start))
  gaps$label <- ifelse(gaps$length > width / 40, gap_label(gaps$length, drawn$start), "")
  gaps
}

gap_label <- function(length, like) {
  if (inherits(like, "Date")) format(length, trim = TRUE) else format(round(length / 3600, 1), trim = TRUE)
}

halfway <- function(from, to) {
  from + (as.numeric(to) - as.numeric(from)) / 2
}

gap_marks <- function(between) {
  list(
    ggplot2::geom_segment(ggplot2::aes(x = .data$from, xend = .data$to, y = .data$place, yend = .data$place),
                          data = between, colour = gap_colour, linewidth = 1),
    ggplot2::geom_label(ggplot2::aes(x = halfway(.data$from, .data$to), y = .data$place, label = .data$label),
                        data = between[between$label != "", ], size = 3, colour = gap_colour, label.size = 0,
                        label.padding = ggplot2::unit(0.12, "lines"))
  )
}

finish_strips <- function(strips, drawn, made, title, few, caption) {
  names <- drawn$name[match(seq_len(max(drawn$place)), drawn$place)]
  strips + time_scale(made$tz, drawn$start, drawn$stop) + names_scale(names, "%d lines, by their first day") +
    ggplot2::labs(title = title, subtitle = wrap_subtitle(made$conventions), caption = caption) + ridge_theme() + time_theme() +
    ggplot2::theme(panel.grid.major.y = ggplot2::element_blank(),
                   axis.text.y = ggplot2::element_text(size = name_size(length(names))))
}

# Dates as they are written in tables, as exact as the width asks for.
time_scale <- function(tz, from, to, beside = 0) {
  days <- (as.numeric(max(to, na.rm = TRUE)) - as.numeric(min(from, na.rm = TRUE))) / (if (is.null(tz)) 1 else 86400)
  form <- if (days < 3 && !is.null(tz)) "%m-%d %H:%M" else if (days < 200) "%Y-%m-%d" else if (days < 3000) "%Y-%m" else "%Y"
  room <- ggplot2::expansion(mult = c(0.01, 0.01 + beside))
  if (is.null(tz)) ggplot2::scale_x_date(name = NULL, date_labels = form, expand = room)
  else ggplot2::scale_x_datetime(name = NULL, date_labels = form, timezone = tz, expand = room)
}

# Lines at the dates, and room for the last one's label.
time_theme <- function() {
  ggplot2::theme(panel.grid.major.x = ggplot2::element_line(colour = faint, linewidth = 0.3),
                 plot.margin = ggplot2::margin(14, 44, 10, 14))
}

most_pairs <- 16L

#' @rdname autoplot.ranges
#' @exportS3Method ggplot2::autoplot
autoplot.ridge_overlaps <- function(object, ...) {
  check_drawable(object)
  made <- about(object)
  length <- if (is.null(made$tz)) object$days else object$hours
  longest <- sort(utils::head(order(-length), most_pairs))
  one <- as.integer(is.null(made$tz))
  bars <- pair_bars(object, longest, made, one)
  shared <- data.frame(place = seq_along(longest), from = object$start[longest], to = object$end[longest] + one,
                       label = paste(format(round(length[longest], 2), trim = TRUE, drop0trailing = TRUE), if (one) "days" else "hours"))
  shared$beside <- pmax(bars$to[seq_along(longest)], bars$to[length(longest) + seq_along(longest)])
  shared$label <- sub("^1 (day|hour)s$", "1 \\1", shared$label)
  ggplot2::ggplot(bars) +
    ggplot2::geom_rect(ggplot2::aes(xmin = .data$from, xmax = .data$to, ymin = .data$place + .data$shift - 0.13,
                                    ymax = .data$place + .data$shift + 0.13), fill = "#a9bccb") +
    ggplot2::geom_rect(ggplot2::aes(xmin = .data$from, xmax = .data$to, ymin = .data$place - 0.31, ymax = .data$place + 0.31),
                       data = shared, fill = gap_colour, alpha = 0.85) +
    ggplot2::geom_text(ggplot2::aes(x = .data$beside, y = .data$place, label = .data$label), data = shared, hjust = -0.15, size = 3.2, colour = ink) +
    time_scale(made$tz, bars$from, bars$to, beside = 0.07) +
    ggplot2::scale_y_reverse(name = NULL, breaks = seq_along(longest), labels = pair_names(object, made)[longest], expand = ggplot2::expansion(add = 0.6)) +
    ggplot2::labs(title = "Overlaps: two records each, the part in common filled", subtitle = wrap_subtitle(made$conventions),
                  caption = if (nrow(object) > length(longest)) sprintf("The %d longest of %s overlaps.", length(longest), format_number(nrow(object)))) +
    ridge_theme() + time_theme() +
    ggplot2::theme(panel.grid.major.y = ggplot2::element_blank(),
                   axis.text.y = ggplot2::element_text(size = if (length(longest) > 10) 7.5 else 9))
}

# The two records of each pair, one above the other, cut near the part in common
# where one of them is far longer.
pair_bars <- function(object, longest, made, one) {
  sides <- lapply(list(made$spans_a[longest, ], made$spans_b[longest, ]), function(side) {
    data.frame(from = side$start, to = pmax(side$end, side$start, na.rm = TRUE) + one)
  })
  reach <- range(c(as.numeric(object$start[longest]), as.numeric(object$end[longest]) + one))
  room <- max(diff(reach) * 0.3, if (one) 14 else 86400 / 4)
  cut <- function(values, limits) {
    values[as.numeric(values) < limits[1]] <- values[1] + (limits[1] - as.numeric(values[1]))
    values[as.numeric(values) > limits[2]] <- values[1] + (limits[2] - as.numeric(values[1]))
    values
  }
  limits <- c(reach[1] - room, reach[2] + room)
  bars <- rbind(data.frame(sides[[1]], shift = -0.16), data.frame(sides[[2]], shift = 0.16))
  bars$place <- rep(seq_along(longest), 2)
  bars$from <- cut(bars$from, limits)
  bars$to <- cut(bars$to, limits)
  bars
}

pair_names <- function(object, made) {
  side <- function(suffix) {
    rows <- sprintf("row %s", format_rows(object[[paste0("row", suffix)]]))
    if (length(made$shown) == 0) rows else do.call(paste, c(lapply(paste0(made$shown, suffix), function(n) as.character(object[[n]])), sep = ", "))
  }
  pair <- paste(side("_a"), side("_b"), sep = "\n")
  if (length(made$shown) > 0 || length(made$line) == 0) pair else paste0(group_names(object, made$line), ": ", side("_a"), "\n", side("_b"))
}

#' @rdname autoplot.ranges
#' @exportS3Method ggplot2::autoplot
autoplot.ridge_concurrency <- function(object, capacity = NULL, ...) {
  check_drawable(object)
  if (!is.null(capacity)) check_amount(capacity, "capacity")
  made <- about(object)
  one <- as.integer(is.null(made$tz))
  drawn <- data.frame(start = object$start, stop = object$end + one, level = object$level)
  drawn$group <- if (length(made$groups)) group_labels(object, made$groups) else factor("all")
  drawn <- drawn[!is.na(drawn$stop), ]
  top <- sort(tapply(drawn$level, drawn$group, max), decreasing = TRUE)
  shown <- names(top)[seq_len(min(most_panels, length(top)))]
  drawn <- drawn[drawn$group %in% shown, ]
  drawn$above <- if (is.null(capacity)) 0 else pmax(drawn$level - capacity, 0)
  figure <- ggplot2::ggplot(drawn) +
    ggplot2::geom_rect(ggplot2::aes(xmin = .data$start, xmax = .data$stop, ymin = 0, ymax = .data$level - .data$above), fill = main_colour) +
    ggplot2::geom_rect(ggplot2::aes(xmin = .data$start, xmax = .data$stop, ymin = .data$level - .data$above, ymax = .data$level),
                       data = drawn[drawn$above > 0, ], fill = gap_colour) +
    time_scale(made$tz, drawn$start, drawn$stop) +
    ggplot2::scale_y_continuous(name = made$unit, limits = c(0, NA), breaks = whole_breaks, expand = ggplot2::expansion(mult = c(0, 0.06))) +
    ggplot2::labs(title = "How many at once", subtitle = wrap_subtitle(made$conventions), caption = level_caption(capacity, top)) +
    ridge_theme() + ggplot2::theme(plot.margin = ggplot2::margin(14, 44, 10, 14))
  if (!is.null(capacity)) figure <- figure + ggplot2::geom_hline(yintercept = capacity, linetype = "dashed", colour = ink)
  if (length(made$groups) > 0) figure <- figure + ggplot2::facet_wrap(ggplot2::vars(.data$group))
  figure
}

level_caption <- function(capacity, top) {
  c(if (!is.null(capacity)) sprintf("Dashed: a capacity of %s; orange is above it.", format(capacity)),
    if (length(top) > most_panels) sprintf("The %d of %d groups with the highest level.", most_panels, length(top))) |>
    paste(collapse = " ")
}
