#' @rdname autoplot.ranges
#' @exportS3Method ggplot2::autoplot
autoplot.ridge_concurrency <- function(object, capacity = NULL, ...) {
  check_drawable(object)
  if (!is.null(capacity)) check_amount(capacity, "capacity")
  made <- about(object)
  groups <- intersect(made$names, names(object))
  drawn <- data.frame(start = object$start, stop = after_last(object$end, made$timeline),
                      level = object$level)
  drawn$group <- if (length(groups)) group_labels(object, groups) else factor("all")
  drawn <- drawn[!is.na(drawn$stop), ]
  top <- sort(tapply(drawn$level, drawn$group, max), decreasing = TRUE)
  drawn <- drawn[drawn$group %in% utils::head(names(top), most_panels), ]
  drawn$above <- if (is.null(capacity)) 0 else pmax(drawn$level - capacity, 0)
  ggplot2::ggplot(drawn, ggplot2::aes(xmin = .data$start, xmax = .data$stop)) +
    ggplot2::geom_rect(ggplot2::aes(ymin = 0, ymax = .data$level - .data$above),
                       fill = main_colour) +
    ggplot2::geom_rect(ggplot2::aes(ymin = .data$level - .data$above, ymax = .data$level),
                       data = drawn[drawn$above > 0, ], fill = gap_colour) +
    (if (!is.null(capacity)) {
      ggplot2::geom_hline(yintercept = capacity, linetype = "dashed", colour = ink)
    }) +
    (if (length(groups)) ggplot2::facet_wrap(ggplot2::vars(.data$group))) +
    time_scale(made$timeline, drawn$start, drawn$stop) +
    ggplot2::scale_y_continuous(name = made$title, limits = c(0, NA), breaks = whole_breaks,
                                expand = ggplot2::expansion(mult = c(0, 0.06))) +
    ggplot2::labs(title = paste0("How many at once", by_words(groups)),
                  subtitle = wrap_subtitle(conventions(object)),
                  caption = level_caption(capacity, top)) +
    ridge_theme() + ggplot2::theme(plot.margin = ggplot2::margin(14, 44, 10, 14))
}

level_caption <- function(capacity, top) {
  above <- if (!is.null(capacity)) {
    sprintf("Dashed: a capacity of %s; orange is above it.", format(capacity))
  }
  most <- if (length(top) > most_panels) {
    sprintf("The %d of %d groups with the highest level.", most_panels, length(top))
  }
  paste(c(above, most), collapse = " ")
}
