// Marks put in by key or button: around words, before lines; tasks ticked; items moved in and out.
import { insertNewlineContinueMarkupCommand } from "@codemirror/lang-markdown";
import { syntaxTree } from "@codemirror/language";
import { EditorSelection } from "@codemirror/state";
import { EditorView } from "@codemirror/view";

const ITEM = /^(\s*)(?:[-*+]|\d{1,9}[.)])(\s+)/;
const TASK = /^(\s*(?:[-*+]|\d{1,9}[.)])\s+)\[([ xX])\]/;

/** A mark around the selection, or around the word at the caret; taken away if it is there. */
export const around = (mark) => (view) => {
  const { state } = view;
  const range = state.selection.main;
  const word = range.empty ? state.wordAt(range.head) : null;
  const { from, to } = word ?? range;
  const n = mark.length;
  const outside = state.doc.sliceString(from - n, from) === mark && state.doc.sliceString(to, to + n) === mark;
  if (outside) {
    const changes = [
      { from: from - n, to: from },
      { from: to, to: to + n },
    ];
    view.dispatch({ changes, selection: EditorSelection.single(from - n, to - n) });
  } else {
    const changes = [
      { from, insert: mark },
      { from: to, insert: mark },
    ];
    view.dispatch({ changes, selection: EditorSelection.single(from + n, to + n) });
  }
  view.focus();
  return true;
};

function lines(state) {
  const { from, to } = state.selection.main;
  const found = [];
  for (let n = state.doc.lineAt(from).number; n <= state.doc.lineAt(to).number; n++) found.push(state.doc.line(n));
  return found;
}

/** A mark before each selected line, or none if all have it; `mark` gets the number of the line. */
export const before = (mark, has) => (view) => {
  const every = lines(view.state).filter((line) => line.text.trim() || lines(view.state).length === 1);
  const all = every.every((line) => has.test(line.text));
  const changes = every.flatMap((line, nth) => {
    const found = has.exec(line.text);
    if (all) return found ? [{ from: line.from + found.index, to: line.from + found.index + found[0].length }] : [];
    if (found) return [];
    const other = ITEM.exec(line.text);
    const indent = /^\s*/.exec(line.text)[0].length;
    return [{ from: line.from + indent, to: other ? line.from + other[0].length : line.from + indent, insert: mark(nth + 1) }];
  });
  view.dispatch({ changes, userEvent: "input" });
  view.focus();
  return true;
};

export const bullets = before(() => "- ", /(?<=^\s*)[-*+] (?!\[[ xX]\])/);
export const numbers = before((nth) => `${nth}. `, /(?<=^\s*)\d{1,9}[.)] /);
export const quote = before(() => "> ", /^> ?/);
export const tasks = before(() => "- [ ] ", /(?<=^\s*)[-*+] \[[ xX]\] /);

