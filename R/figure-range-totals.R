# Totals of ranges by group: how long in all, with how many beside the bar.

range_totals_figure <- function(object, what, ...) {
  made <- about(object)
  drawn <- as.data.frame(plain_tibble(object), optional = TRUE)
  counted <- made$values[1]
  length <- made$values[2]
  drawn$.group <- group_names(object, made$groups)
  drawn$.length <- drawn[[length]]
  drawn$.count <- drawn[[counted]]
  shown <- utils::head(order(-drawn$.length), most_panels)
  caption <- if (nrow(drawn) > length(shown)) {
    sprintf("The %d of %d groups with the longest.", length(shown), nrow(drawn))
  }
  drawn <- drawn[shown, ]
  drawn$.group <- factor(drawn$.group, rev(drawn$.group))
  one <- c(gaps = "gap", stretches = "stretch", overlaps = "overlap")[[counted]]
  drawn$.label <- paste(format_number(drawn$.count), ifelse(drawn$.count == 1, one, counted))
  ggplot2::ggplot(drawn, ggplot2::aes(.data$.length, .data$.group)) +
    ggplot2::geom_col(fill = main_colour, width = 0.7) +
    ggplot2::geom_text(ggplot2::aes(label = .data$.label), hjust = -0.1, size = 3.6,
                       colour = ink) +
    ggplot2::scale_x_continuous(name = gsub("_", " ", length), labels = axis_numbers,
                                expand = ggplot2::expansion(mult = c(0, 0.16))) +
    ggplot2::scale_y_discrete(name = NULL) +
    ggplot2::labs(title = paste0(what, ", in all", by_words(made$groups)),
                  subtitle = wrap_subtitle(conventions(object)), caption = caption) +
    value_marks(drawn, drawn$.length, drawn$.group,
                paste0(drawn$.group, ": ", drawn$.label, ", ", tip_number(drawn$.length), " ",
                       gsub("_", " ", length))) +
    finished(object, ..., .words = paste0("the most, ", format_number(drawn$.length[1]), " ",
                                          gsub("_", " ", length), " in ", drawn$.label[1], ", has ",
                                          drawn$.group[1], ".")) +
    ggplot2::theme(panel.grid.major.y = ggplot2::element_blank())
}
