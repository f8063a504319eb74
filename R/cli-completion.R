# Completion of words in a shell: a script that knows the register. Values of options are those
# of their rows, columns those of the first file on the line.

run_completion <- function(given) {
  shell <- given$files
  if (length(shell) != 1 || !(shell %in% c("bash", "zsh"))) {
    usage_abort(c("{.code ridge completion} takes the shell: bash or zsh.",
                  i = "Such as {.code source <(ridge completion bash)}."))
  }
  print_lines(completion_script(shell))
}

completion_script <- function(shell) {
  # zsh knows what a file is for by its first line.
  c(if (shell == "zsh") "#compdef ridge", sprintf("# Completes the words of ridge in %s.", shell),
    completion_tables(),
    if (shell == "bash") bash_part() else zsh_part())
}

# What both shells ask: the commands, the options of one, what an option takes.
completion_tables <- function() {
  commands <- command_rows()
  options <- lapply(commands, function(command) paste0("--", command$options, recycle0 = TRUE))
  c("__ridge_commands() {", paste0("  echo \"", paste(names(commands), collapse = " "), "\""), "}",
    "__ridge_options() {", "  case $1 in",
    sprintf("    %s) echo \"%s\" ;;", names(options),
            vapply(options, paste, "", collapse = " ")),
    "  esac", "}",
    "__ridge_kind() {", "  case $1 in", kind_lines(option_rows()), "  esac", "}",
    "__ridge_values() {", "  case $1:$2 in", value_lines(commands), "  esac", "}",
    column_part())
}

# An option is followed by columns, files or nothing; others by their values, if they have any.
kind_lines <- function(rows) {
  kinds <- vapply(rows, function(row) {
    switch(row$kind, column = "column", columns = "column", limit = "column", pairs = "pair",
           file = "file", files = "file", flag = "flag", "value")
  }, "")
  flags <- vapply(split(paste0("--", names(rows)), kinds), paste, "", collapse = "|")
  sprintf("    %s) echo %s ;;", flags, names(flags))
}

# A command may have values of its own for an option; the last line is that of all others.
value_lines <- function(commands) {
  all <- option_values(option_rows())
  own <- lapply(commands, function(command) {
    values <- option_values(command_options(command))
    other <- setdiff(names(values), names(which(values == all[names(values)])))
    sprintf("    %s:--%s) echo \"%s\" ;;", command$name, other, values[other])
  })
  c(unlist(own, use.names = FALSE), sprintf("    *:--%s) echo \"%s\" ;;", names(all), all))
}

option_values <- function(rows) {
  values <- lapply(rows, function(row) {
    switch(row$kind, yes_no = c("yes", "no"), grain = grain_units, row$values)
  })
  values <- Filter(function(words) all(grepl("^[A-Za-z0-9_-]+$", words)),
                   Filter(Negate(is.null), values))
  vapply(values, paste, "", collapse = " ")
}

# The names in the first line of a text file, a line each.
column_part <- function() c(
  "__ridge_columns() {",
  "  local word",
  "  for word in \"$@\"; do",
  "    case $word in",
  "      *.csv|*.tsv|*.txt) if [ -f \"$word\" ]; then",
  "        head -n 1 -- \"$word\" | tr -d '\"\\r' | tr ',;\\t' '\\n\\n\\n'; return; fi ;;",
  "    esac",
  "  done", "}")

bash_part <- function() c(
  "_ridge() {",
  "  local word=${COMP_WORDS[COMP_CWORD]} before=${COMP_WORDS[COMP_CWORD-1]}",
  "  local command=${COMP_WORDS[1]} begun= after= name names kind IFS=$'\\n'",
  "  [ \"$word\" = = ] && word=",
  "  [ \"$before\" = = ] && before=${COMP_WORDS[COMP_CWORD-2]}",
  "  COMPREPLY=()",
  "  if [ \"$COMP_CWORD\" = 1 ] || [ \"$command\" = help ]; then",
  "    COMPREPLY=($(compgen -W \"$(__ridge_commands | tr ' ' '\\n')\" -- \"$word\"))",
  "    return",
  "  fi",
  "  if [ \"$command\" = completion ]; then",
  "    COMPREPLY=($(compgen -W $'bash\\nzsh' -- \"$word\"))",
  "    return",
  "  fi",
  "  kind=$(__ridge_kind \"$before\")",
  "  case $kind in",
  "    column|pair)",
  "      case $word in *,*) begun=${word%,*},; word=${word##*,} ;; esac",
  "      [ \"$kind\" = pair ] && { after==; compopt -o nospace 2>/dev/null; }",
  # Names come from a file: they are quoted, and never expanded.
  "      while read -r name; do",
  "        [[ $name == \"$word\"* ]] && COMPREPLY+=(\"$begun$(printf %q \"$name\")$after\")",
  "      done < <(__ridge_columns \"${COMP_WORDS[@]}\")",
  "      return ;;",
  "    value)",
  "      names=$(__ridge_values \"$command\" \"$before\" | tr ' ' '\\n')",
  "      COMPREPLY=($(compgen -W \"$names\" -- \"$word\"))",
  "      return ;;",
  "    file) return ;;",
  "  esac",
  "  case $word in",
  "    -*) names=$(__ridge_options \"$command\" | tr ' ' '\\n')",
  "        COMPREPLY=($(compgen -W \"$names\" -- \"$word\")) ;;",
  "  esac", "}",
  "complete -o default -F _ridge ridge")

zsh_part <- function() c(
  "_ridge() {",
  "  local before=${words[CURRENT-1]} command=${words[2]}",
  "  if (( CURRENT == 2 )) || [[ $command == help ]]; then",
  "    compadd -- $(__ridge_commands)",
  "    return",
  "  fi",
  "  if [[ $command == completion ]]; then",
  "    compadd -- bash zsh",
  "    return",
  "  fi",
  "  case $(__ridge_kind \"$before\") in",
  "    column|pair)",
  "      compset -P '*,'",
  "      compadd -- \"${(@f)$(__ridge_columns \"${(@Q)words}\")}\"",
  "      return ;;",
  "    value)",
  "      compadd -- $(__ridge_values \"$command\" \"$before\")",
  "      return ;;",
  "    file) _files; return ;;",
  "  esac",
  "  if [[ $PREFIX == -* ]]; then compadd -- $(__ridge_options \"$command\")",
  "  else _files",
  "  fi", "}",
  "if [[ $funcstack[1] == _ridge ]]; then _ridge \"$@\"; else compdef _ridge ridge; fi")
