// Examples and help where a value is to be typed, as ghosts: they are seen, and are no part of the text. One is gone as
// soon as something stands in its place.
import { StateEffect, StateField } from "@codemirror/state";
import { Decoration, EditorView, WidgetType } from "@codemirror/view";

const haunt = StateEffect.define({ map: ({ at, words }, changes) => ({ at: changes.mapPos(at, 1), words }) });
const EMPTY = /^[ \t]*(?:\n|\||\]\]|$)/;

class Ghost extends WidgetType {
  constructor(words) {
    super();
    this.words = words;
  }
  eq(other) {
    return other.words === this.words;
  }
  toDOM() {
    const shown = document.createElement("span");
    shown.className = "cm-ghost";
    shown.textContent = this.words;
    shown.setAttribute("aria-hidden", "true");
    return shown;
  }
  ignoreEvent() {
    return false;
  }
}

const isEmpty = (doc, at) => doc.sliceString(at - 2, at) === ": " && EMPTY.test(doc.sliceString(at, at + 80));

export const ghosts = StateField.define({
  create: () => Decoration.none,
  update(shown, transaction) {
    const doc = transaction.newDoc;
    let next = shown.map(transaction.changes);
    if (transaction.docChanged) next = next.update({ filter: (from) => isEmpty(doc, from) });
    for (const effect of transaction.effects) {
      if (!effect.is(haunt) || !isEmpty(doc, effect.value.at)) continue;
      const widget = Decoration.widget({ widget: new Ghost(effect.value.words), side: 1 });
      next = next.update({ add: [widget.range(effect.value.at)], sort: true });
    }
    return next;
  },
  provide: (field) => EditorView.decorations.from(field),
});

/** Puts the hint of each slot where its value is to be typed, in an insert that begins at a place. */
export function hauntSlots(view, from, slots) {
  const text = view.state.doc.sliceString(from, from + 20000);
  const effects = [];
  let after = 0;
  for (const slot of slots) {
    const lead = `| ${slot.name}: `;
    const found = text.indexOf(lead, after);
    if (found < 0) return;
    after = found + lead.length;
    effects.push(haunt.of({ at: from + after, words: slot.hint.replace(/\s+/g, " ") }));
  }
  view.dispatch({ effects });
}
