# Who came and who went, of records in a database. A key comes from none where all its records
# begin a stretch, and goes to none where they end one; else it moves between groups.

#' @export
flows_of.ridge_database <- function(x, axis, groups, of, total, returns, ...) {
  edges <- c(axis$first, axis$stop[axis_size(axis)])
  places <- function(number) list(place = findInterval(number, edges))
  none <- list(names = character(), size = 1L, values = list())
  lines <- c(list(groups), if (total) list(none))
  cells <- lapply(lines, function(groups) {
    found <- with_there(x, groups, of, more = places, f = function(spans, days) {
      moved <- if (of == "keys") stretches_with_moves(x, spans, groups, returns)
      else dplyr::mutate(spans, is_first = 1L, is_last = 1L, is_back = 0L)
      fetched(x, flows_in_sql(x, moved, days, names(numbered_names("group", groups$names))),
              "Who came, who went and who moved, by period")
    })
    flow_cells(found, groups, axis_size(axis))
  })
  scale <- if (of == "weight") engine_of(x)$source$scale else 1
  array(unlist(cells) / scale, c(axis_size(axis), 8L, groups$size + total))
}

# Stretches of each key in each group, and whether the key came from none, went to none, and had
# been there before.
stretches_with_moves <- function(x, spans, groups, returns) {
  by <- names(counted_columns(x, groups, "keys"))
  keys <- names(numbered_names("key", about(x)$names$key))
  all <- dplyr::mutate(stretches_in_sql(x, spans, keys), is_first = 1L, is_last = 1L)
  begun <- dplyr::group_by(all, dplyr::across(dplyr::all_of(keys)))
  begun <- dplyr::mutate(dbplyr::window_order(begun, .data$start), nth = dplyr::row_number())
  begun <- dplyr::select(dplyr::ungroup(begun), dplyr::all_of(c(keys, "start", "is_first", "nth")))
  over <- dplyr::select(all, dplyr::all_of(c(keys, "stop", "is_last")))
  own <- dplyr::left_join(stretches_of_keys(x, spans, by), begun, by = c(keys, "start"))
  own <- dplyr::left_join(own, over, by = c(keys, "stop"))
  if (!returns) return(dplyr::mutate(own, is_back = 0L))
  dplyr::mutate(own, is_back = dplyr::case_when(.data$nth > 1L ~ 1L, TRUE ~ 0L))
}

# Each stretch stands there as who comes and as who goes. One who goes to none has ended on the
# last day; one who moves is gone on the first day elsewhere.
flows_in_sql <- function(x, moved, days, group) {
  dated <- dplyr::transmute(
    on_both_sides(x, moved), dplyr::across(dplyr::all_of(group)), units = .data$units,
    flow = dplyr::case_when(.data$side == 0L & is.na(.data$is_first) ~ 4L,
                            .data$side == 0L & .data$is_back == 1L ~ 3L, .data$side == 0L ~ 2L,
                            is.na(.data$is_last) ~ 6L, TRUE ~ 5L),
    number = dplyr::case_when(.data$side == 0L ~ .data$start, is.na(.data$is_last) ~ .data$stop,
                              TRUE ~ .data$stop - 1L))
  placed <- dplyr::inner_join(dated, dplyr::select(days, "number", "place"), by = "number")
  placed <- dplyr::group_by(placed, dplyr::across(dplyr::all_of(c(group, "flow", "place"))))
  dplyr::ungroup(dplyr::summarise(placed, by = sum(.data$units, na.rm = TRUE)))
}

# By period, flow and group: opening, the flows, net and closing.
flow_cells <- function(found, groups, size) {
  # The periods have one more before them and one behind.
  cells <- array(0, c(size + 2L, 8L, groups$size))
  at <- cbind(found$place + 1L, found$flow, places_of_groups(found, groups))
  cells[at] <- found$by
  came <- cells[, 2, ] + cells[, 3, ] + cells[, 4, ]
  net <- matrix(came - cells[, 5, ] - cells[, 6, ], size + 2L)
  closing <- summed_up(net)
  cells[, 7, ] <- net
  cells[, 8, ] <- closing
  cells[-1, 1, ] <- closing[-(size + 2L), ]
  cells[seq_len(size) + 1L, , , drop = FALSE]
}
