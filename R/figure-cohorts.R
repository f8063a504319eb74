#' Draw cohorts
#'
#' A grid, one row for each cohort, ages across: the darker the cell the larger the
#' share still there, with the percent or the number in it. What is not known yet is
#' left empty. Groups have a grid each, six at most.
#'
#' @param object A result of [cohorts()].
#' @param show `"percent"` or `"number"`: what stands in the cells; the colour is the
#'   percent in both.
#' @param ... `title`, `size` and `only`: see [autoplot()].
#' @return A ggplot.
#' @section Errors:
#' A result without a row, or with more than six groups, is an error of class
#' `ridge_error_argument`.
#' @examples
#' staff <- spans(demo_records("postings"), first_day, last_day, key = observer,
#'                as_of = "2026-06-30")
#' autoplot(cohorts(staff, by = "quarter", from = "2023-01-01"))
#' @exportS3Method ggplot2::autoplot
autoplot.ridge_cohorts <- function(object, show = "percent", ...) {
  refuse_list_of_records(object)
  object <- ready_to_draw(object, ...)
  check_choice(show, c("percent", "number"), "show")
  made <- about(object)
  drawn <- cohort_cells(object, show)
  lines <- length(drawn$cohorts)
  panels <- nlevels(drawn$cells$panel)
  ages <- max(drawn$cells$age) + 1
  across <- if (panels > 2) 2 else panels
  size <- min(3.6, 62 / ages / across, 66 / lines / across)
  written <- size >= 1.7
  at <- if (lines <= 40) seq_len(lines) else unique(round(seq(1, lines, length.out = 30)))
  labels <- cohort_labels(object, drawn$cohorts)
  if (panels == 1) labels <- sprintf("%s (%s)", labels, format_number(drawn$sizes))
  ggplot2::ggplot(drawn$cells, ggplot2::aes(.data$age, .data$line)) +
    ggplot2::geom_tile(ggplot2::aes(fill = 100 * .data$retained), width = if (written) 0.96 else 1,
                       height = if (written) 0.94 else 1) +
    (if (written) cell_texts(size)) +
    ggplot2::scale_fill_gradient(name = "% still\nthere", low = tile_colours[1],
                                 high = tile_colours[2], limits = c(0, 100)) +
    ggplot2::scale_y_reverse(name = NULL, breaks = at, labels = labels[at],
                             expand = ggplot2::expansion(add = 0.6)) +
    ggplot2::scale_x_continuous(name = paste("age, in", grain_plural(made$axis)), position = "top",
                                breaks = age_breaks(ages), expand = ggplot2::expansion(add = 0.6)) +
    (if (panels > 1) ggplot2::facet_wrap(~panel)) +
    ggplot2::labs(title = paste0("Of those who started together, who is left",
                                 if (written) paste(", in", show)),
                  subtitle = wrap_subtitle(conventions(object)),
                  caption = cohort_caption(panels, written)) +
    value_marks(drawn$cells, drawn$cells$age, drawn$cells$line, cohort_tips(drawn$cells, object),
                drawn$cells$panel) + finished(object, ...) +
    ggplot2::theme(panel.grid.major.y = ggplot2::element_blank(),
                   axis.line.x = ggplot2::element_blank(),
                   axis.text.y = ggplot2::element_text(size = if (length(at) > 25) 7.5 else 9))
}

# The cells that are known, the cohorts of all and how many each had.
cohort_cells <- function(object, show) {
  cells <- as.data.frame(plain_tibble(object))
  cells$panel <- group_panels(object)
  cohorts <- sort(unique(cells$cohort))
  cells$line <- match(cells$cohort, cohorts)
  sizes <- cells$size[match(cohorts, cells$cohort)]
  cells <- cells[!is.na(cells$retained), ]
  cells$text <- if (show == "percent") paste0(round(100 * cells$retained), "%")
  else format(cells$active, trim = TRUE)
  cells$light <- white_reads_on(cells$retained)
  list(cells = cells, cohorts = cohorts, sizes = sizes)
}

cohort_tips <- function(cells, object) {
  paste0(cohort_labels(object, cells$cohort), ", age ", cells$age, ": ",
         format_number(cells$active), " of ", format_number(cells$size), ", ",
         as_percent(cells$retained))
}

cell_texts <- function(size) {
  list(ggplot2::geom_text(ggplot2::aes(label = .data$text, colour = .data$light), size = size,
                          show.legend = FALSE),
       ggplot2::scale_colour_manual(values = c("FALSE" = "black", "TRUE" = "white")))
}

cohort_caption <- function(panels, written) {
  paste0(if (panels == 1) "In brackets how many started. ",
         "Empty cells are not known yet; a row without any had nobody.",
         if (!written) " There are too many cells for numbers in them.")
}

age_breaks <- function(ages) {
  if (ages <= 25) seq_len(ages) - 1L else pretty(c(0, ages), 12)
}

most_grids <- 6L

# The group of each row, where they fit beside each other.
group_panels <- function(object) {
  groups <- intersect(about(object)$groups, names(object))
  if (length(groups) == 0) {
    return(factor(rep("all", nrow(object))))
  }
  panel <- group_labels(object, groups)
  if (nlevels(panel) > most_grids) {
    ridge_abort(
      c("{nlevels(panel)} groups do not fit into one figure of cohorts; {most_grids} is the most.",
        i = "Narrow the records first."), "argument", arg = "object")
  }
  panel
}
