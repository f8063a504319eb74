#' In two or three sentences
#'
#' What an analyst would write under the table: the highest and the lowest, the
#' largest rise and fall with their periods, what ended more than it started; of
#' cohorts the best and the worst, and the age at which most are lost.
#'
#' @param object A result of [active()], [movement()], [allocate()], [time_within()],
#'   [cohorts()], [length_of_stay()], [elapsed()], [versus()], [restated()], [concurrency()] or
#'   [peaks()] with limits.
#' @param ... Not used.
#' @return Text, a sentence each. Other results give their line of conventions.
#' @section Errors:
#' None.
#' @examples
#' staff <- spans(demo_records("postings"), first_day, last_day, key = observer,
#'                as_of = "2026-06-30")
#' summary(active(staff, by = "month"))
#' summary(movement(staff, by = "quarter", from = "2025-01-01"))
#' summary(cohorts(staff, by = "quarter"))
#' @export
summary.ridge_result <- function(object, ...) {
  if (nrow(object) == 0) {
    return("There is nothing in the window.")
  }
  sentences(object)
}

sentences <- function(object) {
  UseMethod("sentences")
}

#' @export
sentences.default <- function(object) {
  conventions(object)
}

# The sums over groups by period, or the line over all of them; NULL where groups do
# not add up.
summed_series <- function(object, value) {
  made <- about(object)
  cells <- cell_matrix(object, value)
  whole <- is_total_line(made)
  left <- colSums(!is.na(cells)) > 0
  there <- rowSums(!is.na(cells)) > 0
  series <- if (any(whole) && !anyNA(cells[there, whole])) cells[, whole]
  else if (sum(left) == 1) cells[, left]
  else if (may_add(made, value, "groups")) {
    rowSums(cells[, !whole, drop = FALSE], na.rm = TRUE)
  }
  if (!is.null(series)) replace(series, !there, NA)
}

# Periods that are not left are left out.
series_sentences <- function(values, labels, noun) {
  labels <- labels[!is.na(values)]
  values <- values[!is.na(values)]
  digits <- if (all(values == round(values))) 0 else 2
  shown <- function(x) format_plain(x, digits)
  at <- function(i) paste0(shown(values[i]), " (", labels[i], ")")
  if (length(values) == 1) {
    return(paste0(noun, " was ", at(1), "."))
  }
  first <- paste0(noun, " ran from ", at(1), " to ", at(length(values)), "; the highest was ",
                  at(which.max(values)), ", the lowest ", at(which.min(values)), ".")
  change <- diff(values)
  step <- function(i) {
    paste0("by ", shown(abs(change[i])), " from ", labels[i], " to ", labels[i + 1])
  }
  rise <- which.max(change)
  fall <- which.min(change)
  parts <- c(if (change[rise] > 0) paste("the largest rise was", step(rise)),
             if (change[fall] < 0) paste("the largest fall was", step(fall)))
  c(first, if (length(parts)) paste0(sentence_case(paste(parts, collapse = ", ")), "."))
}

# Which group had most, on average over the periods.
group_sentence <- function(object, value) {
  made <- about(object)
  if (length(made$groups) == 0) {
    return(NULL)
  }
  means <- colMeans(cell_matrix(object, value), na.rm = TRUE)
  own <- !is_total_line(made) & !is.nan(means)
  names <- line_labels(made)[own]
  means <- means[own]
  if (length(means) < 2) {
    return(NULL)
  }
  most <- which.max(means)
  least <- which.min(means)
  paste0("On average over the periods most were in ", names[most], " (",
         format_plain(means[most], 1), "), fewest in ", names[least], " (",
         format_plain(means[least], 1), ").")
}
