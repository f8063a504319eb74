#' @rdname autoplot.ranges
#' @exportS3Method ggplot2::autoplot
autoplot.ridge_concurrency <- function(object, ...) {
  object <- ready_to_draw(object, ...)
  made <- about(object)
  drawn <- level_pieces(object)
  ggplot2::ggplot(drawn$steps) +
    level_area(drawn$steps, "low", "within", "the level") +
    level_area(drawn$steps[drawn$steps$above, ], "capacity", "level", "above capacity") +
    level_area(drawn$steps[drawn$steps$below, ], "level", "floor", "short of the floor") +
    limit_lines(drawn$limits) +
    ggplot2::scale_fill_manual(name = NULL, values = level_colours, breaks = drawn$legend,
                               guide = if (length(drawn$legend) > 1) "legend" else "none") +
    (if (nlevels(drawn$steps$.group) > 1) ggplot2::facet_wrap(~.group)) +
    time_scale(made$timeline, drawn$steps$start, drawn$steps$stop,
               in_panels = nlevels(drawn$steps$.group) > 1) +
    ggplot2::scale_y_continuous(name = made$title, limits = c(0, NA), breaks = whole_breaks,
                                expand = ggplot2::expansion(mult = c(0, 0.06))) +
    ggplot2::labs(title = paste0("How many at once",
                                 by_words(intersect(made$names, names(object)))),
                  subtitle = wrap_subtitle(conventions(object)),
                  caption = level_caption(drawn)) +
    level_marks(drawn$steps, made) + finished(object, ...) +
    ggplot2::theme(plot.margin = ggplot2::margin(14, 44, 10, 14))
}

# The level is pale, so that dark limits can be seen on it.
level_colours <- c("the level" = "#5e8fb5", "above capacity" = "#d1701d",
                   "short of the floor" = "#8f3f8f")

# Steps of the groups with the highest levels, each with the group that it is drawn in.
level_pieces <- function(object) {
  made <- about(object)
  groups <- intersect(made$names, names(object))
  steps <- data.frame(start = object$start, stop = after_last(object$end, made$timeline),
                      level = object$level)
  none <- rep(NA_real_, nrow(steps))
  steps$capacity <- plain_tibble(object)[["capacity"]] %||% none
  steps$floor <- plain_tibble(object)[["floor"]] %||% none
  for (name in groups) steps[[name]] <- plain_tibble(object)[[name]]
  steps$.group <- if (length(groups)) group_labels(object, groups) else factor("all")
  steps <- steps[!is.na(steps$stop), ]
  top <- sort(tapply(steps$level, steps$.group, max), decreasing = TRUE)
  steps <- steps[steps$.group %in% utils::head(names(top), most_panels), ]
  steps$.group <- droplevels(steps$.group)
  steps$above <- (steps$level > steps$capacity) %in% TRUE
  steps$below <- (steps$level < steps$floor) %in% TRUE
  # A run without a hole is one area: no seam shows where the level changes.
  n <- nrow(steps)
  steps$run <- cumsum(c(TRUE, steps$start[-1] != steps$stop[-n] |
                          steps$.group[-1] != steps$.group[-n])[seq_len(n)])
  steps$low <- 0
  steps$within <- ifelse(steps$above, steps$capacity, steps$level)
  list(steps = steps, top = top, limits = steps[!is.na(steps$capacity) | !is.na(steps$floor), ],
       legend = c("the level", if (any(steps$above)) "above capacity",
                  if (any(steps$below)) "short of the floor"))
}

# What lies between two heights, run by run; where only some steps are drawn each that meets the
# one before goes on.
level_area <- function(steps, low, high, name) {
  if (nrow(steps) == 0) {
    return(NULL)
  }
  n <- nrow(steps)
  run <- cumsum(c(TRUE, steps$start[-1] != steps$stop[-n] | steps$run[-1] != steps$run[-n])[
    seq_len(n)])
  twice <- rep(seq_len(n), each = 2)
  edges <- steps[twice, ]
  edges$at <- steps$start[twice]
  edges[c("low", "high")] <- list(steps[[low]][twice], steps[[high]][twice])
  edges$run <- run[twice]
  edges$at[c(FALSE, TRUE)] <- steps$stop
  edges$fill <- name
  ggplot2::geom_ribbon(ggplot2::aes(x = .data$at, ymin = .data$low, ymax = .data$high,
                                    group = .data$run, fill = .data$fill), data = edges)
}

# In the middle of each step.
level_marks <- function(steps, made) {
  timeline <- made$timeline
  last <- as_moments(as.numeric(steps$stop) - end_less(timeline), timeline)
  line <- if (nlevels(steps$.group) > 1) paste0(steps$.group, ", ") else ""
  value_marks(steps, halfway(steps$start, steps$stop), steps$level,
              paste0(line, format(steps$start), " to ", format(last), ": ",
                     tip_number(steps$level)))
}

# Where the limits are, from step to step as they change.
limit_lines <- function(limits) {
  line <- function(name) {
    at <- limits[!is.na(limits[[name]]), ]
    at$limit <- at[[name]]
    n <- nrow(at)
    if (n > 0) {
      same <- at$run[-1] == at$run[-n] & at$limit[-1] == at$limit[-n]
      first <- c(TRUE, !same)
      stop <- at$stop[c(!same, TRUE)]
      at <- at[first, ]
      at$stop <- stop
      ggplot2::geom_segment(ggplot2::aes(x = .data$start, xend = .data$stop, y = .data$limit,
                                         yend = .data$limit), data = at,
                            colour = ink, linewidth = 0.6)
    }
  }
  list(line("capacity"), line("floor"))
}

level_caption <- function(drawn) {
  limits <- c(if (any(!is.na(drawn$limits$capacity))) "the capacity",
              if (any(!is.na(drawn$limits$floor))) "the floor")
  dark <- if (length(limits)) paste0("Dark line: ", paste(limits, collapse = ", and "), ".")
  most <- if (length(drawn$top) > most_panels) {
    sprintf("The %d of %d groups with the highest level.", most_panels, length(drawn$top))
  }
  paste(c(dark, most), collapse = " ")
}
