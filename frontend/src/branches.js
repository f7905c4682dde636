// The contents of a large volume: only the rows in view are drawn, and what is not known of them is asked for.
import { Tree } from "./tree.js";

const AROUND = 12; // rows drawn above and below those in view
const WINDOW = 100; // rows of a level that are asked for at once
const KEPT = 40; // branches that are open again on the next page

function element(tag, attributes, ...children) {
  const made = document.createElement(tag);
  for (const [name, value] of Object.entries(attributes)) if (value !== null) made.setAttribute(name, value);
  made.append(...children.filter((child) => child !== null));
  return made;
}

function ledTo(row) {
  if (!row.written) return "";
  if (row.led) return row.led < 100 ? String(row.led) : "99+";
  const words = "orphan: no other page leads here";
  return element("span", { class: "ring", role: "img", "aria-label": words, title: words });
}

/** What the server drew, as levels: its rows, and how many it left out behind them. */
function drawnLevels(list) {
  const levels = new Map();
  const keys = new Map();
  for (const link of list.querySelectorAll("[data-number]")) {
    const number = link.dataset.number;
    keys.set(number, link.dataset.key);
    const at = number.lastIndexOf(".");
    const under = at < 0 ? "" : keys.get(number.slice(0, at));
    if (!levels.has(under)) levels.set(under, { under, total: 0, rows: [] });
    const led = link.querySelector(".led").textContent.trim();
    const nth = Number(number.slice(at + 1));
    const level = levels.get(under);
    level.total = nth;
    level.rows.push({
      nth,
      key: link.dataset.key,
      title: link.dataset.name,
      href: link.getAttribute("href"),
      written: !link.querySelector(".unwritten"),
      led: led.endsWith("+") ? 100 : Number(led),
      branch: Boolean(link.parentElement.querySelector(".fold")),
    });
  }
  for (const gap of list.querySelectorAll("[data-behind]")) {
    for (const level of levels.values()) {
      if (level.rows.at(-1).key === gap.dataset.at) level.total += Number(gap.dataset.behind);
    }
  }
  return [...levels.values()];
}

/** `list` is the element of the rows, `address` gives levels, `remembered` keeps which branches are open. */
export class Branches {
  constructor(list, address, remembered) {
    this.list = list;
    this.address = address;
    this.remembered = remembered;
    this.all = new Tree();
    this.tree = this.all;
    this.lines = new Map();
    this.current = list.querySelector("[aria-current]")?.dataset.key ?? "";
    for (const level of drawnLevels(list)) {
      this.all.add(level);
      if (level.under) this.all.open.add(level.under);
    }
    this.height = 0;
  }

  async start() {
    const open = this.remembered.keys().filter((key) => !this.all.open.has(key));
    this.measure();
    this.draw();
    this.show(this.current);
    const redraw = () => this.soon();
    document.addEventListener("scroll", redraw, { capture: true, passive: true });
    addEventListener("resize", () => {
      this.measure();
      this.soon();
    });
    if (open.length) {
      const position = this.all.position(this.current);
      await this.take(new URLSearchParams(open.map((key) => ["under", key])));
      for (const key of open) if (this.all.levels.has(key)) this.all.open.add(key);
      // What opened above the page in hand must not push it away.
      const moved = position < 0 ? 0 : this.all.position(this.current) - position;
      if (this.tree === this.all) this.list.scrollTop += moved * this.height;
      this.draw();
    }
  }

  measure() {
    const line = this.lines.values().next().value ?? this.list.querySelector(".line");
    this.list.classList.add("drawn");
    this.height = line?.firstElementChild ? Math.ceil(line.querySelector(".row").getBoundingClientRect().height) || 25 : 25;
  }

  async take(query) {
    const answer = await fetch(`${this.address}?${query}`).catch(() => null);
    if (!answer?.ok) return null;
    const found = await answer.json();
    for (const level of found.levels) {
      this.all.add(level);
      if (this.tree !== this.all) this.tree.add(level);
    }
    return found;
  }

  soon() {
    if (this.waiting) return;
    this.waiting = true;
    requestAnimationFrame(() => {
      this.waiting = false;
      this.draw();
    });
  }

  /** The first and the last line in view, and some more. */
  inView() {
    const box = this.list.getBoundingClientRect();
    const top = Math.max(0, box.top);
    const bottom = Math.min(innerHeight, box.bottom);
    const from = this.list.scrollTop + top - box.top;
    const first = Math.floor(from / this.height) - AROUND;
    const last = Math.ceil((from + Math.max(0, bottom - top)) / this.height) + AROUND;
    return [Math.max(0, first), Math.min(this.tree.size() - 1, last)];
  }

  draw() {
    const [first, last] = this.inView();
    const wanted = new Map();
    const missing = new Map();
    const hold = new Set([document.activeElement?.dataset?.key, this.held].filter(Boolean).map((key) => this.tree.position(key)));
    const positions = [...hold].filter((each) => each >= 0 && (each < first || each > last));
    for (let position = first; position <= last; position++) positions.push(position);
    for (const position of positions.sort((one, other) => one - other)) {
      const line = this.tree.at(position);
      if (line.row) wanted.set(line.row.key, { ...line, position });
      else missing.set(`${line.under}\n${Math.floor(line.index / WINDOW)}`, line);
    }
    for (const [key, made] of this.lines) {
      if (!wanted.has(key)) {
        made.remove();
        this.lines.delete(key);
      }
    }
    let room = this.list.querySelector(":scope > .room");
    if (!room) {
      this.list.replaceChildren((room = element("div", { class: "room" })));
    }
    room.style.height = `${this.tree.size() * this.height}px`;
    // Nodes that stay are not touched, or the one in focus would lose it.
    let next = room.firstChild;
    for (const [key, line] of wanted) {
      const made = this.lines.get(key) ?? this.make(line);
      this.lines.set(key, made);
      this.set(made, line);
      if (made === next) next = next.nextSibling;
      else room.insertBefore(made, next);
    }
    for (const line of missing.values()) this.ask(line);
  }

