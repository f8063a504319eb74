# The session of over-network.sh: the hosts of the workers follow.
library(almanacridge)
hosts <- commandArgs(trailingOnly = TRUE)
set.seed(1)
n <- 1e6
records <- data.frame(key = sample.int(3e5, n, TRUE), start = as.Date("2016-01-01") + sample.int(3200, n, TRUE))
records$end <- records$start + sample.int(500, n, TRUE)
records$group <- sample.int(50, n, TRUE)
folder <- tempfile()
dir.create(folder)
for (i in 1:20) nanoparquet::write_parquet(records[(i - 1) * n / 20 + seq_len(n / 20), ], file.path(folder, sprintf("%02d.parquet", i)))
declared <- function(data) spans(data, start, end, key = key, as_of = "2026-06-30")
memory <- declared(records)
filed <- declared(record_files(folder, memory = "20 MB"))

workers <- function() {
  options <- c("-i", Sys.getenv("RIDGE_KEY"), "-o", "StrictHostKeyChecking=no", "-o", "UserKnownHostsFile=/dev/null", "-o", "LogLevel=ERROR")
  parallelly::makeClusterPSOCK(hosts, rshopts = options, rscript = file.path(R.home("bin"), "Rscript"), revtunnel = FALSE,
                               master = "10.91.0.1", rscript_libs = .libPaths(), homogeneous = TRUE)
}
same <- function(what, ask, again = filed) {
  took <- system.time(found <- suppressMessages(as.data.frame(ask(again))))[["elapsed"]]
  cat(sprintf("%-60s %5.1f s  %s\n", what, took, if (identical(found, as.data.frame(ask(memory)))) "the same bits" else "DIFFERS"))
}
cluster <- workers()
future::plan(future::cluster, workers = cluster)
addresses <- parallel::clusterCall(cluster, system, "hostname -I", intern = TRUE)
cat("Workers at", trimws(unlist(addresses)), "\n")
same("records by day", function(x) active(x, by = "day", of = "records"))
same("distinct keys by month in 50 groups", function(x) active(x, group = group))
same("stretches", function(x) consecutive(x))
# One dies in the middle of a part.
mark <- tempfile()
out <- tempfile()
written <- write_parts(filed, function(part) {
  if (!file.exists(mark)) {
    file.create(mark)
    tools::pskill(Sys.getpid(), 9)
  }
  consecutive(part)
}, out)
back <- do.call(rbind, lapply(written$file, function(file) as.data.frame(nanoparquet::read_parquet(file))))
expected <- as.data.frame(consecutive(memory))
back <- back[order(back$key, back$start), ]
equal <- vapply(names(expected), function(name) isTRUE(all.equal(as.double(back[[name]]), as.double(expected[[name]]))), NA)
cat("stretches, one worker killed halfway:", if (nrow(back) == nrow(expected) && all(equal)) "the same" else "DIFFER", "\n")
same("distinct keys again, after the loss", function(x) active(x, group = group))
