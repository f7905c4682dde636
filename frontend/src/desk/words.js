// Words that go on with what is typed: of this page, of the volume, of its dictionary. On a key (Ctrl Space), and by
// itself from four letters on for whoever turns that on.
import { at } from "../address.js";
import { syntaxTree } from "@codemirror/language";
import { LITERAL } from "./completion.js";

const KEPT = "mokuji words";
const BY_ITSELF_FROM = 4;
const WORD = /[\p{L}][\p{L}-]*$/u;
const EVERY = /\p{L}[\p{L}-]{2,40}/gu;

/** Whether words are offered by themselves. */
export function isOn() {
  try {
    return localStorage.getItem(KEPT) === "on";
  } catch {
    return false;
  }
}

/** Turns that on or off; what it is then. */
export function turn() {
  const on = !isOn();
  try {
    localStorage.setItem(KEPT, on ? "on" : "off");
  } catch {
    // Without storage they stay off.
  }
  return isOn();
}

function ofPage(state, typed) {
  const begun = typed.toLowerCase();
  const found = new Map();
  for (const [word] of state.doc.toString().matchAll(EVERY)) {
    if (word.length > typed.length + 1 && word.toLowerCase().startsWith(begun)) found.set(word, (found.get(word) ?? 0) + 1);
  }
  return [...found].sort((a, b) => b[1] - a[1]).slice(0, 8).map(([word]) => word);
}

/** What goes on with a word; a capital at its beginning stays one. */
export function words(volume) {
  return async (context) => {
    const before = context.matchBefore(WORD);
    const letters = before?.text.length ?? 0;
    if (letters < 2 || (!context.explicit && !(isOn() && letters >= BY_ITSELF_FROM))) return null;
    const line = context.state.doc.lineAt(context.pos);
    // Between brackets names are offered, and not words.
    if (/\[\[[^\]]*$/.test(line.text.slice(0, context.pos - line.from))) return null;
    if (LITERAL.test(syntaxTree(context.state).resolveInner(context.pos, -1).name)) return null;
    const typed = before.text;
    const here = ofPage(context.state, typed);
    const query = new URLSearchParams({ typed: typed.replace(/-.*$/, "") });
    const answer = await fetch(at(`/-/words/${encodeURIComponent(volume)}?${query}`)).catch(() => null);
    const more = answer?.ok ? await answer.json() : [];
    if (context.aborted) return null;
    const capital = /^\p{Lu}/u.test(typed);
    const rows = new Map();
    for (const [word, detail] of [...here.map((each) => [each, "this page"]), ...more.map((each) => [each.word, each.here ? "this volume" : "dictionary"])]) {
      const label = capital ? word[0].toUpperCase() + word.slice(1) : word;
      if (label.toLowerCase().startsWith(typed.toLowerCase()) && !rows.has(label.toLowerCase())) rows.set(label.toLowerCase(), { label, detail });
    }
    const options = [...rows.values()].map((each, nth) => ({ ...each, boost: -nth }));
    return options.length ? { from: before.from, options, filter: false } : null;
  };
}
