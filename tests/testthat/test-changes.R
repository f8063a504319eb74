log <- data.frame(
  who = c("a", "b", "a", "a", "b", "c"),
  on = day(c("2026-03-01", "2026-01-10", "2026-01-01", "2026-02-01", "2026-01-31", "2026-05-05")),
  grade = c("B", "C", "C", "C", "left", "A"), by = letters[1:6]
)

quiet_changes <- function(...) suppressMessages(spans_from_changes(...))

test_that("each state lasts through the day before the next, the last is open", {
  x <- quiet_changes(log, on, key = who, state = grade, ending_states = "left", as_of = "2026-06-30")
  expect_identical(x$who, c("a", "a", "b", "c"))
  expect_identical(x$grade, c("C", "B", "C", "A"))
  expect_identical(x$start, day(c("2026-01-01", "2026-03-01", "2026-01-10", "2026-05-05")))
  expect_identical(x$end, day(c("2026-02-28", NA, "2026-01-30", NA)))
  expect_identical(x$days, c(59L, 122L, 21L, 57L))
  expect_identical(x$open, c(FALSE, TRUE, FALSE, TRUE))
  expect_identical(x$changes, c(2L, 1L, 1L, 1L))
  expect_identical(x$by, c("c", "a", "b", "f"))
  expect_message(spans_from_changes(log, on, key = who, state = grade, ending_states = "left", as_of = "2026-06-30"),
                 "4 spans from 6 changes")
})

test_that("repeats are kept when asked, and a later as-of date is not waited for", {
  x <- quiet_changes(log, on, key = who, state = grade, ending_states = "left", repeats = "keep", as_of = "2026-02-10")
  expect_identical(x$start[x$who == "a"], day(c("2026-01-01", "2026-02-01", "2026-03-01")))
  expect_identical(x$days[x$who == "a"], c(31L, 28L, 0L))
})

test_that("of two changes on one day the later row is right, or the run stops", {
  twice <- rbind(log, data.frame(who = "c", on = day("2026-05-05"), grade = "B", by = "g"))
  expect_message(x <- spans_from_changes(twice, on, key = who, state = grade, ending_states = "left", as_of = "2026-06-30"), "the last row is right")
  expect_identical(x$grade[x$who == "c"], "B")
  expect_identical(set_aside(x)$row, 6L)
  expect_match(set_aside(x)$reason, "followed by another change of the same key, row 7")
  expect_error(spans_from_changes(twice, on, key = who, state = grade, same_day = "stop"), "Row 6: .*row 7", class = "ridge_error_records")
})

test_that("the log's rows are all accounted for",  {
  x <- quiet_changes(log, on, key = who, state = grade, ending_states = "left", as_of = "2026-06-30")
  expect_identical(sum(x$changes) + sum(log$grade == "left"), nrow(log))
})

test_that("instants end at the next instant", {
  at <- as.POSIXct(c("2026-03-01 08:00", "2026-03-01 09:30"), tz = "UTC")
  x <- quiet_changes(data.frame(at = at, state = c("on", "off")), at, state = state, as_of = as.POSIXct("2026-03-01 12:00", tz = "UTC"))
  expect_identical(x$end[1], at[2])
  expect_equal(x$hours, c(1.5, 2.5))
})

# Neighbours of one key that meet have different states.
diff_states <- function(x) {
  d <- as.data.frame(x)
  if (nrow(d) < 2) return(TRUE)
  i <- seq_len(nrow(d) - 1)
  meet <- d$k[i] == d$k[i + 1] & d$k2[i] == d$k2[i + 1] & !is.na(d$end[i]) & d$end[i] + 1 == d$start[i + 1]
  !meet | paste(d$s1, d$s2)[i] != paste(d$s1, d$s2)[i + 1]
}

test_that("spans are those of an oracle that looks up each day", {
  for (seed in 1:40) {
    set.seed(seed)
    n <- sample(1:20, 1)
    data <- data.frame(k = sample(c("a", "b", NA), n, TRUE, c(5, 5, 1)), k2 = sample(1:2, n, TRUE), at = day("2024-02-20") + sample(0:40, n, TRUE),
                       s1 = sample(c("x", "y", "z"), n, TRUE), s2 = sample(c("p", "q"), n, TRUE))
    repeats <- sample(c("merge", "keep"), 1)
    x <- quiet_changes(data, at, key = c(k, k2), state = c(s1, s2), ending_states = "z", repeats = repeats,
                       as_of = "2024-05-01", unusable = "set_aside")
    days <- seq(day("2024-02-20"), day("2024-04-10"), by = "day")
    for (k in c("a", "b")) for (k2 in 1:2) {
      own <- data[data$k %in% k & data$k2 == k2, ]
      want <- vapply(days, function(d) {
        rows <- which(own$at <= d)
        if (length(rows) == 0) return("none")
        row <- rows[own$at[rows] == max(own$at[rows])]
        row <- row[length(row)]
        if (own$s1[row] == "z") "none" else paste(own$s1[row], own$s2[row])
      }, "")
      mine <- as.data.frame(x)[x$k == k & x$k2 == k2, ]
      got <- vapply(days, function(d) {
        on <- mine$start <= d & (is.na(mine$end) | mine$end >= d)
        if (sum(on) == 0) "none" else paste(mine$s1[on], mine$s2[on], collapse = "+")
      }, "")
      expect_identical(got, want, label = paste("seed", seed, k, k2))
    }
    if (repeats == "keep") expect_identical(nrow(x) + nrow(set_aside(x)) + sum(data$s1 == "z" & !(seq_len(n) %in% set_aside(x)$row)), n)
    if (repeats == "merge") expect_true(all(diff_states(x)))
  }
})

test_that("an empty log is no spans, and what is wrong with a log is said", {
  expect_identical(nrow(quiet_changes(log[0, ], on, key = who, state = grade)), 0L)
  expect_error(spans_from_changes(log, when, key = who, state = grade), "no column \"when\"", class = "ridge_error_column")
  expect_error(spans_from_changes(log, on, key = who, state = NULL), "must name at least one column", class = "ridge_error_argument")
  expect_error(spans_from_changes(transform(log, grade = c("", "B")), on, key = who, state = grade), "every change needs its state", class = "ridge_error_records")
  expect_error(spans_from_changes(transform(log, end = 1), on, key = who, state = grade), "a name that the result needs", class = "ridge_error_column")
  expect_message(spans_from_changes(log, on, key = who, state = grade, ending_states = "gone"), "no change is to \"gone\"")
})

test_that("ridge changes gives the same spans as R", {
  file <- system.file("extdata", "grade_changes.csv", package = "almanacridge")
  got <- run("changes", file, "--at", "reached_on", "--key", "observer", "--state", "grade", "--ending-states", "left", "--as-of", "2026-06-30")
  x <- quiet_changes(demo_records("grade_changes"), reached_on, key = observer, state = grade, ending_states = "left", as_of = "2026-06-30")
  table <- utils::read.csv(text = got$out)
  expect_identical(table$grade, x$grade)
  expect_identical(table$days, x$days)
  expect_identical(run("changes", file, "--key", "observer", "--state", "grade")$status, 2L)
})
