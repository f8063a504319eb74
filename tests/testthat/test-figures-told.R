# What every figure takes: a title, the size of its text, which groups, and how many.

built <- function(figure) ggplot2::ggplot_build(figure)
grants <- function() spans(demo_records("grants"), first_day, last_day, key = grant, as_of = "2026-06-30")
faults <- function() spans(demo_records("faults"), reported, mended, key = fault, as_of = "2026-06-30", tz = "Europe/Vienna")
loans <- function() spans(demo_records("instrument_loans"), lent_on, returned_on, key = instrument, end_counts = FALSE, as_of = "2026-06-30")

# One of each kind of figure, made once.
made_once <- new.env()
all_results <- function() {
  if (is.null(made_once$results)) made_once$results <- make_results()
  made_once$results
}

make_results <- function() {
  staff <- demo_staff()
  may <- spans(demo_records("postings_may"), first_day, last_day, key = observer, as_of = "2026-05-31")
  readings <- spans(demo_records("stake_readings"), read_on, NULL, key = stake, as_of = "2026-06-30")
  list(
    active = active(staff, "month", from = "2025-01-01"), lines = active(staff, "month", group = role, total = TRUE),
    panels = active(staff, "month", group = station, total = TRUE),
    movement = movement(staff, "quarter", group = station, total = TRUE), routes = movement(staff, "year", group = station, show = "routes"),
    restated = restated(staff, may, group = station, total = TRUE, from = "2026-01-01"),
    amounts = allocate(grants(), amount, "quarter", group = funder, digits = 2),
    balance = allocate(grants(), amount, "year", group = funder, total = TRUE, digits = 2, show = "balance"),
    time = time_within(faults(), "month", group = station), cohorts = cohorts(staff, "year"), stay = length_of_stay(staff),
    elapsed = elapsed(faults()), medians = elapsed(faults(), group = station, by = "month", within = 24),
    bars = elapsed(faults(), group = station), stretches = consecutive(readings), gaps = gaps(readings, min_days = 3),
    overlaps = overlaps(loans()), levels = concurrency(staff, group = station, capacity = 30, floor = 20, from = "2026-01-01"),
    presence = scaffold(staff[1:30, ], "month", every_period = TRUE), findings = check_spans(staff),
    group_gaps = gaps(staff, group = station), group_stretches = consecutive(staff, group = role),
    group_overlaps = overlaps(loans(), per = NULL, group = borrower)
  )
}

# The contrast of two colours as WCAG 2.2 has it.
contrast <- function(a, b) {
  light <- function(colour) {
    value <- grDevices::col2rgb(colour)[, 1] / 255
    sum(ifelse(value <= 0.04045, value / 12.92, ((value + 0.055) / 1.055)^2.4) * c(0.2126, 0.7152, 0.0722))
  }
  both <- sort(c(light(a), light(b)))
  (both[2] + 0.05) / (both[1] + 0.05)
}

test_that("every figure takes a title and the size of its text, and says itself in a sentence", {
  for (name in names(all_results())) {
    result <- all_results()[[name]]
    figure <- autoplot(result, title = "My own", size = 15)
    expect_identical(figure$labels$title, "My own", label = name)
    expect_identical(figure$theme$text$size, 15, label = name)
    alt <- ggplot2::get_alt_text(autoplot(result))
    expect_match(alt, paste0("^", substr(autoplot(result)$labels$title, 1, 12)), label = name)
    expect_gt(nchar(alt), 30)
    expect_no_match(alt, "\n")
    expect_error(autoplot(result, titel = "x"), "no argument `titel`", class = "ridge_error_argument", label = name)
    expect_error(autoplot(result, size = "big"), "`size` must be the size of the text", class = "ridge_error_argument")
    expect_error(autoplot(result, title = 1), "`title` must be one text", class = "ridge_error_argument")
    built(figure)
  }
})

