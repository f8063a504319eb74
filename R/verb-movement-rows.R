# Who is behind the numbers of movement(): its rows, and the routes between groups.

flow_columns <- c("opening", "started", "returned", "moved_in", "ended", "moved_out", "net",
                  "closing")

movement_rows <- function(x, question, words) {
  asked <- question$arguments
  groups <- groups_of(x, asked$group)
  rows <- ordered_flow_rows(x, question, groups)
  weight <- if (asked$of == "weight") {
    stats::setNames(list(record_weights(x)[rows$record]), about(x)$names$weight)
  }
  columns <- c(slice_all(groups$values, rows$line),
               slice_all(axis_columns(question$axis, asked$label), rows$place),
               list(flow = rows$flow),
               slice_all(columns_of(x, about(x)$names$key), rows$record),
               list(date = as_moments(rows$at, timeline_of(x))),
               if (asked$of == "keys") sides_of_moves(groups, rows), weight,
               list(row = source_rows(x, rows$record)))
  new_records(question, x, columns, words, values = c("flow", "row"))
}

# By line, period and flow, then by key and date.
ordered_flow_rows <- function(x, question, groups) {
  if (is.null(question$axis)) {
    none <- integer()
    return(list(line = none, other = none, flow = character(), place = none, record = none,
                at = double()))
  }
  asked <- question$arguments
  rows <- flow_rows_of(x, question$axis, groups, asked$of, asked$returns)
  check_fits(length(rows$line), 8 * (8 + 3 * length(asked$group)), "This list", coarser_by())
  key <- if (has_key(x)) codes_of(x, about(x)$names$key)[rows$record] else rows$record
  order <- order(rows$line, rows$place, match(rows$flow, flow_columns), key, rows$at, rows$record)
  lapply(rows, `[`, order)
}

# The groups that are moved from and to; none where a key comes from outside or leaves, or
# stays in another.
sides_of_moves <- function(groups, rows) {
  came <- rows$flow == "moved_in"
  went <- rows$flow == "moved_out"
  from <- ifelse(came, rows$other, ifelse(went, rows$line, NA))
  to <- ifelse(came, rows$line, ifelse(went, rows$other, NA))
  c(side_values(groups, from, "from_"), side_values(groups, to, "to_"))
}

side_values <- function(groups, line, side) {
  values <- slice_all(groups$values, as.integer(line))
  stats::setNames(values, paste0(rep(side, length(values)), names(values)))
}

movement_routes <- function(x, question) {
  axis <- question$axis
  groups <- groups_of(x, question$arguments$group)
  rows <- ordered_flow_rows(x, question, groups)
  moved <- which(rows$flow == "moved_in" & !is.na(rows$other))
  route <- (rows$other[moved] - 1) * groups$size + rows$line[moved]
  known <- sort(unique(route))
  sides <- c(side_values(groups, (known - 1) %/% groups$size + 1, "from_"),
             side_values(groups, (known - 1) %% groups$size + 1, "to_"))
  routes <- list(names = names(sides), size = length(known), values = sides)
  check_lines_fit(routes, FALSE, axis, 3, "This table")
  size <- if (is.null(axis)) 0L else axis_size(axis)
  cell <- (match(route, known) - 1) * size + rows$place[moved]
  measures <- list(moved = new_measure(tabulate(cell, size * length(known)), TRUE, TRUE))
  beside <- sum(rows$flow == "moved_in" & is.na(rows$other))
  new_by_period(question, x, routes, measures, describe_routes(x, question, beside),
                title = measure_title(x, "keys"))
}

describe_routes <- function(x, question, beside) {
  asked <- question$arguments
  alone <- if (beside > 0) {
    paste(count_of(beside, "move"), "into a group beside others",
          if (beside == 1) "has" else "have", "no route")
  }
  sentence_of(paste0("Routes: ", counted_words(x, "keys"), " that moved between groups of ",
                     and_list(asked$group), ", by ", grain_name(question$axis)), alone,
              after_as_of_words(question$axis, x), usual_words(x))
}

movement_row_sentences <- function(object) {
  made <- about(object)
  if (is_listed(object)) {
    counts <- table(factor(object$flow, intersect(flow_columns, object$flow)))
    names <- sub("opening", "at the opening", gsub("_", " ", names(counts)))
    return(paste0(count_of(nrow(object), "row"),
                  if (length(names)) paste0(": ", and_list(paste(format_number(counts), names))),
                  "."))
  }
  sums <- tapply(object$moved, cells_of(object)$line, sum)
  routes <- as.integer(names(sums))
  best <- routes[order(-sums, routes)][1]
  c(paste0(count_of(sum(object$moved), "move"), " on ", count_of(sum(sums > 0), "route"), "."),
    if (sum(object$moved) > 0) {
      paste0("Most went from ", route_name(made, best), " (", format_number(max(sums)), ").")
    })
}

