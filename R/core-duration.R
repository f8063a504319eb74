# ISO 8601 durations as text: P1Y2M10DT2H30M, P3W, PT90S.

duration_pattern <- local({
  whole <- function(sign) paste0("(?:([0-9]+)", sign, ")?")
  parted <- function(sign) paste0("(?:([0-9]+(?:[.,][0-9]+)?)", sign, ")?")
  paste0("^([-+]?)P", whole("Y"), whole("M"), parted("W"), parted("D"),
         "(?:T", parted("H"), parted("M"), parted("S"), ")?$")
})

# `months`, `days` and `seconds`, which have no fixed length in each other; NA
# where the text is no duration.
iso_durations <- function(text) {
  good <- grepl(duration_pattern, text, perl = TRUE) & grepl("[0-9]", text) & !grepl("T$", text)
  part <- function(i) {
    value <- sub(duration_pattern, paste0("\\", i), text, perl = TRUE)
    ifelse(good, ifelse(nzchar(value), suppressWarnings(as.double(sub(",", ".", value))), 0), NA)
  }
  sign <- ifelse(startsWith(ifelse(is.na(text), "", text), "-"), -1, 1)
  list(months = sign * (12 * part(2) + part(3)), days = sign * (7 * part(4) + part(5)),
       seconds = sign * (3600 * part(6) + 60 * part(7) + part(8)))
}

