#' Draw what was restated
#'
#' Without groups the number as told before and as it is now, and below it what each cause
#' changed in each period, up or down from zero. With groups the causes, a panel for each of
#' the groups with the largest differences.
#'
#' @param object A result of [restated()].
#' @param ... `title`, `size`, `only` and `lump`: see [autoplot()].
#' @return A ggplot.
#' @section Errors:
#' A result without a row, or a list of records, is an error of class `ridge_error_argument`.
#' @examples
#' staff <- spans(demo_records("postings"), first_day, last_day, key = observer,
#'                as_of = "2026-06-30")
#' may <- spans(demo_records("postings_may"), first_day, last_day, key = observer,
#'              as_of = "2026-05-31")
#' autoplot(restated(staff, may, from = "2025-06-01"))
#' @exportS3Method ggplot2::autoplot
autoplot.ridge_restated <- function(object, ...) {
  refuse_list_of_records(object)
  object <- ready_to_draw(object, ..., lumps = TRUE)
  made <- about(object)
  lump <- list(...)$lump
  drawn <- restated_lines(object, lump)
  grouped <- nlevels(drawn$.group) > 1
  figure <- ggplot2::ggplot(cause_bars(drawn), ggplot2::aes(.data$.at, .data$.effect)) +
    ggplot2::geom_col(ggplot2::aes(fill = .data$.cause), width = period_bar_width(made$axis)) +
    ggplot2::geom_hline(ggplot2::aes(yintercept = 0), data = zero_line(drawn, grouped),
                        colour = ink, linewidth = 0.4)
  if (!grouped) figure <- figure + told_panel(drawn)
  figure + (if (grouped) line_panels(drawn, effects_range(drawn))
            else ggplot2::facet_wrap(~.panel, ncol = 1, scales = "free_y")) +
    ggplot2::scale_fill_manual(name = NULL, values = cause_colours, drop = TRUE) +
    period_scale(made$axis, made$question$arguments$label, in_panels = grouped) +
    ggplot2::scale_y_continuous(name = NULL, labels = axis_numbers, breaks = whole_breaks,
                                expand = ggplot2::expansion(mult = c(0.12, 0.08))) +
    ggplot2::labs(title = paste0("What was restated, and why, by ", made$axis$grain$name,
                                 if (grouped) by_words(made$groups)),
                  subtitle = wrap_subtitle(conventions(object)),
                  caption = restated_caption(made, drawn, grouped, lump)) +
    restated_marks(drawn, made, grouped) + finished(object, ...)
}

cause_colours <- c("came late" = "#2f6690", removed = "#d1701d", "start changed" = "#8f3f8f",
                   "end changed" = "#3a9d7c", "key changed" = "#6b7785",
                   "group changed" = "#8a7616", "weight changed" = "#22313f")

most_restated_panels <- 12L

# The lines that are drawn: those with the largest differences, and the one over all.
restated_lines <- function(object, lump) {
  drawn <- drawn_lines(object)
  causes <- intersect(cause_columns(restated_causes), names(drawn))
  moved <- function(lines) rowSums(abs(as.matrix(lines[causes])))
  with_total(most_lines_of(drawn, moved, most_restated_panels, lump,
                           c("before", "now", "difference", causes)), drawn)
}

# The number itself is not drawn from zero.
zero_line <- function(drawn, grouped) {
  if (grouped) unique(drawn[".group"])
  else data.frame(.panel = factor(told_panels[2], told_panels))
}

cause_bars <- function(drawn) {
  causes <- intersect(cause_columns(restated_causes), names(drawn))
  bars <- do.call(rbind, lapply(causes, function(name) {
    drawn$.cause <- if (name == "added") "came late" else gsub("_", " ", name)
    drawn$.effect <- drawn[[name]]
    drawn
  }))
  bars <- bars[bars$.effect != 0, ]
  bars$.cause <- factor(bars$.cause, intersect(names(cause_colours), bars$.cause))
  bars$.panel <- factor(rep(told_panels[2], nrow(bars)), told_panels)
  bars
}

# How far the causes of groups reach up and down.
effects_range <- function(drawn) {
  groups <- drawn[!drawn$.all, ]
  effects <- as.matrix(groups[intersect(cause_columns(restated_causes), names(groups))])
  range(0, rowSums(pmax(effects, 0)), rowSums(pmin(effects, 0)))
}

told_panels <- c("the number now; open circles: as it was told before", "what changed it, by cause")

restated_marks <- function(drawn, made, grouped) {
  if (!grouped) drawn$.panel <- factor(told_panels[1], told_panels)
  told <- ifelse(drawn$difference == 0, tip_number(drawn$now),
                 paste0("told as ", tip_number(drawn$before), ", now ", tip_number(drawn$now)))
  value_marks(drawn, drawn$.at, if (grouped) drawn$difference else drawn$now,
              period_tips(drawn, made, told))
}

# The line now, and where it was told otherwise both numbers.
told_panel <- function(drawn) {
  drawn$.panel <- factor(told_panels[1], told_panels)
  other <- drawn[drawn$difference != 0, ]
  other$.foot <- pmin(other$before, other$now)
  told <- paste(axis_numbers(other$before), "\u2192", axis_numbers(other$now))
  list(ggplot2::geom_line(ggplot2::aes(.data$.at, .data$now), data = drawn, colour = main_colour,
                          linewidth = 0.6),
       if (nrow(drawn) <= most_bars) {
         ggplot2::geom_point(ggplot2::aes(.data$.at, .data$now), data = drawn,
                             colour = main_colour, size = 1.8)
       },
       ggplot2::geom_point(ggplot2::aes(.data$.at, .data$before), data = other, shape = 21,
                           colour = gap_colour, fill = "white", size = 2.6, stroke = 1.1),
       if (nrow(other) <= 12) {
         ggplot2::geom_label(ggplot2::aes(.data$.at, .data$.foot), data = other, label = told,
                             vjust = 1.4, size = 3.4, colour = ink, label.size = 0)
       })
}

restated_caption <- function(made, drawn, grouped, lump) {
  changed <- sum(drawn$difference != 0)
  paste(c(paste0(count_of(changed, "number"), " of ", format_number(nrow(drawn)), " drawn ",
                 if (changed == 1) "is" else "are", " told otherwise."),
          if (!grouped) paste0("Numbers are of ", made$title, "."),
          lines_caption(made, drawn, "largest changes", lump)), collapse = " ")
}
