# A figure of an edition: drawn once, kept as a picture, as vectors, and as vectors for the page
# with the places of its values, so that a reader can point at them.

figure_inches <- function() figure_pixels / 120

draw_for_edition <- function(plot, folder, name) {
  inches <- figure_inches()
  text <- svglite::svgstring(width = inches[1], height = inches[2])
  drawing <- grDevices::dev.cur()
  on.exit(if (drawing %in% grDevices::dev.list()) grDevices::dev.off(drawing))
  built <- suppressMessages(ggplot2::ggplot_build(plot))
  table <- ggplot2::ggplot_gtable(built)
  grid::grid.draw(table)
  head <- head_height(table)
  marks <- placed_marks(built, table, inches)
  grDevices::dev.off(drawing)
  svg <- enc2utf8(as.character(text()))
  file <- file.path(folder, name)
  put_text(svg, paste0(file, ".svg"))
  rsvg::rsvg_png(charToRaw(svg), paste0(file, ".png"), width = figure_pixels[1])
  list(svg = page_svg(svg, head), marks = marks, alt = ggplot2::get_alt_text(plot))
}

put_text <- function(text, path) {
  reason <- write_bytes(path, enc2utf8(text))
  if (nzchar(reason)) refuse_write(path, reason)
}

# How far title and subtitle reach down: on the page the heading and the line of conventions stand
# in their place.
head_height <- function(table) {
  last <- max(table$layout$b[table$layout$name %in% c("title", "subtitle")])
  grid::convertHeight(sum(table$heights[seq_len(last)]), "pt", valueOnly = TRUE) * 72 / 72.27
}

# Without the head, in the colours and letters of the page. What several figures have in common
# is named alike in all of them, so nothing is mistaken.
page_svg <- function(svg, head) {
  box <- as.numeric(strsplit(sub(".*viewBox='([^']*)'.*", "\\1", sub("<defs>.*", "", svg)),
                             " ")[[1]])
  body <- sub("^.*?<svg[^>]*>", "", svg)
  body <- sub("(?s)<defs>\\s*<style.*?</style>\\s*</defs>", "", body, perl = TRUE)
  body <- sub("<rect width='100%' height='100%'[^>]*/>", "", body)
  body <- gsub("font-family: [^;']*;", "", body)
  body <- in_page_colours(body)
  # Styles that most marks share are told once, for all.
  body <- gsub(" stroke-linecap: butt;| stroke-linejoin: (miter|round);", "", body)
  head <- min(round(head), box[4] / 2)
  paste0("<svg class='drawn' viewBox='0 ", head, " ", box[3], " ", box[4] - head,
         "' aria-hidden='true' focusable='false'>", body)
}

# Light and dark: each colour of the theme by its name in the style of the page. White numbers stand
# on dark cells, whatever the page is.
in_page_colours <- function(svg) {
  known <- page_colours()
  for (at in seq_along(known)) {
    svg <- gsub(toupper(known[[at]]), paste0("var(--", names(known)[at], ")"), svg, fixed = TRUE)
  }
  gsub("(<text[^>]*)var[(]--paper[)]", "\\1#ffffff", svg)
}

page_colours <- function() {
  c(paper = "#ffffff", ink = ink, ink = "#1a1a1a", faint = faint, axis = "#3f4d5a",
    axis = "#55636f", wash = "#f4f6f8", main = main_colour, pale = pale_colour, gap = gap_colour,
    other = other_colour, group2 = group_colours[2], group3 = group_colours[3],
    group4 = group_colours[4], group5 = group_colours[5], group6 = group_colours[6],
    error = severity_colours[["error"]], warning = severity_colours[["warning"]],
    returned = flow_colours[["returned"]], moved = flow_colours[["moved in"]],
    ended = flow_colours[["ended"]], left = flow_colours[["moved out"]])
}

most_marks <- 4000L

# The values that a figure tells of itself (see value_marks()), in the units of the drawing.
placed_marks <- function(built, table, inches) {
  told <- Filter(function(layer) "tip" %in% names(layer), built$data)
  marks <- do.call(rbind, lapply(told, function(layer) {
    at <- data.frame(panel = as.integer(layer$PANEL), x = as.numeric(layer$x),
                     y = as.numeric(layer$y), line = as.character(layer$line),
                     tip = as.character(layer$tip))
    at[is.finite(at$x) & is.finite(at$y), ]
  }))
  if (is.null(marks) || nrow(marks) == 0 || nrow(marks) > most_marks) {
    return(NULL)
  }
  boxes <- panel_boxes(table, built$layout$layout)
  reach <- built$layout$panel_params
  share <- function(values, range) (values - range[1]) / (range[2] - range[1])
  for (panel in unique(marks$panel)) {
    own <- marks$panel == panel
    box <- boxes[panel, ]
    across <- share(marks$x[own], reach[[panel]]$x.range)
    up <- share(marks$y[own], reach[[panel]]$y.range)
    marks$x[own] <- 72 * (box$left + across * (box$right - box$left))
    marks$y[own] <- 72 * (inches[2] - box$low - up * (box$high - box$low))
  }
  marks[c("x", "y")] <- round(marks[c("x", "y")], 1)
  marks
}

# Where the panels lie, in inches from the lower left, in the order of the layout.
panel_boxes <- function(table, layout) {
  panels <- table$layout[grepl("^panel", table$layout$name), ]
  panels <- panels[order(panels$t, panels$l), ]
  panels <- panels[seq_len(nrow(layout))[order(order(layout$ROW, layout$COL))], ]
  do.call(rbind, lapply(seq_len(nrow(panels)), function(i) {
    grid::seekViewport(sprintf("%s.%d-%d-%d-%d", panels$name[i], panels$t[i], panels$r[i],
                               panels$b[i], panels$l[i]))
    corner <- function(at) {
      lapply(grid::deviceLoc(grid::unit(at, "npc"), grid::unit(at, "npc")),
             grid::convertUnit, "inches", valueOnly = TRUE)
    }
    low <- corner(0)
    high <- corner(1)
    grid::upViewport(0)
    data.frame(left = low$x, low = low$y, right = high$x, high = high$y)
  }))
}
