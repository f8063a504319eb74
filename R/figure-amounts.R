#' Draw allocated amounts and time
#'
#' Amounts, or hours, by period as bars, stacked by group, with the total as a line
#' over them. Over 60 periods the bars become areas. The groups (of a result
#' without any, the keys) with the largest amounts have a colour each, five at
#' most; all others are one more. Amounts below zero hang below the line.
#'
#' @param object A result of [allocate()] or [time_in()].
#' @param ... Not used.
#' @return A ggplot.
#' @section Errors:
#' A result without a row is an error of class `ridge_error_argument`.
#' @examples
#' grants <- spans(demo_records("grants"), first_day, last_day, key = grant,
#'                 as_of = "2026-06-30")
#' autoplot(allocate(grants, amount, by = "quarter", group = funder))
#' @name autoplot.amounts
#' @exportS3Method ggplot2::autoplot
autoplot.ridge_allocate <- function(object, ...) {
  stacked_amounts(object, paste("Allocated", about(object)$how$amounts$name))
}

#' @rdname autoplot.amounts
#' @exportS3Method ggplot2::autoplot
autoplot.ridge_time_in <- function(object, ...) {
  stacked_amounts(object, "Time")
}

most_stacked <- 5L
other_colour <- "#aab4be"

stacked_amounts <- function(object, title) {
  check_drawable(object)
  made <- about(object)
  drawn <- stacked_series(object)
  sums <- drop(rowsum(drawn$amount, drawn$place))
  total <- data.frame(place = as.integer(names(sums)), amount = as.vector(sums))
  groups <- nlevels(drawn$group)
  size <- axis_size(made$axis)
  figure <- ggplot2::ggplot(drawn, ggplot2::aes(.data$place, .data$amount)) +
    (if (size <= most_bars) ggplot2::geom_col(ggplot2::aes(fill = .data$group), width = 0.82, position = ggplot2::position_stack(reverse = TRUE))
     else ggplot2::geom_area(ggplot2::aes(fill = .data$group), position = ggplot2::position_stack(reverse = TRUE)))
  if (groups > 1) figure <- figure + total_line(total, size <= most_bars)
  figure + ggplot2::scale_fill_manual(name = NULL, values = stack_colours(levels(drawn$group)), guide = if (groups > 1) "legend" else "none") +
    ggplot2::geom_hline(yintercept = 0, colour = ink, linewidth = 0.4) +
    period_scale(made$axis, made$label) +
    ggplot2::scale_y_continuous(name = gsub("_", " ", made$value[1]), labels = axis_numbers,
                                expand = ggplot2::expansion(mult = c(if (any(drawn$amount < 0)) 0.05 else 0, 0.06))) +
    ggplot2::labs(title = paste0(title, " by ", made$axis$grain$name, if (length(made$groups)) paste(", per", and_list(made$groups))),
                  subtitle = wrap_subtitle(made$conventions),
                  caption = if (groups > 1) "The dark line is the total of all.") +
    ridge_theme()
}

# A cap on each bar, so that nothing is drawn between periods.
total_line <- function(total, in_bars) {
  if (!in_bars) {
    return(ggplot2::geom_line(data = total, colour = ink, linewidth = 0.6))
  }
  ggplot2::geom_segment(ggplot2::aes(x = .data$place - 0.41, xend = .data$place + 0.41, yend = .data$amount), data = total, colour = ink, linewidth = 1)
}

# Amounts by place and group; the smaller groups as one.
stacked_series <- function(object) {
  made <- about(object)
  plain <- plain_tibble(object)
  if (!is.null(plain[["total"]]) && !all(plain$total)) plain <- plain[!plain$total, ]
  names <- if (made$to_totals) made$groups else setdiff(made$ids, "row")
  group <- if (length(names)) group_names(plain, names[1]) else rep("all", nrow(plain))
  if (length(made$groups) > 1) group <- group_names(plain, made$groups)
  amount <- plain[[made$value[1]]]
  amount[is.na(amount)] <- 0
  weight <- sort(tapply(abs(amount), group, sum), decreasing = TRUE)
  kept <- names(weight)[seq_len(min(length(weight), if (length(weight) == most_stacked + 1L) most_stacked + 1L else most_stacked))]
  rest <- sprintf("%d others", length(weight) - length(kept))
  group <- factor(ifelse(group %in% kept, group, rest), c(kept, if (length(weight) > length(kept)) rest))
  place <- match(plain$period, axis_columns(made$axis)$period)
  sums <- tapply(amount, list(factor(place, seq_len(axis_size(made$axis))), group), sum)
  sums[is.na(sums)] <- 0
  data.frame(place = rep(seq_len(nrow(sums)), ncol(sums)), group = factor(rep(colnames(sums), each = nrow(sums)), levels(group)), amount = as.vector(sums))
}

stack_colours <- function(groups) {
  colours <- rep_len(group_colours, length(groups))
  colours[grepl("^[0-9]+ others$", groups)] <- other_colour
  stats::setNames(colours, groups)
}

axis_numbers <- function(x) {
  format(x, big.mark = ",", scientific = FALSE, trim = TRUE)
}
