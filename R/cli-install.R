#' Put the program `ridge` on the path
#'
#' Copies the small script that runs [run_ridge()] into a folder, so that `ridge` can
#' be called from a shell. Beside a folder `bin` it also puts the manual page and the
#' completion of words for bash and zsh, where these look for them: `../share/man/man1`,
#' `../share/bash-completion/completions` and `../share/zsh/site-functions`.
#'
#' @param folder An existing or new folder, one that your shell looks for
#'   programs in.
#' @return The path of the script, invisibly.
#' @section Errors:
#' A folder that cannot be made or written to is an error of class
#' `ridge_error_argument`.
#' @examples
#' install_ridge(tempdir())
#' @export
install_ridge <- function(folder = "~/.local/bin") {
  if (!rlang::is_string(folder)) {
    ridge_abort("{.arg folder} must be the name of one folder, not {.val {describe(folder)}}.",
                "argument")
  }
  folder <- path.expand(folder)
  dir.create(folder, recursive = TRUE, showWarnings = FALSE)
  to <- file.path(folder, "ridge")
  from <- system.file("exec", "ridge", package = "almanacridge")
  copied <- suppressWarnings(file.copy(from, to, overwrite = TRUE, copy.mode = FALSE))
  if (!copied) {
    ridge_abort(c("{.arg folder}: nothing can be written to {.file {folder}}.",
                  i = "Name a folder of your own, such as {.code ~/.local/bin}."), "argument")
  }
  Sys.chmod(to, "755")
  share <- file.path(dirname(folder), "share")
  beside <- if (basename(folder) == "bin") install_beside(share)
  on_path <- folder %in% strsplit(Sys.getenv("PATH"), .Platform$path.sep, fixed = TRUE)[[1]]
  cli::cli_inform(c(v = "Installed {.file {to}}.",
                    v = if (isTRUE(beside)) paste("The manual page, and completion for bash and",
                                                  "zsh, are in {.file {share}}."),
                    "!" = if (isFALSE(beside)) paste("The manual page and completion could not be",
                                                     "put into {.file {share}}."),
                    i = if (!on_path) paste("Add {.file {folder}} to {.envvar PATH} to call it",
                                            "as {.code ridge}.")))
  invisible(to)
}

# What a shell and man find by themselves; the program works without. Is all of it there?
install_beside <- function(share) {
  folders <- file.path(share, c("man/man1", "bash-completion/completions", "zsh/site-functions"))
  for (folder in folders) dir.create(folder, recursive = TRUE, showWarnings = FALSE)
  page <- system.file("share", "ridge.1", package = "almanacridge")
  put <- function(lines, path) {
    tryCatch({
      writeLines(lines, path)
      TRUE
    }, error = function(cnd) FALSE, warning = function(cnd) FALSE)
  }
  all(put(readLines(page), file.path(folders[1], "ridge.1")),
      put(completion_script("bash"), file.path(folders[2], "ridge")),
      put(completion_script("zsh"), file.path(folders[3], "_ridge")))
}
