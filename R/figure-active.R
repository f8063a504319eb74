most_lines <- 6L
most_panels <- 24L
most_bars <- 60L

#' Draw an active count
#'
#' One series is drawn as bars (up to 60 periods) or as a filled line. Up to six
#' groups are lines of their own colour and shape, more are small panels with
#' the same scale, the 24 highest at most. The line over all has a panel of its own.
#'
#' @param object A result of [active()].
#' @param scale `"shared"` or `"free"`: do panels share the vertical scale?
#' @param ... `title`, `size`, `only` and `lump`: see [autoplot()].
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
  object <- ready_to_draw(object, ..., lumps = TRUE)
  scale <- check_choice(scale, c("shared", "free"), "scale")
  made <- about(object)
  lump <- list(...)$lump
  drawn <- active_series(object, lump)
  groups <- nlevels(drawn$.group[!drawn$.all, drop = TRUE])
  in_panels <- groups > most_lines
  figure <- if (groups <= 1L && nlevels(drawn$.group) == 1L) one_series(drawn, made$axis)
  else if (!in_panels) several_lines(drawn, made)
  else many_panels(drawn, scale, made$axis)
  figure + period_scale(made$axis, made$question$arguments$label, in_panels = in_panels) +
    ggplot2::scale_y_continuous(name = made$title, limits = c(0, NA), breaks = whole_breaks,
                                expand = ggplot2::expansion(mult = c(0, 0.06))) +
    ggplot2::labs(title = active_title(made), subtitle = wrap_subtitle(conventions(object)),
                  caption = lines_caption(made, drawn, "highest average", lump)) +
    active_marks(drawn, made, groups, in_panels) + finished(object, ...)
}

active_marks <- function(drawn, made, groups, in_panels) {
  if (groups > 1L && !in_panels) {
    drawn$.panel <- factor(ifelse(drawn$.all, "All", paste("by", and_list(made$groups))),
                           c("All", paste("by", and_list(made$groups))))
  }
  value_marks(drawn, drawn$.at, drawn$active, period_tips(drawn, made, tip_number(drawn$active)))
}

# The groups that are drawn, and the line over all of them.
active_series <- function(object, lump) {
  drawn <- drawn_lines(object)
  level <- function(lines) lines$active
  with_total(most_lines_of(drawn, level, most_panels, lump, "active"), drawn)
}

active_title <- function(made) {
  when <- if (made$axis$grain$name == "moment") "at chosen moments"
  else if (!is.null(made$question$arguments$on)) "on chosen days"
  else paste("by", made$axis$grain$name)
  paste0("Active ", when, by_words(made$groups))
}

whole_breaks <- function(limits) {
  breaks <- pretty(limits, 5)
  if (max(abs(limits)) >= 5) breaks[breaks == round(breaks)] else breaks
}

one_series <- function(drawn, axis) {
  if (axis_size(axis) <= most_bars) {
    return(ggplot2::ggplot(drawn, ggplot2::aes(.data$.at, .data$active)) +
             ggplot2::geom_col(fill = main_colour, width = period_bar_width(axis)))
  }
  ggplot2::ggplot(as_steps(drawn, axis), ggplot2::aes(.data$.at, .data$active)) + step_area()
}

step_area <- function(data = NULL, colour = main_colour) {
  list(ggplot2::geom_area(stat = "identity", position = "identity", data = data, fill = colour,
                          alpha = 0.2),
       ggplot2::geom_line(data = data, colour = colour, linewidth = 0.6))
}

# Each level holds for its whole period, so a line runs in steps.
as_steps <- function(drawn, axis) {
  edges <- period_edges(axis)
  steps <- drawn[rep(seq_len(nrow(drawn)), each = 2), ]
  first <- c(TRUE, FALSE)
  steps$.at[first] <- edges$from[steps$.place[first]]
  steps$.at[!first] <- edges$to[steps$.place[!first]]
  steps
}

# The groups as lines; the line over all in a panel of its own, so that it does not flatten them.
several_lines <- function(drawn, made) {
  groups <- drawn[!drawn$.all, ]
  last <- tapply(groups$active, droplevels(groups$.group), function(level) level[length(level)])
  by_height <- names(sort(last, decreasing = TRUE))
  by_height <- by_height[order(is_others(by_height))]
  groups$.group <- factor(groups$.group, levels = by_height)
  total <- drawn[drawn$.all, ]
  panels <- c("All", paste("by", and_list(made$groups)))
  groups$.panel <- factor(rep(panels[2], nrow(groups)), panels)
  total$.panel <- factor(rep(panels[1], nrow(total)), panels)
  figure <- ggplot2::ggplot(groups, ggplot2::aes(.data$.at, .data$active)) +
    ggplot2::geom_line(ggplot2::aes(colour = .data$.group), linewidth = 0.7) +
    ggplot2::geom_point(ggplot2::aes(colour = .data$.group, shape = .data$.group),
                        data = marked_points(groups, made$axis), size = 2.2) +
    ggplot2::scale_colour_manual(name = NULL, values = stack_colours(by_height)) +
    ggplot2::scale_shape_manual(name = NULL, values = group_shapes)
  if (nrow(total) == 0) {
    return(figure)
  }
  figure + ggplot2::geom_line(data = total, colour = ink, linewidth = 0.8) +
    ggplot2::geom_point(data = marked_points(total, made$axis), colour = ink, size = 1.8) +
    ggplot2::facet_wrap(~.panel, ncol = 1, scales = "free_y")
}

marked_points <- function(lines, axis) {
  if (axis_size(axis) <= most_bars) lines
  else lines[lines$.place %in% spaced_places(axis_size(axis)), ]
}

spaced_places <- function(size) {
  unique(round(seq(1, size, length.out = 24)))
}

many_panels <- function(drawn, scale, axis) {
  steps <- as_steps(drawn, axis)
  ggplot2::ggplot(steps, ggplot2::aes(.data$.at, .data$active)) +
    step_area(steps[!steps$.all, ]) + step_area(steps[steps$.all, ], ink) +
    line_panels(drawn, range(0, drawn$active[!drawn$.all]), scale == "free")
}
