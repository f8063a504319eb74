# Another reader and writer of iCalendar files, and of repeated events.
run_python <- function(lines, input = character()) {
  python <- Filter(nzchar, c(Sys.which("/usr/bin/python3"), Sys.which("python3")))
  if (length(python) == 0) skip("There is no Python.")
  script <- withr::local_tempfile(fileext = ".py")
  probe <- suppressWarnings(system2(python[1], c("-c", shQuote("import icalendar, dateutil")), stdout = FALSE, stderr = FALSE))
  if (probe != 0) skip("There is no other iCalendar parser.")
  writeLines(lines, script)
  system2(python[1], script, input = input, stdout = TRUE)
}
