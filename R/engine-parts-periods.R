# What records in parts answer by period: each part through the engine of memory.

# Numbers that are summed: the weights, or `values`, a function of a part that says them, with
# what is known of all of them (`scale`, `largest`) and the columns that it needs.
weighed <- function(x, of, values) {
  if (!is.null(values)) values$names else if (of == "weight") about(x)$names$weight
}

# By which scale the numbers of a part are whole, and how much they are in all.
number_digits <- function(values) {
  data.frame(scale = fixed_scale(values), sum = sum(abs(values)))
}

# The scale that holds the numbers of all parts, as fixed_scale() of all would be.
scale_of_numbers <- function(digits) {
  room <- 2.3e18
  sum <- sum(digits$sum)
  decimal <- all(digits$scale %in% 10^(0:9))
  if (decimal && sum * max(digits$scale) < room) max(digits$scale)
  else if (sum > 0) 2^floor(log2(room / sum)) else 1
}

#' @export
levels_of.ridge_parts <- function(x, axis, groups, rule, of, values = NULL, ...) {
  names <- c(groups$names, weighed(x, of, values))
  gathered(x, names, together_for(x, of == "keys"), function(part, how) {
    put_weights(part, x, of)
    levels_of(part, axis, groups_in_part(part, groups), rule, of,
              if (!is.null(values)) values$of(part), how, values$scale)
  })
}

# Weights of a part are whole numbers by the scale that is that of all.
put_weights <- function(part, x, of) {
  if (of == "weight") {
    values <- in_index_order(record_weights(part), memory_index(part))
    cached(part, "weights", list(values = values, scale = facts_of(x)$weight_scale))
  }
}

#' @export
flows_of.ridge_parts <- function(x, axis, groups, of, total, returns, ...) {
  gathered(x, c(groups$names, weighed(x, of, NULL)), together_for(x, of == "keys"),
           function(part, how) {
    put_weights(part, x, of)
    flows_of(part, axis, groups_in_part(part, groups), of, total, returns, how)
  })
}

#' @export
cohorts_of.ridge_parts <- function(x, axis, groups, rule, returns, ...) {
  gathered(x, groups$names, about(x)$names$key, function(part, how) {
    cohorts_of(part, axis, groups_in_part(part, groups), rule, returns, how)
  })
}

#' @export
spread_of.ridge_parts <- function(x, axis, values, over, per, groups = NULL, ...) {
  if (per != "groups") refuse_in_parts("A list by record")
  known <- if (!is.null(values) && !over$rounded) known_rates(x, axis, values, over)
  gathered(x, c(groups$names, values$names), NULL, function(part, how) {
    spread_of(part, axis, if (!is.null(values)) values$of(part), over, per,
              groups_in_part(part, groups), how, known)
  })
}

# How many records there are, and the largest amount by what it is spread over: they decide how
# finely all are summed.
known_rates <- function(x, axis, values, over) {
  largest <- over_parts(x, values$names, NULL, function(part, i) {
    largest_rate(part, axis, values$of(part), over)
  }, max)
  c(facts_of(x)$records, largest)
}
