// The contents of a volume that is drawn whole: rows are hidden and shown.

const parentOf = (number) => number.split(".").slice(0, -1).join(".");

/** The same as `Branches` is for a large volume. */
export class WholeContents {
  constructor(list, remembered) {
    this.list = list;
    this.remembered = remembered;
    this.rows = [...list.querySelectorAll("[data-number]")];
    this.byKey = new Map(this.rows.map((row) => [row.dataset.key, row]));
    this.byNumber = new Map(this.rows.map((row) => [row.dataset.number, row]));
    this.away = new Set(remembered.keys());
    this.words = "";
  }

  start() {
    for (const row of this.rows) row.draggable = Boolean(this.movable);
    const current = this.rows.find((row) => row.ariaCurrent);
    // The page in hand is always in view.
    if (current) this.reveal(current);
    this.draw();
    current?.scrollIntoView({ block: "nearest" });
  }

  reveal(row) {
    for (let above = this.up(row); above; above = this.up(above)) this.away.delete(above.dataset.key);
  }

  up(row) {
    return this.byNumber.get(parentOf(row.dataset.number));
  }

  find(key) {
    const row = this.byKey.get(key);
    if (row) this.reveal(row);
    this.draw();
    return row;
  }

  shown() {
    this.list.querySelector("[aria-current]")?.scrollIntoView({ block: "nearest" });
  }

  fold(key) {
    if (!this.away.delete(key)) this.away.add(key);
    this.remembered.keep([...this.away]);
    this.draw();
  }

  folded(key) {
    const row = this.byKey.get(key);
    return row.parentElement.querySelector("[data-fold]") ? this.away.has(key) : null;
  }

  filter(words) {
    this.words = words.toLowerCase();
    return { some: this.draw() > 0, more: false };
  }

  draw() {
    const shown = new Set();
    if (this.words) {
      for (const row of this.rows) {
        if (!row.dataset.name.toLowerCase().includes(this.words)) continue;
        for (let at = row; at && !shown.has(at); at = this.up(at)) shown.add(at);
      }
    } else {
      // A row comes after what it stands below.
      for (const row of this.rows) {
        const above = this.up(row);
        if (!above || (shown.has(above) && !this.away.has(above.dataset.key))) shown.add(row);
      }
    }
    for (const row of this.rows) {
      row.parentElement.hidden = !shown.has(row);
      row.parentElement.querySelector("[data-fold]")?.setAttribute("aria-expanded", String(!this.away.has(row.dataset.key)));
    }
    return shown.size;
  }

  step(key, by) {
    const seen = this.rows.filter((row) => !row.parentElement.hidden);
    return seen[seen.indexOf(this.byKey.get(key)) + by];
  }

  above(key) {
    return this.up(this.byKey.get(key));
  }

  // What moving a row asks.
  know() {}

  parent(key) {
    return this.above(key)?.dataset.key ?? "";
  }

  within(key, other) {
    return `${this.byKey.get(other).dataset.number}.`.startsWith(`${this.byKey.get(key).dataset.number}.`);
  }

  beside(key, step) {
    const lead = parentOf(this.byKey.get(key).dataset.number);
    const level = this.rows.filter((row) => parentOf(row.dataset.number) === lead);
    return level[level.indexOf(this.byKey.get(key)) + step]?.dataset.key ?? null;
  }
}
