most_lines <- 6L
most_panels <- 24L
most_bars <- 60L

#' Draw an active count
#'
#' One series is drawn as bars (up to 60 periods) or as a filled line. Up to six
#' groups are lines of their own colour and shape, more are small panels with
#' the same scale, the 24 highest at most.
#'
#' @param object A result of [active()].
#' @param scale `"shared"` or `"free"`: do panels share the vertical scale?
#' @param ... Not used.
#' @return A ggplot.
#' @section Errors:
#' A result without a row is an error of class `ridge_error_argument`.
#' @examples
#' staff <- spans(demo_records("postings"), first_day, last_day, key = observer,
#'                as_of = "2026-06-30")
#' autoplot(active(staff, by = "month", group = station))
#' @exportS3Method ggplot2::autoplot
autoplot.ridge_active <- function(object, scale = "shared", ...) {
  refuse_list_of_records(object)
  check_drawable(object)
  scale <- check_choice(scale, c("shared", "free"), "scale")
  made <- about(object)
  drawn <- active_series(object)
  groups <- nlevels(drawn$group)
  figure <- if (groups == 1L) one_series(drawn, made$axis)
  else if (groups <= most_lines) several_lines(drawn, made$axis)
  else many_panels(drawn, scale, made$axis)
  figure + period_scale(made$axis, made$question$arguments$label, in_panels = groups > most_lines) +
    ggplot2::scale_y_continuous(name = made$title, limits = c(0, NA), breaks = whole_breaks,
                                expand = ggplot2::expansion(mult = c(0, 0.06))) +
    ggplot2::labs(title = active_title(made), subtitle = wrap_subtitle(conventions(object)),
                  caption = active_caption(made, drawn)) +
    ridge_theme()
}

# The line over all groups is drawn with up to six lines, and left to the table with
# panels.
active_series <- function(object) {
  drawn <- drawn_lines(object)
  if (length(unique(drawn$group)) > most_lines) drawn <- drawn[!drawn$in_all, ]
  drawn$group <- droplevels(drawn$group)
  height <- sort(tapply(drawn$active, drawn$group, mean), decreasing = TRUE)
  drawn <- drawn[drawn$group %in% utils::head(names(height), most_panels), ]
  drawn$group <- droplevels(drawn$group)
  drawn
}

active_title <- function(made) {
  when <- if (made$axis$grain$name == "moment") "at chosen moments"
  else if (!is.null(made$question$arguments$on)) "on chosen days"
  else paste("by", made$axis$grain$name)
  paste0("Active ", when, by_words(made$groups))
}

active_caption <- function(made, drawn) {
  groups <- made$line_count - made$total
  shown <- nlevels(drawn$group)
  if (shown > most_lines && groups > shown) {
    sprintf("The %d groups with the highest average of %d are drawn.", shown, groups)
  }
}

whole_breaks <- function(limits) {
  breaks <- pretty(limits, 5)
  if (max(abs(limits)) >= 5) breaks[breaks == round(breaks)] else breaks
}

one_series <- function(drawn, axis) {
  if (axis_size(axis) <= most_bars) {
    return(ggplot2::ggplot(drawn, ggplot2::aes(.data$at, .data$active)) +
             ggplot2::geom_col(fill = main_colour, width = period_bar_width(axis)))
  }
  ggplot2::ggplot(as_steps(drawn, axis), ggplot2::aes(.data$at, .data$active)) +
    ggplot2::geom_area(stat = "identity", position = "identity", fill = main_colour, alpha = 0.2) +
    ggplot2::geom_line(colour = main_colour, linewidth = 0.6)
}

# Each level holds for its whole period, so a line runs in steps.
as_steps <- function(drawn, axis) {
  edges <- period_edges(axis)
  steps <- drawn[rep(seq_len(nrow(drawn)), each = 2), ]
  first <- c(TRUE, FALSE)
  steps$at[first] <- edges$from[steps$place[first]]
  steps$at[!first] <- edges$to[steps$place[!first]]
  steps
}

several_lines <- function(drawn, axis) {
  order <- tapply(drawn$active, drawn$group, function(level) level[length(level)])
  drawn$group <- factor(drawn$group, levels = names(sort(order, decreasing = TRUE)))
  figure <- ggplot2::ggplot(drawn, ggplot2::aes(.data$at, .data$active, colour = .data$group,
                                                shape = .data$group)) +
    ggplot2::geom_line(linewidth = 0.7) +
    ggplot2::scale_colour_manual(name = NULL, values = group_colours) +
    ggplot2::scale_shape_manual(name = NULL, values = group_shapes)
  few <- axis_size(axis) <= most_bars
  marked <- if (few) drawn else drawn[drawn$place %in% spaced_places(axis_size(axis)), ]
  figure + ggplot2::geom_point(data = marked, size = 2.2)
}

spaced_places <- function(size) {
  unique(round(seq(1, size, length.out = 24)))
}

many_panels <- function(drawn, scale, axis) {
  ggplot2::ggplot(as_steps(drawn, axis), ggplot2::aes(.data$at, .data$active)) +
    ggplot2::geom_area(stat = "identity", position = "identity", fill = main_colour, alpha = 0.2) +
    ggplot2::geom_line(colour = main_colour, linewidth = 0.6) +
    ggplot2::facet_wrap(~group, scales = if (scale == "free") "free_y" else "fixed")
}
