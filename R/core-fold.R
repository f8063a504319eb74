# Labels that people spell in several ways. Folded, two spellings are the same
# text where only case, spaces, hyphens or the make-up of accents differ.

fold_text <- function(text) {
  distinct <- unique(as.character(text))
  folded <- tolower(utf8::utf8_normalize(enc2utf8(distinct), map_case = TRUE, map_compat = TRUE,
                                         remove_ignorable = TRUE))
  folded <- trimws(gsub("[\\p{Pd}\\p{Z}\\s_]+", " ", folded, perl = TRUE))
  folded[match(as.character(text), distinct)]
}

# Labels that differ only as spellings do: a list of groups of them.
twin_labels <- function(labels) {
  if (is.character(labels) && !may_fold_alike(labels, threads_for(length(labels)))) {
    return(list())
  }
  labels <- unique(as.character(labels[!is.na(labels)]))
  folded <- plain_folds(labels)
  beyond <- which(is.na(folded))
  folded[beyond] <- fold_text(labels[beyond])
  twins <- folded[duplicated(folded)]
  if (length(twins) == 0) list()
  else unname(split(labels[folded %in% twins], folded[folded %in% twins]))
}

report_twins <- function(x, names, what) {
  for (name in names) {
    column <- x[[name]]
    if (!is.character(column) && !is.factor(column)) next
    twins <- twin_labels(if (is.factor(column)) levels(column) else column)
    n <- length(twins)
    if (n > 0) {
      seen <- twins[[1]]
      cli::cli_inform(c("!" = paste(
        "{what} {.val {name}}: {.val {seen}} differ only in case, spaces or",
        "hyphens{more_twins(n)}.",
        "{fold_way(name)} brings them together.")))
    }
  }
}

more_twins <- function(n) {
  if (n > 1) paste0(", and so do ", format_number(n - 1), " more")
}

fold_way <- function(name) {
  if (spoken()$in_r) "`fold_labels()`" else paste0("--fold ", name)
}

# Distinct spellings with their `records`, the `label` each folds into (the most
# frequent spelling of its kind) and the label that is `near` it, if one is.
find_spellings <- function(text) {
  spelling <- sort(unique(text[!is_blank(text)]), method = "radix")
  records <- tabulate(match(text, spelling), length(spelling))
  folded <- fold_text(spelling)
  tidy <- trimws(gsub("[\\p{Z}\\s]+", " ", enc2utf8(spelling), perl = TRUE))
  first <- order(-records, spelling, method = "radix")
  label <- tidy[first][match(folded, folded[first])]
  total <- tapply(records, folded, sum)
  nearer <- near_labels(names(total), as.integer(total))
  near <- label[match(nearer[match(folded, names(total))], folded)]
  tibble::tibble(label = label, spelling = spelling, records = records, near = near)
}

# For each folded label the more frequent one that a letter missing, added,
# replaced or swapped with its neighbour makes of it; NA where there is none.
# Codes that differ in a digit are different codes.
near_labels <- function(labels, records) {
  pairs <- near_candidates(labels)
  close <- mapply(one_letter_apart, labels[pairs$a], labels[pairs$b])
  pairs <- pairs[as.logical(close), ]
  rarer <- ifelse(records[pairs$a] < records[pairs$b], pairs$a, pairs$b)
  other <- pairs$a + pairs$b - rarer
  best <- order(rarer, -records[other])
  first <- best[!duplicated(rarer[best])]
  near <- rep(NA_character_, length(labels))
  near[rarer[first]] <- labels[other[first]]
  near
}

# Labels one letter apart share a text that is left when a letter is taken out.
near_candidates <- function(labels) {
  # Beyond that they are sentences, of which each would be taken apart letter by letter.
  long <- which(nchar(labels) >= 4 & nchar(labels) <= 60)
  taken <- lapply(long, function(i) {
    places <- which(!grepl("[0-9]", strsplit(labels[i], "")[[1]]))
    if (length(places) == 0) return(labels[i])
    c(labels[i], paste0(substring(labels[i], 1, places - 1), substring(labels[i], places + 1)))
  })
  left <- data.frame(at = rep(long, lengths(taken)), text = as.character(unlist(taken)))
  left <- unique(left)
  pairs <- merge(left, left, by = "text")
  pairs <- unique(data.frame(a = pairs$at.x, b = pairs$at.y))
  pairs[pairs$a < pairs$b, ]
}

one_letter_apart <- function(a, b) {
  x <- strsplit(a, "")[[1]]
  y <- strsplit(b, "")[[1]]
  if (length(x) != length(y)) {
    return(utils::adist(a, b)[1, 1] == 1)
  }
  at <- which(x != y)
  swapped <- length(at) == 2 && diff(at) == 1 && x[at[1]] == y[at[2]] && x[at[2]] == y[at[1]]
  # A letter that stands alone, as in "site a", tells labels apart.
  alone <- c(at - 1, at + 1)
  alone <- length(at) == 1 && !any(grepl("[[:alpha:]]", x[alone[alone > 0 & alone <= length(x)]]))
  swapped || (length(at) == 1 && !alone)
}
