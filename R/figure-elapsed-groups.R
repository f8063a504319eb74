# How long it took by period: the median as a line, up to the 90th percentile as a band, and the
# target; or by group as bars.

elapsed_figure <- function(object, ...) {
  if (is.null(about(object)$axis)) elapsed_bars(object, ...) else elapsed_periods(object, ...)
}

elapsed_periods <- function(object, ...) {
  made <- about(object)
  drawn <- most_lines_of(drawn_lines(object), function(lines) lines$ended, most_elapsed_panels)
  drawn <- drawn[drawn$ended > 0, ]
  grouped <- nlevels(drawn$.group) > 1
  within <- made$question$arguments$within
  ggplot2::ggplot(drawn, ggplot2::aes(.data$.at, .data$median)) +
    ggplot2::geom_linerange(ggplot2::aes(ymin = .data$median, ymax = .data$percentile_90),
                            colour = pale_colour, linewidth = if (grouped) 1.5 else 4) +
    ggplot2::geom_line(colour = main_colour, linewidth = 0.7) +
    ggplot2::geom_point(colour = main_colour, size = if (grouped) 1.4 else 2.6) +
    (if (!grouped && nrow(drawn) <= most_bars) {
      ggplot2::geom_text(ggplot2::aes(y = .data$percentile_90, label = .data$ended), vjust = -0.6,
                         size = 3.4, colour = ink)
    }) +
    (if (!is.null(within)) {
      ggplot2::geom_hline(yintercept = within, colour = gap_colour, linewidth = 0.7)
    }) +
    (if (grouped) ggplot2::facet_wrap(~.group)) +
    period_scale(made$axis, made$question$arguments$label, in_panels = grouped, expand = 0.03) +
    ggplot2::scale_y_continuous(name = made$title, labels = axis_numbers, limits = c(0, NA),
                                expand = ggplot2::expansion(mult = c(0, 0.06))) +
    ggplot2::labs(title = paste0("How long it took, by ", made$axis$grain$name,
                                 if (made$question$arguments$by_start) " of the start"
                                 else " of the end", if (grouped) by_words(made$groups)),
                  subtitle = wrap_subtitle(conventions(object)),
                  caption = elapsed_caption(made, drawn, grouped)) +
    value_marks(drawn, drawn$.at, drawn$median, period_tips(drawn, made, elapsed_tips(drawn))) +
    finished(object, ...)
}

most_elapsed_panels <- 12L

elapsed_tips <- function(drawn) {
  paste0(format_number(drawn$ended), " ended, median ", tip_number(drawn$median),
         ", 90th percentile ", tip_number(drawn$percentile_90))
}

elapsed_caption <- function(made, drawn, grouped) {
  within <- made$question$arguments$within
  met <- if (!is.null(within)) {
    share <- as_percent(sum(drawn$within) / max(1, sum(drawn$ended)))
    paste0("Orange: the target of ", format_plain(within, 1), " ", made$title, ", met by ", share,
           ".")
  }
  paste(c("Dots are medians, bars reach up to the 90th percentile.",
          if (!grouped && nrow(drawn) <= most_bars) "The number above is how many ended.", met,
          lines_caption(made, drawn, "most records")), collapse = " ")
}

# Without periods a bar for each group.
elapsed_bars <- function(object, ...) {
  made <- about(object)
  drawn <- as.data.frame(plain_tibble(object))
  names <- group_names(object, made$groups)
  drawn$.group <- factor(names, rev(unique(names[order(-drawn$median)])))
  drawn <- utils::head(drawn[order(-drawn$median), ], 24)
  within <- made$question$arguments$within
  ggplot2::ggplot(drawn, ggplot2::aes(y = .data$.group)) +
    ggplot2::geom_segment(ggplot2::aes(x = 0, xend = .data$percentile_90, yend = .data$.group),
                          colour = pale_colour, linewidth = 7, na.rm = TRUE) +
    ggplot2::geom_segment(ggplot2::aes(x = 0, xend = .data$median, yend = .data$.group),
                          colour = main_colour, linewidth = 7, na.rm = TRUE) +
    ggplot2::geom_text(ggplot2::aes(x = .data$percentile_90,
                                    label = paste(.data$ended, "ended")), hjust = -0.15,
                       size = 3.6, colour = ink, na.rm = TRUE) +
    (if (!is.null(within)) {
      ggplot2::geom_vline(xintercept = within, colour = gap_colour, linewidth = 0.7)
    }) +
    ggplot2::scale_x_continuous(name = elapsed_title(made$question$arguments),
                                labels = axis_numbers,
                                expand = ggplot2::expansion(mult = c(0, 0.14))) +
    ggplot2::scale_y_discrete(name = NULL) +
    ggplot2::labs(title = paste0("How long it took", by_words(made$groups)),
                  subtitle = wrap_subtitle(conventions(object)),
                  caption = paste0("Dark up to the median, light up to the 90th percentile.",
                                   if (!is.null(within)) " Orange: the target.")) +
    value_marks(drawn, drawn$median, drawn$.group, paste0(drawn$.group, ": ",
                                                          elapsed_tips(drawn))) +
    finished(object, ...) + ggplot2::theme(panel.grid.major.y = ggplot2::element_blank())
}
