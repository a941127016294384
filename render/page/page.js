"use strict";
(() => {
const folds = document.querySelector(".folds");
if (folds) {
  const all = [...document.querySelectorAll(".outline details")], fold = open => all.forEach((d, i) => { d.open = open || i === 0; });
  folds.hidden = false;
  [false, true].forEach((open, i) => folds.querySelectorAll("button")[i].addEventListener("click", () => fold(open)));
}
// Exact values, of what is pointed at or moved to.
const exact = document.querySelector(".exact"), tell = text => { exact.textContent = text || ""; };
const number = new Intl.NumberFormat("en-GB"), grouped = n => number.format(n).replaceAll(",", "\u00a0");
// A number past those that are exact in floating point is an integer of any length.
const whole = v => { const n = Number(v); return Number.isSafeInteger(n) || !/^-?\d+$/.test(v) ? n : BigInt(v); };
const exactly = cell => {
  const v = cell.dataset.v, head = cell.closest("table").tHead.rows[0].cells[cell.cellIndex];
  if (v === undefined || !head.textContent.trim()) return "";
  return head.textContent + ": " + (head.dataset.t === "time" ? v : grouped(whole(v)) + (head.dataset.u ? " " + head.dataset.u : ""));
};
for (const of of document.querySelectorAll("table")) {
  of.addEventListener("pointerover", e => { const cell = e.target.closest("td"); tell(cell ? exactly(cell) : ""); });
  of.addEventListener("pointerleave", () => tell(""));
}
const clip = async text => {
  try { await navigator.clipboard.writeText(text); } catch {
    const area = document.createElement("textarea"), before = document.activeElement;
    area.value = text;
    document.body.append(area);
    area.select();
    document.execCommand("copy");
    area.remove();
    if (before) before.focus();
  }
  tell("copied: " + text);
};
// Command lines can be copied, and Escape goes out of a folder of the map.
for (const how of document.querySelectorAll(".how")) {
  const button = document.createElement("button");
  button.type = "button";
  button.textContent = "copy";
  button.addEventListener("click", () => clip(how.querySelector("code").textContent));
  how.append(button);
}
document.addEventListener("keydown", e => {
  const ways = e.key === "Escape" && document.querySelectorAll(".map .view:target .way a");
  if (!ways || !ways.length) return;
  ways[ways.length - 1].click();
  const from = location.hash && document.querySelector(location.hash + " svg a");
  if (from) from.focus();
});
const table = document.querySelector("table.rows"), tools = document.querySelector(".tools");
if (!table || !tools) return;
const heads = [...table.tHead.rows[0].cells], given = [...table.tBodies].flatMap(body => [...body.rows]);
const filter = tools.querySelector("input"), told = tools.querySelector("output");
const inGroup = 200;
let order = given, shown = given, here = -1, texts = null;
tools.hidden = false;

// Rows stand in groups, of which the browser lays out only those that it shows.
const put = rows => {
  if (shown[here]) shown[here].classList.remove("here");
  here = -1;
  shown = rows;
  const height = given[0] ? Math.max(1, rowHeight) : 0, groups = [];
  for (let i = 0; i < rows.length; i += inGroup) {
    const group = document.createElement("tbody"), some = rows.slice(i, i + inGroup);
    group.append(...some);
    group.style.containIntrinsicSize = "auto " + height * some.length + "px";
    groups.push(group);
  }
  for (const old of [...table.tBodies]) old.remove();
  table.append(...(groups.length ? groups : [document.createElement("tbody")]));
};
const rowHeight = given[0] ? given[0].getBoundingClientRect().height : 0;

// What a cell is sorted by: a number, a moment, or its words as a person orders them, with
// numbers in them by what they are.
const words = text => {
  let key = text.toLowerCase();
  if (/[^\x00-\x7f]/.test(key)) key = key.normalize("NFD").replace(/\p{M}/gu, "");
  return key.replace(/\d+/g, run => { const digits = run.replace(/^0+(?=.)/, ""); return String(digits.length).padStart(3, "0") + digits; });
};
const value = (cell, kind) => {
  const v = cell.dataset.v;
  if (v !== undefined) return kind === "number" ? whole(v) : v;
  return kind !== "text" || cell.classList.contains("e") ? null : words(cell.textContent);
};
const sort = (i, down) => {
  const kind = heads[i].dataset.t, sign = down ? -1 : 1;
  const keys = given.map((row, n) => ({row, n, v: value(row.cells[i], kind)}));
  keys.sort((a, b) => a.v === b.v ? a.n - b.n : a.v === null ? 1 : b.v === null ? -1 : a.v < b.v ? -sign : sign);
  order = keys.map(k => k.row);
  heads.forEach((h, n) => n === i ? h.setAttribute("aria-sort", down ? "descending" : "ascending") : h.removeAttribute("aria-sort"));
  narrow();
};
heads.forEach((head, i) => {
  const button = document.createElement("button");
  button.type = "button";
  button.textContent = head.textContent;
  head.replaceChildren(button);
  const first = head.dataset.t !== "text"; // the greatest and the newest first
  button.addEventListener("click", () => sort(i, head.hasAttribute("aria-sort") ? head.getAttribute("aria-sort") === "ascending" : first));
});

// Several words, in any order.
const narrow = () => {
  const wanted = filter.value.toLowerCase().split(/\s+/).filter(Boolean);
  if (wanted.length) texts ||= new Map(given.map(row => [row, row.textContent.toLowerCase()]));
  put(wanted.length ? order.filter(row => { const text = texts.get(row); return wanted.every(w => text.includes(w)); }) : order);
  const n = shown.length;
  told.textContent = n === given.length ? grouped(n) + (n === 1 ? " row" : " rows") : grouped(n) + " of " + grouped(given.length) + " rows";
};
let waiting = 0;
filter.addEventListener("input", () => { clearTimeout(waiting); waiting = setTimeout(narrow, 80); });
told.textContent = grouped(given.length) + (given.length === 1 ? " row" : " rows");

// Keys: up and down go from row to row, c copies the path, / goes to the filter.
const step = by => {
  if (!shown.length) return;
  if (shown[here]) shown[here].classList.remove("here");
  here = Math.max(0, Math.min(here + by, shown.length - 1));
  shown[here].classList.add("here");
  shown[here].scrollIntoView({block: "nearest"});
  tell([...shown[here].cells].map(exactly).filter(Boolean).join(" \u00b7 "));
};
const copy = row => {
  const path = row.dataset.p !== undefined ? row.dataset.p : table.dataset.base ? table.dataset.base + row.cells[0].textContent : undefined;
  if (path !== undefined) clip(path);
};
table.tabIndex = 0;
table.addEventListener("keydown", e => {
  if (e.ctrlKey || e.metaKey || e.altKey || e.target.closest("button")) return;
  const by = {ArrowDown: 1, ArrowUp: -1, PageDown: 20, PageUp: -20, Home: -given.length, End: given.length}[e.key];
  if (by) { e.preventDefault(); step(by); } else if (e.key === "c" && here >= 0) copy(shown[here]);
});
table.addEventListener("dblclick", e => { const row = e.target.closest("tbody tr"); if (row) copy(row); });
document.addEventListener("keydown", e => { if (e.key === "/" && e.target !== filter) { e.preventDefault(); filter.focus(); } });
filter.addEventListener("keydown", e => { if (e.key === "Escape") { filter.value = ""; narrow(); } else if (e.key === "ArrowDown") { e.preventDefault(); table.focus(); step(1); } });
})();
