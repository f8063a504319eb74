#' In two or three sentences
#'
#' What an analyst would write under the table: the highest and the lowest, the
#' largest rise and fall with their periods, what ended more than it started; of
#' cohorts the best and the worst, and the age at which most are lost.
#'
#' @param object A result of [active()], [movement()], [allocate()], [time_in()],
#'   [cohorts()], [lasting()], [elapsed()] or [versus()].
#' @param ... Not used.
#' @return Text, a sentence each. Other results give their line of conventions.
#' @section Errors:
#' None.
#' @examples
#' staff <- spans(demo_records("postings"), first_day, last_day, key = observer,
#'                as_of = "2026-06-30")
#' summary(active(staff, by = "month", to = "2026-06-30"))
#' summary(movement(staff, by = "quarter", from = "2025-01-01", to = "2026-06-30"))
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

# The sums over groups by period, or the line over all of them.
summed_series <- function(object, value) {
  made <- about(object)
  size <- axis_size(made$axis)
  cells <- matrix(as.double(object[[value]]), nrow = size)
  whole <- if (is.null(object[["total"]])) rep(FALSE, ncol(cells)) else object$total[seq(1, nrow(object), by = size)]
  if (any(whole)) cells[, whole] else if (ncol(cells) == 1) cells[, 1] else if (summable(made)) rowSums(cells)
}

summable <- function(made) {
  !identical(made$of, "keys")
}

series_sentences <- function(values, labels, noun) {
  shown <- function(x) format_plain(x, if (all(values == round(values), na.rm = TRUE)) 0 else 2)
  at <- function(i) paste0(shown(values[i]), " (", labels[i], ")")
  if (length(values) == 1) {
    return(paste0(noun, " was ", at(1), "."))
  }
  first <- paste0(noun, " ran from ", at(1), " to ", at(length(values)), "; the highest was ", at(which.max(values)), ", the lowest ", at(which.min(values)), ".")
  change <- diff(values)
  rise <- which.max(change)
  fall <- which.min(change)
  step <- function(i) paste0("by ", shown(abs(change[i])), " from ", labels[i], " to ", labels[i + 1])
  parts <- c(if (change[rise] > 0) paste("the largest rise was", step(rise)), if (change[fall] < 0) paste("the largest fall was", step(fall)))
  if (length(parts) == 0) return(first)
  c(first, paste0(sentence_case(paste(parts, collapse = ", ")), "."))
}

sentence_case <- function(text) {
  paste0(toupper(substr(text, 1, 1)), substring(text, 2))
}

# Which group had most, on average over the periods.
group_sentence <- function(object, value, noun) {
  made <- about(object)
  if (length(made$groups) == 0) {
    return(NULL)
  }
  size <- axis_size(made$axis)
  rows <- seq(1, nrow(object), by = size)
  means <- colMeans(matrix(as.double(object[[value]]), nrow = size))
  own <- if (is.null(object[["total"]])) rep(TRUE, length(rows)) else !object$total[rows]
  names <- line_names(plain_tibble(object)[rows, made$groups])[own]
  means <- means[own]
  if (length(means) < 2) {
    return(NULL)
  }
  paste0("On average over the periods most were in ", names[which.max(means)], " (", format_plain(max(means), 1), "), fewest in ",
         names[which.min(means)], " (", format_plain(min(means), 1), ").")
}

line_names <- function(columns) {
  texts <- lapply(as.list(columns), function(column) ifelse(is.na(column), "(missing)", as.character(column)))
  do.call(paste, c(unname(texts), sep = ", "))
}

period_names <- function(made) {
  axis_labels(made$axis, first_of(made$label, "code"))
}

#' @export
sentences.ridge_active <- function(object) {
  values <- summed_series(object, "active")
  c(if (!is.null(values)) series_sentences(values, period_names(about(object)), "The number active"), group_sentence(object, "active"))
}

#' @export
sentences.ridge_movement <- function(object) {
  made <- about(object)
  labels <- period_names(made)
  closing <- summed_series(object, "closing")
  flow <- function(name) summed_series(object, name)
  if (is.null(closing)) {
    return(c(group_sentence(object, "closing"), "Keys may be in two groups at once: ask for total = TRUE to have them in all."))
  }
  started <- flow("started") + (if (made$returned) flow("returned") else 0)
  ended <- flow("ended")
  opening <- flow("opening")[1]
  last <- closing[length(closing)]
  total <- function(x) format_plain(sum(x), 2)
  grown <- which(closing - c(opening, closing[-length(closing)]) > 0)
  c(sprintf("From %s at the opening of %s to %s at the closing of %s: %s started, %s ended.", total(opening), labels[1], total(last), labels[length(labels)],
            total(started), total(ended)),
    sprintf("Most started in %s (%s), most ended in %s (%s); %d of %s grew.", labels[which.max(started)], total(max(started)), labels[which.max(ended)],
            total(max(ended)), length(grown), count_of(length(labels), "period")))
}

#' @export
sentences.ridge_allocate <- function(object) {
  amount_sentences(object, "amount", paste("The allocated", about(object)$how$amounts$name))
}

