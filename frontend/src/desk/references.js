// References made without typing them: brackets around a selection, a dragged page, a pasted address of this wiki.
import { at } from "../address.js";
import { startCompletion } from "@codemirror/autocomplete";
import { EditorView } from "@codemirror/view";
import { matchingNames } from "./completion.js";
import { post } from "./post.js";

const ADDRESS = /^\s*(?:<)?((?:https?:\/\/|\/)[^\s<>]+)(?:>)?\s*$/;

/** Brackets around the selection, or an empty pair with the names to choose from. If the selection is no name, the
 * page that matches best becomes the target, and the words the label. */
export async function insertReference(view, names, volume) {
  const { from, to } = view.state.selection.main;
  const around = enclosing(view.state, from, to);
  if (around) {
    // There is one already: its name is chosen anew.
    view.dispatch({ selection: { anchor: around.from, head: around.to } });
    view.focus();
    startCompletion(view);
    return;
  }
  const words = view.state.doc.sliceString(from, to);
  const caret = from + 2 + words.length;
  view.dispatch({ changes: { from, to, insert: `[[${words}]]` }, selection: { anchor: caret } });
  view.focus();
  if (words.trim() && !words.includes("\n")) await aim(view, names, volume, from, words);
  else startCompletion(view);
}

const LONGEST = 2000;

/** The name in the innermost brackets in which a range begins or ends, or which it holds; null if there are none. */
export function enclosing(state, from, to) {
  const held = state.sliceDoc(from, to).indexOf("[[");
  for (const at of [from, to, ...(held < 0 ? [] : [from + held + 2])]) {
    const start = Math.max(0, at - LONGEST);
    const opened = state.sliceDoc(start, at + 1).lastIndexOf("[[");
    if (opened < 0 || state.sliceDoc(start + opened, at).includes("]]")) continue;
    const inside = start + opened + 2;
    const rest = state.sliceDoc(inside, inside + LONGEST);
    const closed = rest.indexOf("]]");
    const name = /^(=?)((?:\\.|[^[\]|#\n\\])*)/.exec(rest);
    if (closed < 0 || rest.slice(0, closed).includes("\n\n")) continue;
    return { from: inside + name[1].length, to: inside + name[1].length + name[2].trimEnd().length };
  }
  return null;
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
  return url?.origin === location.origin && url.pathname.split("/").length > 2;
}

/** What addresses of this wiki are in a volume, by address: `{insert, words, file}`; others are left out. */
export async function referred(volume, addresses) {
  const ours = [...new Set(addresses)].filter(isOurs).map((each) => new URL(each, location.href).href);
  if (!ours.length) return new Map();
  const form = document.getElementById("desk");
  const answer = await post(at(`/-/refer/${encodeURIComponent(volume)}`), { addresses: ours.join("\n") }, form).catch(() => null);
  return new Map(answer?.ok ? Object.entries(answer.said) : []);
}

/** A reference as it is typed; words that it shows anyway need no label. */
export function bracketed({ insert, words }, label) {
  const bare = label.trim().replace(/[[\]\n]/g, " ").replace(/ +/g, " ");
  // Capitals make no difference to a name.
  if (bare.toLowerCase() === insert.toLowerCase()) return `[[${bare}]]`;
  return bare && bare !== words ? `[[${insert}|${bare}]]` : `[[${insert}]]`;
}

/** An address in the place of a range, as a reference if it leads to a page. */
async function put(view, volume, address, from, to) {
  const words = view.state.doc.sliceString(from, to);
  const [found] = (await referred(volume, [address])).values();
  const insert = !found ? address : found.file ? `[${words || found.words}](${found.insert})` : bracketed(found, words);
  if (view.state.doc.sliceString(from, to) !== words) return;
  view.dispatch({ changes: { from, to, insert }, selection: { anchor: from + insert.length }, userEvent: "input.paste" });
  view.focus();
}
