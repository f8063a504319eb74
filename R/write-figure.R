# A figure as a file of 1280 x 800 pixels, or the same shape in vectors.

write_figure <- function(figure, path) {
  ending <- check_ending(path, figure_formats, "figure")
  write_whole(path, ending, function(aside) draw_figure(figure, aside, ending))
}

draw_figure <- function(figure, path, ending) {
  inches <- c(width = 1280, height = 800) / 120
  switch(ending,
    png = grDevices::png(path, width = 1280, height = 800, res = 120, type = "cairo"),
    svg = grDevices::svg(path, width = inches[["width"]], height = inches[["height"]]),
    pdf = grDevices::cairo_pdf(path, width = inches[["width"]], height = inches[["height"]])
  )
  on.exit(grDevices::dev.off())
  # What the plotting package remarks on is for whoever wrote the figure.
  suppressMessages(print(figure))
}
