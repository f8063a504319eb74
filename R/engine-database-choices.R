# Which records of a table in a database an answer is made of: chosen by conditions and window
# functions.

active_in_sql <- function(spans, when) {
  at <- deciding_ticks(when$rule, when$first, when$stop, day_timeline())
  dplyr::filter(spans, .data$start <= !!at$begun_by, .data$stop > !!at$over_by,
                .data$start < .data$stop)
}

# The spans with so much time in common with another one of their partition, or with one of the
# second table.
overlapping_in_sql <- function(x, spans, which, inside, others, same) {
  least <- as.integer(max(which$least, 1))
  long <- function(spans) dplyr::filter(spans, .data$start <= .data$stop - !!least)
  spans <- long(spans)
  con <- engine_of(x)$source$con
  per <- inside(which$per)
  if (!is.null(others)) {
    its <- names(numbered_names("other", which$its))
    keyed <- which$per %in% about(x)$names$key & which$its %in% about(which$with)$names$key
    same <- same_partition(con, per, keyed, its)
    return(dplyr::semi_join(spans, long(others), sql_on = meets_like(con, least, same)))
  }
  met <- dplyr::filter(in_reach(spans, per, inside(engine_of(x)$source$names$row)),
                       .data$start <= .data$before - !!least | .data$after <= .data$stop - !!least)
  if (length(which$differing) == 0) return(met)
  different <- meets_like(con, least, same, inside(which$differing))
  dplyr::semi_join(met, met, sql_on = different)
}

# By start and row: the furthest end of those before, and the next start.
in_reach <- function(spans, by, row) {
  spans <- dplyr::group_by(spans, dplyr::across(dplyr::all_of(by)))
  spans <- dbplyr::window_order(spans, .data$start, .data[[!!row]])
  spans <- dplyr::mutate(spans, after = dplyr::lead(.data$start))
  spans <- dplyr::mutate(dbplyr::window_frame(spans, -Inf, -1),
                         before = max(.data$stop, na.rm = TRUE))
  dplyr::ungroup(spans)
}

# Two spans of one partition (`same`) with at least so much in common, and another value in some
# of `differing`.
meets_like <- function(con, least, same, differing = NULL) {
  side <- sides_in_sql(con)
  other <- if (length(differing)) {
    alike <- same_partition(con, differing, rep(FALSE, length(differing)))
    dbplyr::build_sql(" AND CASE WHEN ", alike, " THEN 0 ELSE 1 END = 1", con = con)
  } else dbplyr::sql("")
  dbplyr::build_sql(same, " AND ", side("RHS", "start"), " <= ", side("LHS", "stop"), " - ", least,
                    " AND ", side("LHS", "start"), " <= ", side("RHS", "stop"), " - ", least, other,
                    con = con)
}

# The same values on both sides, a missing one too where there may be one.
same_partition <- function(con, per, never_missing, its = per) {
  side <- sides_in_sql(con)
  same <- Map(function(own, its, never_missing) {
    own <- side("LHS", own)
    its <- side("RHS", its)
    if (never_missing) return(dbplyr::build_sql(own, " = ", its, con = con))
    dbplyr::build_sql("(", own, " = ", its, " OR (", own, " IS NULL AND ", its, " IS NULL))",
                      con = con)
  }, per, its, never_missing)
  Reduce(function(a, b) dbplyr::build_sql(a, " AND ", b, con = con), same) %||%
    dbplyr::sql("1 = 1")
}

# The records on both sides of a gap within the window: by start and row the one before is the
# first that reaches as far as its stretch does, the one behind is the first of its stretch
# (`begins`). With `edges` also the first and the furthest of all, and what covers nothing.
beside_gaps_in_sql <- function(spans, which, by, row) {
  there <- in_pieces(in_reach(dplyr::filter(spans, .data$start < .data$stop), by, row), by, row)
  least <- as.integer(max(which$least, 1))
  within <- function(from, to) {
    gap <- rlang::expr((!!from) <= (!!to) - (!!least))
    if (is.null(which$window)) return(gap)
    rlang::expr((!!gap) & (!!from) < (!!which$window$stop) & (!!to) > (!!which$window$first))
  }
  there <- dplyr::mutate(
    there,
    begins = dplyr::case_when(!!within(quote(.data$before), quote(.data$start)) ~ 1L, TRUE ~ 0L),
    furthest = dplyr::case_when(.data$stop < .data$reach | .data$stop <= .data$before ~ 0L,
                                TRUE ~ 1L),
    ends = dplyr::case_when(!!within(quote(.data$reach), quote(.data$behind)) ~ 1L, TRUE ~ 0L))
  shown <- dplyr::filter(there, .data$begins == 1L | (.data$furthest == 1L & .data$ends == 1L))
  if (!which$edges) return(shown)
  empty <- dplyr::mutate(dplyr::filter(spans, .data$start >= .data$stop), begins = 0L)
  edges <- dplyr::filter(there, .data$begins == 1L | is.na(.data$before) |
                           (.data$furthest == 1L & (.data$ends == 1L | is.na(.data$behind))))
  dplyr::union_all(dplyr::select(edges, dplyr::all_of(colnames(empty))), empty)
}

