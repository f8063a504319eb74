# Drawing is what takes longest: the figures of a page are drawn by a process of its own while the
# next page is asked, where the system can do that.

open_desk <- function() {
  desk <- new.env(parent = emptyenv())
  desk$folder <- tempfile("figures-")
  desk$jobs <- list()
  dir.create(desk$folder)
  desk
}

begin_drawing <- function(desk, page, answers) {
  begin_job(desk, page, draw_answers(desk, answers))
}

begin_job <- function(desk, name, work) {
  if (draws_beside()) desk$jobs[[name]] <- parallel::mcparallel(work, silent = TRUE)
}

draws_beside <- function() {
  .Platform$OS.type == "unix" && parallel::detectCores() %in% 2:1024
}

draw_answers <- function(desk, answers) {
  lapply(answers, function(answer) {
    if (!is.null(answer$figure)) {
      draw_for_edition(answer$figure, desk$folder, answer$question$name)
    }
  })
}

# What was not fetched is not wanted any more.
close_desk <- function(desk) {
  if (is.null(desk)) {
    return(invisible())
  }
  for (job in desk$jobs) tools::pskill(job$pid)
  if (length(desk$jobs)) suppressWarnings(parallel::mccollect(desk$jobs, wait = TRUE))
  unlink(desk$folder, recursive = TRUE)
}

# What a job has done; NULL where there was none, or where it went wrong: then it is done here
# once more, so that it tells why.
fetch_job <- function(desk, name) {
  job <- desk$jobs[[name]]
  if (is.null(job)) {
    return(NULL)
  }
  desk$jobs[[name]] <- NULL
  done <- suppressWarnings(parallel::mccollect(job))[[1]]
  if (!inherits(done, "try-error")) done
}

# The edition with its drawings, their files in this folder.
with_drawings <- function(edition, folder) {
  desk <- edition$desk
  for (i in seq_along(edition$pages)) {
    page <- edition$pages[[i]]
    drawn <- fetch_job(desk, page$name) %||% draw_answers(desk, page$answers)
    for (j in seq_along(drawn)) edition$pages[[i]]$answers[[j]]["drawn"] <- list(drawn[[j]])
  }
  for (file in list.files(desk$folder)) {
    if (!file.copy(file.path(desk$folder, file), folder)) refuse_write(folder, "the disk is full")
  }
  edition
}
