most_named_keys <- 60L
most_drawn_keys <- 2000L

#' Draw a full scaffold as a presence chart
#'
#' Keys downwards, by the first period in which they are present; periods
#' across; filled where present. Up to 60 keys are named, more are numbered.
#'
#' @param object A result of [scaffold()] with `shape = "full"`.
#' @param ... Not used.
#' @return A ggplot.
#' @section Errors:
#' A scaffold of another shape, one without a row, or more than 2000 keys are
#' errors of class `ridge_error_argument`.
#' @examples
#' staff <- spans(demo_records("postings"), first_day, last_day, key = observer,
#'                as_of = "2026-06-30")
#' few <- subset(staff, station == "Stonebow")
#' autoplot(scaffold(few, by = "month", shape = "full"))
#' @exportS3Method ggplot2::autoplot
autoplot.ridge_scaffold <- function(object, ...) {
  made <- about(object)
  if (made$shape != "full") {
    ridge_abort(c("Only a full scaffold is drawn.", i = "Say {.code shape = \"full\"}."), "argument")
  }
  check_drawable(object)
  size <- axis_size(made$axis)
  lines <- nrow(object) / size
  if (lines > most_drawn_keys) {
    ridge_abort(c("{format_number(lines)} keys cannot be told apart in one figure; {most_drawn_keys} is the most.",
                  i = "Narrow the records first, for example with {.fn subset}."), "argument")
  }
  drawn <- presence_tiles(object, size, lines)
  ggplot2::ggplot(drawn$tiles, ggplot2::aes(.data$place, .data$line)) +
    ggplot2::geom_tile(fill = main_colour, width = 1, height = if (lines > most_named_keys) 1 else 0.8) +
    period_scale(made$axis, made$label) +
    presence_scale(drawn$names) +
    ggplot2::labs(title = paste("Presence by", made$axis$grain$name),
                  subtitle = wrap_subtitle(made$conventions)) +
    ridge_theme() +
    ggplot2::theme(panel.grid.major.y = ggplot2::element_blank(),
                   panel.background = ggplot2::element_rect(fill = "#f4f6f8", colour = NA))
}

# Where each key is present, keys ranked by their first and then last period.
presence_tiles <- function(object, size, lines) {
  present <- matrix(object$present, nrow = size)
  place <- row(present)
  first <- apply(ifelse(present, place, size + 1L), 2, min)
  last <- apply(ifelse(present, place, 0L), 2, max)
  order <- order(first, last)
  names <- if (length(about(object)$key)) group_names(object, about(object)$key) else object$row
  names <- names[seq.int(1, by = size, length.out = lines)]
  line <- match(seq_len(lines), order)
  at <- which(present)
  list(tiles = data.frame(place = place[at], line = rep(line, each = size)[at]), names = names[order])
}

presence_scale <- function(names) {
  if (length(names) <= most_named_keys) {
    return(list(
      ggplot2::scale_y_reverse(name = NULL, breaks = seq_along(names), labels = names,
                               expand = ggplot2::expansion(add = 0.6)),
      ggplot2::theme(axis.text.y = ggplot2::element_text(size = if (length(names) > 30) 6 else 9))
    ))
  }
  ggplot2::scale_y_reverse(name = sprintf("%d keys, by their first period", length(names)),
                           breaks = unique(c(1, pretty(c(1, length(names)), 6)[-1])),
                           expand = ggplot2::expansion(add = 0.6))
}
