# Drawing is what takes longest: the figures of a page are drawn by a process of its own while the
# next page is asked, where the system can do that.

open_desk <- function() {
  desk <- new.env(parent = emptyenv())
  desk$folder <- tempfile("figures-")
  desk$jobs <- list()
  dir.create(file.path(desk$folder, "figures"), recursive = TRUE)
  desk
}

begin_drawing <- function(desk, page, answers) {
  begin_job(desk, page, draw_answers(desk, answers))
}

# What is done goes into a file, and the process ends by itself: whoever began it may be gone by
# then.
begin_job <- function(desk, name, work) {
  if (draws_beside()) {
    file <- file.path(desk$folder, paste0("job-", length(desk$jobs) + 1L, "-", Sys.getpid()))
    process <- parallel::mcparallel({
      aside <- paste0(file, ".part")
      saveRDS(tryCatch(work, error = function(cnd) NULL), aside, compress = FALSE)
      file.rename(aside, file)
    }, silent = TRUE, detached = TRUE)
    desk$jobs[[name]] <- list(pid = process$pid, file = file)
  }
}

draws_beside <- function() {
  .Platform$OS.type == "unix" && parallel::detectCores() %in% 2:1024
}

draw_answers <- function(desk, answers) {
  lapply(answers, function(answer) {
    if (!is.null(answer$figure)) {
      draw_for_edition(answer$figure, file.path(desk$folder, "figures"),
                       answer$question$name)
    }
  })
}

# What was not fetched is not wanted any more.
close_desk <- function(desk) {
  if (is.null(desk)) {
    return(invisible())
  }
  for (job in desk$jobs) tools::pskill(job$pid)
  unlink(desk$folder, recursive = TRUE)
}

# What a job has done; NULL where there was none, or where it went wrong: then it is done here
# once more, so that it tells why.
fetch_job <- function(desk, name) {
  job <- desk$jobs[[name]]
  if (is.null(job)) {
    return(NULL)
  }
  while (!file.exists(job$file) && goes_on(job$pid)) {
    Sys.sleep(0.02)
    progress_goes_on()
  }
  desk$jobs[[name]] <- NULL
  if (file.exists(job$file)) readRDS(job$file)
}

goes_on <- function(pid) {
  tryCatch(ps::ps_status(ps::ps_handle(pid)) != "zombie", error = function(cnd) FALSE)
}

# The edition with its drawings, their files in this folder.
with_drawings <- function(edition, folder) {
  desk <- edition$desk
  for (i in seq_along(edition$pages)) {
    page <- edition$pages[[i]]
    drawn <- fetch_job(desk, page$name) %||% draw_answers(desk, page$answers)
    for (j in seq_along(drawn)) edition$pages[[i]]$answers[[j]]["drawn"] <- list(drawn[[j]])
  }
  drawn <- list.files(file.path(desk$folder, "figures"), full.names = TRUE)
  if (!all(file.copy(drawn, folder))) refuse_write(folder, "the disk may be full")
  edition
}
