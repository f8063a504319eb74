# What findings about one record have to know of all of them: where the middle half of all dates
# lies, and which texts are spellings of one another. Both follow from how often each value is
# there, which adds up over parts of the records.

# list(middle, spellings, unsearched)
known_of_all <- function(x) {
  counted <- over_records(x, names(x), NULL, function(part, i) count_all(part), function(a, b) {
    list(days = add_counts(a$days, b$days), texts = Map(add_texts, a$texts, b$texts))
  })
  names <- names(counted$texts)
  keys <- about(x)$names$key
  many <- vapply(counted$texts, is.null, NA)
  enough <- max(20, facts_of(x)$records / 2)
  labels <- Filter(function(name) {
    !many[[name]] && (name %in% keys || length(counted$texts[[name]]$values) <= enough)
  }, names)
  spellings <- lapply(counted$texts[labels], spellings_in)
  list(middle = middle_half(counted$days), unsearched = intersect(names[many], keys),
       spellings = Filter(Negate(is.null), spellings))
}

# Columns of more different texts than this are not searched for spellings.
most_spellings <- 5e6

count_all <- function(x) {
  days <- dates_in(x)
  columns <- own_columns(x)
  texts <- Filter(function(column) is.character(column) || is.factor(column), columns)
  list(days = count_values(c(days$start, days$end)),
       texts = lapply(texts, function(column) few_enough(count_values(as.character(column)))))
}

# Starts and ends as days, ends that mean open left out.
dates_in <- function(x) {
  how <- about(x)
  days_in <- function(name) days_of(plain_tibble(x)[[name]], how$timeline)
  end <- if (has_end_column(how$names)) days_in(how$names$end)
  end[end %in% how$means_open] <- NA
  list(start = days_in(how$names$start), end = end)
}

count_values <- function(values) {
  counted <- vctrs::vec_count(values[!is.na(values)], sort = "none")
  list(values = counted$key, counts = as.double(counted$count))
}

add_counts <- function(a, b) {
  values <- c(a$values, b$values)
  counts <- rowsum(c(a$counts, b$counts), as.integer(vctrs::vec_group_id(values)))
  list(values = vctrs::vec_unique(values), counts = as.double(counts))
}

# NULL: too many to be held.
add_texts <- function(a, b) {
  if (!is.null(a) && !is.null(b)) few_enough(add_counts(a, b))
}

few_enough <- function(counted) {
  if (length(counted$values) <= most_spellings) counted
}

# Between which two of the days half of them lie, as quantiles of type 1.
middle_half <- function(days) {
  if (length(days$values) == 0) {
    return(NULL)
  }
  order <- order(days$values)
  up_to <- cumsum(days$counts[order])
  wanted <- ceiling(sum(days$counts) * c(0.25, 0.75))
  days$values[order][findInterval(wanted, up_to, left.open = TRUE) + 1L]
}

# Those that say the same as another, and for each of these the most frequent of its kind.
spellings_in <- function(counted) {
  shared <- unlist(twin_labels(counted$values))
  if (length(shared) == 0) {
    return(NULL)
  }
  counts <- counted$counts[match(shared, counted$values)]
  order <- order(-counts, shared, method = "radix")
  folded <- fold_text(shared)
  list(shared = shared, usual = shared[order][match(folded, folded[order])])
}