route_name <- function(made, line) {
  sides <- length(made$groups) / 2
  name <- function(columns) line_names(slice_all(made$lines[columns], line))
  paste(name(seq_len(sides)), "to", name(sides + seq_len(sides)))
}

# Rows by line, period and flow as the flows have them; each record with its own date.
flow_row_checks <- function(result, x) {
  made <- about(result)
  asked <- made$question$arguments
  names <- asked$group
  if (!all(c(names, "period", "date") %in% names(result))) {
    return(not_proven("rows", "the columns that name them are gone"))
  }
  plain <- plain_records(x)
  partition <- plain_partition(plain_tibble(x)[names])
  record <- match(result$row, about(x)$rows)
  timeline <- timeline_of(x)
  starts <- result$flow %in% c("opening", "started", "returned", "moved_in")
  ended <- result$flow == "ended"
  date <- ifelse(starts, plain$start[record],
                 ifelse(ended, tick_before(plain$stop[record], timeline), plain$stop[record]))
  dated <- list(tie("rows dated as their record starts or stops", nrow(result),
                    sum(date == as.double(result$date))))
  if (!is_whole(result) || is.null(made$axis)) {
    return(dated)
  }
  flows <- plain_flows(plain, partition$of, partition$size, made$axis, asked)
  flows$opening[-1, ] <- 0
  weight <- if (asked$of == "weight") plain$weight[record] else rep(1, nrow(result))
  line <- line_of_row(result, partition$values, names)
  place <- period_places(result$period, made$axis)
  c(dated, unlist(lapply(flow_names, function(flow) {
    rows <- which(result$flow == flow)
    found <- plain_cells(weight[rows], place[rows], line[rows], axis_size(made$axis),
                         partition$size)
    cell_checks(paste0("rows of ", gsub("_", " ", flow)), flows[[flow]], found,
                asked$of != "weight")
  }), recursive = FALSE))
}

# Of what a key leaves and comes into at once the first goes with the first.
route_checks <- function(result, x) {
  made <- about(result)
  if (!all(made$groups %in% names(result))) {
    return(not_proven("routes", "the columns that name them are gone"))
  }
  moves <- plain_moves(x, made)
  partition <- moves$partition
  sides <- length(made$groups) / 2
  side <- function(of) line_of_row(result, partition$values, made$groups[of])
  found <- data.frame(from = side(seq_len(sides)), to = side(sides + seq_len(sides)),
                      place = cells_of(result)$place, moved = result$moved)
  cell <- data.frame(from = moves$from, to = moves$to, place = moves$place)
  id <- vctrs::vec_group_id(cell)
  expected <- data.frame(vctrs::vec_slice(cell, !duplicated(id)), moved = tabulate(id, max(0L, id)))
  row_checks("routes with moves", expected, found[found$moved != 0, ], is_whole(result))
}

plain_moves <- function(x, made) {
  plain <- plain_records(x)
  partition <- plain_partition(plain_tibble(x)[made$question$arguments$group])
  units <- plain_units(plain, partition$of, "keys")
  key <- (units$id - 1) %% max(1, plain$key) + 1
  whole <- plain_union(plain, plain$key)
  side <- function(at, edge) {
    inner <- is.finite(at) & is.na(vctrs::vec_match(data.frame(id = key, at = at),
                                                    data.frame(id = whole$id, at = edge)))
    rows <- which(inner)
    rows <- rows[order(key[rows], at[rows], units$line[rows])]
    id <- data.frame(key = key[rows], at = at[rows])
    list(line = units$line[rows],
         id = data.frame(id, nth = sequence(rle(as.integer(vctrs::vec_group_id(id)))$lengths)))
  }
  came <- side(units$start, whole$start)
  went <- side(units$stop, whole$stop)
  with <- vctrs::vec_match(came$id, went$id)
  size <- axis_size(made$axis)
  place <- findInterval(came$id$at, c(made$axis$first, made$axis$stop[size]))
  kept <- which(!is.na(with) & place >= 1 & place <= size)
  list(partition = partition, from = went$line[with[kept]], to = came$line[kept],
       place = place[kept])
}
