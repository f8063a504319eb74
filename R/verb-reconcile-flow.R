# What movement, cohorts and comparisons must tie to.

#' @export
source_checks.ridge_movement <- function(result) {
  made <- about(result)
  size <- if (is.null(made$axis)) 0L else axis_size(made$axis)
  if (size == 0L) {
    return(list())
  }
  returned <- first_of(plain_tibble(result)[["returned"]], 0)
  closes <- with(result, opening + started + returned + moved_in - ended - moved_out) - result$closing
  lines <- nrow(result) / size
  closing <- matrix(result$closing, nrow = size)
  carried <- matrix(result$opening, nrow = size)[-1, , drop = FALSE] - closing[-size, , drop = FALSE]
  checks <- list(tie("lines in which opening and changes make the closing", nrow(result), sum(abs(closes) < 1e-6)),
                 tie("closings that open the next period", lines * (size - 1), sum(abs(carried) < 1e-6)))
  whole <- if (is.null(result[["total"]])) rep(FALSE, lines) else result$total[seq(1, nrow(result), by = size)]
  plain <- plain_records(made$source)
  group <- group_rows(made$source, made$groups)
  stay <- plain_stay(plain, group, axis_ticks(made$axis)$stop[size], made$of, is.null(made$axis$tz))
  label <- axis_labels(axis_part(made$axis, size), "code")
  if (any(!whole)) checks <- c(checks, list(tie(paste0("closing of ", label, if (length(made$groups)) ", all group lines"), stay[["lines"]], sum(closing[size, !whole]))))
  if (!any(whole)) {
    return(checks)
  }
  both <- sum(closing[size, !whole]) - closing[size, whole]
  c(checks, list(tie(paste0("closing of ", label, ", line over all groups"), stay[["all"]], closing[size, whole]),
                 tie(paste0("in two groups at once at the closing of ", label), stay[["lines"]] - stay[["all"]], both)))
}

# Who is carried over an edge between periods: there in the last tick before it,
# and of keys also, in whatever group, in the next.
plain_stay <- function(plain, group, edge, of, on_days) {
  before <- if (on_days) edge - 1 else edge - 1e-6
  here <- plain$start <= before & plain$stop > before
  if (of != "keys") {
    stays <- here & plain$stop > edge
    counted <- if (of == "weight") sum(plain$weight[stays]) else sum(stays)
    return(c(lines = counted, all = counted))
  }
  next_key <- unique(plain$key[plain$start <= edge & plain$stop > edge])
  stays <- here & plain$key %in% next_key
  c(lines = nrow(unique(data.frame(plain$key, group)[stays, ])), all = length(unique(plain$key[stays])))
}

#' @export
source_checks.ridge_cohorts <- function(result) {
  made <- about(result)
  if (nrow(result) == 0) {
    return(list())
  }
  plain <- plain_records(made$source)
  plain <- plain[plain$stop > plain$start, ]
  first <- tapply(plain$start, plain$key, min)
  until <- as_of_stop(about(made$source))
  ticks <- axis_ticks(axis_part(made$axis, made$shown))
  started <- sum(first < until & first >= ticks$first[1] & first < max(ticks$stop))
  new <- result$age == 0
  known <- !is.na(result$active)
  list(tie("sizes of the cohorts = keys that first started then", started, sum(result$size[new])),
       tie("cells with more active than the cohort has", 0, sum(result$active[known] > result$size[known])),
       tie("active in all cohorts in the last period", cohort_level(made, plain, first, until), sum(result$active[known & result$period == max(result$period[known])])))
}

# Keys of the cohorts shown that are active in the period of the as-of date.
cohort_level <- function(made, plain, first, until) {
  size <- axis_size(made$axis)
  ticks <- axis_ticks(made$axis)
  cohort <- findInterval(first, ticks$first)
  in_cohort <- names(first)[first < until & cohort %in% made$shown]
  union <- plain_union(plain, plain$key)
  if (!made$returns) union <- union[!duplicated(union$id), ]
  used <- union[as.character(union$id) %in% in_cohort, ]
  plain_level(data.frame(start = used$start, stop = used$stop, key = used$id, weight = rep(1, nrow(used))), ticks$first[size], ticks$stop[size], made$rule, "keys")
}

#' @export
source_checks.ridge_versus <- function(result) {
  made <- about(result)
  known <- !is.na(result$base)
  value <- result[[made$values]]
  c(source_checks(made$long), list(tie("base + difference = value", sum(value[known]), sum(result$base[known] + result$difference[known]))))
}

#' @export
source_checks.ridge_lasting <- function(result) {
  made <- about(result)
  plain <- plain_records(made$source)
  plain <- plain[plain$stop > plain$start, ]
  started <- sum(tapply(plain$start, plain$key, min) < as_of_stop(about(made$source)))
  list(tie("keys at risk at age 0 = keys that started", started, sum(result$at_risk[result$age == 0])))
}
