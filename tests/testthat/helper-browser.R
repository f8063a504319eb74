# A report in a browser without a screen and without a network.

skip_if_no_browser <- function() {
  skip_if_no_reports()
  skip_on_cran()
  skip_if_not_installed("chromote")
  if (!nzchar(Sys.which("chromium")) && is.null(suppressMessages(chromote::find_chrome()))) skip("There is no browser.")
}

# A page of it: `js()` runs words and gives what they say, `press()` and `click()` act as a reader does; `heard` is
# what the console said and what was fetched.
open_report <- function(path, width = 1280, height = 800, dark = FALSE, scripts = TRUE, env = parent.frame()) {
  chrome <- chromote::Chrome$new(args = c("--headless=new", "--no-sandbox", "--disable-gpu", "--disable-dev-shm-usage"))
  host <- chromote::Chromote$new(browser = chrome)
  page <- chromote::ChromoteSession$new(parent = host, width = width, height = height)
  withr::defer(suppressMessages(try(host$close(), silent = TRUE)), envir = env)
  heard <- new.env()
  heard$console <- heard$fetched <- character()
  page$Runtime$enable()
  page$Log$enable()
  page$Network$enable()
  note <- function(what) function(message) {
    heard[[what]] <- c(heard[[what]], message$args[[1]]$value %||% message$entry$text %||% message$exceptionDetails$text %||% message$request$url)
  }
  page$Runtime$consoleAPICalled(callback_ = note("console"))
  page$Runtime$exceptionThrown(callback_ = note("console"))
  page$Log$entryAdded(callback_ = note("console"))
  page$Network$requestWillBeSent(callback_ = note("fetched"))
  page$Emulation$setDeviceMetricsOverride(width = width, height = height, deviceScaleFactor = 1, mobile = width < 500)
  if (dark) page$Emulation$setEmulatedMedia(features = list(list(name = "prefers-color-scheme", value = "dark")))
  if (!scripts) page$Emulation$setScriptExecutionDisabled(value = TRUE)
  page$Page$navigate(paste0("file://", normalizePath(path)))
  # Never waits for ever.
  for (i in 1:100) {
    state <- page$Runtime$evaluate("document.readyState")$result$value
    if (identical(state, "complete")) break
    Sys.sleep(0.05)
  }
  js <- function(...) {
    answer <- page$Runtime$evaluate(paste0(...), returnByValue = TRUE, awaitPromise = TRUE, timeout_ = 120)
    if (!is.null(answer$exceptionDetails)) stop(answer$exceptionDetails$exception$description)
    answer$result$value
  }
  codes <- c(Tab = 9, Enter = 13, " " = 32, End = 35, Home = 36, ArrowLeft = 37, ArrowUp = 38, ArrowRight = 39, ArrowDown = 40, Escape = 27)
  press <- function(keys) for (key in keys) {
    told <- list(key = key, code = if (key == " ") "Space" else key, windowsVirtualKeyCode = codes[[key]])
    if (key %in% c("Enter", " ")) told$text <- if (key == " ") " " else "\r"
    do.call(page$Input$dispatchKeyEvent, c(list(type = "keyDown"), told))
    do.call(page$Input$dispatchKeyEvent, c(list(type = "keyUp"), told[setdiff(names(told), "text")]))
  }
  point <- function(x, y, click = FALSE) {
    page$Input$dispatchMouseEvent(type = "mouseMoved", x = x, y = y)
    if (click) for (type in c("mousePressed", "mouseReleased")) {
      page$Input$dispatchMouseEvent(type = type, x = x, y = y, button = "left", clickCount = 1)
    }
  }
  click <- function(selector) {
    at <- js("(() => { const e = document.querySelector(`", selector, "`); e.scrollIntoView({block: 'center'}); ",
             "const b = e.getBoundingClientRect(); return [b.x + b.width / 2, b.y + b.height / 2] })()")
    point(at[[1]], at[[2]], click = TRUE)
  }
  list(page = page, js = js, press = press, point = point, click = click, heard = heard)
}
