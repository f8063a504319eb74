#' Draw allocated amounts and time
#'
#' Amounts, or hours, by period as bars, stacked by group, with the total as a line
#' over them. Over 60 periods the bars become areas. The groups (of a result
#' without any, the keys) with the largest amounts have a colour each, five at
#' most; all others are one more. Amounts below zero hang below the line. Balances are
#' drawn as what was billed, what was recognised below it, and what is left as a line.
#'
#' @name autoplot.ridge_amounts
#' @param object A result of [allocate()] or [time_within()].
#' @param ... `title`, `size`, `only` and `lump`: see [autoplot()].
#' @return A ggplot.
#' @section Errors:
#' A result without a row is an error of class `ridge_error_argument`.
#' @examples
#' grants <- spans(demo_records("grants"), first_day, last_day, key = grant,
#'                 as_of = "2026-06-30")
#' autoplot(allocate(grants, amount, by = "quarter", group = funder))
#' autoplot(allocate(grants, amount, by = "quarter", digits = 2, show = "balance"))
#' @exportS3Method ggplot2::autoplot
autoplot.ridge_amounts <- function(object, ...) {
  object <- ready_to_draw(object, ..., lumps = TRUE)
  made <- about(object)
  drawn <- stacked_series(object, list(...)$lump)
  sums <- drop(rowsum(drawn$amount, drawn$.place))
  middle <- period_reach(made$axis)$middle
  drawn$.at <- middle[drawn$.place]
  total <- data.frame(.at = middle[as.integer(names(sums))], amount = as.vector(sums))
  width <- period_bar_width(made$axis)
  groups <- nlevels(drawn$.group)
  few <- axis_size(made$axis) <= most_bars
  stack <- ggplot2::position_stack(reverse = TRUE)
  below <- if (any(drawn$amount < 0)) 0.05 else 0
  figure <- ggplot2::ggplot(drawn, ggplot2::aes(.data$.at, .data$amount)) +
    (if (few) ggplot2::geom_col(ggplot2::aes(fill = .data$.group), width = width, position = stack)
     else ggplot2::geom_area(ggplot2::aes(fill = .data$.group), position = stack))
  if (groups > 1) figure <- figure + total_line(total, few, width)
  figure +
    ggplot2::scale_fill_manual(name = NULL, values = stack_colours(levels(drawn$.group)),
                               guide = if (groups > 1) "legend" else "none") +
    ggplot2::geom_hline(yintercept = 0, colour = ink, linewidth = 0.4) +
    period_scale(made$axis, made$question$arguments$label) +
    ggplot2::scale_y_continuous(name = gsub("_", " ", made$values[1]), labels = axis_numbers,
                                expand = ggplot2::expansion(mult = c(below, 0.06))) +
    ggplot2::labs(title = paste0(amounts_title(made), " by ", made$axis$grain$name,
                                 by_words(made$question$arguments$group)),
                  subtitle = wrap_subtitle(conventions(object)),
                  caption = if (groups > 1) "The dark line is the total of all.") +
    amount_marks(drawn, made) + finished(object, ...)
}

# In the middle of each piece of a stack.
amount_marks <- function(drawn, made) {
  drawn <- drawn[drawn$amount != 0, ]
  side <- paste(drawn$.place, drawn$amount > 0)
  height <- stats::ave(drawn$amount, side, FUN = cumsum) - drawn$amount / 2
  line <- if (nlevels(drawn$.group) > 1) paste0(drawn$.group, ", ")
  words <- paste0(line, period_labels(made)[drawn$.place], ": ",
                  tip_number(drawn$amount, made$question$arguments$digits))
  value_marks(drawn, drawn$.at, height, words)
}

amounts_title <- function(made) {
  amount <- made$question$arguments$amount
  if (is.null(amount)) "Time" else paste("Allocated", amount)
}

most_stacked <- 5L

# A cap on each bar, so that nothing is drawn between periods.
total_line <- function(total, in_bars, width) {
  if (!in_bars) {
    return(ggplot2::geom_line(data = total, colour = ink, linewidth = 0.6))
  }
  ggplot2::geom_segment(ggplot2::aes(x = .data$.at - width / 2, xend = .data$.at + width / 2,
      yend = .data$amount), data = total, colour = ink, linewidth = 1)
}

# Amounts by place and group, of a result without groups by key; the smaller ones as one.
stacked_series <- function(object, lump = NULL) {
  made <- about(object)
  object <- object[own_rows(object), ]
  amount <- object[[made$values[1]]]
  amount[is.na(amount)] <- 0
  group <- stacked_groups(object, amount, lump)
  place <- factor(period_places(object$period, made$axis), seq_len(axis_size(made$axis)))
  sums <- tapply(amount, list(place, group), sum)
  sums[is.na(sums)] <- 0
  drawn <- data.frame(.place = rep(seq_len(nrow(sums)), ncol(sums)),
                      .group = factor(rep(colnames(sums), each = nrow(sums)), levels(group)),
                      amount = as.vector(sums))
  # Under its own name, so that a figure can be broken down by it.
  own <- stacked_by(object)
  if (length(own) == 1) drawn[[own]] <- as.character(drawn$.group)
  drawn
}

stacked_by <- function(object) {
  made <- about(object)
  names <- if (inherits(object, "ridge_by_period")) made$groups
  else utils::head(setdiff(made$ids, "row"), 1)
  intersect(names, names(object))
}

stacked_groups <- function(object, amount, lump) {
  names <- stacked_by(object)
  group <- if (length(names)) group_names(object, names) else rep("all", nrow(object))
  weight <- sort(tapply(abs(amount), group, sum), decreasing = TRUE)
  # One more in its own colour is better than one other.
  most <- if (length(weight) == most_stacked + 1L) most_stacked + 1L else most_stacked
  kept <- utils::head(names(weight), lump %||% most)
  rest <- if (length(weight) > length(kept)) sprintf("%d others", length(weight) - length(kept))
  factor(ifelse(group %in% kept, group, rest %||% ""), c(kept, rest))
}

axis_numbers <- function(x) {
  format(x, big.mark = ",", scientific = FALSE, trim = TRUE)
}
