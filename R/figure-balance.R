# Balances: what was billed up from zero, what was recognised down, and what is left as a line.

#' @rdname autoplot.ridge_amounts
#' @exportS3Method ggplot2::autoplot
autoplot.ridge_balance <- function(object, ...) {
  object <- ready_to_draw(object, ..., lumps = TRUE)
  made <- about(object)
  lump <- list(...)$lump
  all <- drawn_lines(object)
  drawn <- most_lines_of(all, function(lines) lines$billed + lines$recognised,
                         most_balance_panels, lump, balance_measures)
  drawn <- with_total(drawn, all)
  grouped <- nlevels(drawn$.group) > 1
  bars <- balance_bars(drawn)
  ggplot2::ggplot(bars, ggplot2::aes(.data$.at, .data$.amount)) +
    ggplot2::geom_col(ggplot2::aes(fill = .data$.flow), width = period_bar_width(made$axis)) +
    ggplot2::geom_hline(yintercept = 0, colour = ink, linewidth = 0.4) +
    ggplot2::geom_line(ggplot2::aes(y = .data$closing), data = drawn, colour = ink,
                       linewidth = 0.8) +
    (if (nrow(drawn) <= most_bars) {
      ggplot2::geom_point(ggplot2::aes(y = .data$closing), data = drawn, colour = ink, size = 1.8)
    }) +
    (if (grouped) line_panels(drawn, balance_range(drawn))) +
    ggplot2::scale_fill_manual(name = NULL, values = c(billed = main_colour,
                                                       recognised = "#d1701d")) +
    period_scale(made$axis, made$question$arguments$label, in_panels = grouped) +
    ggplot2::scale_y_continuous(name = made$question$arguments$amount,
                                labels = axis_numbers) +
    ggplot2::labs(title = paste0("Billed, recognised and left, by ", made$axis$grain$name,
                                 if (grouped) by_words(made$groups)),
                  subtitle = wrap_subtitle(conventions(object)),
                  caption = paste0("The dark line is what is left at the end of each period. ",
                                   lines_caption(made, drawn, "largest amounts", lump))) +
    value_marks(drawn, drawn$.at, drawn$closing, balance_tips(drawn, made)) +
    finished(object, ...)
}

most_balance_panels <- 12L
balance_measures <- c("opening", "billed", "recognised", "closing")

balance_tips <- function(drawn, made) {
  digits <- made$question$arguments$digits
  told <- vapply(balance_measures, function(name) {
    paste(tip_number(drawn[[name]], digits), name)
  }, character(nrow(drawn)))
  told <- matrix(told, ncol = length(balance_measures))
  period_tips(drawn, made, apply(told, 1, paste, collapse = ", "))
}

balance_bars <- function(drawn) {
  up <- drawn
  up$.flow <- "billed"
  up$.amount <- drawn$billed
  down <- drawn
  down$.flow <- "recognised"
  down$.amount <- -drawn$recognised
  rbind(up, down)
}

balance_range <- function(drawn) {
  groups <- drawn[!drawn$.all, ]
  range(0, groups$billed, -groups$recognised, groups$closing)
}