  make({ row }) {
    const words = element("span", row.written ? {} : { class: "unwritten", title: "not written yet" }, row.title);
    const link = element(
      "a",
      { class: "row", href: row.href, "data-name": row.title, "data-key": row.key, title: row.title, "aria-current": row.key === this.current ? "page" : null },
      element("span", { class: "no" }),
      words,
      element("span", { class: "dots", "aria-hidden": "true" }),
      element("span", { class: "led" }, ledTo(row)),
    );
    link.draggable = Boolean(this.movable);
    const fold = row.branch ? element("button", { type: "button", class: "fold", "data-fold": row.key, "aria-label": `Pages below ${row.title}` }) : null;
    return element("div", { class: "line" }, fold, link);
  }

  set(made, { row, depth, position }) {
    made.className = `line d${Math.min(depth, 3)}`;
    made.style.top = `${position * this.height}px`;
    const number = this.tree.number(row.key);
    const link = made.querySelector(".row");
    link.dataset.number = number;
    link.querySelector(".no").textContent = number;
    made.querySelector(".fold")?.setAttribute("aria-expanded", String(this.tree.open.has(row.key)));
  }

  async ask({ under, index }) {
    const { asked } = this.tree.levels.get(under);
    const window = Math.floor(index / WINDOW);
    if (asked.has(window)) return;
    asked.add(window);
    const found = await this.take(new URLSearchParams({ under, behind: window * WINDOW }));
    // Without an answer it is asked for again when it next comes into view.
    if (!found) setTimeout(() => asked.delete(window), 2000);
    else this.soon();
  }

  async fold(key) {
    const { tree } = this;
    if (tree.open.has(key)) {
      tree.open.delete(key);
    } else {
      if (!tree.levels.has(key) && !(await this.take(new URLSearchParams({ under: key })))) return;
      tree.open.add(key);
    }
    if (tree === this.all) this.remembered.keep([...tree.open].slice(-KEPT));
    this.draw();
  }

  /** Scrolls a row into view if it is not; the row. */
  show(key) {
    const position = this.tree.position(key);
    if (position < 0) return null;
    const { list, height } = this;
    const top = position * height;
    if (top < list.scrollTop || top + height > list.scrollTop + list.clientHeight) {
      list.scrollTop = top - list.clientHeight / 2;
      this.draw();
    }
    return this.lines.get(key)?.querySelector(".row") ?? null;
  }

  /** On a phone the list came into sight. */
  shown() {
    this.measure();
    this.draw();
    this.show(this.current);
  }

  /** Opens what a row stands below, wherever it is. */
  async find(key) {
    if (this.all.position(key) < 0) await this.take(new URLSearchParams({ to: key }));
    this.all.reveal(key);
    this.tree = this.all;
    this.draw();
    return this.show(key);
  }

  /** Only what is called so, with what it stands below; all again without words. True if there is something. */
  async filter(words) {
    this.words = words;
    if (!words) {
      this.replace(this.all);
      return { some: true, more: false };
    }
    const answer = await fetch(`${this.address}?${new URLSearchParams({ named: words })}`).catch(() => null);
    if (this.words !== words) return null;
    const found = answer?.ok ? await answer.json() : { levels: [], more: false };
    if (this.words !== words) return null;
    const tree = new Tree();
    for (const level of found.levels) {
      tree.add(level, true);
      if (level.under) tree.open.add(level.under);
    }
    this.replace(tree);
    return { some: tree.size() > 0, more: found.more };
  }

  replace(tree) {
    this.tree = tree;
    for (const made of this.lines.values()) made.remove();
    this.lines.clear();
    if (tree !== this.all) this.list.scrollTop = 0;
    this.draw();
    if (tree === this.all) this.show(this.current);
  }

  /** The row some lines above or below another, in view. */
  step(key, by) {
    const at = this.tree.position(key) + by;
    if (at < 0 || at >= this.tree.size()) return null;
    const { row } = this.tree.at(at);
    return row ? this.show(row.key) : null;
  }

  folded(key) {
    const row = this.tree.row(key);
    return row?.branch ? !this.tree.open.has(key) : null;
  }

  above(key) {
    return this.show(this.tree.parent(key));
  }

  // What moving a row asks.
  async know(key) {
    if (!this.all.places.has(key)) await this.take(new URLSearchParams({ to: key }));
  }

  parent(key) {
    return this.all.parent(key);
  }

  within(key, other) {
    return this.all.within(key, other) || this.tree.within(key, other);
  }

  async beside(key, step) {
    const { under, index } = this.all.places.get(key);
    const at = index + step;
    const level = this.all.levels.get(under);
    if (at < 0 || at >= level.total) return null;
    if (!level.rows.has(at)) await this.take(new URLSearchParams({ under, behind: Math.floor(at / WINDOW) * WINDOW }));
    return this.all.levels.get(under).rows.get(at)?.key ?? null;
  }
}
