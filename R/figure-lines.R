# What is said to every figure: a title, the size of its text, which lines are drawn (`only`)
# and how many before all others are one (`lump`).

figure_arguments <- c("title", "size", "only", "lump")

# The arguments that every figure has, checked; `lumps`: can lines be added up to one?
figure_options <- function(object, ..., lumps = FALSE) {
  given <- rlang::list2(...)
  unknown <- setdiff(c(names(given), if (length(given) && is.null(names(given))) ""),
                     figure_arguments)
  if (length(unknown) > 0) {
    ridge_abort(
      c("This figure has no argument {.arg {unknown[1]}}.",
        i = "All figures have {.arg {figure_arguments}}; see the help page of its method."),
      "argument", arg = unknown[1])
  }
  if (!is.null(given$title) && !rlang::is_string(given$title)) {
    ridge_abort("{arg_name('title')} must be one text, not {.val {describe(given$title)}}.",
                "argument", arg = "title", value = given$title)
  }
  if (!is.null(given$size)) check_text_size(given$size)
  if (!is.null(given$lump)) check_lump(object, given$lump, lumps)
  given
}

check_text_size <- function(size) {
  if (!is.numeric(size) || length(size) != 1 || is.na(size) || size < 4 || size > 60) {
    ridge_abort(c(paste("{arg_name('size')} must be the size of the text in points, not",
                        "{.val {describe(size)}}."), i = "From 4 to 60; 12 is usual."),
                "argument", arg = "size", value = size)
  }
}

check_lump <- function(object, lump, lumps) {
  check_amount(lump, "lump", whole = TRUE)
  if (lump < 1) {
    ridge_abort("{arg_name('lump')} must be a whole number from 1, not {.val {lump}}.",
                "argument", arg = "lump", value = lump)
  }
  if (!lumps) {
    verb <- about(object)$question$verb
    ridge_abort(c(paste("{arg_name('lump')}: the groups of {verb_name(verb)} cannot be added up",
                        "to others."),
                  i = "Say which are drawn with {arg_name('only')}."), "argument", arg = "lump")
  }
}

# The end of every figure: its theme, what was said of its title and text, and a sentence for
# those who cannot see it: the title, and what stands out.
finished <- function(object, ..., .words = summary(object)[1]) {
  asked <- figure_options(object, ..., lumps = TRUE)
  structure(list(size = asked$size %||% 12, title = asked$title, words = .words),
            class = "ridge_finish")
}

#' @exportS3Method ggplot2::ggplot_add
ggplot_add.ridge_finish <- function(object, plot, object_name) {
  title <- plot$labels$title
  plot <- plot + ridge_theme(object$size) +
    ggplot2::labs(alt = paste0(sub("[.]$", "", title), ": ", object$words))
  if (is.null(object$title)) plot else plot + ggplot2::labs(title = object$title)
}

# The rows that are drawn.
ready_to_draw <- function(object, ..., lumps = FALSE) {
  only <- figure_options(object, ..., lumps = lumps)$only
  check_drawable(object)
  if (is.null(only)) {
    return(object)
  }
  object <- only_lines(object, only)
  check_drawable(object)
  object
}

# By the name of the line, or a list of values by column.
only_lines <- function(object, only) {
  made <- about(object)
  names <- intersect(line_columns(made), names(object))
  if (length(names) == 0) {
    ridge_abort("{arg_name('only')} chooses groups, and the result has none.", "argument",
                arg = "only", value = only)
  }
  if (length(only) == 0) {
    ridge_abort("{arg_name('only')} must name at least one group.", "argument", arg = "only")
  }
  hit <- if (is.list(only)) lines_with(object, only, names) else lines_called(object, only, names)
  object[which(hit), ]
}

line_columns <- function(made) {
  unique(c(made$groups, made$names, if (is.null(made$groups)) setdiff(made$ids, "row")))
}

lines_called <- function(object, only, names) {
  labels <- group_names(object, names)
  labels[!own_rows(object)] <- "All"
  refuse_unknown_lines(setdiff(as.character(only), labels), unique(labels))
  labels %in% only
}

lines_with <- function(object, only, names) {
  for (name in names(only)) check_column(plain_tibble(object)[names], name, "only")
  hits <- lapply(names(only), function(name) {
    labels <- group_names(object, name)
    refuse_unknown_lines(setdiff(as.character(only[[name]]), labels), unique(labels))
    labels %in% as.character(only[[name]])
  })
  Reduce(`&`, hits)
}

refuse_unknown_lines <- function(unknown, known) {
  if (length(unknown) > 0) {
    near <- nearest(unknown[1], known)
    ridge_abort(c("{arg_name('only')}: there is no group {.val {unknown[1]}} in the result.",
                  i = if (!is.null(near)) "Did you mean {.val {near}}?"), "argument", arg = "only",
                value = unknown[1])
  }
}