/** The heading of a line one level deeper, from none over the second to the fourth, and back to none. */
export function heading(view) {
  const line = view.state.doc.lineAt(view.state.selection.main.head);
  const found = /^(#{1,6})\s+/.exec(line.text);
  const level = found ? (found[1].length >= 4 ? 0 : Math.max(2, found[1].length) + 1) : 2;
  const insert = level ? `${"#".repeat(level)} ` : "";
  view.dispatch({ changes: { from: line.from, to: line.from + (found?.[0].length ?? 0), insert } });
  view.focus();
  return true;
}

/** Ticks the tasks of the selected lines, or unticks them if all are. */
export function tick(view) {
  const found = lines(view.state).filter((line) => TASK.test(line.text));
  if (!found.length) return false;
  const all = found.every((line) => TASK.exec(line.text)[2] !== " ");
  const changes = found.map((line) => {
    const at = line.from + TASK.exec(line.text)[1].length + 1;
    return { from: at, to: at + 1, insert: all ? " " : "x" };
  });
  view.dispatch({ changes, userEvent: "input.task" });
  return true;
}

const indentOf = (text) => /^\s*/.exec(text)[0].length;

/** The items of the selected lines with what stands inside them. */
function branch(state) {
  const chosen = lines(state);
  if (!ITEM.test(chosen[0].text)) return null;
  const depth = indentOf(chosen[0].text);
  let last = chosen[chosen.length - 1].number;
  while (last < state.doc.lines) {
    const { text } = state.doc.line(last + 1);
    if (text.trim() && indentOf(text) <= depth) break;
    if (!text.trim() && (last + 2 > state.doc.lines || indentOf(state.doc.line(last + 2).text) <= depth)) break;
    last++;
  }
  const found = [];
  for (let n = chosen[0].number; n <= last; n++) found.push(state.doc.line(n));
  return { depth, found };
}

/** Moves an item with what stands in it below the item before it, or back out to where that one's list is. */
const shifted = (inwards) => (view) => {
  const { state } = view;
  const items = branch(state);
  if (!items) return false;
  let by = 0;
  for (let n = items.found[0].number - 1; n >= 1 && !by; n--) {
    const { text } = state.doc.line(n);
    const item = ITEM.exec(text);
    if (!text.trim()) continue;
    if (!item) {
      if (indentOf(text) === 0) break;
      continue;
    }
    const depth = indentOf(text);
    if (inwards && depth === items.depth) by = item[0].length - depth;
    else if (depth < items.depth) by = inwards ? NaN : depth - items.depth;
  }
  if (!by) return true; // there is nowhere to go, and Tab does nothing else in a list
  const changes = items.found
    .filter((line) => line.text.trim())
    .map((line) => (by > 0 ? { from: line.from, insert: " ".repeat(by) } : { from: line.from, to: line.from + Math.min(-by, indentOf(line.text)) }));
  view.dispatch({ changes, userEvent: "input.indent" });
  return true;
};

/** Numbers of the ordered list of the caret's item put right, counted from where its first item begins. */
const renumber = (view) => renumberAt(view, view.state.doc.lineAt(view.state.selection.main.head).number);

function renumberAt(view, number) {
  const { doc } = view.state;
  let line = doc.line(number);
  const here = /^(\s*)(\d{1,9})([.)])\s/.exec(line.text);
  if (!here) return false;
  const same = new RegExp(`^${here[1]}(\\d{1,9})[${here[3]}]\\s`);
  const inside = new RegExp(`^(?:${here[1]}\\s|\\s*$)`);
  let first = line.number;
  while (first > 1 && (same.test(doc.line(first - 1).text) || inside.test(doc.line(first - 1).text))) first--;
  while (!same.test(doc.line(first).text)) first++;
  let count = Number(same.exec(doc.line(first).text)[1]);
  const changes = [];
  for (let n = first; n <= doc.lines; n++) {
    line = doc.line(n);
    const item = same.exec(line.text);
    if (!item && !inside.test(line.text)) break;
    if (!item) continue;
    const from = line.from + here[1].length;
    if (item[1] !== String(count)) changes.push({ from, to: from + item[1].length, insert: String(count) });
    count++;
  }
  if (changes.length) view.dispatch({ changes });
  return true;
}

/** After an item was moved in or out, the numbers of its list and of the one that it left are put right. */
const moved = (act) => (view) => {
  const before = view.state.doc.lineAt(view.state.selection.main.head);
  if (!act(view)) return false;
  const item = /^(\s*)\d{1,9}([.)])\s/.exec(view.state.doc.line(before.number).text);
  if (item && indentOf(before.text) < item[1].length) {
    // The first of a list of its own counts from 1.
    const above = before.number > 1 ? view.state.doc.line(before.number - 1).text : "";
    if (indentOf(above) < item[1].length) {
      const from = view.state.doc.line(before.number).from + item[1].length;
      view.dispatch({ changes: { from, to: from + item[0].trimEnd().length - item[1].length - 1, insert: "1" } });
    }
  }
  renumber(view);
  for (let n = before.number + 1; n <= Math.min(view.state.doc.lines, before.number + 200); n++) {
    const { text } = view.state.doc.line(n);
    if (text.trim() && !ITEM.test(text) && !/^\s/.test(text)) break;
    if (indentOf(text) === indentOf(before.text) && ITEM.test(text)) {
      renumberAt(view, n);
      break;
    }
  }
  return true;
};

