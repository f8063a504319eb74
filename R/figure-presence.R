most_named_keys <- 45L
most_drawn_keys <- 2000L

#' Draw who is there in every period
#'
#' Keys downwards, by the first period in which they are present; periods
#' across; filled where present, with a mark behind those that are still open. Up to
#' 45 keys are named, more are numbered.
#'
#' @param object A result of [scaffold()] with `every_period = TRUE`.
#' @param group A column that the scaffold carries, to have the keys under each other
#'   by its values; `NULL` for none.
#' @param ... `title`, `size` and `only`: see [autoplot()].
#' @return A ggplot.
#' @section Errors:
#' A scaffold without a row, or of more than 2000 keys, is an
#' error of class `ridge_error_argument`.
#' @examples
#' staff <- spans(demo_records("postings"), first_day, last_day, key = observer,
#'                as_of = "2026-06-30")
#' few <- subset(staff, station == "Stonebow")
#' autoplot(scaffold(few, by = "month", every_period = TRUE))
#' @exportS3Method ggplot2::autoplot
autoplot.ridge_presence <- function(object, group = NULL, ...) {
  object <- ready_to_draw(object, ...)
  if (!is.null(group)) check_column(object, group, "group")
  made <- about(object)
  lines <- length(unique(cells_of(object)$line))
  if (lines > most_drawn_keys) {
    ridge_abort(
      c(paste("{format_number(lines)} keys cannot be told apart in one figure; {most_drawn_keys}",
              "is the most."),
        i = "Narrow the records first."), "argument", arg = "object")
  }
  drawn <- presence_runs(object, group)
  if (nrow(drawn$runs) == 0) {
    ridge_abort(c("There is nothing to draw: nobody is present in the rows that are left.",
                  i = "Look at the table first."), "argument", arg = "object")
  }
  size <- axis_size(made$axis)
  half <- if (lines > most_named_keys) 0.5 else 0.4
  drawn$runs[c("low", "high")] <- drawn$runs$line +
    c(-half, half)[rep(1:2, each = nrow(drawn$runs))]
  edges <- period_reach(made$axis)
  drawn$runs$begin <- edges$from[drawn$runs$from]
  drawn$runs$edge <- edges$to[drawn$runs$to]
  beyond <- (as.double(edges$to[size]) - as.double(edges$from[1])) / 100
  open <- drawn$runs[drawn$runs$open, ]
  of <- made$question$arguments$of
  ggplot2::ggplot(drawn$runs, ggplot2::aes(ymin = .data$low, ymax = .data$high)) +
    ggplot2::geom_rect(ggplot2::aes(xmin = .data$begin, xmax = .data$edge),
                       fill = main_colour) +
    ggplot2::geom_rect(ggplot2::aes(xmin = .data$edge, xmax = .data$edge + beyond), data = open,
                       fill = gap_colour) +
    (if (!is.null(group)) ggplot2::facet_grid(group ~ ., scales = "free_y", space = "free_y")) +
    period_scale(made$axis, made$question$arguments$label) +
    names_scale(drawn$names, paste("%d", of, "by their first period")) +
    ggplot2::labs(title = paste("Presence by", made$axis$grain$name),
                  subtitle = wrap_subtitle(conventions(object)),
                  caption = if (nrow(open) > 0) "Orange at the right edge: still open.") +
    presence_marks(drawn, made) +
    finished(object, ...) +
    ggplot2::theme(panel.grid.major.y = ggplot2::element_blank(),
                   axis.text.y = ggplot2::element_text(size = name_size(lines)),
                   strip.text.y = ggplot2::element_text(angle = 0),
                   panel.background = ggplot2::element_rect(fill = "#f4f6f8", colour = NA))
}

#' @exportS3Method ggplot2::autoplot
autoplot.ridge_slices <- function(object, ...) {
  ridge_abort(c("Only a scaffold of every period is drawn.",
                i = "Ask for it with {arg_set('every_period', TRUE)}."), "argument", arg = "object")
}

# Names of this many keys fit below each other in a figure of usual height.
name_size <- function(lines) {
  if (lines <= 25L || lines > most_named_keys) 9 else 6.5
}

# The runs of periods in which each key is present, keys ranked by their first
# and then last one. Runs, not cells, so that no seams show between periods.
presence_runs <- function(object, group) {
  made <- about(object)
  cells <- cells_of(object)
  left <- unique(cells$line)
  present <- cell_matrix(object, "present")[, left, drop = FALSE] %in% 1
  present <- matrix(present, ncol = length(left))
  edges <- diff(rbind(FALSE, present, FALSE))
  begins <- which(edges == 1L, arr.ind = TRUE)
  ends <- which(edges == -1L, arr.ind = TRUE)
  line <- factor(begins[, "col"], seq_along(left))
  first <- tapply(begins[, "row"], line, min)
  last <- tapply(ends[, "row"], line, max)
  head <- plain_tibble(object)[match(left, cells$line), ]
  part <- if (is.null(group)) factor(rep("all", length(left))) else sorted_labels(head, group)
  order <- order(part, first, last)
  runs <- data.frame(from = begins[, "row"], to = ends[, "row"] - 1L,
                     line = match(begins[, "col"], order), group = part[begins[, "col"]])
  runs$open <- runs$to == axis_size(made$axis) & made$open[left][begins[, "col"]]
  list(runs = runs, names = presence_names(made, left)[order])
}

presence_marks <- function(drawn, made) {
  runs <- drawn$runs
  labels <- period_labels(made)
  name <- drawn$names[runs$line]
  value_marks(runs, halfway(runs$begin, runs$edge), runs$line,
              paste0(name, ": ", labels[runs$from], " to ", labels[runs$to]), name)
}

# By the key, or by the row where there is none.
presence_names <- function(made, left) {
  names <- setdiff(made$groups, c("row", made$question$arguments$carry))
  line_names(slice_all(made$lines[if (length(names)) names else "row"], left))
}

sorted_labels <- function(table, name) {
  labels <- line_names(table[name])
  factor(labels, unique(labels[sort_rows(as.list(table[name]))]))
}

# Keys or partitions downwards: named where their names fit, else numbered.
names_scale <- function(names, many) {
  few <- length(names) <= most_named_keys
  numbers <- unique(c(1, pretty(c(1, length(names)), 6)[-1]))
  ggplot2::scale_y_reverse(name = if (!few) sprintf(many, length(names)),
                           breaks = if (few) seq_along(names) else numbers,
                           labels = if (few) names else numbers,
                           expand = ggplot2::expansion(add = 0.6))
}
