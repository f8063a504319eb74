# A figure as a file of so many pixels, or the same shape in vectors.

figure_pixels <- c(1280L, 800L)

write_figure <- function(figure, path, pixels = figure_pixels) {
  ending <- check_ending(path, figure_formats, "figure")
  write_whole(path, ending, function(aside) draw_figure(figure, aside, ending, pixels))
}

draw_figure <- function(figure, path, ending, pixels) {
  inches <- pixels / 120
  switch(ending,
    png = grDevices::png(path, width = pixels[1], height = pixels[2], res = 120, type = "cairo"),
    svg = grDevices::svg(path, width = inches[1], height = inches[2]),
    pdf = grDevices::cairo_pdf(path, width = inches[1], height = inches[2])
  )
  on.exit(grDevices::dev.off())
  # What the plotting package remarks on is for whoever wrote the figure.
  suppressMessages(print(figure))
}
