// Tables in the text: cells by key, rows and columns gained and lost, columns kept in line. A table is what the editor's
// own reading of the Markdown calls one.
import { syntaxTree } from "@codemirror/language";
import { EditorSelection } from "@codemirror/state";

// What stands between bars: code, references and escapes are whole.
const CELL = /(?:\\.|`[^`\n]*`|\[\[(?:[^[\]\n]|\[[^[\]\n]*\])*\]\]|[^|\\`[\n]|`|\[|\\)+/gy;
/** A table that is wider is not kept in line: its lines would be broken on screen. */
const WIDEST = 96;
const RULE = /^\s*(:?)-+(:?)\s*$/;

/** The cells of a line, each with where it stands: `{words, from, to}`, without the bars at its ends. */
export function cellsOf(line) {
  const found = [];
  const first = /^\s*\|/.exec(line);
  let at = first ? first[0].length : 0;
  const end = line.trimEnd().length;
  while (at <= end) {
    CELL.lastIndex = at;
    const cell = at < end ? CELL.exec(line) : null;
    const to = cell ? at + cell[0].length : at;
    if (at === end && found.length) break;
    found.push({ words: line.slice(at, to).trim(), from: at, to });
    at = to + 1;
  }
  return found;
}

/** The table around the caret: its first and last line, its rows as words, the alignment of its columns, and which
 * cell the caret is in; null if it is in none. */
export function tableAt(state) {
  const head = state.selection.main.head;
  let node = syntaxTree(state).resolveInner(head, -1);
  while (node && node.name !== "Table") node = node.parent;
  if (!node) {
    node = syntaxTree(state).resolveInner(head, 1);
    while (node && node.name !== "Table") node = node.parent;
  }
  if (!node) return null;
  const first = state.doc.lineAt(node.from);
  const last = state.doc.lineAt(node.to);
  const lead = first.text.slice(0, node.from - first.from);
  if (/\S/.test(lead)) return null; // in a list or quotation on its first line: left to the writer
  const rows = [];
  const spots = [];
  for (let n = first.number; n <= last.number; n++) {
    const line = state.doc.line(n);
    const cells = cellsOf(line.text);
    rows.push(cells);
    const lead = (text) => (/\S/.test(text) ? text.search(/\S/) : Math.min(1, text.length));
    const start = (cell) => line.from + cell.from + lead(line.text.slice(cell.from, cell.to));
    if (n !== first.number + 1) spots.push(cells.map((cell) => [start(cell), start(cell) + cell.words.length]));
  }
  const width = Math.max(...rows.map((row) => row.length));
  const aligns = rows[1].map((cell) => {
    const [, left, right] = RULE.exec(cell.words) ?? [];
    return left && right ? "center" : right ? "right" : left ? "left" : "";
  });
  const here = state.doc.lineAt(head);
  // Whoever keeps the columns in line has all other lines equally wide.
  const others = new Set();
  for (let n = first.number; n <= last.number; n++) {
    if (n !== here.number) others.add(widthOf(state.doc.line(n).text.trimEnd()));
  }
  const inLine = others.size === 1 && last.number - first.number > 1;
  const row = here.number - first.number;
  const offset = head - here.from;
  let column = rows[row].findIndex((cell) => offset <= cell.to);
  if (column < 0) column = rows[row].length - 1;
  const words = rows.filter((_, n) => n !== 1).map((each) => [...Array(width)].map((_, c) => each[c]?.words ?? ""));
  return { from: first.from, to: last.to, lead, rows: words, aligns: pad(aligns, width, ""), spots, inLine, row: row > 1 ? row - 1 : 0, column };
}

// How wide words are on screen: what is wide in East Asian scripts counts twice.
const WIDE = /[\u1100-\u115f\u2e80-\ua4cf\uac00-\ud7a3\uf900-\ufaff\ufe30-\ufe6f\uff00-\uff60\uffe0-\uffe6]/u;
const widthOf = (words) => [...words].reduce((sum, letter) => sum + (WIDE.test(letter) ? 2 : 1), 0);
const pad = (list, width, what) => [...list, ...Array(Math.max(0, width - list.length)).fill(what)];


/** A table as text, its columns in line unless it would be too wide for that; and where each cell's words begin and
 * end in it. */
export function written({ rows, aligns, lead = "" }) {
  let widths = aligns.map((_, c) => Math.max(3, ...rows.map((row) => widthOf(row[c]))));
  const inLine = widths.reduce((sum, each) => sum + each + 3, 1) <= WIDEST;
  if (!inLine) widths = widths.map(() => 3);
  const places = [];
  const lines = [];
  let at = 0;
  const line = (cells, kept) => {
    let text = `${lead}|`;
    const spots = [];
    for (const [c, words] of cells.entries()) {
      const room = inLine ? widths[c] - widthOf(words) : 0;
      const before = aligns[c] === "right" ? room : aligns[c] === "center" ? Math.floor(room / 2) : 0;
      const start = at + text.length + 1 + before;
      spots.push([start, start + words.length]);
      text += ` ${" ".repeat(before)}${words}${" ".repeat(room - before)} |`;
    }
    if (kept) places.push(spots);
    lines.push(text);
    at += text.length + 1;
  };
  line(rows[0], true);
  const rules = aligns.map((align, c) => {
    const dashes = "-".repeat(widths[c] - (align === "center" ? 2 : align ? 1 : 0));
    return align === "center" ? `:${dashes}:` : align === "right" ? `${dashes}:` : align === "left" ? `:${dashes}` : dashes;
  });
  const ruled = `${lead}|${rules.map((rule) => ` ${rule} `).join("|")}|`;
  lines.push(ruled);
  at += ruled.length + 1;
  for (const row of rows.slice(1)) line(row, true);
  return { text: lines.join("\n"), places };
}

/** Changes the table around the caret: `change` gets it and may change rows, aligns, row and column. */
function changed(change) {
  return (view) => {
    const table = tableAt(view.state);
    if (!table) return false;
    if (change(table) === false) return true;
    const made = written(table);
    const row = Math.min(Math.max(table.row, 0), table.rows.length - 1);
    const column = Math.min(Math.max(table.column, 0), table.aligns.length - 1);
    const [from, to] = made.places[row][column];
    view.dispatch({
      changes: { from: table.from, to: table.to, insert: made.text },
      selection: EditorSelection.single(table.from + from, table.from + to),
      scrollIntoView: true,
      userEvent: "input.table",
    });
    return true;
  };
}

const empty = (table) => table.aligns.map(() => "");

export const alignTable = changed(() => {});
const newRow = changed((table) => {
  table.rows.push(empty(table));
  table.row = table.rows.length - 1;
  table.column = 0;
});

/** Going through the cells changes nothing in the text but the room around words, where columns are kept in line;
 * behind the last cell a row is added. */
const gone = (by) => (view) => {
  const before = tableAt(view.state);
  if (!before) return false;
  if (before.inLine) alignTable(view);
  const table = tableAt(view.state);
  const all = table.spots.flat();
  const here = table.spots.slice(0, table.row).reduce((sum, row) => sum + row.length, 0) + table.column;
  if (here + by >= all.length) return newRow(view);
  const [from, to] = all[Math.max(0, here + by)];
  view.dispatch({ selection: EditorSelection.single(from, to), scrollIntoView: true });
  return true;
};

export const nextCell = gone(1);
export const previousCell = gone(-1);
export const rowBelow = changed((table) => {
  table.rows.splice(table.row + 1, 0, empty(table));
  table.row++;
});
export const rowAway = changed((table) => {
  // The head of a table stays: without it there is none.
  if (table.row === 0 || table.rows.length < 2) return false;
  table.rows.splice(table.row, 1);
});
export const columnRight = changed((table) => {
  for (const row of table.rows) row.splice(table.column + 1, 0, "");
  table.aligns.splice(table.column + 1, 0, "");
  table.column++;
});
export const columnAway = changed((table) => {
  if (table.aligns.length < 2) return false;
  for (const row of table.rows) row.splice(table.column, 1);
  table.aligns.splice(table.column, 1);
});
export const turnAlign = changed((table) => {
  const order = ["", "right", "center", "left"];
  table.aligns[table.column] = order[(order.indexOf(table.aligns[table.column]) + 1) % order.length];
});

/** A new table at the caret, or one of the selected lines, parted at tabs, semicolons or commas. */
export function newTable(view) {
  const { from, to } = view.state.selection.main;
  const words = view.state.doc.sliceString(from, to).trim();
  const rows = words ? parted(words) : [["", ""], ["", ""]];
  const made = written({ rows, aligns: rows[0].map(() => "") });
  const line = view.state.doc.lineAt(from);
  const before = line.text.slice(0, from - line.from).trim() ? "\n\n" : "";
  const [start, end] = made.places[0][0];
  const at = from + before.length;
  view.dispatch({
    changes: { from, to, insert: `${before}${made.text}\n` },
    selection: EditorSelection.single(at + start, at + end),
    scrollIntoView: true,
  });
  view.focus();
}

function parted(words) {
  const lines = words.split("\n");
  const mark = ["\t", ";", ","].find((each) => lines.every((line) => line.includes(each)));
  return squared(lines.map((line) => (mark ? line.split(mark) : [line])));
}

/** Rows of cells as a table has them: equally long, bars escaped, each on one line. */
export function squared(rows) {
  const width = Math.max(1, ...rows.map((row) => row.length));
  const clean = (cell) => cell.trim().replace(/\s*\n\s*/g, " ").replace(/(?<!\\)\|/g, "\\|");
  return rows.map((row) => pad(row.map(clean), width, ""));
}

/** Enter goes to the row below, in the same column; behind the last row a new one is made, and out of an empty one. */
export function enterRow(view) {
  const table = tableAt(view.state);
  if (!table || !view.state.selection.main.empty) return false;
  const line = view.state.doc.lineAt(view.state.selection.main.head);
  // At the very ends of a line it parts lines as ever.
  if (line.from === view.state.selection.main.head) return false;
  const last = table.rows.length - 1;
  if (table.row < last) {
    const [from, to] = table.spots[table.row + 1][Math.min(table.column, table.spots[table.row + 1].length - 1)];
    view.dispatch({ selection: EditorSelection.single(from, to), scrollIntoView: true });
    return true;
  }
  if (table.row > 0 && table.rows[last].every((words) => !words)) {
    const { doc } = view.state;
    const end = table.to < doc.length && !doc.line(doc.lineAt(table.to).number + 1).text.trim();
    const insert = end ? "" : "\n";
    const anchor = line.from + insert.length;
    view.dispatch({ changes: { from: line.from, to: line.to, insert }, selection: { anchor: end ? line.from : anchor }, scrollIntoView: true, userEvent: "input" });
    return true;
  }
  const column = table.column;
  return changed((made) => {
    made.rows.push(empty(made));
    made.row = made.rows.length - 1;
    made.column = column;
  })(view);
}

/** Keys that mean something in a table only. */
export const tableKeys = [
  { key: "Enter", run: enterRow },
  { key: "Tab", run: nextCell },
  { key: "Shift-Tab", run: previousCell },
  { key: "Alt-Shift-ArrowDown", run: rowBelow },
  { key: "Alt-Shift-ArrowUp", run: rowAway },
  { key: "Alt-Shift-ArrowRight", run: columnRight },
  { key: "Alt-Shift-ArrowLeft", run: columnAway },
];
