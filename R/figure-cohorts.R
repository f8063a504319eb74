#' Draw cohorts, and how long they stay
#'
#' Cohorts are a grid, one row each, ages across: the darker the cell the larger the
#' share still there, with the percent or the number in it. What is not known yet is
#' left empty. Groups have a grid each, six at most. How long they stay is drawn as
#' falling steps with their interval, of more than two groups without; a dotted line marks the half.
#'
#' @param object A result of [cohorts()] or of [lasting()].
#' @param show `"percent"` or `"number"`: what stands in the cells; the colour is the
#'   percent in both.
#' @param ... Not used.
#' @return A ggplot.
#' @section Errors:
#' A result without a row, or with more than six groups, is an error of class
#' `ridge_error_argument`.
#' @examples
#' staff <- spans(demo_records("postings"), first_day, last_day, key = observer,
#'                as_of = "2026-06-30")
#' autoplot(cohorts(staff, by = "quarter", from = "2023-01-01"))
#' autoplot(lasting(staff))
#' @name autoplot.cohorts
#' @exportS3Method ggplot2::autoplot
autoplot.ridge_cohorts <- function(object, show = "percent", ...) {
  check_drawable(object)
  check_choice(show, c("percent", "number"), "show")
  made <- about(object)
  drawn <- as.data.frame(plain_tibble(object))
  drawn$panel <- cohort_panels(object)
  cohort_days <- sort(unique(drawn$cohort))
  drawn$line <- match(drawn$cohort, cohort_days)
  drawn <- drawn[!is.na(drawn$retained), ]
  drawn$text <- if (show == "percent") paste0(round(100 * drawn$retained), "%") else format(drawn$active, trim = TRUE)
  drawn$light <- drawn$retained > 0.66
  panels <- nlevels(drawn$panel)
  ages <- max(drawn$age) + 1
  lines <- length(cohort_days)
  across <- if (panels > 2) 2 else panels
  size <- min(3.6, 62 / ages / across, 66 / lines / across)
  figure <- ggplot2::ggplot(drawn, ggplot2::aes(.data$age, .data$line)) +
    ggplot2::geom_tile(ggplot2::aes(fill = 100 * .data$retained), width = if (size >= 1.7) 0.96 else 1, height = if (size >= 1.7) 0.94 else 1)
  if (size >= 1.7) {
    figure <- figure + ggplot2::geom_text(ggplot2::aes(label = .data$text, colour = .data$light), size = size, show.legend = FALSE)
  }
  at <- if (lines <= 40) seq_len(lines) else unique(round(seq(1, lines, length.out = 30)))
  labels <- axis_labels(axis_part(made$axis, match(as.integer(cohort_days), made$axis$first_day)), "code")
  if (panels == 1) labels <- sprintf("%s (%s)", labels, format_number(object$size[match(cohort_days, object$cohort)]))
  figure + ggplot2::scale_fill_gradient(name = "% still\nthere", low = "#eef3f7", high = "#1d4e73", limits = c(0, 100)) +
    ggplot2::scale_colour_manual(values = c("FALSE" = ink, "TRUE" = "white")) +
    ggplot2::scale_y_reverse(name = NULL, breaks = at, labels = labels[at], expand = ggplot2::expansion(add = 0.6)) +
    ggplot2::scale_x_continuous(name = paste0("age, in ", made$axis$grain$name, if (grepl("s$", made$axis$grain$name)) "" else "s"), position = "top",
                                breaks = age_breaks(ages), expand = ggplot2::expansion(add = 0.6)) +
    (if (panels > 1) ggplot2::facet_wrap(~panel)) +
    ggplot2::labs(title = paste0("Of those who started together, who is left", if (size >= 1.7) paste(", in", show)), subtitle = wrap_subtitle(made$conventions),
                  caption = paste0(if (panels == 1) "In brackets how many started. ", "Empty cells are not known yet; a row without any had nobody.",
                                   if (size < 1.7) " There are too many cells for numbers in them.")) +
    ridge_theme() +
    ggplot2::theme(panel.grid.major.y = ggplot2::element_blank(), axis.line.x = ggplot2::element_blank(),
                   axis.text.y = ggplot2::element_text(size = if (length(at) > 25) 7.5 else 9))
}

most_grids <- 6L

cohort_panels <- function(object) {
  made <- about(object)
  if (length(made$groups) == 0) {
    return(factor(rep("all", nrow(object))))
  }
  panel <- group_labels(object, made$groups)
  if (nlevels(panel) > most_grids) {
    ridge_abort(c("{nlevels(panel)} groups do not fit into one figure of cohorts; {most_grids} is the most.",
                  i = "Narrow the records first, for example with {.fn subset}."), "argument")
  }
  panel
}

age_breaks <- function(ages) {
  if (ages <= 25) seq_len(ages) - 1L else pretty(c(0, ages), 12)
}

#' @rdname autoplot.cohorts
#' @exportS3Method ggplot2::autoplot
autoplot.ridge_lasting <- function(object, ...) {
  check_drawable(object)
  made <- about(object)
  drawn <- as.data.frame(plain_tibble(object))
  drawn$group <- cohort_panels(object)
  grouped <- nlevels(drawn$group) > 1
  steps <- stair_steps(drawn)
  # Of more than two lines the intervals would cover each other.
  banded <- nlevels(drawn$group) <= 2
  figure <- ggplot2::ggplot(steps, ggplot2::aes(.data$age, 100 * .data$share, colour = .data$group, fill = .data$group)) +
    (if (banded) ggplot2::geom_ribbon(ggplot2::aes(ymin = 100 * .data$lower, ymax = 100 * .data$upper), alpha = 0.2, colour = NA)) +
    ggplot2::geom_line(ggplot2::aes(linetype = .data$group), linewidth = 0.8) +
    ggplot2::geom_hline(yintercept = 50, linetype = "dotted", colour = ink)
  guide <- if (grouped) "legend" else "none"
  middle <- drawn$median[1]
  if (!grouped && !is.na(middle)) {
    figure <- figure + ggplot2::annotate("text", x = middle, y = 53, hjust = -0.05, colour = ink, size = 3.8,
                                         label = sprintf("half have ended by %s %s", format_plain(middle, 1), made$unit))
  }
  figure + ggplot2::scale_colour_manual(name = NULL, values = group_colours, guide = guide) +
    ggplot2::scale_fill_manual(name = NULL, values = group_colours, guide = guide) +
    ggplot2::scale_linetype_discrete(name = NULL, guide = guide) +
    ggplot2::scale_y_continuous(name = "% still there", limits = c(0, 100), expand = ggplot2::expansion(mult = c(0, 0.03))) +
    ggplot2::scale_x_continuous(name = paste("age, in", made$unit), expand = ggplot2::expansion(mult = c(0, 0.03))) +
    ggplot2::labs(title = "How long they stay", subtitle = wrap_subtitle(made$conventions), caption = if (banded) "The band is the interval of the estimate." else "The intervals are in the table.") +
    ridge_theme()
}

# Each share holds until the next age.
stair_steps <- function(drawn) {
  pieces <- lapply(split(drawn, drawn$group), function(line) {
    n <- nrow(line)
    after <- line[-n, , drop = FALSE]
    after$age <- line$age[-1]
    stairs <- rbind(line, after)
    stairs[order(stairs$age, -stairs$share), ]
  })
  do.call(rbind, pieces)
}
