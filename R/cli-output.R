# What a command hands over: the table, its conventions, a figure, sentences and checks.

# Wrong endings and folders are found before any work is done.
check_outputs <- function(given) {
  if (!is.null(given$out)) check_ending(given$out, table_endings, "out")
  if (!is.null(given$set_aside)) check_ending(given$set_aside, table_endings, "set_aside")
  if (!is.null(given$figure)) check_ending(given$figure, figure_formats, "figure")
  if (!is.null(given$sums) && !isTRUE(given$wide)) {
    usage_abort("{.code --sums} are those of the wide form: say {.code --wide} too.")
  }
}

hand_over <- function(result, given, figure = NULL) {
  shown <- result
  if (isTRUE(given$wide)) {
    shown <- widen(result, sums = given$sums %||% "none", label = given$label %||% "code")
  }
  say_note(conventions(shown))
  write_out(if (isTRUE(given$text)) with_text(result) else shown, given)
  if (!is.null(given$figure)) draw_given(result, given, figure)
  if (isTRUE(given$summary)) for (sentence in summary(result)) say_note(sentence)
  if (isTRUE(given$reconcile)) report_checks(reconcile(shown))
}

# The options of a figure go to its arguments.
draw_given <- function(result, given, figure) {
  arguments <- stats::setNames(given[figure], names(figure))
  arguments <- Filter(Negate(is.null), arguments)
  write_figure(rlang::inject(autoplot(result, !!!arguments)), given$figure)
  say_note("Figure: ", given$figure)
}

with_text <- function(result) {
  made <- about(result)
  asked <- made$question$arguments
  text <- elapsed_text(result[[made$values[1]]], asked$unit, day_hours = asked$day_hours)
  tibble::add_column(tibble::as_tibble(result), text = text)
}

write_out <- function(table, given) {
  if (is.null(given$out)) {
    return(write_csv_table(table))
  }
  write_records(table, given$out)
  say_note("Table: ", given$out, " (", count_of(nrow(table), "row"), ")")
}

# One line for each check, and a status that says whether all tie.
report_checks <- function(checks) {
  shown <- function(x) format(x, big.mark = ",", digits = 15, scientific = FALSE, trim = TRUE)
  say_note("Reconciled: ", conventions(checks))
  for (i in seq_len(nrow(checks))) {
    found <- if (checks$ok[i]) paste("both", shown(checks$expected[i]))
    else paste0(shown(checks$expected[i]), " expected, ", shown(checks$found[i]), " found")
    say_note(if (checks$ok[i]) "- ties: " else "- DOES NOT TIE: ", checks$check[i], ": ", found)
  }
  exit_with(if (all(checks$ok)) 0L else 1L)
}

# A status that is not 0 although the command did what it was asked.
exit_with <- function(status) {
  structure(status, class = "exit_status")
}
