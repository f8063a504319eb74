# Balances: what was billed up from zero, what was recognised down, and what is left as a line.

#' @rdname autoplot.ridge_amounts
#' @exportS3Method ggplot2::autoplot
autoplot.ridge_balance <- function(object, ...) {
  check_drawable(object)
  made <- about(object)
  drawn <- drawn_lines(object)
  if (!all(drawn$in_all)) drawn <- drawn[!drawn$in_all, ]
  most <- sort(tapply(drawn$billed + drawn$recognised, droplevels(drawn$group), sum),
               decreasing = TRUE)
  drawn <- drawn[drawn$group %in% utils::head(names(most), most_balance_panels), ]
  drawn$group <- droplevels(drawn$group)
  grouped <- nlevels(drawn$group) > 1
  bars <- rbind(data.frame(drawn[c("at", "group")], flow = "billed", amount = drawn$billed),
                data.frame(drawn[c("at", "group")], flow = "recognised",
                           amount = -drawn$recognised))
  ggplot2::ggplot(bars, ggplot2::aes(.data$at, .data$amount)) +
    ggplot2::geom_col(ggplot2::aes(fill = .data$flow), width = period_bar_width(made$axis)) +
    ggplot2::geom_hline(yintercept = 0, colour = ink, linewidth = 0.4) +
    ggplot2::geom_line(ggplot2::aes(y = .data$closing), data = drawn, colour = ink,
                       linewidth = 0.8) +
    (if (nrow(drawn) <= most_bars) {
      ggplot2::geom_point(ggplot2::aes(y = .data$closing), data = drawn, colour = ink, size = 1.8)
    }) +
    (if (grouped) ggplot2::facet_wrap(~group)) +
    ggplot2::scale_fill_manual(name = NULL, values = c(billed = "#2f6690",
                                                       recognised = "#d1701d")) +
    period_scale(made$axis, made$question$arguments$label, in_panels = grouped) +
    ggplot2::scale_y_continuous(name = made$question$arguments$amount,
                                labels = axis_numbers) +
    ggplot2::labs(title = paste0("Billed, recognised and left, by ", made$axis$grain$name,
                                 if (grouped) by_words(made$groups)),
                  subtitle = wrap_subtitle(conventions(object)),
                  caption = "The dark line is what is left at the end of each period.") +
    ridge_theme()
}

most_balance_panels <- 12L
