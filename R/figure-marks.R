# What a figure tells of its values: where each stands, and in words. Nothing is drawn; whoever
# shows the figure on a page lets a reader point at them.

value_marks <- function(data, x, y, tip, line = data$.group) {
  if (nrow(data) == 0) {
    return(NULL)
  }
  data$.x <- x
  data$.y <- y
  data$.tip <- tip
  data$.line <- if (is.null(line)) "" else as.character(line)
  ggplot2::layer("blank", "identity", data = data, position = "identity", inherit.aes = FALSE,
                 mapping = ggplot2::aes(x = .data$.x, y = .data$.y, tip = .data$.tip,
                                        line = .data$.line),
                 show.legend = FALSE, check.aes = FALSE, check.param = FALSE)
}

# "Whinfell, 2026-06: 23", of a result by period.
period_tips <- function(drawn, made, words) {
  label <- period_labels(made)[drawn$.place]
  line <- if (length(made$groups)) paste0(drawn$.group, ", ") else ""
  paste0(line, label, ": ", words)
}

tip_number <- function(values, digits = NULL) {
  ifelse(is.na(values), "not known", format_plain(values, digits %||% 2))
}

halfway <- function(from, to) {
  from + (as.numeric(to) - as.numeric(from)) / 2
}
