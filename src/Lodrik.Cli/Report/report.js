"use strict";
(() => {
  const all = (selector, root = document) => [...root.querySelectorAll(selector)];

  // Light or dark: the system's, until the button is pressed.
  const theme = document.getElementById("theme");
  theme.addEventListener("click", () => {
    const dark = document.documentElement.dataset.theme
      ? document.documentElement.dataset.theme === "dark"
      : matchMedia("(prefers-color-scheme: dark)").matches;
    document.documentElement.dataset.theme = dark ? "light" : "dark";
  });

  // Slots and scenes are tabs: the arrow keys, Home and End go from one to the next.
  for (const list of all("[role=tablist]")) {
    const tabs = all("[role=tab]", list);
    const select = (tab) => {
      for (const one of tabs) {
        const chosen = one === tab;
        one.setAttribute("aria-selected", chosen);
        one.tabIndex = chosen ? 0 : -1;
        document.getElementById(one.getAttribute("aria-controls")).hidden = !chosen;
      }
    };
    for (const [place, tab] of tabs.entries()) {
      tab.addEventListener("click", () => select(tab));
      tab.addEventListener("keydown", (event) => {
        const next = { ArrowDown: place + 1, ArrowRight: place + 1, ArrowUp: place - 1, ArrowLeft: place - 1, Home: 0, End: tabs.length - 1 }[event.key];
        if (next === undefined) return;
        event.preventDefault();
        const there = tabs[(next + tabs.length) % tabs.length];
        select(there);
        there.focus();
      });
    }
  }

  // The fields of the space are told below it, under the pointer and under the keyboard.
  for (const drawing of all(".treemap")) {
    const cells = all(".cell", drawing);
    const told = drawing.nextElementSibling;
    if (cells.length > 0) cells[0].tabIndex = 0;
    for (const [place, cell] of cells.entries()) {
      const tell = () => { told.textContent = cell.getAttribute("aria-label"); };
      cell.addEventListener("mouseenter", tell);
      cell.addEventListener("focus", tell);
      cell.addEventListener("keydown", (event) => {
        const next = { ArrowRight: place + 1, ArrowDown: place + 1, ArrowLeft: place - 1, ArrowUp: place - 1, Home: 0, End: cells.length - 1 }[event.key];
        if (next === undefined) return;
        event.preventDefault();
        const there = cells[(next + cells.length) % cells.length];
        cell.tabIndex = -1;
        there.tabIndex = 0;
        there.focus();
      });
    }
  }

  // A mark is on the map where its kind and its state are both wanted.
  for (const box of all("input[data-map]")) {
    box.addEventListener("change", () => {
      const scene = document.getElementById(box.dataset.map);
      const off = (name) => new Set(all(`input[data-${name}]:not(:checked)`, scene).map((one) => one.dataset[name]));
      const [states, kinds] = [off("state"), off("kind")];
      for (const mark of all(".mark", scene)) {
        const hidden = kinds.has(mark.dataset.kind) || [...states].some((state) => mark.classList.contains(state));
        mark.style.display = hidden ? "none" : "";
      }
    });
  }

  // A row of an entity lights its mark.
  for (const row of all("tr[data-id]")) {
    const mark = all(".mark", row.closest(".scene-page")).find((one) => one.dataset.id === row.dataset.id);
    if (!mark) continue;
    row.addEventListener("mouseenter", () => mark.classList.add("lit"));
    row.addEventListener("mouseleave", () => mark.classList.remove("lit"));
  }

  // Finding keeps an entity's rows together: they stay where any of them fits.
  for (const input of all("input[data-rows]")) {
    input.addEventListener("input", () => {
      const wanted = input.value.trim().toLowerCase();
      const groups = [];
      for (const row of all("tbody tr", document.getElementById(input.dataset.rows))) {
        if (row.classList.contains("inner") && groups.length > 0) groups[groups.length - 1].push(row);
        else groups.push([row]);
      }
      for (const group of groups) {
        const fits = group.some((row) => row.textContent.toLowerCase().includes(wanted));
        for (const row of group) row.hidden = !fits;
      }
    });
  }
})();