test_that("marks and text reach the contrast of AA on white", {
  pale <- c("#d5dce2", "white", "#f4f6f8", "transparent", NA)
  for (name in names(all_results())) {
    if (name %in% c("routes", "cohorts")) next
    figure <- built(autoplot(all_results()[[name]]))
    for (i in seq_along(figure$data)) {
      layer <- figure$data[[i]]
      kind <- class(figure$plot$layers[[i]]$geom)[1]
      least <- if (kind %in% c("GeomText", "GeomLabel")) 4.5 else 3
      # A wash under a line of its own is no mark.
      seen <- if (!is.null(layer$alpha) && any(layer$alpha %in% 0.2)) character()
      else unique(c(if (!is.null(layer$fill)) layer$fill, layer$colour))
      if (kind == "GeomText" && identical(unique(layer$colour), "white")) {
        expect_gte(contrast("white", "#b8590f"), 4.5)
        next
      }
      for (colour in setdiff(seen, pale)) expect_gte(contrast(colour, "white"), least, label = paste(name, kind, colour))
    }
  }
})

test_that("numbers can be read on the shades of tiles", {
  for (result in all_results()[c("routes", "cohorts")]) {
    figure <- built(autoplot(result))
    tiles <- figure$data[[1]]
    text <- figure$data[[2]]
    at <- match(paste(text$x, text$y), paste(tiles$x, tiles$y))
    least <- min(mapply(contrast, tiles$fill[at], text$colour))
    expect_gte(least, 4.5)
  }
})

test_that("the columns keep their names: figures break down by them, and take further layers", {
  by <- list(active = NULL, lines = "role", panels = "station", movement = "station", restated = "station", amounts = "funder",
             balance = "funder", time = "station", medians = "station", bars = "station", stretches = "stake", gaps = "stake",
             levels = "station", group_gaps = "station")
  for (name in names(by)) {
    result <- all_results()[[name]]
    figure <- autoplot(result)
    if (!is.null(by[[name]])) {
      broken <- built(figure + ggplot2::facet_wrap(by[[name]]))
      expect_true(by[[name]] %in% names(broken$layout$layout), label = name)
      if (name == "time") next
      groups <- unique(as.character(result[[by[[name]]]][if ("total" %in% names(result)) !result$total else TRUE]))
      expect_true(all(stats::na.omit(groups) %in% broken$layout$layout[[by[[name]]]]), label = name)
    }
    if ("period" %in% names(result)) {
      marked <- built(figure + ggplot2::geom_vline(xintercept = as.Date("2026-01-01")) + ggplot2::labs(caption = "mine"))
      expect_identical(marked$plot$labels$caption, "mine")
    }
  }
})

test_that("a column of one's own may have any name", {
  data <- demo_records("postings")
  data$group <- data$station
  data$at <- data$role
  staff <- spans(data, first_day, last_day, key = observer, as_of = "2026-06-30")
  expect_identical(nlevels(built(autoplot(active(staff, "year", group = group)))$layout$layout$.group), 8L)
  expect_length(unique(built(autoplot(active(staff, "year", group = at)))$data[[1]]$colour), 4)
})

test_that("a group that is called All is no line over all, and a factor has its own name for that", {
  data <- demo_records("postings")
  data$place <- factor(ifelse(data$station %in% "Stonebow", "All", "elsewhere"))
  staff <- spans(data, first_day, last_day, key = observer, as_of = "2026-06-30")
  figure <- autoplot(active(staff, "year", group = place, total = TRUE))
  expect_setequal(levels(figure$data$.group), c("All (group)", "elsewhere"))
  panels <- built(autoplot(movement(staff, "year", group = place, total = TRUE)) + ggplot2::facet_wrap(~place))
  expect_setequal(as.character(panels$layout$layout$place), c("All", "elsewhere"))
  both <- active(staff, "year", group = c(place, role))
  expect_error(autoplot(both, only = character()), "at least one group", class = "ridge_error_argument")
  expect_error(autoplot(both, only = list(place = "All", role = "nobody")), "no group \"nobody\"", class = "ridge_error_argument")
})

test_that("only draws the groups that are named, and says how many rows these are", {
  stations <- all_results()$panels
  two <- autoplot(stations, only = c("Stonebow", "Whinfell"))
  expect_setequal(as.character(unique(two$data$.group)), c("Stonebow", "Whinfell"))
  expect_match(gsub("\n", " ", two$labels$subtitle), "of 810 rows")
  expect_identical(unique(as.character(autoplot(stations, only = "All")$data$.group)), "All")
  staff <- demo_staff()
  both <- active(staff, "year", group = c(station, role))
  chosen <- autoplot(both, only = list(station = "Stonebow", role = c("trainee", "observer")))
  expect_setequal(as.character(unique(chosen$data$.group)), c("Stonebow, trainee", "Stonebow, observer"))
  strips <- autoplot(all_results()$stretches, only = "Tarn Head 1")
  expect_identical(unique(strips$data$name), "Tarn Head 1")
  expect_error(autoplot(stations, only = "Stonebo"), "no group \"Stonebo\".*Did you mean \"Stonebow\"", class = "ridge_error_argument")
  expect_error(autoplot(all_results()$active, only = "x"), "the result has none", class = "ridge_error_argument")
  expect_error(autoplot(both, only = list(place = "x")), "no column \"place\"", class = "ridge_error_column")
})

