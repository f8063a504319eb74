# The work of a build is lists of tasks, and several processes of this machine work on them: each
# takes what none has taken yet, where the system can do that.

open_desk <- function() {
  desk <- new.env(parent = emptyenv())
  desk$folder <- tempfile("desk-")
  desk$helpers <- list()
  dir.create(desk$folder)
  dir.create(drawings_of(desk))
  desk
}

drawings_of <- function(desk) {
  file.path(desk$folder, "figures")
}

# What each task comes to, in order. What no helper has done is done here, so that it tells why.
# Those that are not `shared` are done here first.
share_work <- function(desk, tasks, work, shared = rep(TRUE, length(tasks))) {
  place <- tempfile("work-", desk$folder)
  dir.create(place)
  # Where all can be shared one is left for this process.
  helpers <- max(0L, min(processes() - 1L, sum(shared) - all(shared)))
  desk$helpers <- lapply(seq_len(helpers), function(i) {
    begin_helper(place, tasks, which(shared), work)
  })
  done <- vector("list", length(tasks))
  take_each(place, order(shared), function(i) done[[i]] <<- list(work(tasks[[i]])))
  lapply(seq_along(tasks), function(i) {
    came <- done[[i]] %||% fetch_task(desk, place, i)
    if (is.null(came)) work(tasks[[i]]) else came[[1]]
  })
}

processes <- function() {
  if (.Platform$OS.type == "unix") min(thread_count(), most_processes) else 1L
}

most_processes <- 8L

# Whoever makes the folder of a task has taken it.
take_each <- function(place, numbers, take, wanted = function() TRUE) {
  for (i in numbers) {
    if (!wanted()) break
    if (dir.create(file.path(place, paste0("taken-", i)), showWarnings = FALSE)) take(i)
  }
}

# What is done goes into a file, and the process ends by itself: whoever began it may be gone by
# then, and wants nothing any more.
begin_helper <- function(place, tasks, numbers, work) {
  master <- ps::ps_handle()
  helper <- parallel::mcparallel(take_each(place, numbers, function(i) {
    file <- task_file(place, i)
    aside <- paste0(file, ".part")
    came <- tryCatch(list(work(tasks[[i]])), error = function(cnd) NULL)
    saveRDS(came, aside, compress = FALSE)
    file.rename(aside, file)
  }, function() goes_on(master)), silent = TRUE, detached = TRUE)
  tryCatch(ps::ps_handle(helper$pid), error = function(cnd) NULL)
}

task_file <- function(place, i) {
  file.path(place, paste0("task-", i))
}

# NULL where it went wrong, or nobody is there any more to do it.
fetch_task <- function(desk, place, i) {
  file <- task_file(place, i)
  while (!file.exists(file) && any(vapply(desk$helpers, goes_on, NA))) {
    Sys.sleep(0.01)
    progress_goes_on()
  }
  if (file.exists(file)) readRDS(file)
}

goes_on <- function(process) {
  tryCatch(ps::ps_status(process) != "zombie", error = function(cnd) FALSE)
}

stop_helpers <- function(desk) {
  for (helper in Filter(goes_on, desk$helpers)) {
    # It may end by itself in the meantime.
    tryCatch(ps::ps_kill(helper), no_such_process = function(cnd) NULL)
  }
}

close_desk <- function(desk) {
  stop_helpers(desk)
  unlink(desk$folder, recursive = TRUE)
}
