# Parts on the workers of the user's plan: other cores, other machines, a batch system. What the
# workers send back is added in the order of the parts.

has_workers <- function() {
  isNamespaceLoaded("future") && Sys.getpid() == loaded$process &&
    !inherits(future::plan(), "uniprocess")
}

# Some tasks for each worker, so that one that dies takes little along.
tasks_for_each_worker <- 4L

sum_on_workers <- function(parts, f, add) {
  workers <- future::nbrOfWorkers()
  size <- if (is.finite(workers)) min(parts$count, tasks_for_each_worker * workers) else parts$count
  tasks <- unname(split(seq_len(parts$count), cut(seq_len(parts$count), size, labels = FALSE)))
  asked <- lapply(tasks, put_to_worker, parts, f, add, Sys.info()[["nodename"]], workers)
  found <- lapply(seq_along(tasks), function(i) {
    show_progress(paste("parts", min(tasks[[i]]), "to", max(tasks[[i]]), "of", parts$count))
    value_of_worker(asked[[i]])
  })
  lost <- vapply(found, inherits, NA, "ridge_lost")
  if (any(lost)) tell_lost(sum(lengths(tasks[lost])), parts$count)
  # What workers that died were to do is done here, once.
  found[lost] <- lapply(tasks[lost], sum_parts, parts$part, f, add, parts$count)
  Reduce(add, found)
}

tell_lost <- function(parts, count) {
  cli::cli_inform(c("!" = paste("A worker was lost: {parts} of {count_of(count, 'part')}",
                                "{cli::qty(parts)}{?is/are} done here.")))
}

sum_parts <- function(places, part, f, add, count) {
  sum <- NULL
  for (i in places) {
    show_progress(paste("part", i, "of", count))
    found <- f(part(i), i)
    sum <- if (is.null(sum)) found else add(sum, found)
  }
  sum
}

# A future waits here until a worker is free; NULL where it cannot be reached. It finds what is
# named in `f` itself.
put_to_worker <- function(places, parts, f, add, home, workers) {
  work <- work_on_parts
  part <- parts$part
  count <- parts$count
  tryCatch(future::future(work(places, part, f, add, count, home, workers),
                          packages = "almanacridge", seed = NULL),
           FutureError = function(cnd) NULL)
}

# Workers on one machine share its cores.
work_on_parts <- function(places, part, f, add, count, home, workers) {
  if (identical(Sys.info()[["nodename"]], home)) {
    before <- options(almanacridge.threads = max(1L, core_count() %/% as.integer(workers)))
    on.exit(options(before))
  }
  sum_parts(places, part, f, add, count)
}

value_of_worker <- function(asked) {
  lost <- structure(list(), class = "ridge_lost")
  if (is.null(asked)) lost else tryCatch(future::value(asked), FutureError = function(cnd) lost)
}
