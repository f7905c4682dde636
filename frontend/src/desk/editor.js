// The editor: plain text with light colouring, references as what they are, completion of names.
import {
  acceptCompletion,
  autocompletion,
  closeBrackets,
  closeBracketsKeymap,
  completionKeymap,
  completionStatus,
  snippet,
  startCompletion,
} from "@codemirror/autocomplete";
import { defaultKeymap, history, historyKeymap } from "@codemirror/commands";
import { markdown, markdownLanguage } from "@codemirror/lang-markdown";
import { yamlFrontmatter } from "@codemirror/lang-yaml";
import { HighlightStyle, syntaxHighlighting, syntaxTree } from "@codemirror/language";
import { highlightSelectionMatches, searchKeymap } from "@codemirror/search";
import { EditorState, Prec } from "@codemirror/state";
import {
  Decoration,
  EditorView,
  ViewPlugin,
  drawSelection,
  highlightActiveLine,
  keymap,
  lineNumbers,
} from "@codemirror/view";
import { tags } from "@lezer/highlight";
import { visited } from "../lately.js";

// A target, up to `#`, `|` or the end; escapes count as one character.
const REFERENCE = /\[\[(=?)((?:\\[!-/:-@[-`{-~]|[^\\[\]|#\n])*)(#(?:\\[!-/:-@[-`{-~]|[^\\[\]|\n])*)?(\|(?:\\.|\[[^\]\n]*\]|[^\][\n])*)?\]\]/g;
const LITERAL = /Code|HTML|Comment|URL|LinkReference|ProcessingInstruction/;

const style = HighlightStyle.define([
  { tag: tags.heading, fontWeight: "700" },
  { tag: tags.strong, fontWeight: "700" },
  { tag: tags.emphasis, fontStyle: "italic" },
  { tag: tags.strikethrough, textDecoration: "line-through" },
  { tag: tags.propertyName, color: "var(--slate)" },
  { tag: tags.monospace, color: "var(--slate)" },
  { tag: [tags.url, tags.link], color: "var(--slate)" },
  { tag: [tags.processingInstruction, tags.contentSeparator, tags.meta], color: "var(--slate)" },
]);

const theme = EditorView.theme({
  "&": { fontSize: "14px", color: "var(--ink)", height: "100%" },
  "&.cm-focused": { outline: "none" },
  ".cm-scroller": { fontFamily: "var(--font-mono)", lineHeight: "1.62" },
  ".cm-content": { padding: "14px 0", caretColor: "var(--pine)" },
  ".cm-line": { padding: "0 16px 0 4px" },
  ".cm-gutters": { background: "var(--editor)", color: "var(--number)", border: "0" },
  ".cm-lineNumbers .cm-gutterElement": { minWidth: "44px", padding: "0 14px 0 0" },
  ".cm-activeLine, .cm-activeLineGutter": { background: "color-mix(in srgb, var(--selection) 35%, transparent)" },
  ".cm-selectionBackground, &.cm-focused > .cm-scroller > .cm-selectionLayer .cm-selectionBackground": {
    background: "var(--selection)",
  },
  ".cm-cursor": { borderLeftColor: "var(--pine)", borderLeftWidth: "2px" },
  ".cm-tooltip": {
    border: "1px solid var(--leader)",
    borderRadius: "4px",
    background: "var(--paper)",
    boxShadow: "0 6px 20px #0b3b3326",
  },
  ".cm-tooltip.cm-tooltip-autocomplete > ul": { fontFamily: "var(--font-sans)", maxHeight: "300px", minWidth: "300px" },
  ".cm-tooltip.cm-tooltip-autocomplete > ul > li": { padding: "5px 10px", display: "flex", gap: "12px" },
  ".cm-tooltip.cm-tooltip-autocomplete > ul > li[aria-selected]": { background: "var(--selection)", color: "var(--ink)" },
  ".cm-completionLabel": { fontWeight: "600", flex: "1" },
  ".cm-completionDetail": { color: "var(--slate)", fontStyle: "normal", fontSize: "12.5px" },
  ".cm-completionMatchedText": { textDecoration: "none" },
  ".cm-panels": { background: "var(--panel)", color: "var(--ink)" },
});

// ---- references ------------------------------------------------------------

const written = Decoration.mark({ class: "cm-ref" });
const unwritten = Decoration.mark({ class: "cm-unwritten" });

function references(names) {
  const draw = (view) => {
    const marks = [];
    const tree = syntaxTree(view.state);
    for (const { from, to } of view.visibleRanges) {
      const start = view.state.doc.lineAt(from).from;
      const text = view.state.doc.sliceString(start, to);
      for (const found of text.matchAll(REFERENCE)) {
        const at = start + found.index;
        if (LITERAL.test(tree.resolveInner(at + 2, 1).name)) continue;
        const target = found[2].trim();
        const state = target ? names.state(target) : true;
        if (state === undefined) continue;
        marks.push((state ? written : unwritten).range(at, at + found[0].length));
      }
    }
    return Decoration.set(marks, true);
  };
  return ViewPlugin.fromClass(
    class {
      constructor(view) {
        this.decorations = draw(view);
      }
      update(update) {
        // An update without a change is the news that more names are known.
        this.decorations = draw(update.view);
      }
    },
    { decorations: (plugin) => plugin.decorations },
  );
}

/** What is typed as target of the reference under the caret; null if there is none. */
export function referenceAt(view) {
  const head = view.state.selection.main.head;
  const line = view.state.doc.lineAt(head);
  for (const found of line.text.matchAll(REFERENCE)) {
    const at = line.from + found.index;
    if (at <= head && head <= at + found[0].length && found[2].trim()) return found[2].trim();
  }
  return null;
}

/** Brackets around the selection, or an empty pair with the names to choose from. */
export function insertReference(view) {
  const { from, to } = view.state.selection.main;
  const words = view.state.doc.sliceString(from, to);
  const caret = from + 2 + words.length;
  view.dispatch({ changes: { from, to, insert: `[[${words}]]` }, selection: { anchor: caret } });
  view.focus();
  startCompletion(view);
}

// ---- completion of marks and categories ------------------------------------------

const MARK = /(?:^|[\s([{"'«“‘])#[\p{L}\p{N}_-]*$/u;
const MARKABLE = /^\p{L}[\p{L}\p{N} _-]*$/u;
const NAMED = /^(?:categories|gives|broader):\s*(?:\[(?:[^\]]*,)?\s*)?([^,[\]]*)$/;
const LISTED = /^\s*-\s+(.*)$/;

/** Categories of the volume: as marks in the text, by name in the front matter. */
function categories(volume) {
  let known = null;
  const all = async () => {
    known ??= fetch(`/-/category-names/${encodeURIComponent(volume)}`).then((answer) => (answer.ok ? answer.json() : []));
    return known.catch(() => []);
  };
  return async (context) => {
    const line = context.state.doc.lineAt(context.pos);
    const before = line.text.slice(0, context.pos - line.from);
    const front = inFront(context.state.doc, line.number);
    const named = front && (NAMED.exec(before) ?? (inList(context.state.doc, line.number) && LISTED.exec(before)));
    if (named) {
      const options = (await all()).map((each) => ({ label: each.name }));
      return { from: context.pos - named[1].length, options, validFor: /^[^,[\]]*$/ };
    }
    const mark = !front && MARK.exec(before);
    if (!mark || LITERAL.test(syntaxTree(context.state).resolveInner(context.pos, -1).name)) return null;
    const from = context.pos - mark[0].length + mark[0].indexOf("#") + 1;
    const words = (await all()).map((each) => each.name).filter((each) => MARKABLE.test(each));
    const options = words.map((each) => ({ label: each.toLowerCase().replace(/ +/g, "-"), detail: each }));
    return { from, options, validFor: /^[\p{L}\p{N}_-]*$/u };
  };
}

/** Whether a line stands in the front matter. */
function inFront(doc, number) {
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

// ---- completion of names --------------------------------------------------------

function completion(volume) {
  return async (context) => {
    const before = context.matchBefore(/\[\[=?[^[\]|#\n]*/);
    if (!before) return null;
    const insert = before.text.startsWith("[[=");
    const lead = insert ? 3 : 2;
    const typed = before.text.slice(lead);
    const some = () => (typed.trim() ? matching(typed, volume) : lately(volume));
    const options = await (insert ? toPutIn(typed, volume) : some());
    if (context.aborted) return null;
    return { from: before.from + lead, options, filter: false };
  };
}

function option(page, boost) {
  const apply = (view, _, from, to) => {
    const closed = view.state.doc.sliceString(to, to + 2) === "]]";
    const insert = closed ? page.insert : `${page.insert}]]`;
    view.dispatch({ changes: { from, to, insert }, selection: { anchor: from + page.insert.length + 2 } });
  };
  return { label: page.title, detail: page.place, apply, boost };
}

/** Pages to put in; the slots of a template are laid out, to go through with Tab. */
async function toPutIn(typed, volume) {
  return (await toChoose(typed, volume)).map((page, nth) => {
    const made = option(page, -nth);
    if (page.slots.length) {
      made.detail = [page.place, page.slots.map((slot) => slot.name).join(", ")].filter(Boolean).join(" · ");
      made.apply = (view, chosen, from, to) => {
        const closed = view.state.doc.sliceString(to, to + 2) === "]]";
        snippet(laidOut(page))(view, chosen, from, closed ? to + 2 : to);
      };
    }
    return made;
  });
}

/** What brings a place of the text into sight. */
export const scrolledTo = (at) => EditorView.scrollIntoView(at, { y: "nearest", yMargin: 24 });

/** Puts a page in at the selection, its slots laid out. */
export function laidIn(view, page) {
  const { from, to } = view.state.selection.main;
  if (page.slots.length) {
    snippet(`[[=${laidOut(page)}`)(view, null, from, to);
  } else {
    const insert = `[[=${page.insert}]]`;
    view.dispatch({ changes: { from, to, insert }, selection: { anchor: from + insert.length - 2 } });
  }
  view.focus();
}

/** What can be put in, by what is typed of its name. */
export async function toChoose(typed, volume) {
  const answer = await fetch(`/-/inserts?${new URLSearchParams({ typed, volume })}`).catch(() => null);
  return answer?.ok ? answer.json() : [];
}

/** One value beside the name, several on lines of their own. */
function laidOut({ insert, slots }) {
  const name = insert.replace(/[{}]/g, "\\$&");
  const field = (slot, nth) => `| ${slot.name}: \${${nth + 1}:${slot.hint.replace(/[{}\\\n]/g, " ")}}`;
  const fields = slots.map(field);
  return slots.length === 1 ? `${name} ${fields[0]}]]` : `${name}\n${fields.join("\n")}\n]]`;
}

function lately(volume) {
  const here = document.getElementById("desk").dataset.key;
  return visited()
    .filter((page) => !(page.volume === volume && page.href.endsWith(`/${here}`)))
    .map((page, nth) => {
      const title = page.title.replace(/[\\#|[\]/$`<]/g, "\\$&");
      const insert = page.volume === volume ? title : `${page.volumeTitle}/${title}`;
      return option({ title: page.title, place: `${page.number || page.volumeTitle} · lately`, insert }, -nth);
    });
}

async function matching(typed, volume) {
  const query = new URLSearchParams({ typed, volume, all: "1" });
  const answer = await fetch(`/-/names?${query}`).catch(() => null);
  if (!answer?.ok) return [];
  return (await answer.json()).map((page, nth) => option(page, -nth));
}

// ---- all together ------------------------------------------------------------------

const KEPT_BY_US = new Set(["Mod-Enter"]);

/** An editor in `parent`; `changed` is called after each change of the text, `caretMoved` whenever the caret may be
 * somewhere else. */
export function editor({ text, parent, nonce, volume, names, changed, caretMoved, keys }) {
  return new EditorView({
    parent,
    state: EditorState.create({
      doc: text,
      extensions: [
        EditorView.cspNonce.of(nonce),
        Prec.highest(keymap.of(keys)),
        Prec.highest(keymap.of([{ key: "Tab", run: acceptCompletion }])),
        lineNumbers(),
        history(),
        drawSelection(),
        highlightActiveLine(),
        highlightSelectionMatches(),
        EditorView.lineWrapping,
        EditorView.contentAttributes.of({ spellcheck: "true", "aria-label": "Text of the page" }),
        yamlFrontmatter({ content: markdown({ base: markdownLanguage, completeHTMLTags: false, addKeymap: true }) }),
        syntaxHighlighting(style),
        closeBrackets(),
        autocompletion({ override: [completion(volume), categories(volume)], icons: false, activateOnTypingDelay: 40 }),
        references(names),
        theme,
        keymap.of([
          ...closeBracketsKeymap,
          ...completionKeymap,
          ...searchKeymap,
          ...historyKeymap,
          ...defaultKeymap.filter((binding) => !KEPT_BY_US.has(binding.key)),
        ]),
        EditorView.updateListener.of((update) => {
          if (update.docChanged) changed(update.changes);
          if (update.docChanged || update.selectionSet) caretMoved();
        }),
        EditorView.domEventHandlers({
          // Escape that closes a list of names is not one of the two that leave the desk.
          keydown: (event, view) => {
            if (event.key === "Escape" && completionStatus(view.state) === "active") event.stopPropagation();
            return false;
          },
        }),
      ],
    }),
  });
}
