#' Draw stretches, gaps, overlaps and levels
#'
#' Stretches are strips by key over time, with the gaps between them marked and,
#' where there is room, labelled with their days. Gaps alone are drawn the same
#' way. Up to 45 keys are named, more are numbered, 2000 is the most. Overlaps are
#' pairs of strips with the part in common filled, the 16 longest at most. Levels
#' are steps, with their limits, and what is above or below them told apart; of several groups
#' each has a panel, the 24 with the highest level at most. Totals by group are bars of their
#' length, the longest first, with how many ranges there are beside them.
#'
#' @param object A result of [consecutive()], [gaps()], [overlaps()] or
#'   [concurrency()].
#' @param ... `title`, `size` and `only`: see [autoplot()].
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
  if (is_listed(object)) {
    return(NextMethod())
  }
  object <- ready_to_draw(object, ...)
  if (inherits(object, "ridge_range_totals")) {
    return(range_totals_figure(object, "Stretches without a break", ...))
  }
  drawn <- strip_lines(object)
  drawn <- drawn[!is.na(drawn$end), ]
  between <- gaps_between(drawn)
  strips <- ggplot2::ggplot(drawn) +
    ggplot2::geom_rect(ggplot2::aes(xmin = .data$start, xmax = .data$stop,
                                    ymin = .data$place - .data$half,
                                    ymax = .data$place + .data$half), fill = main_colour)
  few <- max(drawn$place) <= most_named_keys
  if (few && nrow(between) > 0) strips <- strips + gap_marks(between)
  caption <- if (few && nrow(between) > 0) {
    "Orange lines are the gaps, with their days where there is room."
  }
  finish_strips(strips, drawn, object, "Stretches without a break", few, caption, ...)
}

#' @rdname autoplot.ranges
#' @exportS3Method ggplot2::autoplot
autoplot.ridge_gaps <- function(object, ...) {
  object <- ready_to_draw(object, ...)
  if (inherits(object, "ridge_range_totals")) {
    return(range_totals_figure(object, "Gaps", ...))
  }
  drawn <- strip_lines(object)
  few <- max(drawn$place) <= most_named_keys
  width <- as.numeric(max(drawn$stop)) - as.numeric(min(drawn$start))
  drawn$label <- ifelse(as.numeric(drawn$stop) - as.numeric(drawn$start) > width / 50,
                        format(drawn$length), "")
  strips <- ggplot2::ggplot(drawn) +
    ggplot2::geom_hline(ggplot2::aes(yintercept = .data$place), data = unique(drawn["place"]),
                        colour = faint,
                        linewidth = if (few) 0.5 else 0.1) +
    ggplot2::geom_rect(ggplot2::aes(xmin = .data$start, xmax = .data$stop,
                                    ymin = .data$place - .data$half,
                                    ymax = .data$place + .data$half), fill = gap_colour)
  if (few) {
    strips <- strips +
      ggplot2::geom_text(ggplot2::aes(x = halfway(.data$start, .data$stop), y = .data$place,
                                                       label = .data$label), size = 3,
                                                         colour = "white")
  }
  unit <- length_unit(about(object)$timeline)$name
  caption <- if (few) paste0("Numbers in the bars are ", unit, ".")
  finish_strips(strips, drawn, object, "Gaps", few, caption, ...)
}

# A place from the top for each partition, the ends as the moments after them.
strip_lines <- function(object) {
  made <- about(object)
  by <- intersect(made$names, names(object))
  names <- if (length(by)) group_names(object, by) else rep("all", nrow(object))
  place <- match(names, unique(names))
  lines <- max(place)
  # What cannot be named is ranked by its beginning.
  if (lines > most_named_keys) {
    first <- tapply(as.numeric(object$start), place, min)
    place <- rank(first, ties.method = "first")[place]
  }
  if (lines > most_drawn_keys) {
    ridge_abort(
      c(paste("{format_number(lines)} lines cannot be told apart in one figure;",
              "{most_drawn_keys} is the most."),
        i = "Narrow the records first."), "argument", arg = "object")
  }
  length <- round(object[[length_unit(made$timeline)$name]], 1)
  half <- if (lines > most_named_keys) 0.5 else 0.32
  drawn <- data.frame(name = names, place = place, half = half,
                      start = object$start, end = object$end,
                      stop = after_last(object$end, made$timeline), length = length)
  own <- setdiff(by, names(drawn))
  drawn[own] <- plain_tibble(object)[own]
  drawn
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
  if (inherits(like, "Date")) format(length, trim = TRUE)
  else format(round(length / hour_seconds, 1), trim = TRUE)
}

gap_marks <- function(between) {
  list(
    ggplot2::geom_segment(ggplot2::aes(x = .data$from, xend = .data$to, y = .data$place,
                                       yend = .data$place),
                          data = between, colour = gap_colour, linewidth = 1),
    ggplot2::geom_label(ggplot2::aes(x = halfway(.data$from, .data$to), y = .data$place,
                                     label = .data$label),
                        data = between[between$label != "", ], size = 3, colour = gap_colour,
                          label.size = 0,
                        label.padding = ggplot2::unit(0.12, "lines"))
  )
}

finish_strips <- function(strips, drawn, object, heading, few, caption, ...) {
  names <- drawn$name[match(seq_len(max(drawn$place)), drawn$place)]
  strips + time_scale(about(object)$timeline, drawn$start, drawn$stop) +
    names_scale(names, "%d lines, by their first day") +
    ggplot2::labs(title = heading, subtitle = wrap_subtitle(conventions(object)),
                  caption = caption) +
    value_marks(drawn, halfway(drawn$start, drawn$stop), drawn$place, strip_tips(drawn, object),
                drawn$name) +
    finished(object, ..., .words = ranges_in_words(object)) + time_theme() +
    ggplot2::theme(panel.grid.major.y = ggplot2::element_blank(),
                   axis.text.y = ggplot2::element_text(size = name_size(length(names))))
}

strip_tips <- function(drawn, object) {
  unit <- length_unit(about(object)$timeline)
  paste0(if (length(unique(drawn$name)) > 1) paste0(drawn$name, ", "), format(drawn$start), " to ",
         format(drawn$end), ": ", vapply(drawn$length, count_of, "", unit$one))
}

# How many, and the longest.
ranges_in_words <- function(object) {
  made <- about(object)
  unit <- length_unit(made$timeline)
  length <- object[[unit$name]]
  at <- which.max(length)
  by <- intersect(made$names, names(object))
  of <- if (length(by)) paste0(group_names(object, by)[at], ", ")
  paste0(format_number(nrow(object)), " in all, the longest of ", count_of(length[at], unit$one),
         " (", of, "from ", format(object$start[at]), ").")
}
