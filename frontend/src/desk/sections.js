// The headings of the text, and one section written alone: all the rest stays in the editor, out of sight and reach.
import { ensureSyntaxTree } from "@codemirror/language";
import { EditorSelection, EditorState, StateEffect, StateField } from "@codemirror/state";
import { Decoration, EditorView, WidgetType } from "@codemirror/view";

const PARSE_TIME = 300;
const LEVEL = /^(?:ATX|Setext)Heading(\d)$/;

/** The headings: `{level, words, id, from, line}`, in order; `id` is null where none is typed. */
export function headings(state) {
  const found = [];
  const tree = ensureSyntaxTree(state, state.doc.length, PARSE_TIME);
  tree?.iterate({
    enter: (node) => {
      const level = LEVEL.exec(node.name);
      if (!level) return;
      const typed = state.sliceDoc(node.from, node.to).split("\n")[0];
      const id = /\{#([^\s}]+)[^}]*\}\s*$/.exec(typed)?.[1] ?? null;
      const words = typed
        .replace(/^\s*#+\s*|\s*#*\s*(\{[^}]*\})?\s*$/g, "")
        .replace(/\[\[=?([^\]|]*\|)?([^\]]*)\]\]/g, "$2")
        .replace(/[*_`]/g, "");
      found.push({ level: Number(level[1]), words, id, from: node.from, line: state.doc.lineAt(node.from).number });
      return false;
    },
  });
  return found;
}

/** The section whose heading stands last before a place: its range, to the next heading that is no lower. */
export function sectionAt(state, at) {
  const all = headings(state);
  const index = all.findLastIndex((each) => each.from <= at);
  if (index < 0) return null;
  const next = all.slice(index + 1).find((each) => each.level <= all[index].level);
  return { from: state.doc.lineAt(all[index].from).from, to: next ? state.doc.lineAt(next.from).from : state.doc.length };
}

const setAlone = StateEffect.define();

class Hidden extends WidgetType {
  constructor(lines, above) {
    super();
    this.words = `${lines} ${lines === 1 ? "line" : "lines"} ${above ? "above" : "below"}, as they are`;
  }
  eq(other) {
    return other.words === this.words;
  }
  toDOM() {
    const row = document.createElement("div");
    row.className = "cm-hidden-lines";
    row.textContent = this.words;
    return row;
  }
}

const alone = StateField.define({
  create: () => null,
  update(range, transaction) {
    for (const effect of transaction.effects) if (effect.is(setAlone)) return effect.value;
    if (!range || !transaction.docChanged) return range;
    return { from: transaction.changes.mapPos(range.from, -1), to: transaction.changes.mapPos(range.to, 1) };
  },
  provide: (field) =>
    // What stands in whole lines must be known before anything is drawn.
    EditorView.decorations.compute([field, "doc"], (state) => {
      const range = state.field(field);
      const { doc } = state;
      if (!range) return Decoration.none;
      const hidden = [];
      const hide = (from, to, above) => {
        const lines = doc.lineAt(to).number - doc.lineAt(from).number + 1;
        hidden.push(Decoration.replace({ widget: new Hidden(lines, above), block: true }).range(from, to));
      };
      if (range.from > 0) hide(0, range.from - 1, true);
      if (range.to < doc.length) hide(range.to, doc.length, false);
      return Decoration.set(hidden);
    }),
});

const TYPED = ["input.type", "input.paste", "input.drop", "input.complete", "input.replace", "delete", "move"];

// What is out of sight is not typed into, nor selected by hand.
const guarded = [
  EditorState.changeFilter.of((transaction) => {
    const range = transaction.startState.field(alone);
    if (!range || !TYPED.some((sort) => transaction.isUserEvent(sort))) return true;
    // The line end before the section is not its own; the one behind it parts it from the next.
    const end = range.to < transaction.startState.doc.length ? range.to - 1 : range.to;
    return [0, range.from, Math.max(end, range.from), transaction.startState.doc.length];
  }),
  EditorState.transactionFilter.of((transaction) => {
    const range = transaction.startState.field(alone);
    if (!range || !transaction.selection || transaction.docChanged || !transaction.isUserEvent("select")) return transaction;
    const last = range.to < transaction.startState.doc.length ? range.to - 1 : range.to;
    const within = (at) => Math.max(range.from, Math.min(at, Math.max(range.from, last)));
    const ranges = transaction.newSelection.ranges.map((each) => EditorSelection.range(within(each.anchor), within(each.head)));
    return [transaction, { selection: EditorSelection.create(ranges, transaction.newSelection.mainIndex), sequential: true }];
  }),
];

export const oneSection = [alone, guarded];

/** Whether one section stands alone. */
export const isAlone = (state) => Boolean(state.field(alone));

/** Lets one section stand alone, or with null the whole text stand there again. */
export function standAlone(view, range) {
  const effects = [setAlone.of(range)];
  const head = view.state.selection.main.head;
  const inside = !range || (head >= range.from && head < Math.max(range.to, range.from + 1));
  view.dispatch({ effects, selection: inside ? undefined : { anchor: range.from } });
  view.dispatch({ effects: EditorView.scrollIntoView(view.state.selection.main.head, { y: "nearest", yMargin: 24 }) });
}

/** A place in the text is to be seen: if it is out of sight, the whole text comes back. */
export function reveal(view, at) {
  const range = view.state.field(alone);
  if (range && (at < range.from || at >= Math.max(range.to, range.from + 1))) standAlone(view, null);
}