# Each span with how far its stretch reaches, and where the next one starts.
in_pieces <- function(spans, by, row) {
  spans <- dplyr::mutate(spans, begun = dplyr::case_when(.data$start <= .data$before ~ 0L,
                                                         TRUE ~ 1L))
  spans <- dplyr::group_by(spans, dplyr::across(dplyr::all_of(by)))
  spans <- dbplyr::window_order(spans, .data$start, .data[[!!row]])
  spans <- dplyr::mutate(dbplyr::window_frame(spans, -Inf, 0),
                         piece = sum(.data$begun, na.rm = TRUE))
  spans <- dplyr::group_by(dplyr::ungroup(spans), dplyr::across(dplyr::all_of(c(by, "piece"))))
  spans <- dbplyr::window_frame(dbplyr::window_order(spans, .data$start), -Inf, Inf)
  # The last one has none behind it.
  spans <- dplyr::mutate(spans, reach = max(.data$stop, na.rm = TRUE),
                         last = max(.data$start, na.rm = TRUE),
                         behind = max(.data$after, na.rm = TRUE))
  dplyr::mutate(dplyr::ungroup(spans), behind = dplyr::case_when(
    .data$behind > .data$last ~ .data$behind))
}

# Answers are proven by a second, plainer choice: of pairs by looking for the other one.
meeting_in_sql <- function(x, spans, same, row) {
  there <- dplyr::filter(spans, .data$start < .data$stop)
  dplyr::semi_join(there, there,
                   sql_on = meets_like(engine_of(x)$source$con, 1L, same, row))
}

# Of stretches by looking whether one reaches over where another starts or stops.
at_edges_in_sql <- function(x, spans, same, edges) {
  con <- engine_of(x)$source$con
  there <- dplyr::filter(spans, .data$start < .data$stop)
  begins <- dplyr::anti_join(there, there, sql_on = reaches_over(con, same, "start"))
  ends <- dplyr::anti_join(there, there, sql_on = reaches_over(con, same, "stop"))
  all <- dplyr::union_all(dplyr::mutate(begins, begins = 1L, ends = 0L),
                          dplyr::mutate(ends, begins = 0L, ends = 1L))
  if (edges) {
    empty <- dplyr::filter(spans, .data$start >= .data$stop)
    all <- dplyr::union_all(all, dplyr::mutate(empty, begins = 0L, ends = 0L))
  }
  all <- dplyr::group_by(all, dplyr::across(-c("begins", "ends")))
  dplyr::ungroup(dplyr::summarise(all, begins = max(.data$begins, na.rm = TRUE),
                                  ends = max(.data$ends, na.rm = TRUE)))
}

# The other one begins before a start and reaches it, or reaches behind a stop and begins by it.
reaches_over <- function(con, same, edge) {
  side <- sides_in_sql(con)
  over <- if (edge == "start") c(" < ", " >= ") else c(" <= ", " > ")
  dbplyr::build_sql(same, " AND ", side("RHS", "start"), dbplyr::sql(over[1]), side("LHS", edge),
                    " AND ", side("RHS", "stop"), dbplyr::sql(over[2]), side("LHS", edge),
                    con = con)
}

# Records that something may be wrong with, and those beside which that is so: by what is known of
# all of them, and by the texts that are no usual spelling.
suspects_in_sql <- function(spans, which, inside, texts, row) {
  odd <- rlang::exprs(.data$start >= .data$stop, .data$start >= !!which$as_of_stop)
  if (!is.null(which$plausible)) odd <- c(odd, implausible_in_sql(spans, which$plausible))
  if (length(which$per) > 0) {
    spans <- in_reach(spans, inside(which$per), row)
    odd <- c(odd, rlang::exprs(.data$start < .data$before, .data$after < .data$stop))
  } else {
    alike <- c("start", "stop", inside(which$others))
    spans <- dplyr::mutate(dplyr::group_by(spans, dplyr::across(dplyr::all_of(alike))),
                           alike = dplyr::n())
    spans <- dplyr::ungroup(spans)
    odd <- c(odd, rlang::exprs(.data$alike > 1L))
  }
  for (name in names(texts)) {
    flag <- paste0("unusual_", inside(name))
    unusual <- dplyr::mutate(texts[[name]], !!flag := 1L)
    spans <- dplyr::left_join(spans, unusual, by = stats::setNames("text", inside(name)))
    odd <- c(odd, rlang::expr(.data[[!!flag]] == 1L))
  }
  dplyr::filter(spans, !!Reduce(function(a, b) rlang::expr(!!a | !!b), odd))
}

implausible_in_sql <- function(spans, plausible) {
  far <- function(column) {
    rlang::exprs(.data[[!!column]] < !!plausible[1], .data[[!!column]] > !!plausible[2])
  }
  if (!"end_number" %in% colnames(spans)) return(far("start"))
  ends <- lapply(far("end_number"), function(is_far) rlang::expr(.data$is_open == 0L & !!is_far))
  c(far("start"), ends)
}
