"use strict";
// What a reader can do on the page: read values of figures, choose a group, sort, filter and take
// along tables, see who is behind a number. Without it all is there to be read.
(() => {
  const SVG = "http://www.w3.org/2000/svg";
  const all = (where, what) => Array.from(where.querySelectorAll(what));
  const make = (tag, attributes = {}, ...parts) => {
    const node = document.createElement(tag);
    for (const [name, value] of Object.entries(attributes)) node.setAttribute(name, value);
    node.append(...parts);
    return node;
  };
  const data = (where, what) => {
    const held = where.querySelector(what);
    return held ? JSON.parse(held.textContent) : null;
  };
  const exact = (cell) => cell.dataset.exact ?? cell.textContent;
  const button = (words, act) => {
    const node = make("button", { type: "button" }, words);
    node.addEventListener("click", act);
    return node;
  };

  // Tables: ordered by a column, narrowed by words and by a group, taken along as CSV.
  const compare = (number) => (a, b) => {
    if (a === "" || b === "") return (a === "") - (b === "");
    return number ? Number(a) - Number(b) : a < b ? -1 : a > b ? 1 : 0;
  };

  const sortBy = (table, at) => {
    const head = table.tHead.rows[0].cells[at];
    const down = head.getAttribute("aria-sort") === "ascending";
    for (const other of table.tHead.rows[0].cells) other.removeAttribute("aria-sort");
    head.setAttribute("aria-sort", down ? "descending" : "ascending");
    const order = compare(head.classList.contains("number"));
    const rows = Array.from(table.tBodies[0].rows);
    const values = new Map(rows.map((row) => [row, exact(row.cells[at])]));
    rows.sort((a, b) => {
      const [x, y] = [values.get(a), values.get(b)];
      if (x === "" || y === "") return (x === "") - (y === "");
      return down ? -order(x, y) : order(x, y);
    });
    table.tBodies[0].append(...rows);
  };

  const narrow = (table) => {
    const words = (table.dataset.words ?? "").toLowerCase();
    const group = table.dataset.group ?? "";
    const columns = (table.dataset.groups ?? "").split(" ").filter((at) => at !== "").map(Number);
    let left = 0;
    for (const row of table.tBodies[0].rows) {
      const cells = Array.from(row.cells);
      const met = words === "" || cells.some((cell) => cell.textContent.toLowerCase().includes(words));
      const own = group === "" || columns.length === 0 ||
        columns.some((at) => `${table.tHead.rows[0].cells[at].textContent.trim()}=${exact(cells[at])}` === group);
      row.hidden = !(met && own);
      if (!row.hidden) left += 1;
    }
    const count = table.closest("details, section").querySelector(".left");
    const rows = table.tBodies[0].rows.length;
    if (count) count.textContent = left === rows ? "" : `${left} of ${rows} rows`;
  };

  const csvField = (text) => /[",\n\r]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
  const csvOf = (table) => {
    const lines = [...table.tHead.rows, ...table.csvRows].map((row) =>
      Array.from(row.cells, (cell) => csvField(row.parentNode.tagName === "THEAD" ?
        cell.textContent : exact(cell))).join(","));
    return lines.join("\n") + "\n";
  };

  const takeAlong = (table) => {
    const file = new Blob([csvOf(table)], { type: "text/csv" });
    const link = make("a", { href: URL.createObjectURL(file), download: `${table.dataset.name}.csv` });
    document.body.append(link);
    link.click();
    link.remove();
    setTimeout(() => URL.revokeObjectURL(link.href), 1000);
  };

  for (const table of all(document, "table[data-name]")) {
    // As it came, however it is ordered later.
    table.csvRows = Array.from(table.tBodies[0].rows);
    Array.from(table.tHead.rows[0].cells).forEach((head, at) => {
      const words = head.textContent;
      // No form control: browsers print a head that holds one on its first page alone.
      const sorter = make("span", { role: "button", tabindex: "0" }, words);
      sorter.addEventListener("click", () => sortBy(table, at));
      sorter.addEventListener("keydown", (event) => {
        if (event.key !== "Enter" && event.key !== " ") return;
        event.preventDefault();
        sortBy(table, at);
      });
      head.replaceChildren(sorter);
    });
    const input = make("input", { type: "search", autocomplete: "off" });
    input.addEventListener("input", () => { table.dataset.words = input.value; narrow(table); });
    const tools = make("div", { class: "tools" }, make("label", {}, "Only rows with ", input));
    if (!table.closest("details, section").querySelector(".cut")) {
      tools.append(button("Take along as CSV", () => takeAlong(table)));
    }
    tools.append(make("span", { class: "left", "aria-live": "polite" }));
    table.closest(".scroll").before(tools);
  }

  // Figures: the value under the pointer, or the next one by the arrow keys.
  const circle = (x, y, r) => {
    const node = document.createElementNS(SVG, "circle");
    node.setAttribute("cx", x);
    node.setAttribute("cy", y);
    node.setAttribute("r", r);
    return node;
  };
  const layer = (svg, name) => {
    const node = document.createElementNS(SVG, "g");
    node.setAttribute("class", name);
    svg.append(node);
    return node;
  };
  const inGroup = (figure, line) => {
    const value = figure.dataset.group ?? "";
    return value === "" || line.split(", ").includes(value);
  };

  for (const figure of all(document, "figure.figure")) {
    const marks = data(figure, ".marks");
    if (!marks || marks.x.length === 0) continue;
    const svg = figure.querySelector("svg");
    const plate = figure.querySelector(".plate");
    const chosen = layer(svg, "chosen");
    const cursor = layer(svg, "cursor");
    const value = make("output", { class: "value", "aria-live": "polite" });
    plate.after(value);
    plate.tabIndex = 0;
    plate.setAttribute("aria-label", `${plate.getAttribute("aria-label")} Arrow keys read its values.`);
    const points = marks.x.map((x, i) => ({ x, y: marks.y[i], line: marks.lines[marks.line[i]], tip: marks.tip[i] }));
    let at = -1;
    const seen = () => points.map((_, i) => i).filter((i) => inGroup(figure, points[i].line));
    const show = (i) => {
      at = i;
      cursor.replaceChildren(circle(points[i].x, points[i].y, 6));
      value.textContent = points[i].tip;
    };
    const nearest = (x, y, among) => among.reduce((best, i) => {
      const far = Math.hypot(points[i].x - x, points[i].y - y);
      return far < best.far ? { i, far } : best;
    }, { i: -1, far: Infinity }).i;
    svg.addEventListener("pointermove", (event) => {
      const place = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
      const i = nearest(place.x, place.y, seen());
      if (i >= 0 && i !== at) show(i);
    });
    // To the next one in that direction: left and right along a line where there is one.
    const step = (key) => {
      const among = seen();
      if (among.length === 0) return;
      if (at < 0 || !among.includes(at)) { show(among[0]); return; }
      const here = points[at];
      const flat = key === "ArrowLeft" || key === "ArrowRight";
      const sign = key === "ArrowRight" || key === "ArrowDown" ? 1 : -1;
      const ahead = among.filter((i) => sign * (flat ? points[i].x - here.x : points[i].y - here.y) > 0.05);
      const own = flat ? ahead.filter((i) => points[i].line === here.line) : [];
      const cost = (i) => {
        const dx = Math.abs(points[i].x - here.x);
        const dy = Math.abs(points[i].y - here.y);
        return own.length ? dx : flat ? dx + 4 * dy : dy + 4 * dx;
      };
      const best = (own.length ? own : ahead).reduce((a, i) => a < 0 || cost(i) < cost(a) ? i : a, -1);
      if (best >= 0) show(best);
    };
    plate.addEventListener("keydown", (event) => {
      if (event.key === "Home" || event.key === "End") {
        const among = seen();
        if (among.length) show(event.key === "Home" ? among[0] : among[among.length - 1]);
      } else if (event.key === "Escape") {
        at = -1;
        cursor.replaceChildren();
        value.textContent = "";
      } else if (event.key.startsWith("Arrow")) {
        step(event.key);
      } else return;
      event.preventDefault();
    });
    figure.choose = (group) => {
      figure.dataset.group = group;
      const own = group !== "" && points.some((point) => inGroup(figure, point.line));
      if (!own) figure.dataset.group = "";
      svg.classList.toggle("faded", own);
      chosen.replaceChildren(...(own ? points.filter((point) => inGroup(figure, point.line))
        .map((point) => circle(point.x, point.y, 3.5)) : []));
    };
  }

  // A group for the whole page.
  const groupsOf = (page) => {
    const found = new Map();
    for (const table of all(page, "table[data-groups]")) {
      for (const at of table.dataset.groups.split(" ").map(Number)) {
        const name = table.tHead.rows[0].cells[at].textContent.trim();
        if (!found.has(name)) found.set(name, new Set());
        for (const row of table.tBodies[0].rows) found.get(name).add(exact(row.cells[at]));
      }
    }
    return found;
  };

  for (const page of all(document, "section.page")) {
    const found = groupsOf(page);
    const tools = make("div", { class: "page-tools" });
    if (found.size > 0) {
      const select = make("select", {}, make("option", { value: "" }, "all groups"));
      for (const [name, values] of found) {
        const part = make("optgroup", { label: name });
        for (const value of Array.from(values).sort()) {
          part.append(make("option", { value: `${name}=${value}` }, value === "" ? "(missing)" : value));
        }
        select.append(part);
      }
      select.addEventListener("change", () => {
        for (const table of all(page, "table[data-name]")) { table.dataset.group = select.value; narrow(table); }
        const value = select.value.slice(select.value.indexOf("=") + 1);
        for (const figure of all(page, "figure.figure")) {
          if (figure.choose) figure.choose(select.value === "" ? "" : value === "" ? "(missing)" : value);
        }
      });
      tools.append(make("label", {}, "Group for this page ", select));
    }
    const folds = all(page, "details.table");
    if (folds.length > 0) {
      tools.append(button("Fold tables", () => { for (const fold of folds) fold.open = false; }),
        button("Unfold tables", () => { for (const fold of folds) fold.open = true; }));
    }
    if (tools.children.length) page.querySelector("h2").after(tools);
  }

  // Who is behind a number.
  for (const who of all(document, "details.who")) {
    const told = data(who, ".who-data");
    const list = who.querySelector(".who-list");
    const column = told.columns.indexOf("period");
    const periods = Array.from(new Set(told.values[column] ?? [])).sort();
    const select = make("select", {}, ...periods.map((period) => make("option", { value: period }, period)));
    select.value = periods[periods.length - 1] ?? "";
    const out = make("div", { class: "scroll", tabindex: "0", role: "region", "aria-label": "Who is behind the number" });
    const show = () => {
      const rows = (told.values[column] ?? []).map((_, i) => i).filter((i) => told.values[column][i] === select.value);
      const table = make("table", {}, make("thead", {}, make("tr", {},
        ...told.columns.map((name) => make("th", { scope: "col" }, name)))));
      table.append(make("tbody", {}, ...rows.map((i) => make("tr", {},
        ...told.values.map((values) => make("td", {}, values[i]))))));
      out.replaceChildren(table);
      count.textContent = `${rows.length} in all`;
    };
    const count = make("span", { "aria-live": "polite" });
    select.addEventListener("change", show);
    list.append(make("div", { class: "tools" }, make("label", {}, "Period ", select), count), out);
    show();
  }

  // How something was asked, to take elsewhere.
  for (const code of all(document, ".how pre")) {
    const take = button("Copy", () => {
      const range = document.createRange();
      range.selectNodeContents(code);
      const selection = getSelection();
      selection.removeAllRanges();
      selection.addRange(range);
      const done = navigator.clipboard ? navigator.clipboard.writeText(code.textContent) : Promise.reject();
      done.catch(() => document.execCommand("copy")).finally(() => { take.textContent = "Copied"; });
    });
    code.before(take);
  }

  addEventListener("beforeprint", () => { for (const fold of all(document, "details.table")) fold.open = true; });
})();
