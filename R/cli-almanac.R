# The commands of the almanac.

run_build <- function(given) {
  path <- almanac_given(given$files)
  if (length(given$out) > 1) usage_abort("{.code --out} names one folder.")
  edition <- build_almanac(path, out = given$out %||% "edition", as_of = given$as_of,
                           only = given$only, check_only = isTRUE(given$check_only))
  for (sentence in edition$news) say_note("New: ", sentence)
  for (broken in edition$broken) say_error(broken)
  report <- file.path(edition$out, "index.html")
  said <- paste0(count_of(edition$questions, "question"), " as of ", format(edition$as_of), ": ",
                 if (edition$ok) "everything ties and holds."
                 else paste0(count_of(length(edition$broken), "failure"), "."))
  say_note(if (isTRUE(given$check_only)) "Checked, nothing written: " else "Edition: ", said)
  if (!isTRUE(given$check_only)) {
    say_note("Report: ", in_working_folder(report))
    if (isTRUE(given$browse)) utils::browseURL(paste0("file://", report))
  }
  exit_with(if (edition$ok) 0L else 1L)
}

almanac_given <- function(files) {
  if (length(files) > 1) {
    usage_abort(c("{.code ridge build} builds one almanac, not {length(files)}.",
                  i = "Build them one after the other."))
  }
  if (length(files) == 0) "almanac.yml" else files
}

in_working_folder <- function(path) {
  here <- paste0(getwd(), "/")
  if (startsWith(path, here)) substring(path, nchar(here) + 1) else path
}

run_begin <- function(given) {
  if (length(given$files) == 0) {
    usage_abort(c("Name a file of records, or several.",
                  i = "For example {.code ridge begin postings.csv}."))
  }
  if (length(given$out) > 1) usage_abort("{.code --out} names one file.")
  out <- given$out %||% "almanac.yml"
  told <- only_given(given, c("as_of", "tz", "date_order", "decimal", "missing", "means_open",
                              "encoding", "delimiter", "sheet"))
  found <- rlang::inject(begin_almanac(given$files, out = out, !!!told))
  for (line in found$said) say_note(line)
  say_note("Almanac: ", out)
  say_note("Build it with: ridge build", if (out != "almanac.yml") paste0(" ", out))
}
