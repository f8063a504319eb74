# Text that was written in Markdown, as parts of a page: of what HTML there is only what is known
# to be plain text is let through, whatever was written.

markdown_parts <- function(text) {
  if (is.null(text)) {
    return(NULL)
  }
  need_package("commonmark", "Reading Markdown")
  need_package("xml2", "Reading Markdown")
  html <- commonmark::markdown_html(enc2utf8(text), extensions = c("table", "strikethrough"))
  if (!nzchar(trimws(html))) {
    return(NULL)
  }
  body <- xml2::xml_find_first(xml2::read_html(paste0("<body>", html, "</body>"),
                                               encoding = "UTF-8"), "//body")
  htmltools::tagList(lapply(xml2::xml_contents(body), known_part))
}

known_marks <- c("p", "em", "strong", "del", "code", "pre", "ul", "ol", "li", "blockquote", "table",
                 "thead", "tbody", "tr", "th", "td", "hr", "br", "a", "h1", "h2", "h3", "h4",
                 "h5", "h6")

known_part <- function(node) {
  name <- xml2::xml_name(node)
  if (name == "text") {
    return(printable_text(xml2::xml_text(node)))
  }
  if (name == "img") {
    return(xml2::xml_attr(node, "alt", default = ""))
  }
  if (name %in% c("script", "style", "comment")) {
    return(NULL)
  }
  parts <- lapply(xml2::xml_contents(node), known_part)
  if (!(name %in% known_marks)) {
    return(htmltools::tagList(parts))
  }
  # Headings of a text stand below those of its page.
  if (grepl("^h[1-6]$", name)) name <- "h4"
  target <- xml2::xml_attr(node, "href", default = "")
  if (name == "a" && !grepl("^(https?://|mailto:|#)", target)) return(htmltools::tagList(parts))
  tag <- htmltools::tag(name, parts, .noWS = c("outside", "inside"))
  if (name == "a") htmltools::tagAppendAttributes(tag, href = target, rel = "noreferrer") else tag
}