# What is drawn of a result by period, in columns whose names begin with a dot beside those of the
# result: the place of each row's period and where it lies, its line by name, and whether that is
# the line over all groups.
drawn_lines <- function(object) {
  made <- about(object)
  cells <- cells_of(object)
  labels <- line_labels(made)
  whole <- is_total_line(made)
  # A group that is called as the line over all is told apart from it.
  if (any(whole) && length(made$groups)) labels[labels == "All" & !whole] <- "All (group)"
  drawn <- as.data.frame(plain_tibble(object), optional = TRUE)
  drawn$.place <- cells$place
  if (!is.null(made$axis)) drawn$.at <- period_reach(made$axis)$middle[cells$place]
  drawn$.all <- whole[cells$line]
  for (name in intersect(made$groups, names(drawn))) {
    if (is.character(drawn[[name]]) || is.factor(drawn[[name]])) {
      drawn[[name]] <- with_all(drawn[[name]], drawn$.all)
    }
  }
  drawn$.group <- factor(labels[cells$line], unique(labels[cells$line]))
  drawn
}

# Those of the lines with the most by `weight`; with `lump` all others as one, where `measures`
# are added up. Without lines of groups, or where only it is asked for, the line over all.
most_lines_of <- function(drawn, weight, most, lump = NULL, measures = NULL) {
  if (!all(drawn$.all)) drawn <- drawn[!drawn$.all, ]
  total <- sort(tapply(weight(drawn), droplevels(drawn$.group), sum), decreasing = TRUE)
  first <- utils::head(names(total), lump %||% most)
  rest <- drawn[!drawn$.group %in% first, ]
  kept <- drawn[drawn$.group %in% first, ]
  kept$.group <- droplevels(kept$.group)
  if (is.null(lump) || nrow(rest) == 0) kept else with_others(kept, rest, measures)
}

with_others <- function(kept, rest, measures) {
  others <- sprintf("%s others", format_number(length(unique(rest$.group))))
  sums <- rowsum(as.matrix(rest[measures]), rest$.place)
  lump <- rest[match(as.integer(rownames(sums)), rest$.place), ]
  lump[measures] <- as.data.frame(sums)
  own <- setdiff(names(rest), c(measures, ".place", ".at", ".all", ".group", "period",
                                "period_end", "label"))
  for (name in own) {
    lump[[name]] <- if (is.character(lump[[name]]) || is.factor(lump[[name]])) others else NA
    if (is.factor(kept[[name]])) kept[[name]] <- as.character(kept[[name]])
  }
  levels <- c(levels(kept$.group), others)
  lump$.group <- others
  kept$.group <- as.character(kept$.group)
  drawn <- rbind(kept, lump)
  drawn$.group <- factor(drawn$.group, levels)
  drawn
}

# What is drawn of the groups, where that is not all of them, each by itself and on one scale.
lines_caption <- function(made, drawn, by, lump = NULL) {
  groups <- length(unique(line_labels(made)[!is_total_line(made)]))
  shown <- nlevels(droplevels(drawn$.group[!drawn$.all]))
  apart <- shown > 0 && any(drawn$.all)
  words <- c(if (is.null(lump) && shown > 1 && groups > shown) {
    sprintf("The %d of %d groups with the %s.", shown, groups, by)
  }, if (apart) "All has a scale of its own.")
  if (length(words)) paste(words, collapse = " ")
}

# The line over all beside those of groups, first.
with_total <- function(kept, drawn) {
  total <- drawn[drawn$.all, ]
  if (nrow(total) == 0 || all(kept$.all)) {
    return(kept)
  }
  levels <- union("All", levels(kept$.group))
  kept$.group <- as.character(kept$.group)
  total$.group <- "All"
  for (name in names(kept)) {
    if (is.factor(kept[[name]]) || is.factor(total[[name]])) {
      kept[[name]] <- as.character(kept[[name]])
      total[[name]] <- as.character(total[[name]])
    }
  }
  both <- rbind(total, kept)
  both$.group <- factor(both$.group, levels)
  both
}

# A panel for each line, groups on one scale that reaches over `range`, and the line over all on
# one of its own.
line_panels <- function(drawn, range, free = FALSE) {
  groups <- drawn[!drawn$.all, ]
  if (free || nrow(groups) == nrow(drawn)) {
    return(ggplot2::facet_wrap(~.group, scales = if (free) "free_y" else "fixed"))
  }
  lines <- groups[!duplicated(groups$.group), ]
  reach <- lines[rep(seq_len(nrow(lines)), each = 2), ]
  reach$.reach <- rep(range, nrow(lines))
  list(ggplot2::facet_wrap(~.group, scales = "free_y"),
       ggplot2::geom_blank(ggplot2::aes(x = .data$.at, y = .data$.reach), data = reach))
}
