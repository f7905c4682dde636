// The editor: plain text with light colouring, references as what they are, completion of names.
import {
  acceptCompletion,
  autocompletion,
  closeBrackets,
  closeBracketsKeymap,
  completionKeymap,
  completionStatus,
} from "@codemirror/autocomplete";
import { defaultKeymap, history, historyKeymap } from "@codemirror/commands";
import { markdown, markdownLanguage } from "@codemirror/lang-markdown";
import { yamlFrontmatter } from "@codemirror/lang-yaml";
import { HighlightStyle, syntaxHighlighting, syntaxTree } from "@codemirror/language";
import { highlightSelectionMatches, searchKeymap } from "@codemirror/search";
import { Compartment, EditorState, Prec, Transaction } from "@codemirror/state";
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
import { LITERAL, files, sources, filings, listings, names as pageNames, people, sections, takingNames } from "./completion.js";
import { lettering, markupKeys } from "./markup.js";
import { ghosts } from "./ghosts.js";
import { pasting } from "./paste.js";
import { making } from "./references.js";
import { oneSection } from "./sections.js";
import { tableKeys } from "./tables.js";
import { words } from "./words.js";

// A target, up to `#`, `|` or the end; escapes count as one character.
const REFERENCE = /\[\[(=?)((?:\\[!-/:-@[-`{-~]|[^\\[\]|#\n])*)(#(?:\\[!-/:-@[-`{-~]|[^\\[\]|\n])*)?(\|(?:\\.|\[[^\]\n]*\]|[^\][\n])*)?\]\]/g;

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
  ".cm-tooltip-autocomplete .no-page-yet .cm-completionLabel": { color: "var(--ochre)" },
  ".cm-ghost": { color: "var(--slate)", opacity: "0.75", fontStyle: "italic" },
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

/** What brings a place of the text into sight. */
export const inSight = (at) => EditorView.scrollIntoView(at, { y: "nearest", yMargin: 24 });

/** When something takes room from the editor, the caret stays in sight if it was. */
const caretInSight = ViewPlugin.fromClass(
  class {
    constructor(view) {
      let height = view.scrollDOM.clientHeight;
      this.observer = new ResizeObserver(() => {
        const before = height;
        height = view.scrollDOM.clientHeight;
        if (!view.hasFocus || height >= before) return;
        const head = view.state.selection.main.head;
        const top = view.scrollDOM.getBoundingClientRect().top;
        const caret = view.coordsAtPos(head);
        if (caret && caret.bottom - top <= before) {
          requestAnimationFrame(() => view.dispatch({ effects: inSight(head) }));
        }
      });
      this.observer.observe(view.scrollDOM);
    }
    destroy() {
      this.observer.disconnect();
    }
  },
);

const WRAPPING = /^[([{'"`*_]$/;

/** Text that is typed over a selection: that goes first. Browsers would exchange it in a way of their own, with styles
 * that the page's policy forbids. */
function emptied(event, view) {
  const typed = event.key.length === 1 && !event.ctrlKey && !event.metaKey && !event.altKey && !event.isComposing;
  if (!typed || event.defaultPrevented || WRAPPING.test(event.key) || view.state.selection.main.empty) return;
  view.dispatch({ ...view.state.replaceSelection(""), userEvent: "input.type" });
}

// ---- all together ------------------------------------------------------------------

const KEPT_BY_US = new Set(["Mod-Enter"]);
const undoing = new Compartment();

/** Another text in the place of all there is: undoing never goes behind it. */
export function load(view, text) {
  const changes = { from: 0, to: view.state.doc.length, insert: text };
  view.dispatch({ changes, annotations: Transaction.addToHistory.of(false) });
  view.dispatch({ effects: undoing.reconfigure([]) });
  view.dispatch({ effects: undoing.reconfigure(history()) });
}

/** An editor in `parent`; `changed` is called after each change of the text, `caretMoved` whenever the caret may be
 * somewhere else. */
export function editor({ text, parent, nonce, volume, names, findings, bringing, spelling, language, changed, caretMoved, html, keys }) {
  return new EditorView({
    parent,
    state: EditorState.create({
      doc: text,
      extensions: [
        EditorView.cspNonce.of(nonce),
        Prec.highest(keymap.of(keys)),
        Prec.highest(keymap.of([{ key: "Tab", run: acceptCompletion }])),
        // Behind the fields of a snippet, before what Tab does elsewhere.
        Prec.high(keymap.of([...tableKeys, ...markupKeys])),
        lineNumbers(),
        undoing.of(history()),
        drawSelection(),
        highlightActiveLine(),
        highlightSelectionMatches(),
        EditorView.lineWrapping,
        EditorView.contentAttributes.of({ spellcheck: String(!spelling), ...(language && { lang: language }), tabindex: "0", "aria-label": "Text of the page" }),
        yamlFrontmatter({ content: markdown({ base: markdownLanguage, completeHTMLTags: false, addKeymap: true }) }),
        syntaxHighlighting(style),
        closeBrackets(),
        autocompletion({ override: [pageNames(volume), sections(volume), filings(volume), listings(volume), people(), files(volume), sources(), words(volume)], icons: false, activateOnTypingDelay: 10, optionClass: (each) => (each.type === "unwritten" ? "no-page-yet" : "") }),
        references(names),
        findings,
        oneSection,
        ghosts,
        // Before what closes brackets, and what makes a link of any pasted address.
        Prec.high(bringing),
        Prec.high(making(names, volume)),
        Prec.high(takingNames),
        Prec.high(lettering),
        Prec.high(pasting(html, volume)),
        caretInSight,
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
            emptied(event, view);
            if (event.key === "Escape" && completionStatus(view.state) === "active") event.stopPropagation();
            return false;
          },
        }),
      ],
    }),
  });
}