#' @export
sentences.ridge_time_in <- function(object) {
  value <- about(object)$value[1]
  amount_sentences(object, value, paste("Time in", gsub("_", " ", value)))
}

amount_sentences <- function(object, value, noun) {
  made <- about(object)
  periods <- axis_columns(made$axis)$period
  own <- if (is.null(object[["total"]]) || all(object$total)) rep(TRUE, nrow(object)) else !object$total
  sums <- tapply(object[[value]][own], factor(match(object$period[own], periods), seq_along(periods)), sum, na.rm = TRUE, default = 0)
  all <- sum(sums)
  c(paste0(noun, " was ", format_plain(all, 2), " in all, ", format_plain(all / length(sums), 2), " in the average period."),
    series_sentences(as.vector(sums), period_names(made), "By period it"))
}

#' @export
sentences.ridge_cohorts <- function(object) {
  known <- !is.na(object$retained)
  ages <- tapply(object$age[known], object$cohort[known], max)
  at <- min(3, max(object$age[known]))
  same <- which(known & object$age == at)
  label <- function(i) axis_label_of(object, object$cohort[i])
  percent <- function(x) paste0(round(100 * x), " %")
  named <- function(i) sprintf("%s (%s of %d)", label(i), percent(object$retained[i]), object$size[i])
  lost <- tapply(object$active[known], object$age[known], sum)
  before <- vapply(seq_len(max(object$age[known])), function(a) {
    rows <- known & object$age == a
    sum(object$active[known & object$age == a - 1 & paste_lines(object) %in% paste_lines(object)[rows]])
  }, 0)
  # A share of a handful says little: at least a tenth of all must still be known.
  enough <- before >= 0.1 * sum(object$size[object$age == 0])
  drop <- if (length(before)) ifelse(enough, (before - lost[-1]) / before, NA)
  grain <- about(object)$axis$grain$name
  c(sprintf("%s started in %s; at age %d, %s of those known are left.", format_plain(sum(object$size[object$age == 0]), 0), count_of(length(ages), "cohort"),
            at, percent(sum(object$active[same]) / sum(object$size[same]))),
    if (length(same) > 1) sprintf("At that age the best cohort is %s, the worst %s.", named(same[which.max(object$retained[same])]),
                                  named(same[which.min(object$retained[same])])),
    if (length(drop) && any(is.finite(drop) & drop > 0)) {
      worst <- which.max(ifelse(is.finite(drop), drop, -Inf))
      sprintf("Most are lost from age %d to %d (in %ss): %s of those still there.", worst - 1L, worst, grain, percent(drop[worst]))
    })
}

# One text for each line of a table of cohorts.
paste_lines <- function(object) {
  columns <- c(about(object)$groups, "cohort")
  line_names(plain_tibble(object)[columns])
}

axis_label_of <- function(object, cohort) {
  axis <- about(object)$axis
  axis_labels(axis_part(axis, match(as.integer(cohort), axis$first_day)), "code")
}

#' @export
sentences.ridge_lasting <- function(object) {
  made <- about(object)
  rows <- which(object$age == 0)
  names <- if (length(made$groups)) paste0(line_names(plain_tibble(object)[rows, made$groups]), ": ") else ""
  middle <- object$median[rows]
  sentence_case(ifelse(is.na(middle), paste0(names, "more than half are still there."),
                       paste0(names, "half have ended by ", format_plain(middle, 1), " ", made$unit, ".")))
}

#' @export
sentences.ridge_elapsed <- function(object) {
  made <- about(object)
  length <- object[[made$value]]
  unit <- gsub("_", " ", made$value)
  spread <- stats::quantile(length, c(0.5, 0.9), names = FALSE)
  c(sprintf("Of %s half took up to %s %s, nine in ten up to %s; the longest took %s (row %s).", count_of(nrow(object), "record"), format_plain(spread[1], 1), unit,
            format_plain(spread[2], 1), format_plain(max(length), 1), format_rows(object$row[which.max(length)])),
    if (any(object$open)) sprintf("%s %s still open.", count_of(sum(object$open), "record"), if (sum(object$open) == 1) "is" else "are"))
}

#' @export
sentences.ridge_versus <- function(object) {
  known <- which(!is.na(object$difference))
  if (length(known) == 0) {
    return("No row has a base to compare with.")
  }
  made <- about(object)
  size <- axis_size(made$axis)
  place <- rep_len(seq_len(size), nrow(object))
  name <- function(i) paste0(if (length(made$groups)) paste0(line_names(plain_tibble(object)[i, made$groups]), ", "), period_names(made)[place[i]])
  signed <- function(x) paste0(if (x > 0) "+", format_plain(x, if (x == round(x)) 0 else 2))
  up <- known[which.max(object$difference[known])]
  down <- known[which.min(object$difference[known])]
  c(sprintf("%d of %s above the base, %d below.", sum(object$difference[known] > 0), count_of(length(known), "value"), sum(object$difference[known] < 0)),
    if (object$difference[up] > 0) sprintf("The most above is %s (%s).", signed(object$difference[up]), name(up)),
    if (object$difference[down] < 0) sprintf("The most below is %s (%s).", signed(object$difference[down]), name(down)))
}
