#' Draw how long they stay
#'
#' The share still there by age as falling steps with their interval, of more than two
#' groups without; a dotted line marks the half.
#'
#' @param object A result of [length_of_stay()].
#' @param ... `title`, `size` and `only`: see [autoplot()].
#' @return A ggplot.
#' @section Errors:
#' A result without a row, or with more than six groups, is an error of class
#' `ridge_error_argument`.
#' @examples
#' staff <- spans(demo_records("postings"), first_day, last_day, key = observer,
#'                as_of = "2026-06-30")
#' autoplot(length_of_stay(staff))
#' @exportS3Method ggplot2::autoplot
autoplot.ridge_length_of_stay <- function(object, ...) {
  object <- ready_to_draw(object, ...)
  unit <- about(object)$question$arguments$unit
  drawn <- as.data.frame(plain_tibble(object))
  drawn$.group <- group_panels(object)
  groups <- nlevels(drawn$.group)
  # Of more than two lines the intervals would cover each other.
  banded <- groups <= 2
  guide <- if (groups > 1) "legend" else "none"
  ggplot2::ggplot(stair_steps(drawn),
                  ggplot2::aes(.data$age, 100 * .data$share, colour = .data$.group,
                               fill = .data$.group)) +
    (if (banded) stay_band()) +
    ggplot2::geom_line(ggplot2::aes(linetype = .data$.group), linewidth = 0.8) +
    ggplot2::geom_hline(yintercept = 50, linetype = "dotted", colour = ink) +
    (if (groups == 1) half_mark(drawn$median[1], unit)) +
    ggplot2::scale_colour_manual(name = NULL, values = group_colours, guide = guide) +
    ggplot2::scale_fill_manual(name = NULL, values = group_colours, guide = guide) +
    ggplot2::scale_linetype_discrete(name = NULL, guide = guide) +
    ggplot2::scale_y_continuous(name = "% still there", limits = c(0, 100),
                                expand = ggplot2::expansion(mult = c(0, 0.03))) +
    ggplot2::scale_x_continuous(name = paste("age, in", unit),
                                expand = ggplot2::expansion(mult = c(0, 0.03))) +
    ggplot2::labs(title = "How long they stay", subtitle = wrap_subtitle(conventions(object)),
                  caption = if (banded) "The band is the interval of the estimate."
                  else "The intervals are in the table.") +
    value_marks(drawn, drawn$age, 100 * drawn$share, stay_tips(drawn, unit)) +
    finished(object, ...)
}

stay_tips <- function(drawn, unit) {
  line <- if (nlevels(drawn$.group) > 1) paste0(drawn$.group, ", ") else ""
  paste0(line, format_plain(drawn$age, 1), " ", unit, ": ", sprintf("%.1f%%", 100 * drawn$share),
         " still there")
}

stay_band <- function() {
  ggplot2::geom_ribbon(ggplot2::aes(ymin = 100 * .data$lower, ymax = 100 * .data$upper),
                       alpha = 0.2, colour = NA)
}

half_mark <- function(middle, unit) {
  if (!is.na(middle)) {
    words <- paste("half have ended by", format_plain(middle, 1), unit)
    ggplot2::annotate("text", x = middle, y = 53, hjust = -0.05, colour = ink, size = 3.8,
                      label = words)
  }
}

# Each share holds until the next age.
stair_steps <- function(drawn) {
  pieces <- lapply(split(drawn, drawn$.group), function(line) {
    n <- nrow(line)
    after <- line[-n, , drop = FALSE]
    after$age <- line$age[-1]
    stairs <- rbind(line, after)
    stairs[order(stairs$age, -stairs$share), ]
  })
  do.call(rbind, pieces)
}
