#' Draw who came and who went
#'
#' Bars up for those who came (started, returned, moved in), bars down for those who
#' went, around zero; a mark at the net of each period points up where it grew, down
#' where it shrank. Above them the closing level, on a scale of its own. Of several
#' groups each has a panel of bars, the 12 with the most changes at most; where the
#' result holds the line over all groups, that has a panel with a scale of its own, and
#' `panels = "total"` draws it alone.
#'
#' Of `show = "routes"` a grid: from the group of a row to that of a column, the darker
#' the more moved, over all periods that are left; the 14 groups with the most moves.
#'
#' @param object A result of [movement()].
#' @param panels `"groups"` or `"total"`.
#' @param scale `"shared"` or `"free"`: do panels of groups share the vertical scale?
#' @param ... `title`, `size`, `only` and `lump`: see [autoplot()].
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
  if (shown == "routes") {
    refuse_together("show", list(panels = if (!missing(panels)) panels,
                                 scale = if (!missing(scale)) scale),
                    "routes are drawn as one grid")
    return(routes_figure(object, ...))
  }
  object <- ready_to_draw(object, ..., lumps = TRUE)
  check_choice(panels, c("groups", "total"), "panels")
  check_choice(scale, c("shared", "free"), "scale")
  made <- about(object)
  lump <- list(...)$lump
  drawn <- movement_lines(object, panels, lump)
  bars <- movement_bars(drawn, made$question$arguments$returns)
  grouped <- nlevels(drawn$.group) > 1
  figure <- ggplot2::ggplot(bars, ggplot2::aes(.data$.at, .data$.count)) +
    ggplot2::geom_col(ggplot2::aes(fill = .data$.flow), width = period_bar_width(made$axis)) +
    ggplot2::geom_hline(yintercept = 0, colour = ink, linewidth = 0.4) +
    net_marks(drawn, if (axis_size(made$axis) > 40 || grouped) 1.3 else 2.4)
  if (!grouped) figure <- figure + closing_panel(drawn)
  figure + (if (grouped) line_panels(drawn, bars_range(bars), scale == "free")
            else ggplot2::facet_wrap(~.panel, ncol = 1, scales = "free_y")) +
    ggplot2::scale_fill_manual(name = NULL, values = flow_colours, breaks = levels(bars$.flow),
                               drop = TRUE) +
    ggplot2::scale_shape_manual(name = "net", values = c(grew = 24, shrank = 25, stayed = 22),
                                drop = TRUE) +
    period_scale(made$axis, made$question$arguments$label, in_panels = grouped) +
    ggplot2::scale_y_continuous(name = made$title, labels = function(x) axis_numbers(abs(x)),
                                breaks = whole_breaks) +
    ggplot2::labs(title = paste0("Who came and who went, by ", made$axis$grain$name,
                                 if (grouped) by_words(made$groups)),
                  subtitle = wrap_subtitle(conventions(object)),
                  caption = paste(c("Triangles stand at the net of each period and point the way",
                                    "it went.", lines_caption(made, drawn, "most changes",
                                                                 lump)), collapse = " ")) +
    movement_marks(drawn, made, grouped) + finished(object, ...)
}

# Triangles at the net of each period, pointing the way it went.
net_marks <- function(drawn, size) {
  ways <- c("grew", "shrank", "stayed")
  drawn$.way <- factor(ifelse(drawn$net > 0, "grew", ifelse(drawn$net < 0, "shrank", "stayed")),
                      ways)
  drawn$.panel <- factor(movement_panels[2], movement_panels)
  ggplot2::geom_point(ggplot2::aes(.data$.at, .data$net, shape = .data$.way), data = drawn,
                      colour = ink, fill = "white", size = size)
}

# At the net of each period all that happened in it.
movement_marks <- function(drawn, made, grouped) {
  if (!grouped) drawn$.panel <- factor(movement_panels[2], movement_panels)
  flows <- intersect(setdiff(movement_measures, "opening"), names(drawn))
  told <- vapply(flows, function(name) paste(tip_number(drawn[[name]]), gsub("_", " ", name)),
                 character(nrow(drawn)))
  told <- apply(matrix(told, ncol = length(flows)), 1, paste, collapse = ", ")
  value_marks(drawn, drawn$.at, drawn$net, period_tips(drawn, made, told))
}

flow_colours <- c(started = "#2f6690", returned = "#5c4d9e", "moved in" = "#5f93b8",
                  ended = "#a84e0a", "moved out" = "#c97f38")
most_movement_panels <- 12L
movement_measures <- c("opening", "started", "returned", "moved_in", "ended", "moved_out", "net",
                       "closing")

# The lines that are drawn: those of groups with the most changes, and the one over all.
movement_lines <- function(object, panels, lump) {
  made <- about(object)
  drawn <- drawn_lines(object)
  if (panels == "total" && length(made$groups) > 0) {
    if (!any(drawn$.all)) {
      ridge_abort(c("The result has no line over all groups.", i = "Say {arg_set('total', TRUE)}."),
                  "argument", arg = "panels")
    }
    drawn <- drawn[drawn$.all, ]
  }
  changes <- function(lines) lines$started + lines$ended + lines$moved_in + lines$moved_out
  lines <- most_lines_of(drawn, changes, most_movement_panels, lump,
                         intersect(movement_measures, names(drawn)))
  with_total(lines, drawn)
}

movement_bars <- function(drawn, returns) {
  signs <- c(started = 1, if (returns) c(returned = 1), moved_in = 1, ended = -1, moved_out = -1)
  parts <- lapply(names(signs), function(name) {
    drawn$.flow <- sub("_", " ", name)
    drawn$.count <- signs[[name]] * drawn[[name]]
    drawn
  })
  bars <- do.call(rbind, parts)
  bars <- bars[bars$.flow %in% unique(bars$.flow[bars$.count != 0]), ]
  bars$.flow <- factor(bars$.flow, intersect(names(flow_colours), bars$.flow))
  bars$.panel <- factor(rep(movement_panels[2], nrow(bars)), movement_panels)
  bars
}

# How far the stacks of groups reach up and down.
bars_range <- function(bars) {
  groups <- bars[!bars$.all, ]
  reach <- function(way) {
    one_way <- groups[sign(groups$.count) == way, ]
    tapply(one_way$.count, list(one_way$.group, one_way$.place), sum)
  }
  range(0, reach(1), reach(-1), na.rm = TRUE)
}

movement_panels <- c("carried over at closing", "came (up) and went (down)")

closing_panel <- function(drawn) {
  drawn$.panel <- factor(movement_panels[1], movement_panels)
  size <- max(drawn$.place)
  list(ggplot2::geom_line(ggplot2::aes(.data$.at, .data$closing), data = drawn,
                          colour = main_colour, linewidth = 0.8),
       if (size <= most_bars) ggplot2::geom_point(ggplot2::aes(.data$.at, .data$closing),
                                                  data = drawn, colour = main_colour, size = 1.8))
}
