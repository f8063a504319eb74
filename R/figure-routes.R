# The routes between groups as a grid: from which row to which column, the darker the more.

routes_figure <- function(object, ...) {
  object <- ready_to_draw(object, ...)
  made <- about(object)
  cells <- route_cells(object, made)
  if (nrow(cells) == 0) {
    ridge_abort(c("There is nothing to draw: nobody moved in the rows that are left.",
                  i = "Look at the table first."), "argument", arg = "object")
  }
  share <- cells$moved / max(cells$moved, 1)
  # No shade lies between those on which dark and on which white numbers can be read.
  dark <- share > 0.62
  cells$shade <- ifelse(dark, 0.72 + 0.28 * (share - 0.62) / 0.38, 0.45 * share / 0.62)
  ggplot2::ggplot(cells, ggplot2::aes(.data$to, .data$from)) +
    ggplot2::geom_tile(ggplot2::aes(fill = .data$shade), colour = "white", linewidth = 1) +
    ggplot2::geom_text(ggplot2::aes(label = format_number(.data$moved)), size = 3.6,
                       colour = ifelse(dark, "white", ink)) +
    ggplot2::scale_fill_gradient(low = "#e4edf4", high = "#1d4a6d", limits = c(0, 1),
                                 guide = "none") +
    ggplot2::scale_x_discrete(name = "to", position = "top", drop = FALSE,
                              guide = ggplot2::guide_axis(n.dodge = if (nlevels(cells$to) > 8) 2
                                                          else 1)) +
    ggplot2::scale_y_discrete(name = "from", limits = rev(levels(cells$from)), drop = FALSE) +
    ggplot2::coord_fixed(ratio = 0.55) +
    ggplot2::labs(title = paste("Who moved from where to where,", route_time(object, made)),
                  subtitle = wrap_subtitle(conventions(object)),
                  caption = route_caption(object, made, cells)) +
    value_marks(cells, cells$to, cells$from,
                paste0("from ", cells$from, " to ", cells$to, ": ", format_number(cells$moved)),
                paste(cells$from, cells$to, sep = ", ")) +
    finished(object, ...) +
    ggplot2::theme(axis.line.x = ggplot2::element_blank(),
                   axis.ticks.x = ggplot2::element_blank(),
                   panel.grid = ggplot2::element_blank(),
                   panel.grid.major.y = ggplot2::element_blank(),
                   axis.title.y = ggplot2::element_text(angle = 0, vjust = 1))
}

most_route_groups <- 14L

# Moves over all periods that are left, between the groups with the most of them.
route_cells <- function(object, made) {
  names <- names_of_sides(made)
  line <- cells_of(object)$line
  from <- names$from[line]
  to <- names$to[line]
  sums <- rowsum(rep(object$moved, 2), c(from, to))[, 1]
  shown <- utils::head(names(sums)[order(-sums)], most_route_groups)
  shown <- intersect(names$all, shown)
  kept <- which(from %in% shown & to %in% shown)
  cells <- stats::aggregate(list(moved = object$moved[kept]),
                            list(from = from[kept], to = to[kept]), sum)
  cells$from <- factor(cells$from, shown)
  cells$to <- factor(cells$to, shown)
  cells[cells$moved > 0, ]
}

# What the two sides of each route are called, and all of them in order.
names_of_sides <- function(made) {
  sides <- length(made$groups) / 2
  routes <- length(made$lines[[1]])
  both <- Map(vctrs::vec_c, unname(made$lines[seq_len(sides)]),
              unname(made$lines[sides + seq_len(sides)]))
  names <- line_names(both)
  list(from = names[seq_len(routes)], to = names[routes + seq_len(routes)],
       all = unique(names[sort_rows(both)]))
}

route_time <- function(object, made) {
  places <- range(cells_of(object)$place)
  labels <- axis_labels(axis_part(made$axis, places), "code")
  if (places[1] == places[2]) labels[1] else paste(labels[1], "to", labels[2])
}

route_caption <- function(object, made, cells) {
  hidden <- sum(object$moved) - sum(cells$moved)
  paste0("Each cell counts the moves from the group of its row to that of its column; empty cells ",
         "have none.",
         if (hidden > 0) paste0(" ", count_of(hidden, "move"), " of other groups ",
                                if (hidden == 1) "is" else "are", " not drawn."))
}
