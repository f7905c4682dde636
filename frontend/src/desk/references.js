// References made without typing them: brackets around a selection, a dragged page, a pasted address of this wiki.
import { startCompletion } from "@codemirror/autocomplete";
import { EditorView } from "@codemirror/view";
import { matchingNames } from "./completion.js";

const ADDRESS = /^\s*(?:<)?((?:https?:\/\/|\/)[^\s<>]+)(?:>)?\s*$/;

/** Brackets around the selection, or an empty pair with the names to choose from. If the selection is no name, the
 * page that matches best becomes the target, and the words the label. */
export async function insertReference(view, names, volume) {
  const { from, to } = view.state.selection.main;
  const words = view.state.doc.sliceString(from, to);
  const caret = from + 2 + words.length;
  view.dispatch({ changes: { from, to, insert: `[[${words}]]` }, selection: { anchor: caret } });
  view.focus();
  if (words.trim() && !words.includes("\n")) await aim(view, names, volume, from, words);
  else startCompletion(view);
}

async function aim(view, names, volume, from, words) {
  const there = await names.find(words.trim());
  if (there?.written) return;
  const [best] = await matchingNames(words.trim(), volume);
  const to = from + words.length + 4;
  // Whoever went on typing meanwhile knows better.
  if (view.state.doc.sliceString(from, to) !== `[[${words}]]`) return;
  if (!best) {
    view.dispatch({ selection: { anchor: from + 2 + words.length } });
    startCompletion(view);
    return;
  }
  const insert = `[[${best.insert}|${words}]]`;
  // The target is selected: another name typed over it takes its place.
  const selection = { anchor: from + 2, head: from + 2 + best.insert.length };
  view.dispatch({ changes: { from, to, insert }, selection });
}

/** Dropped and pasted addresses of this wiki become references; a second `[` around a selection makes one. */
export function making(names, volume) {
  return [
    EditorView.domEventHandlers({
      paste(event, view) {
        const address = ADDRESS.exec(event.clipboardData?.getData("text/plain") ?? "")?.[1];
        if (!address || !isOurs(address)) return false;
        event.preventDefault();
        const { from, to } = view.state.selection.main;
        put(view, volume, address, from, to);
        return true;
      },
      drop(event, view) {
        const data = event.dataTransfer;
        const address = (data?.getData("text/uri-list") || data?.getData("text/plain") || "").split("\n")[0].trim();
        if (!address || !isOurs(address)) return false;
        event.preventDefault();
        const at = view.posAtCoords({ x: event.clientX, y: event.clientY }) ?? view.state.selection.main.head;
        put(view, volume, address, at, at);
        return true;
      },
    }),
    EditorView.inputHandler.of((view, from, to, text) => {
      const doc = view.state.doc;
      if (text !== "[" || from === to) return false;
      if (doc.sliceString(from - 1, from) !== "[" || doc.sliceString(to, to + 1) !== "]") return false;
      view.dispatch({ changes: [{ from: from - 1, to: from }, { from: to, to: to + 1 }] });
      view.dispatch({ selection: { anchor: from - 1, head: to - 1 } });
      insertReference(view, names, volume);
      return true;
    }),
  ];
}

function isOurs(address) {
  const url = URL.canParse(address, location.href) ? new URL(address, location.href) : null;
  return url?.origin === location.origin && !url.pathname.startsWith("/-/") && url.pathname.split("/").length > 2;
}

/** An address in the place of a range, as a reference if it leads to a page. */
async function put(view, volume, address, from, to) {
  const words = view.state.doc.sliceString(from, to);
  const query = new URLSearchParams({ address: new URL(address, location.href).href });
  const answer = await fetch(`/-/refer/${encodeURIComponent(volume)}?${query}`).catch(() => null);
  const found = answer?.ok ? await answer.json() : { insert: null };
  const insert = found.insert ? `[[${found.insert}${words ? `|${words}` : ""}]]` : address;
  if (view.state.doc.sliceString(from, to) !== words) return;
  view.dispatch({ changes: { from, to, insert }, selection: { anchor: from + insert.length }, userEvent: "input.paste" });
  view.focus();
}
