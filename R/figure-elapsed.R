#' Draw the distribution of elapsed times
#'
#' How many records took how long, with the median and, where one is given, a
#' target: how many met it stands beside it. Open records, which last at least as
#' long as shown, are told apart.
#'
#' @param object A result of [elapsed()].
#' @param target `NULL`, or a length of time in the unit of the result.
#' @param ... `title`, `size` and `only`: see [autoplot()].
#' @return A ggplot.
#' @section Errors:
#' A result without a row, or a target that is no number, is an error of class
#' `ridge_error_argument`.
#' @examples
#' faults <- spans(demo_records("faults"), reported, mended, key = fault, as_of = "2026-06-30",
#'                 tz = "Europe/Vienna")
#' autoplot(elapsed(faults), target = 48)
#' @exportS3Method ggplot2::autoplot
autoplot.ridge_elapsed <- function(object, target = NULL, ...) {
  object <- ready_to_draw(object, ...)
  if ("ended" %in% about(object)$values) {
    refuse_together("target", list(within = target), "`within` of elapsed() is the target")
    return(elapsed_figure(object, ...))
  }
  made <- about(object)
  if (!is.null(target)) check_amount(target, "target")
  unit <- gsub("_", " ", made$values[1])
  drawn <- data.frame(length = object[[made$values[1]]], open = object$open)
  width <- bar_width(max(drawn$length, target))
  drawn$bar <- (pmin(floor(drawn$length / width + 1e-9), 1e6) + 0.5) * width
  counts <- stats::aggregate(list(records = rep(1L, nrow(drawn))), drawn[c("bar", "open")], sum)
  counts$kind <- factor(ifelse(counts$open, "still open", "ended"), c("ended", "still open"))
  middle <- stats::median(drawn$length)
  top <- max(tapply(counts$records, counts$bar, sum))
  marks <- data.frame(at = c(middle, target),
                      words = c(sprintf("median %s", format_plain(middle, 1)),
    if (!is.null(target)) sprintf("target %s: %d of %d within", format_plain(target, 1),
                                  sum(drawn$length <= target & !drawn$open), nrow(drawn))))
  marks$height <- top * (1.14 - 0.07 * (seq_len(nrow(marks)) - 1))
  marks$side <- ifelse(marks$at > 0.6 * max(drawn$length), 1.05, -0.05)
  ggplot2::ggplot(counts) +
    ggplot2::geom_col(ggplot2::aes(.data$bar, .data$records, fill = .data$kind),
                      width = width * 0.94, position = ggplot2::position_stack(reverse = TRUE)) +
    ggplot2::geom_segment(ggplot2::aes(x = .data$at, xend = .data$at, y = 0, yend = .data$height,
                                       linetype = .data$words), data = marks, colour = ink) +
    ggplot2::geom_text(ggplot2::aes(.data$at, .data$height, label = .data$words,
                                    hjust = .data$side), data = marks, size = 3.6, colour = ink) +
    ggplot2::scale_fill_manual(name = NULL,
        values = c("ended" = main_colour, "still open" = gap_colour),
          guide = if (any(drawn$open)) "legend" else "none") +
    ggplot2::scale_linetype_discrete(guide = "none") +
    ggplot2::scale_x_continuous(name = unit, labels = axis_numbers) +
    ggplot2::scale_y_continuous(name = "records", breaks = whole_breaks,
                                expand = ggplot2::expansion(mult = c(0, 0.04))) +
    ggplot2::labs(title = paste("How long it took, in", unit),
                  subtitle = wrap_subtitle(conventions(object)),
                  caption = sprintf("Each bar is %s %s wide.", format_plain(width, 6), unit)) +
    value_marks(counts, counts$bar, counts$records, bar_tips(counts, width, unit), NULL) +
    finished(object, ...)
}

bar_tips <- function(counts, width, unit) {
  from <- counts$bar - width / 2
  paste0(format_plain(from, 4), " to ", format_plain(from + width, 4), " ", unit, ": ",
         vapply(counts$records, count_of, "", "record"), ", ", counts$kind)
}

# A round width that makes about 30 bars.
bar_width <- function(longest) {
  if (longest <= 0) {
    return(1)
  }
  rough <- longest / 30
  size <- 10^floor(log10(rough))
  c(1, 2, 5, 10)[which(c(1, 2, 5, 10) * size >= rough)[1]] * size
}
