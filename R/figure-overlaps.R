#' @rdname autoplot.ranges
#' @exportS3Method ggplot2::autoplot
autoplot.ridge_overlaps <- function(object, ...) {
  if (!inherits(object, "ridge_range_totals") && about(object)$question$arguments$total) {
    return(NextMethod())
  }
  object <- ready_to_draw(object, ...)
  made <- about(object)
  if (inherits(object, "ridge_range_totals")) {
    return(range_totals_figure(object, "Overlaps", ...))
  }
  length <- object[[length_unit(made$timeline)$name]]
  longest <- sort(utils::head(order(-length), most_pairs))
  bars <- pair_bars(object, longest)
  labels <- pair_names(object, made)[longest]
  more <- nrow(object) - length(longest)
  ggplot2::ggplot(bars) +
    bar_layer(bars$from, bars$place + bars$shift, 0.13, bars, "#7b93a8") +
    common_part(object, longest, bars) +
    time_scale(made$timeline, bars$from, bars$to, beside = 0.07) +
    ggplot2::scale_y_reverse(name = NULL, breaks = seq_along(longest), labels = labels,
                             expand = ggplot2::expansion(add = 0.6)) +
    ggplot2::labs(title = "Overlaps: two records each, the part in common filled",
                  subtitle = wrap_subtitle(conventions(object)),
                  caption = if (more > 0) {
                    sprintf("The %d longest of %s overlaps.", length(longest),
                            format_number(nrow(object)))
                  }) +
    finished(object, ..., .words = ranges_in_words(object)) + time_theme() +
    ggplot2::theme(panel.grid.major.y = ggplot2::element_blank(),
                   axis.text.y = ggplot2::element_text(size = if (length(longest) > 10) 7.5 else 9))
}

bar_layer <- function(from, at, half, data, fill) {
  data$low <- at - half
  data$high <- at + half
  ggplot2::geom_rect(ggplot2::aes(xmin = .data$from, xmax = .data$to, ymin = .data$low,
                                  ymax = .data$high), data = data, fill = fill)
}

# The part in common of each pair, with its length beside the longer bar.
common_part <- function(object, longest, bars) {
  timeline <- about(object)$timeline
  unit <- length_unit(timeline)
  length <- round(object[[unit$name]][longest], 2)
  n <- seq_along(longest)
  shown <- format(length, trim = TRUE, drop0trailing = TRUE)
  common <- data.frame(place = n, from = object$start[longest],
                       to = after_last(object$end[longest], timeline),
                       label = paste(shown, ifelse(length == 1, unit$one, unit$name)))
  common$beside <- pmax(bars$to[n], bars$to[length(longest) + n])
  list(bar_layer(common$from, common$place, 0.31, common, gap_colour),
       ggplot2::geom_text(ggplot2::aes(x = .data$beside, y = .data$place, label = .data$label),
                          data = common, hjust = -0.15, size = 3.2, colour = ink),
       value_marks(common, halfway(common$from, common$to), common$place,
                   paste0(format(object$start[longest]), " to ", format(object$end[longest]), ": ",
                          common$label), NULL))
}

# The two records of each pair, one above the other, cut near the part in common
# where one of them is far longer.
pair_bars <- function(object, longest) {
  timeline <- about(object)$timeline
  spans <- pair_spans(object, longest)
  reach <- range(as.numeric(object$start[longest]),
                 as.numeric(after_last(object$end[longest], timeline)))
  room <- max(diff(reach) * 0.3, ticks_in_day(timeline) * if (on_days(timeline)) 14 else 0.25)
  cut <- function(values) {
    ticks <- pmin(pmax(as.numeric(values), reach[1] - room), reach[2] + room)
    as_moments(ticks, timeline)
  }
  bars <- lapply(spans, function(side) {
    data.frame(from = cut(side$start),
               to = cut(after_last(pmax(side$end, side$start, na.rm = TRUE), timeline)))
  })
  bars <- rbind(data.frame(bars$a, shift = -0.16), data.frame(bars$b, shift = 0.16))
  bars$place <- rep(seq_along(longest), 2)
  bars
}

# The spans of these pairs: kept of the longest of all; of others from the records, where
# they are there, else what they have in common.
pair_spans <- function(object, rows) {
  made <- about(object)
  at <- match(rows_left(object)[rows], made$longest$at)
  if (!anyNA(at)) {
    return(lapply(made$longest[c("a", "b")], function(side) side[at, ]))
  }
  x <- records_of_handle(made$records)
  if (is.null(x)) {
    common <- as.data.frame(plain_tibble(object)[rows, c("start", "end")])
    return(list(a = common, b = common))
  }
  second <- spans_asked(made$question$arguments, "y") %||% x
  list(a = record_spans(x, match(object$row_a[rows], about(x)$rows)),
       b = record_spans(second, match(object$row_b[rows], about(second)$rows)))
}

pair_names <- function(object, made) {
  side <- function(suffix) {
    shown <- intersect(paste0(made$shown, if (length(made$shown)) suffix), names(object))
    if (length(shown)) group_names(object, shown)
    else sprintf("row %s", format_rows(object[[paste0("row", suffix)]]))
  }
  pair <- paste(side("_a"), side("_b"), sep = "\n")
  by <- intersect(made$names, names(object))
  if (length(made$shown) > 0 || length(by) == 0) pair
  else paste0(group_names(object, by), ": ", pair)
}
