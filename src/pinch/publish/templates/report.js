// What a reader can do with the page beyond reading it. Without this, everything is still there. `words` stand before
// this: what is written here in the language of the page.
"use strict";
(() => {
  const made = (tag, properties, ...inside) => {
    const element = Object.assign(document.createElement(tag), properties);
    element.append(...inside);
    return element;
  };

  // Light and dark: as the system has it until somebody chooses.
  const root = document.documentElement;
  const wantsDark = matchMedia("(prefers-color-scheme: dark)");
  const isDark = () => (root.dataset.look ? root.dataset.look === "dark" : wantsDark.matches);
  const lookButton = made("button", { type: "button", className: "look" });
  const nameLook = () => { lookButton.textContent = isDark() ? words.light : words.dark; };
  lookButton.addEventListener("click", () => { root.dataset.look = isDark() ? "light" : "dark"; nameLook(); });
  wantsDark.addEventListener("change", nameLook);
  nameLook();
  document.querySelector(".sheet").prepend(lookButton);

  // Values of charts: of the point under the pointer, and point by point with the arrow keys.
  const askedBy = new Map([["ArrowRight", 1], ["ArrowLeft", -1]]);
  for (const drawn of document.querySelectorAll(".drawn")) {
    const points = [...drawn.querySelectorAll(".points circle")];
    if (!points.length) continue;
    const hint = words.hint;
    const said = made("output", { className: "said", textContent: hint });
    drawn.after(said);
    let present = -1;
    const show = (number) => {
      points[present]?.classList.remove("present");
      present = number;
      points[present]?.classList.add("present");
      said.textContent = points[present]?.querySelector("title").textContent ?? hint;
    };
    for (const [number, point] of points.entries()) {
      point.addEventListener("pointerenter", () => show(number));
    }
    drawn.addEventListener("keydown", (event) => {
      const step = askedBy.get(event.key);
      if (event.key === "Escape") show(-1);
      if (!step) return;
      event.preventDefault();
      const shown = [...points.keys()].filter((n) => !points[n].classList.contains("hidden"));
      if (!shown.length) return;
      const at = shown.indexOf(present);
      const next = at < 0 ? (step > 0 ? 0 : shown.length - 1) : (at + step + shown.length) % shown.length;
      show(shown[next]);
      points[present].scrollIntoView({ block: "nearest", inline: "nearest" });
    });

    const series = JSON.parse(drawn.dataset.series);
    if (series.length < 2) continue;
    const choice = made("div", { className: "series", role: "group" });
    choice.setAttribute("aria-label", words.shown);
    for (const [slot, name] of series) {
      const swatch = made("span", { className: "swatch" });
      swatch.style.background = `var(--device${slot % 6})`;
      const button = made("button", { type: "button" }, swatch, name);
      button.setAttribute("aria-pressed", "true");
      button.addEventListener("click", () => {
        const hide = button.getAttribute("aria-pressed") === "true";
        button.setAttribute("aria-pressed", String(!hide));
        for (const part of drawn.querySelectorAll(`.of-${slot}`)) part.classList.toggle("hidden", hide);
        if (points[present]?.classList.contains("hidden")) show(-1);
      });
      choice.append(button);
    }
    drawn.before(choice);
  }

  // Tables by any of their columns; a third press gives back the order of the report.
  for (const table of document.querySelectorAll("table")) {
    const body = table.tBodies[0];
    const rows = [...body.rows];
    if (rows.length < 2) continue;
    const heads = [...table.tHead.rows[0].cells];
    for (const [column, head] of heads.entries()) {
      const button = made("button", { type: "button", className: "sort" });
      button.append(...head.childNodes);
      head.append(button);
      button.addEventListener("click", () => {
        const order = { none: "descending", descending: "ascending", ascending: "none" };
        const wanted = order[head.getAttribute("aria-sort") ?? "none"];
        for (const other of heads) other.removeAttribute("aria-sort");
        if (wanted !== "none") head.setAttribute("aria-sort", wanted);
        const text = (row) => row.cells[column].textContent;
        body.append(...(wanted === "none" ? rows : sorted(rows, text, wanted === "descending", words.decimal)));
      });
    }
  }
})();
