#' Draw who came and who went
#'
#' Bars up for those who came (started, returned, moved in), bars down for those who
#' went, around zero; a mark at the net of each period points up where it grew, down
#' where it shrank. Above them the closing level, on a scale of its own. Of several
#' groups each has a panel of bars, the 12 with the most changes at most; where the
#' result holds the line over all groups, `panels = "total"` draws that alone.
#'
#' Of `show = "routes"` a grid: from the group of a row to that of a column, the darker
#' the more moved, over all periods that are left; the 14 groups with the most moves.
#'
#' @param object A result of [movement()].
#' @param panels `"groups"` or `"total"`.
#' @param scale `"shared"` or `"free"`: do panels of groups share the vertical scale?
#' @param ... Not used.
#' @return A ggplot.
#' @section Errors:
#' A result without a row, or without the line that is asked for, is an error of
#' class `ridge_error_argument`.
#' @examples
#' staff <- spans(demo_records("postings"), first_day, last_day, key = observer,
#'                as_of = "2026-06-30")
#' autoplot(movement(staff, by = "quarter"))
#' autoplot(movement(staff, by = "year", group = station, show = "routes"))
#' @exportS3Method ggplot2::autoplot
autoplot.ridge_movement <- function(object, panels = "groups", scale = "shared", ...) {
  shown <- about(object)$question$arguments$show
  refuse_list_of_records(object)
  check_drawable(object)
  if (shown == "routes") {
    refuse_together("show", list(panels = if (!missing(panels)) panels,
                                 scale = if (!missing(scale)) scale),
                    "routes are drawn as one grid")
    return(routes_figure(object))
  }
  check_choice(panels, c("groups", "total"), "panels")
  check_choice(scale, c("shared", "free"), "scale")
  made <- about(object)
  drawn <- movement_lines(object, panels)
  bars <- movement_bars(drawn, made$question$arguments$returns)
  grouped <- nlevels(drawn$group) > 1
  figure <- ggplot2::ggplot(bars, ggplot2::aes(.data$at, .data$count)) +
    ggplot2::geom_col(ggplot2::aes(fill = .data$flow), width = period_bar_width(made$axis)) +
    ggplot2::geom_hline(yintercept = 0, colour = ink, linewidth = 0.4) +
    net_marks(drawn, if (axis_size(made$axis) > 40 || grouped) 1.3 else 2.4)
  if (!grouped) figure <- figure + closing_panel(drawn)
  free <- if (scale == "free") "free_y" else "fixed"
  figure + (if (grouped) ggplot2::facet_wrap(~group, scales = free)
            else ggplot2::facet_wrap(~panel, ncol = 1, scales = "free_y")) +
    ggplot2::scale_fill_manual(name = NULL, values = flow_colours, breaks = levels(bars$flow),
                               drop = TRUE) +
    ggplot2::scale_shape_manual(name = "net", values = c(grew = 24, shrank = 25, stayed = 22),
                                drop = TRUE) +
    period_scale(made$axis, made$question$arguments$label, in_panels = grouped) +
    ggplot2::scale_y_continuous(name = made$title, labels = function(x) axis_numbers(abs(x)),
                                breaks = whole_breaks) +
    ggplot2::labs(title = paste0("Who came and who went, by ", made$axis$grain$name,
                                 if (grouped) by_words(made$groups)),
                  subtitle = wrap_subtitle(conventions(object)),
                  caption = movement_caption(made, drawn)) +
    ridge_theme()
}

# Triangles at the net of each period, pointing the way it went.
net_marks <- function(drawn, size) {
  ways <- c("grew", "shrank", "stayed")
  drawn$way <- factor(ifelse(drawn$net > 0, "grew", ifelse(drawn$net < 0, "shrank", "stayed")),
                      ways)
  drawn$panel <- factor(movement_panels[2], movement_panels)
  ggplot2::geom_point(ggplot2::aes(.data$at, .data$net, shape = .data$way), data = drawn,
                      colour = ink, fill = "white", size = size)
}

flow_colours <- c(started = "#2f6690", returned = "#5c4d9e", "moved in" = "#8fb8d6",
                  ended = "#d1701d", "moved out" = "#f0c08f")
most_movement_panels <- 12L

# The lines that are drawn: those of groups with the most changes, or the one over all.
movement_lines <- function(object, panels) {
  made <- about(object)
  drawn <- drawn_lines(object)
  if (panels == "total" && length(made$groups) > 0) {
    if (!any(drawn$in_all)) {
      ridge_abort(c("The result has no line over all groups.", i = "Say {arg_set('total', TRUE)}."),
                  "argument", arg = "panels")
    }
    drawn <- drawn[drawn$in_all, ]
  } else if (!all(drawn$in_all)) {
    drawn <- drawn[!drawn$in_all, ]
  }
  drawn$group <- droplevels(drawn$group)
  changes <- drawn$started + drawn$ended + drawn$moved_in + drawn$moved_out
  most <- sort(tapply(changes, drawn$group, sum), decreasing = TRUE)
  drawn <- drawn[drawn$group %in% utils::head(names(most), most_movement_panels), ]
  drawn$group <- droplevels(drawn$group)
  drawn
}

movement_bars <- function(drawn, returns) {
  signs <- c(started = 1, if (returns) c(returned = 1), moved_in = 1, ended = -1, moved_out = -1)
  parts <- lapply(names(signs), function(name) {
    data.frame(at = drawn$at, group = drawn$group, flow = sub("_", " ", name),
               count = signs[[name]] * drawn[[name]])
  })
  bars <- do.call(rbind, parts)
  bars <- bars[bars$flow %in% unique(bars$flow[bars$count != 0]), ]
  bars$flow <- factor(bars$flow, intersect(names(flow_colours), bars$flow))
  bars$panel <- factor(rep(movement_panels[2], nrow(bars)), movement_panels)
  bars
}

movement_panels <- c("carried over at closing", "came (up) and went (down)")

closing_panel <- function(drawn) {
  drawn$panel <- factor(movement_panels[1], movement_panels)
  size <- max(drawn$place)
  list(ggplot2::geom_line(ggplot2::aes(.data$at, .data$closing), data = drawn,
                          colour = main_colour, linewidth = 0.8),
       if (size <= most_bars) ggplot2::geom_point(ggplot2::aes(.data$at, .data$closing),
                                                  data = drawn, colour = main_colour, size = 1.8))
}

movement_caption <- function(made, drawn) {
  groups <- made$line_count - made$total
  shown <- nlevels(drawn$group)
  paste0("Triangles stand at the net of each period and point the way it went.",
         if (shown > 1 && groups > shown) {
           sprintf(" The %d groups with the most changes of %d are drawn.", shown, groups)
         })
}
