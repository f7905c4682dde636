// What is offered while somebody types: names and sections between brackets, templates, marks, categories and keys of
// the front matter, people.
import { at } from "../address.js";
import { closeCompletion, completionStatus, selectedCompletion, snippet } from "@codemirror/autocomplete";
import { syntaxTree } from "@codemirror/language";
import { EditorView } from "@codemirror/view";
import { visited } from "../lately.js";
import { hauntSlots } from "./ghosts.js";
import { headings } from "./sections.js";

export const LITERAL = /Code|HTML|Comment|URL|LinkReference|ProcessingInstruction/;

/** What the server answers as JSON; an empty list if it does not. */
async function asked(path, query) {
  const answer = await fetch(`${path}?${new URLSearchParams(query)}`).catch(() => null);
  return answer?.ok ? answer.json() : [];
}

const literal = (context) => LITERAL.test(syntaxTree(context.state).resolveInner(context.pos, -1).name);

// ---- names between brackets ------------------------------------------------------

/** Pages by name: lately visited ones first, then by match. */
export function names(volume) {
  return async (context) => {
    const before = context.matchBefore(/\[\[=?[^[\]|#\n]*/);
    if (!before) return null;
    const insert = before.text.startsWith("[[=");
    const lead = insert ? 3 : 2;
    const typed = before.text.slice(lead);
    const options = await (insert ? toPutIn(typed, volume) : toLeadTo(typed.trim(), volume));
    if (context.aborted) return null;
    return { from: before.from + lead, options, filter: false };
  };
}

/** One who is sure of the name that is highlighted goes on to its label: “|” takes it. */
export const takingNames = EditorView.inputHandler.of((view, from, to, text) => {
  const chosen = text === "|" && from === to && completionStatus(view.state) === "active" && selectedCompletion(view.state);
  if (!chosen?.target) return false;
  const line = view.state.doc.lineAt(from);
  const typed = /\[\[=?([^[\]|#\n]+)$/.exec(view.state.sliceDoc(line.from, from));
  if (!typed?.[1].trim()) return false;
  const closed = view.state.sliceDoc(from, from + 2) === "]]";
  const start = from - typed[1].length;
  const insert = `${chosen.target}|${closed ? "" : "]]"}`;
  const selection = { anchor: start + chosen.target.length + 1 };
  view.dispatch({ changes: { from: start, to: from, insert }, selection, userEvent: "input.complete" });
  closeCompletion(view);
  return true;
});

function option(page, boost) {
  const apply = (view, _, from, to) => {
    const closed = view.state.doc.sliceString(to, to + 2) === "]]";
    const insert = closed ? page.insert : `${page.insert}]]`;
    view.dispatch({ changes: { from, to, insert }, selection: { anchor: from + page.insert.length + 2 } });
  };
  // What only looks alike is not taken by going on.
  const target = page.near ? undefined : page.insert;
  const type = page.written === false ? "unwritten" : "page";
  return { label: page.title, detail: page.place, info: page.about || undefined, apply, boost, target, type };
}

async function toLeadTo(typed, volume) {
  const seen = lately(volume).filter((page) => page.title.toLowerCase().includes(typed.toLowerCase()));
  const found = typed ? await matchingNames(typed, volume) : [];
  const about = new Map(found.map((page) => [page.insert, page.about]));
  const rest = found.filter((page) => !seen.some((other) => other.insert === page.insert));
  const first = seen.map((page) => ({ ...page, about: about.get(page.insert) }));
  // Just what is typed stands first, lately visited or not.
  const same = (page) => page.title.toLowerCase() === typed.toLowerCase();
  const rows = [...first, ...rest];
  return [...rows.filter(same), ...rows.filter((page) => !same(page))].map((page, nth) => option(page, -nth));
}

function lately(volume) {
  const here = document.getElementById("desk").dataset.key;
  return visited()
    .filter((page) => !(page.volume === volume && page.href.endsWith(`/${here}`)))
    .map((page) => {
      const title = page.title.replace(/[\\#|[\]/$`<]/g, "\\$&");
      const insert = page.volume === volume ? title : `${page.volumeTitle}/${title}`;
      const place = page.volume === volume ? page.number : page.volumeTitle;
      return { title: page.title, place: [place, "lately"].filter(Boolean).join(" · "), insert };
    });
}

/** Pages whose name matches: `{title, place, insert, about}`, the likeliest first. */
export const matchingNames = (typed, volume) => asked(at("/-/names"), { typed, volume, all: "1" });

// ---- inserts ----------------------------------------------------------------------

/** Pages to put in; the slots of a template are laid out, to go through with Tab. */
async function toPutIn(typed, volume) {
  return (await toChoose(typed, volume)).map((page, nth) => {
    const made = option(page, -nth);
    if (page.slots.length) {
      made.detail = [page.place, page.slots.map((slot) => slot.name).join(", ")].filter(Boolean).join(" · ");
      made.apply = (view, chosen, from, to) => {
        const closed = view.state.doc.sliceString(to, to + 2) === "]]";
        snippet(laidOut(page))(view, chosen, from, closed ? to + 2 : to);
        hauntSlots(view, from, page.slots);
      };
    }
    return made;
  });
}

/** Puts a page in at the selection, its slots laid out. */
export function laidIn(view, page) {
  const { from, to } = view.state.selection.main;
  if (page.slots.length) {
    snippet(`[[=${laidOut(page)}`)(view, null, from, to);
    hauntSlots(view, from, page.slots);
  } else {
    const insert = `[[=${page.insert}]]`;
    view.dispatch({ changes: { from, to, insert }, selection: { anchor: from + insert.length - 2 } });
  }
  view.focus();
}

/** What can be put in, by what is typed of its name. */
export const toChoose = (typed, volume) => asked(at("/-/inserts"), { typed, volume });

/** One value beside the name, several on lines of their own; what may be typed there is a ghost, no value. */
function laidOut({ insert, slots }) {
  const name = insert.replace(/[{}]/g, "\\$&");
  const field = (slot, nth) => `| ${slot.name}: \${${nth + 1}}`;
  const fields = slots.map(field);
  return slots.length === 1 ? `${name} ${fields[0]}]]` : `${name}\n${fields.join("\n")}\n]]`;
}

// ---- sections ---------------------------------------------------------------------

/** The sections of the page that is named, behind `#`; those of this page if none is. */
export function sections(volume) {
  return async (context) => {
    const before = context.matchBefore(/\[\[=?(?:\\.|[^[\]|#\n\\])*#[^[\]|\n]*/);
    if (!before) return null;
    const found = /^\[\[(=?)((?:\\.|[^#\\])*)#(.*)$/s.exec(before.text);
    if (!found) return null;
    const own = !found[2].trim();
    const list = own
      ? ownSections(context.state)
      : await asked(at(`/-/sections/${encodeURIComponent(volume)}`), { typed: found[2].trim(), insert: found[1] ? "1" : "0" });
    if (context.aborted || !list.length) return null;
    const options = list.map((each, nth) => ({
      label: each.words,
      detail: each.level ? "§".repeat(Math.max(1, each.level - 1)) : "part",
      boost: -nth,
      apply: (view, _, from, to) => {
        const closed = view.state.doc.sliceString(to, to + 2) === "]]";
        const insert = closed ? each.insert : `${each.insert}]]`;
        view.dispatch({ changes: { from, to, insert }, selection: { anchor: from + each.insert.length + 2 } });
      },
    }));
    return { from: context.pos - found[3].length, options, validFor: /^[^[\]|\n]*$/ };
  };
}

function ownSections(state) {
  return headings(state)
    .filter((each) => each.words)
    .map(({ words, level, id }) => ({ words, level, insert: id ?? words.replace(/[\\|[\]$`<]/g, "\\$&") }));
}

// ---- marks, categories, keys of the front matter --------------------------------------

const MARK = /(?:^|[\s([{"'«“‘])#[\p{L}\p{N}_-]*$/u;
const MARKABLE = /^\p{L}[\p{L}\p{N} _-]*$/u;
const NAMED = /^(?:categories|gives|broader):\s*(?:\[(?:[^\]]*,)?\s*)?([^,[\]]*)$/;
const LISTED = /^\s*-\s+(.*)$/;
const KEYS = [
  ["aliases", "other names of the page", "aliases: []"],
  ["broader", "of a category: wider ones", "broader: []"],
  ["categories", "files the page", "categories: []"],
  ["contents", "where its headings are listed: margin, top or none", "contents: top"],
  ["gives", "of a template: files the pages that put it in", "gives: []"],
  ["pattern", "new pages can begin with this one", "pattern: true"],
  ["slots", "of a template: what it takes", "slots:\n  name: {required: true, help: , example: }"],
  ["status", "such as draft or final", "status: draft"],
  ["summary", "one sentence that says what the page is", "summary: "],
  ["template", "a template without slots", "template: true"],
  ["terms", "words that the page explains", "terms: []"],
];

/** Categories of the volume: as marks in the text, by name in the front matter; and the keys that it knows. */
export function filings(volume) {
  let known = null;
  const all = () => (known ??= asked(at(`/-/category-names/${encodeURIComponent(volume)}`), {}));
  return async (context) => {
    const line = context.state.doc.lineAt(context.pos);
    const before = line.text.slice(0, context.pos - line.from);
    const front = inFront(context.state.doc, line.number);
    const named = front && (NAMED.exec(before) ?? (inList(context.state.doc, line.number) && LISTED.exec(before)));
    if (named) {
      const options = (await all()).map((each) => ({ label: each.name }));
      return { from: context.pos - named[1].length, options, validFor: /^[^,[\]]*$/ };
    }
    if (front) return /^[a-z]+$/.test(before) || (context.explicit && !before) ? keysFrom(line.from) : null;
    const mark = MARK.exec(before);
    if (!mark || literal(context)) return null;
    const from = context.pos - mark[0].length + mark[0].indexOf("#") + 1;
    const words = (await all()).map((each) => each.name).filter((each) => MARKABLE.test(each));
    const options = words.map((each) => ({ label: each.toLowerCase().replace(/ +/g, "-"), detail: each }));
    return { from, options, validFor: /^[\p{L}\p{N}_-]*$/u };
  };
}

const LIST_KEYS = [
  ["category", "pages filed under it; several: all of them"],
  ["show", "the fields that are columns"],
  ["sort", "title, changed or a field; -title the other way"],
  ["limit", "how many at most"],
  ["as", "table or list"],
  ["volume", "pages of another volume"],
];
const LIST_VALUES = { as: ["list", "table"], sort: ["title", "changed", "-title", "-changed"] };

/** What a list of pages takes, behind each bar of `[[=*`: keys, categories, and what some keys can say. */
export function listings(volume) {
  let known = null;
  return async (context) => {
    const typed = /\[\[=\*([^[\]]*)$/.exec(context.state.sliceDoc(Math.max(0, context.pos - 600), context.pos));
    if (!typed || !typed[1].includes("|") || literal(context)) return null;
    const [, key, value] = /^\s*(?:([a-z]+):\s*)?(.*)$/s.exec(typed[1].split("|").at(-1));
    const from = context.pos - value.length;
    if (!key) {
      if (!/^[a-z]*$/.test(value)) return null;
      const options = LIST_KEYS.map(([label, detail]) => ({ label, detail, apply: `${label}: ` }));
      return { from, options, validFor: /^[a-z]*$/ };
    }
    if (key === "category") {
      known ??= asked(at(`/-/category-names/${encodeURIComponent(volume)}`), {});
      return { from, options: (await known).map((each) => ({ label: each.name })), validFor: /^[^|[\]\n]*$/ };
    }
    return LIST_VALUES[key] ? { from, options: LIST_VALUES[key].map((label) => ({ label })), validFor: /^[-a-z]*$/ } : null;
  };
}

function keysFrom(from) {
  const options = KEYS.map(([label, detail, typed]) => {
    // The caret goes where the value is typed.
    const caret = typed.endsWith("[]") ? typed.length - 1 : typed.length;
    const apply = (view, _, start, end) =>
      view.dispatch({ changes: { from: start, to: end, insert: typed }, selection: { anchor: start + caret } });
    return { label, detail, apply };
  });
  return { from, options, validFor: /^[a-z]*$/ };
}

/** Whether a line stands in the front matter. */
export function inFront(doc, number) {
  if (number < 2 || doc.line(1).text.trim() !== "---") return false;
  for (let n = 2; n < number; n++) if (/^(?:---|\.\.\.)\s*$/.test(doc.line(n).text)) return false;
  return true;
}

/** Whether a line is an item of a list of categories. */
function inList(doc, number) {
  for (let n = number - 1; n > 1; n--) {
    const text = doc.line(n).text;
    if (!LISTED.test(text)) return /^(?:categories|gives|broader):\s*$/.test(text);
  }
  return false;
}

// ---- people -------------------------------------------------------------------------

/** People by handle or name, behind `@`. */
export function people() {
  let known = null;
  return async (context) => {
    const before = context.matchBefore(/(?:^|[\s(])@[\p{L}\p{N}_-]*$/u);
    if (!before || literal(context)) return null;
    known ??= asked(at("/-/people"), {});
    const from = before.from + before.text.indexOf("@") + 1;
    const options = (await known).map((each) => ({ label: each.handle, detail: each.name }));
    return options.length ? { from, options, validFor: /^[\p{L}\p{N}_-]*$/u } : null;
  };
}

/** Files of the volume: behind “![”, and between the parentheses of a link or picture. */
export function files(volume) {
  return async (context) => {
    const inside = context.matchBefore(/!?\[[^\]\n]*\]\([^()\s]*$/);
    const opened = inside ? null : context.matchBefore(/!\[[^[\]\n]*$/);
    const before = inside ?? opened;
    // The place of an address is literal as well, but for this.
    const node = syntaxTree(context.state).resolveInner(context.pos, -1).name;
    if (!before || /Code|HTML|Comment/.test(node)) return null;
    const typed = inside ? before.text.slice(before.text.lastIndexOf("(") + 1) : before.text.slice(2);
    if (/[:/]/.test(typed)) return null;
    const found = await asked(at(`/-/file-names/${encodeURIComponent(volume)}`), { typed });
    if (context.aborted || !found.length) return null;
    const options = found.map((each, nth) => ({
      label: each.name,
      detail: each.type.split(";")[0],
      boost: -nth,
      apply: (view, _, from, to) => {
        const rest = view.state.doc.sliceString(to, to + 1);
        const end = inside ? to + (rest === ")" ? 1 : 0) : to + (rest === "]" ? 1 : 0);
        const insert = inside ? `${each.destination})` : `](${each.destination})`;
        // Of a picture the description comes next.
        const anchor = inside ? from + insert.length : from;
        view.dispatch({ changes: { from, to: end, insert }, selection: { anchor } });
      },
    }));
    return { from: context.pos - typed.length, options, filter: false };
  };
}

/** Sources of the wiki: behind “[^”. */
export function sources() {
  return async (context) => {
    const before = context.matchBefore(/\[\^[^\s[\]^]*$/);
    if (!before || /Code|HTML|Comment/.test(syntaxTree(context.state).resolveInner(context.pos, -1).name)) return null;
    const found = await asked(at("/-/source-names"), { typed: before.text.slice(2) });
    if (context.aborted || !found.length) return null;
    const options = found.map((each, nth) => ({
      label: each.name,
      info: each.about,
      boost: -nth,
      apply: (view, _, from, to) => {
        const closed = view.state.doc.sliceString(to, to + 1) === "]";
        const insert = closed ? each.name : `${each.name}]`;
        view.dispatch({ changes: { from, to, insert }, selection: { anchor: from + each.name.length + 1 } });
      },
    }));
    return { from: before.from + 2, options, filter: false };
  };
}