const OUTER = /^(\s*)([-*+]|(\d{1,9})([.)]))(\s+)(\[[ xX]\]\s)?/;
const EMPTY_ITEM = /^(\s*)(?:[-*+]|\d{1,9}[.)])\s+(?:\[[ xX]\]\s*)?$/;

/** Enter in an item that has nothing in it goes one level out, or leaves the list: a blank line parts what follows. */
export function leaveList(view) {
  const { state } = view;
  const range = state.selection.main;
  const line = state.doc.lineAt(range.head);
  const item = EMPTY_ITEM.exec(line.text);
  if (!item || !range.empty || range.head < line.from + line.text.trimEnd().length) return false;
  if (syntaxTree(state).resolveInner(line.from, 1).name.includes("Code")) return false;
  for (let n = line.number - 1; item[1] && n >= 1; n--) {
    const outer = OUTER.exec(state.doc.line(n).text);
    if (!outer || outer[1].length >= item[1].length) continue;
    const [, indent, bullet, number, end, gap, task] = outer;
    const insert = `${indent}${number ? Number(number) + 1 + end : bullet}${gap}${task ? "[ ] " : ""}`;
    view.dispatch({ changes: { from: line.from, to: line.to, insert }, selection: { anchor: line.from + insert.length }, userEvent: "input" });
    renumber(view);
    return true;
  }
  const blank = (number) => number < 1 || number > state.doc.lines || !state.doc.line(number).text.trim();
  const above = blank(line.number - 1) ? "" : "\n";
  const below = blank(line.number + 1) ? "" : "\n";
  const changes = { from: line.from, to: line.to, insert: above + below };
  view.dispatch({ changes, selection: { anchor: line.from + above.length }, scrollIntoView: true, userEvent: "input" });
  return true;
}

/** Another item: nothing that was tight becomes loose by it. */
const nextItem = insertNewlineContinueMarkupCommand({ nonTightLists: false });

const LETTERED = /^(\s*)(?:\d{1,9}([.)])\s+)?([ai])[.)]$/;

/** “a.” or “i.” and a space, typed where an item of an ordered list would begin, begin a list within the item above:
 * how deep a list stands says how it is counted. */
export const lettering = EditorView.inputHandler.of((view, from, to, text) => {
  const { state } = view;
  const line = state.doc.lineAt(from);
  const typed = text === " " && from === to && LETTERED.exec(state.sliceDoc(line.from, from));
  if (!typed || from !== line.to || line.number === 1) return false;
  let above = null;
  for (let n = line.number - 1; n >= 1 && !above; n--) {
    const { text: words } = state.doc.line(n);
    if (!words.trim()) continue;
    above = /^(\s*)(\d{1,9})([.)])(\s+)/.exec(words);
    if (!above && !/^\s/.test(words)) return false;
  }
  if (!above || indentOf(above[0]) > typed[1].length + 8) return false;
  const indent = " ".repeat(above[0].length);
  const insert = `${indent}1${above[3]} `;
  view.dispatch({ changes: { from: line.from, to: line.to, insert }, selection: { anchor: line.from + insert.length }, userEvent: "input.type" });
  return true;
});

export const markupKeys = [
  { key: "Enter", run: leaveList },
  { key: "Enter", run: nextItem },
  { key: "Mod-b", run: around("**") },
  { key: "Mod-i", run: around("*") },
  { key: "Mod-Shift-Space", run: tick },
  { key: "Tab", run: moved(shifted(true)) },
  { key: "Shift-Tab", run: moved(shifted(false)) },
];
