# What a table in a database answers is proven by a second question, or worked out once more here.

for (server in c("sqlite", "postgres")) {
  test_that(paste("every answer of a database ties, and one that is wrong does not:", server), {
    con <- connected(server)
    records <- random_records(if (server == "sqlite") 21 else 22)
    records$share <- round(records$share, 1)
    records <- transform(records, id = seq_along(who), amount = round(share * 100.7, 2))
    office <- calendar_rules(holidays = day("2024-02-14"))
    x <- suppressMessages(spans(in_table(con, records), start, end, key = who, weight = share, row = id, as_of = "2024-04-10"))
    asks <- list(
      active = quote(active(x, group = site, rule = "peak_day", of = "keys", total = TRUE)),
      active = quote(active(x, rule = "peak_day", of = "weight")),
      period = quote(active(x, group = site, show = "records")),
      started = quote(movement(x, group = site, of = "keys", total = TRUE, returns = TRUE)),
      ended = quote(movement(x, of = "weight")),
      active = quote(cohorts(x, group = site)),
      size = quote(cohorts(x, returns = FALSE)),
      level = quote(concurrency(x, group = site, of = "keys")),
      level = quote(concurrency(x, of = "weight")),
      level = quote(peaks(x, group = site)),
      records = quote(consecutive(x, per = c(who, site), tolerance = 2)),
      records = quote(consecutive(x, per = site, calendar = office, longest = TRUE)),
      number = quote(explain_count(x, "2024-03-01", of = "weight")),
      number = quote(explain_count(x, c("2024-02-20", "2024-03-10"), rule = "every_day")),
      amount = quote(allocate(x, amount, group = site, digits = 2, open_to_as_of = TRUE, spread = "repeat", rule = "last_day")),
      hours = quote(time_within(x, group = site, total = TRUE)))
    for (i in seq_along(asks)) {
      label <- paste(server, paste(deparse(asks[[i]]), collapse = ""))
      result <- eval(asks[[i]])
      checks <- reconcile(result)
      expect_gt(nrow(checks), 1, label = label)
      expect_true(all(checks$ok), label = label)
      expect_false(any(grepl("not proven", checks$check)), label = label)
      expect_false(all(reconcile(spoilt(result, names(asks)[i]))$ok), label = label)
    }
    findings <- reconcile(check_spans(x))
    expect_identical(findings$check, "records read = used + set aside + left out")
    expect_true(findings$ok)
  })
}