test_that("lump draws so many groups, and all others as one that adds up", {
  for (name in c("panels", "movement", "restated", "amounts", "balance", "time")) {
    result <- all_results()[[name]]
    figure <- autoplot(result, lump = 2)
    drawn <- figure$data
    groups <- setdiff(levels(drawn$.group), "All")
    expect_length(groups, 3)
    expect_match(groups[3], "^[0-9]+ others$", label = name)
    built(figure)
  }
  stations <- all_results()$panels
  drawn <- autoplot(stations, lump = 3)$data
  drawn <- drawn[!drawn$.all, ]
  plain <- as.data.frame(stations)[!stations$total, ]
  expect_equal(as.vector(tapply(drawn$active, drawn$period, sum)), as.vector(tapply(plain$active, plain$period, sum)))
  expect_identical(levels(autoplot(stations, lump = 20)$data$.group)[1], "All")
  expect_false(any(grepl("others", autoplot(stations, lump = 20)$data$.group)))
  expect_error(autoplot(all_results()$medians, lump = 2), "cannot be added up", class = "ridge_error_argument")
  expect_error(autoplot(stations, lump = 0), "whole number from 1", class = "ridge_error_argument")
})

test_that("results with rows chosen are drawn as what is left", {
  for (name in names(all_results())) {
    result <- all_results()[[name]]
    if (nrow(result) < 3 || name %in% c("routes", "presence")) next
    built(autoplot(result[seq_len(ceiling(nrow(result) / 2)), ]))
    built(autoplot(result[1, ]))
  }
  grid <- all_results()$presence
  built(autoplot(grid[grid$present, ][1:3, ]))
  expect_error(autoplot(grid[!grid$present, ]), "nobody is present", class = "ridge_error_argument")
  routes <- all_results()$routes
  built(autoplot(routes[routes$moved > 2, ]))
  expect_error(autoplot(routes[routes$moved == 0, ]), "nobody moved", class = "ridge_error_argument")
  months <- all_results()$active
  expect_identical(as.integer(built(autoplot(months[months$active > 180, ]))$data[[1]]$y), months$active[months$active > 180])
})

test_that("one finding is at the head of the page, not stretched over it", {
  found <- check_spans(spans(data.frame(k = "a", s = day("2026-01-01"), e = day(NA)), s, e, key = k, as_of = "2025-01-01"))
  figure <- built(autoplot(found))
  bar <- figure$data[[1]]
  reach <- figure$layout$panel_params[[1]]$y.range
  expect_gt((mean(c(bar$ymin, bar$ymax)) - reach[1]) / diff(reach), 0.8)
  expect_lt((bar$ymax - bar$ymin) / diff(reach), 0.15)
})

test_that("the command line says the same of its figures", {
  file <- system.file("extdata", "postings.csv", package = "almanacridge")
  asked <- c("active", file, "--start", "first_day", "--end", "last_day", "--as-of", "2026-06-30", "--by", "year", "--group", "station")
  picture <- withr::local_tempfile(fileext = ".png")
  got <- run(asked, "--figure", picture, "--title", "Where they are", "--size", "14", "--lump", "2", "--figure-size", "600x400")
  expect_identical(got$status, 0L)
  expect_identical(readBin(picture, "raw", 24)[17:24], as.raw(c(0, 0, 2, 88, 0, 0, 1, 144)))
  expect_match(run(asked, "--title", "x")$notes, "--title plays no part without a figure", all = FALSE)
  expect_match(run(asked, "--figure", picture, "--figure-size", "big")$notes, "takes a width and a height in pixels, not \"big\"", all = FALSE)
  expect_match(run(asked, "--figure", picture, "--only", "Nowhere")$notes, "--only: there is no group \"Nowhere\"", all = FALSE)
})
