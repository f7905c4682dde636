// The tree of a large volume: of each level the rows that are known, and how many it has in all. What is open makes one
// long list of lines, of which any stretch can be asked for; what is not known yet is a line without a row.

/** A level below a name: `{under, total, rows: [{nth, key, …}]}`, `nth` from 1. */
export class Tree {
  constructor() {
    this.levels = new Map();
    this.places = new Map(); // key of a row: {under, index}
    this.open = new Set();
  }

  /** Takes in rows of a level. A `packed` level has just these rows, whatever their numbers, and is not added to. */
  add({ under, total, rows }, packed = false) {
    let level = this.levels.get(under);
    if (level?.packed && !packed) return;
    if (!level || level.total !== total) {
      // What is known of a level that grew or shrank meanwhile may stand elsewhere now.
      level = { total, packed, rows: new Map(), asked: new Set() };
      this.levels.set(under, level);
    }
    rows.forEach((row, nth) => {
      const index = packed ? nth : row.nth - 1;
      level.rows.set(index, row);
      this.places.set(row.key, { under, index });
    });
  }

  row(key) {
    const place = this.places.get(key);
    return place && this.levels.get(place.under)?.rows.get(place.index);
  }

  /** The key below which another stands, "" for the topmost level. */
  parent(key) {
    return this.places.get(key)?.under ?? "";
  }

  within(key, other) {
    for (let at = other; at; at = this.parent(at)) if (at === key) return true;
    return false;
  }

  number(key) {
    const parts = [];
    for (let at = key; at; at = this.parent(at)) parts.unshift(this.row(at)?.nth ?? "");
    return parts.join(".");
  }

  /** The branches of a level that are open, with where they are, in order. */
  opened(under) {
    const found = [];
    for (const key of this.open) {
      const place = this.places.get(key);
      if (place?.under === under && this.levels.has(key) && this.row(key)?.key === key) found.push({ key, index: place.index });
    }
    return found.sort((one, other) => one.index - other.index);
  }

  /** How many lines a level takes, with what is open below it. */
  size(under = "") {
    const level = this.levels.get(under);
    if (!level) return 0;
    return this.opened(under).reduce((sum, { key }) => sum + this.size(key), level.total);
  }

  /** The line at a position of the list: `{under, index, depth, row}`; `row` is missing if it is not known yet. */
  at(position, under = "", depth = 0) {
    let rest = position;
    for (const { key, index } of this.opened(under)) {
      if (rest <= index) break;
      const size = this.size(key);
      if (rest <= index + size) return this.at(rest - index - 1, key, depth + 1);
      rest -= size;
    }
    return { under, index: rest, depth, row: this.levels.get(under)?.rows.get(rest) };
  }

  /** Where a row is in the list; -1 if a branch above it is folded or it is not known. */
  position(key) {
    const place = this.places.get(key);
    if (!place) return -1;
    let found = place.index;
    for (const { key: other, index } of this.opened(place.under)) if (index < place.index) found += this.size(other);
    if (!place.under) return found;
    const above = this.open.has(place.under) ? this.position(place.under) : -1;
    return above < 0 ? -1 : above + 1 + found;
  }

  /** Opens all that a row stands below. */
  reveal(key) {
    for (let at = this.parent(key); at; at = this.parent(at)) this.open.add(at);
  }
}
