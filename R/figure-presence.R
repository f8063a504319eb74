most_named_keys <- 45L
most_drawn_keys <- 2000L

#' Draw a full scaffold as a presence chart
#'
#' Keys downwards, by the first period in which they are present; periods
#' across; filled where present, with a mark behind those that are still open. Up to
#' 45 keys are named, more are numbered.
#'
#' @param object A result of [scaffold()] with `shape = "full"`.
#' @param group A column that the scaffold carries, to have the keys under each other
#'   by its values; `NULL` for none.
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
autoplot.ridge_scaffold <- function(object, group = NULL, ...) {
  made <- about(object)
  if (made$shape != "full") {
    ridge_abort(c("Only a full scaffold is drawn.", i = "Say {.code shape = \"full\"}."), "argument")
  }
  check_drawable(object)
  if (!is.null(group)) check_column(object, group, "group")
  size <- axis_size(made$axis)
  lines <- nrow(object) / size
  if (lines > most_drawn_keys) {
    ridge_abort(c("{format_number(lines)} keys cannot be told apart in one figure; {most_drawn_keys} is the most.",
                  i = "Narrow the records first, for example with {.fn subset}."), "argument")
  }
  drawn <- presence_runs(object, size, lines, group)
  half <- if (lines > most_named_keys) 0.5 else 0.4
  ggplot2::ggplot(drawn$runs) +
    ggplot2::geom_rect(ggplot2::aes(xmin = .data$from - 0.5, xmax = .data$to + 0.5,
                                    ymin = .data$line - half, ymax = .data$line + half),
                       fill = main_colour) +
    ggplot2::geom_rect(ggplot2::aes(xmin = .data$to + 0.5, xmax = .data$to + 0.5 + size / 100, ymin = .data$line - half, ymax = .data$line + half),
                       data = drawn$open, fill = gap_colour) +
    (if (!is.null(group)) ggplot2::facet_grid(group ~ ., scales = "free_y", space = "free_y")) +
    period_scale(made$axis, made$label) +
    names_scale(drawn$names, paste("%d", made$of, "by their first period")) +
    ggplot2::labs(title = paste("Presence by", made$axis$grain$name),
                  subtitle = wrap_subtitle(made$conventions), caption = if (nrow(drawn$open) > 0) "Orange at the right edge: still open.") +
    ridge_theme() +
    ggplot2::theme(panel.grid.major.y = ggplot2::element_blank(),
                   axis.text.y = ggplot2::element_text(size = name_size(lines)), strip.text.y = ggplot2::element_text(angle = 0),
                   panel.background = ggplot2::element_rect(fill = "#f4f6f8", colour = NA))
}

# Names of this many keys fit below each other in a figure of usual height.
name_size <- function(lines) {
  if (lines <= 25L || lines > most_named_keys) 9 else 6.5
}

# The runs of periods in which each key is present, keys ranked by their first
# and then last one. Runs, not cells, so that no seams show between periods.
presence_runs <- function(object, size, lines, group) {
  present <- matrix(object$present, nrow = size)
  edges <- diff(rbind(FALSE, present, FALSE))
  begins <- which(edges == 1L, arr.ind = TRUE)
  ends <- which(edges == -1L, arr.ind = TRUE)
  first <- tapply(begins[, "row"], factor(begins[, "col"], seq_len(lines)), min)
  last <- tapply(ends[, "row"], factor(ends[, "col"], seq_len(lines)), max)
  head <- plain_tibble(object)[seq.int(1, by = size, length.out = lines), ]
  part <- if (is.null(group)) factor(rep("all", lines)) else group_labels(head[order(head[[group]]), ], group)[order(order(head[[group]]))]
  order <- order(part, first, last)
  names <- if (length(about(object)$key)) group_names(head, about(object)$key) else head$row
  runs <- data.frame(from = begins[, "row"], to = ends[, "row"] - 1L, line = match(begins[, "col"], order), group = part[begins[, "col"]])
  open <- runs$to == size & begins[, "col"] %in% which(names %in% open_names(object))
  list(runs = runs, open = runs[open, ], names = names[order])
}

# The keys (or rows) with a record that has no end.
open_names <- function(object) {
  x <- about(object)$source
  open <- which(is.infinite(plain_records(x)$stop))
  key <- about(object)$key
  if (length(key)) unique(group_names(plain_tibble(x)[open, ], key)) else about(x)$rows[open]
}

# Keys or lines downwards: named where their names fit, else numbered.
names_scale <- function(names, many) {
  few <- length(names) <= most_named_keys
  numbers <- unique(c(1, pretty(c(1, length(names)), 6)[-1]))
  ggplot2::scale_y_reverse(name = if (!few) sprintf(many, length(names)),
                           breaks = if (few) seq_along(names) else numbers,
                           labels = if (few) names else numbers,
                           expand = ggplot2::expansion(add = 0.6))
}
