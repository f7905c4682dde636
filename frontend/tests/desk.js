// A desk without a screen: the state of an editor, and what acts make of it. “¦” is the caret, “⟨…⟩” a selection.
import { markdown, markdownLanguage } from "@codemirror/lang-markdown";
import { EditorState } from "@codemirror/state";
import { syntaxTree } from "@codemirror/language";

/** Something that acts take for an editor. */
export function desk(marked, extensions = []) {
  const anchor = marked.search(/[¦⟨]/);
  const bare = marked.replace(/[¦⟨]/, "");
  const end = bare.indexOf("⟩");
  const doc = bare.replace("⟩", "");
  const selection = { anchor: Math.max(0, anchor), head: end < 0 ? Math.max(0, anchor) : end };
  const state = EditorState.create({ doc, selection, extensions: [markdown({ base: markdownLanguage }), extensions] });
  syntaxTree(state);
  return {
    state,
    dispatch(...specs) {
      this.state = this.state.update(...specs).state;
    },
    focus() {},
  };
}

/** The text with its caret or selection marked. */
export function shown(view) {
  const { from, to, head } = view.state.selection.main;
  const text = view.state.doc.toString();
  if (from === to) return `${text.slice(0, head)}¦${text.slice(head)}`;
  return `${text.slice(0, from)}⟨${text.slice(from, to)}⟩${text.slice(to)}`;
}

/** What an act makes of a text. */
export function after(act, marked) {
  const view = desk(marked);
  act(view);
  return shown(view);
}

/** Only the text. */
export const text = (act, marked) => after(act, marked).replace(/[¦⟨⟩]/g, "");

