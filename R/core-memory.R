largest_period_count <- 1e7

# What is smaller fits on any machine that runs R: its free memory is not asked for.
always_fits <- 64 * 1024^2

# Refuses what cannot be held, before any of it is built.
check_fits <- function(rows, bytes_per_row, what, way_out) {
  bytes <- rows * bytes_per_row
  shown <- format_number(rows)
  most <- .Machine$integer.max
  if (rows > most) {
    ridge_abort(
      c(paste("{what} would have {shown} rows ({format_size(bytes)}); a table holds at most",
              "{format_number(most)}."),
        i = "{way_out}"), "size", value = rows)
  }
  if (bytes <= always_fits) {
    return(invisible(rows))
  }
  free <- ps::ps_system_memory()$avail
  if (bytes > free) {
    ridge_abort(
      c(paste("{what} would have {shown} rows and need {format_size(bytes)}; {format_size(free)}",
              "are free."),
        i = "{way_out}"), "size", value = rows)
  }
  invisible(rows)
}

check_period_count <- function(count, grain, from, to) {
  if (count <= largest_period_count) {
    return(invisible(count))
  }
  shown <- format_number(round(count))
  most <- format_number(largest_period_count)
  days <- format(as_date(c(from, to)))
  ridge_abort(
    c(paste("{shown} periods of one {grain$name} from {days[1]} to {days[2]} are too many: at",
            "most {most}."),
      i = paste("Choose a coarser {arg_name('by')} or a narrower window with {arg_name('from')}",
                "and {arg_name('to')}.")),
    "size", arg = "by", value = count)
}

# The ways out of a table that is too large, in the words of whoever asks.
coarser_by <- function(rest) {
  paste0("Choose a coarser ", arg_name("by"), ", a narrower window", rest, ".")
}
