# Completion in real shells, the manual page, and where install_ridge() puts them.

script <- function(shell, env = parent.frame()) {
  path <- withr::local_tempfile(.local_envir = env)
  writeLines(run("completion", shell)$out, path)
  path
}

# What a shell offers for the last of these words.
offered <- function(...) {
  words <- c("ridge", ...)
  code <- c(paste("source", shQuote(script("bash"))),
            paste0("COMP_WORDS=(", paste(shQuote(words), collapse = " "), ")"),
            paste0("COMP_CWORD=", length(words) - 1), "_ridge", "printf '%s\\n' \"${COMPREPLY[@]}\"")
  path <- withr::local_tempfile()
  writeLines(code, path)
  system2("bash", c("--norc", path), stdout = TRUE, stderr = TRUE)
}

test_that("bash completes commands, options, their values and columns", {
  skip_if_not(nzchar(Sys.which("bash")))
  expect_setequal(offered(""), names(command_rows()))
  expect_identical(offered("act"), "active")
  expect_identical(offered("help", "mov"), "movement")
  expect_identical(offered("completion", "z"), "zsh")
  expect_setequal(offered("active", "--"), paste0("--", command_rows()$active$options))
  expect_identical(offered("active", "--ru"), "--rule")
  expect_setequal(offered("active", "--rule", ""), rule_names())
  expect_setequal(offered("scaffold", "--rule", ""), rule_names(choosing = TRUE))
  expect_identical(offered("active", "--rule", "=", "mean"), "mean_day")
  expect_identical(offered("active", "--by", "q"), "quarter")
  expect_identical(offered("active", "--end-counts", "n"), "no")
  postings <- system.file("extdata", "postings.csv", package = "almanacridge")
  expect_setequal(offered("active", postings, "--start", ""), names(demo_records("postings")))
  expect_identical(offered("active", postings, "--group", "station,ro"), "station,role")
  expect_identical(offered("active", postings, "--keep", "stat"), "station=")
  odd <- withr::local_tempfile(fileext = ".csv", lines = c("\"first day\";last;$(touch hacked)", "1;2;3"))
  withr::local_dir(withr::local_tempdir())
  expect_setequal(offered("active", odd, "--start", ""), c("first\\ day", "last", "\\$\\(touch\\ hacked\\)"))
  expect_false(file.exists("hacked"))
  expect_identical(offered("active", "--out", ""), "")
})

test_that("zsh completes the same", {
  skip_if_not(nzchar(Sys.which("zsh")))
  offered <- function(...) {
    words <- c("ridge", ...)
    code <- c("compdef() { :; }", "compadd() { shift; print -l -- $*; }", "compset() { :; }", "_files() { print files; }",
              paste("source", shQuote(script("zsh"))), paste0("words=(", paste(shQuote(words), collapse = " "), ")"),
              paste0("CURRENT=", length(words)), "PREFIX=${words[-1]}", "_ridge")
    path <- withr::local_tempfile()
    writeLines(code, path)
    system2("zsh", c("-f", path), stdout = TRUE, stderr = TRUE)
  }
  expect_setequal(offered("a"), names(command_rows()))
  expect_setequal(offered("active", "--r"), paste0("--", command_rows()$active$options))
  expect_setequal(offered("scaffold", "--rule", ""), rule_names(choosing = TRUE))
  postings <- system.file("extdata", "postings.csv", package = "almanacridge")
  expect_setequal(offered("active", postings, "--start", ""), names(demo_records("postings")))
  expect_identical(offered("active", "--out", ""), "files")
  expect_identical(offered("active", "po"), "files")
})

test_that("the shell must be one of the two", {
  expect_match(run("completion")$notes, "takes the shell: bash or zsh")
  expect_identical(run("completion", "fish")$status, 2L)
})

test_that("the manual page has every command and every option", {
  page <- readLines(system.file("share", "ridge.1", package = "almanacridge"))
  text <- gsub("\\\\", "", gsub("\\\\f(\\[[A-Z]*\\]|.)", "", page))
  expect_identical(setdiff(names(command_rows()), text), character())
  told <- sub(" .*", "", grep("^--[a-z-]+( |$)", text, value = TRUE))
  expect_identical(setdiff(paste0("--", names(option_rows())), told), character())
  for (row in option_rows()) expect_true(any(startsWith(text, substr(row$help, 1, 20))), label = row$name)
  skip_if_not(nzchar(Sys.which("man")))
  shown <- system2("man", c("-l", system.file("share", "ridge.1", package = "almanacridge")), stdout = TRUE, stderr = TRUE,
                   env = c("MANWIDTH=80", "LC_ALL=C.UTF-8"))
  expect_match(shown, "--less-columns COLUMN,...", fixed = TRUE, all = FALSE)
})

test_that("install_ridge() puts the page and the completion beside a folder bin", {
  top <- withr::local_tempdir()
  expect_message(install_ridge(file.path(top, "bin")), "manual page, and completion for bash and\\s+zsh, are in")
  share <- file.path(top, "share")
  expect_true(all(file.exists(file.path(share, c("man/man1/ridge.1", "bash-completion/completions/ridge", "zsh/site-functions/_ridge")))))
  expect_identical(readLines(file.path(share, "zsh/site-functions/_ridge"))[1], "#compdef ridge")
  writeLines("a file, no folder", file.path(blocked <- withr::local_tempdir(), "share"))
  expect_message(install_ridge(file.path(blocked, "bin")), "could not be\\s+put into")
  other <- withr::local_tempdir()
  suppressMessages(install_ridge(other))
  expect_identical(list.files(other), "ridge")
})
