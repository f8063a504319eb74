largest_period_count <- 1e7

# Refuses what cannot be held, before any of it is built.
check_fits <- function(rows, bytes_per_row, what, way_out) {
  shown <- format(rows, big.mark = ",", scientific = FALSE, trim = TRUE)
  bytes <- rows * bytes_per_row
  size <- format(structure(bytes, class = "object_size"), units = "auto", standard = "SI")
  if (rows > .Machine$integer.max) {
    ridge_abort(c("{what} would have {shown} rows ({size}); a table holds at most {format(.Machine$integer.max, big.mark = ',')}.",
                  i = "{way_out}"), "size")
  }
  free <- ps::ps_system_memory()$avail
  if (bytes > free) {
    free <- format(structure(free, class = "object_size"), units = "auto", standard = "SI")
    ridge_abort(c("{what} would have {shown} rows and need {size}; {free} are free.",
                  i = "{way_out}"), "size")
  }
  invisible(rows)
}

check_period_count <- function(count, grain, from, to) {
  if (count <= largest_period_count) {
    return(invisible(count))
  }
  shown <- format(round(count), big.mark = ",", scientific = FALSE)
  most <- format(largest_period_count, big.mark = ",", scientific = FALSE)
  ridge_abort(c("{shown} periods of one {grain$name} from {format(as_date(from))} to {format(as_date(to))} are too many: at most {most}.",
                i = "Choose a coarser {.arg by} or a narrower window with {.arg from} and {.arg to}."),
              "size")
}
