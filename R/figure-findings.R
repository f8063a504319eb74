severity_colours <- c(error = "#b3261e", warning = "#a86a0c", note = "#6b7785")

#' Draw what is wrong with the records
#'
#' A bar per finding, the worst first, as long as it has records, with its first
#' example below: a page for whoever owns the data.
#'
#' @param object A result of [check_spans()].
#' @param ... `title` and `size`: see [autoplot()].
#' @return A ggplot.
#' @section Errors:
#' A result without findings is an error of class `ridge_error_argument`.
#' @examples
#' loans <- demo_records("instrument_loans")
#' autoplot(check_spans(loans, lent_on, returned_on, key = instrument,
#'                      end_counts = FALSE, as_of = "2026-06-30"))
#' @exportS3Method ggplot2::autoplot
autoplot.ridge_findings <- function(object, ...) {
  object <- ready_to_draw(object, ...)
  drawn <- summary(object)
  # A few findings stand at the head of the page.
  places <- max(6, nrow(drawn))
  drawn$place <- places + 1 - seq_len(nrow(drawn))
  drawn$severity <- factor(drawn$severity, severities)
  share <- 100 * drawn$records / about(object)$checked
  drawn$label <- sprintf("%s (%s)", vapply(drawn$records, count_of, character(1), "record"),
                         ifelse(share > 0 & share < 0.1, "under 0.1 %", sprintf("%.1f %%", share)))
  ggplot2::ggplot(drawn) +
    ggplot2::geom_rect(ggplot2::aes(xmin = 0, xmax = .data$records, ymin = .data$place,
                                    ymax = .data$place + 0.36, fill = .data$severity)) +
    ggplot2::geom_text(ggplot2::aes(x = .data$records, y = .data$place + 0.18, label = .data$label),
                       hjust = -0.05, size = 3.6, colour = ink) +
    ggplot2::geom_text(ggplot2::aes(x = 0, y = .data$place - 0.2,
                                    label = paste("e.g.", shortened(.data$example, 120))),
                       hjust = 0, size = 3.3, colour = "#55636f") +
    ggplot2::scale_fill_manual(values = severity_colours, drop = TRUE, name = NULL) +
    ggplot2::scale_x_continuous(name = NULL, breaks = NULL,
                                expand = ggplot2::expansion(mult = c(0.005, 0.25))) +
    ggplot2::scale_y_continuous(name = NULL, breaks = drawn$place + 0.18, labels = drawn$finding,
                                limits = c(0.4, places + 0.6)) +
    ggplot2::labs(title = paste("What to look at in", count_of(about(object)$checked, "record")),
                  subtitle = wrap_subtitle(conventions(object))) +
    value_marks(drawn, drawn$records, drawn$place + 0.18,
                paste0(drawn$finding, ": ", drawn$label), NULL) +
    finished(object, ..., .words = findings_in_words(object)) +
    ggplot2::theme(legend.position = "top", legend.justification = "left",
                   axis.line.x = ggplot2::element_blank(),
                   panel.grid.major.y = ggplot2::element_blank(),
                   axis.text.y = ggplot2::element_text(size = 11, face = "bold", colour = ink))
}

shortened <- function(text, most) {
  ifelse(nchar(text) > most, paste0(substr(text, 1, most - 1), "\u2026"), text)
}

findings_in_words <- function(object) {
  kinds <- summary(object)
  paste0(vapply(kinds$records, count_of, "", "record"), " with ", kinds$finding,
         collapse = ", ")
}
