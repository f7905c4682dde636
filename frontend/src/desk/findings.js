// What is wrong with the text or could be better: listed under it, marked in it, mended in one key.
import { StateEffect, StateField } from "@codemirror/state";
import { Decoration, EditorView } from "@codemirror/view";
import { placer } from "./places.js";
import { post } from "./post.js";
import { reveal } from "./sections.js";

const KINDS = { unwritten: "text-ochre", problem: "problem", advice: "", style: "" };
const MOST_CORRECTED = 60;
const AT_ONCE = 12;
const SHOWN_CORRECTIONS = 3;

const setMarks = StateEffect.define();
const marks = StateField.define({
  create: () => Decoration.none,
  update(found, transaction) {
    let now = found.map(transaction.changes);
    for (const effect of transaction.effects) if (effect.is(setMarks)) now = effect.value;
    return now;
  },
  provide: (field) => EditorView.decorations.from(field),
});

const LONG = 60;

const underline = (each) => {
  const sort = each.to - each.from > LONG ? "long" : each.kind;
  return Decoration.mark({ class: `cm-found cm-found-${sort}`, attributes: { title: each.message } }).range(each.from, each.to);
};

const counted = (number, one, more) => `${number} ${number === 1 ? one : more}`;

/** `parts` go into the desk, `extension` into the editor; `on` binds both, `found` takes what the server found in a
 * text, `moved` what became of the text since. */
export function findingList() {
  let view = null;
  let form = null;
  let list = [];
  // Corrections by word, as far as they were asked for.
  const corrected = new Map();

  const stillThere = (each) => view.state.sliceDoc(each.from, each.to) === each.typed;

  const mendsOf = (each) => {
    const known = (corrected.get(each.word) ?? []).slice(0, SHOWN_CORRECTIONS);
    const corrections = known.map((word) => ({ words: `“${word}”`, edits: [[each.from, each.to, word]] }));
    return [...corrections, ...each.mends];
  };

  const shown = () =>
    list.map((each, id) => ({
      id,
      css: KINDS[each.kind],
      message: each.message,
      where: `line ${each.line}`,
      mends: mendsOf(each).map((mend, n) => ({ id: `${id}-${n}`, finding: id, n, words: mend.words })),
    }));

  const ask = async (parts) => {
    const words = [...new Set(list.map((each) => each.word))].filter((word) => word && !corrected.has(word));
    for (let n = 0; n < Math.min(words.length, MOST_CORRECTED); n += AT_ONCE) {
      const some = words.slice(n, n + AT_ONCE);
      for (const word of some) corrected.set(word, []);
      const answer = await post(form.dataset.corrections, { words: some.join("\n") }, form).catch(() => null);
      if (!answer?.ok) return;
      for (const word of some) corrected.set(word, answer.said[word] ?? []);
      parts.findings = shown();
    }
  };

  const parts = {
    findings: [],
    unfolded: false,
    get hasFindings() {
      return this.findings.length > 0;
    },
    findingsWords: "",
    unfold() {
      this.unfolded = !this.unfolded;
    },
    nextFinding() {
      if (!list.length) return;
      this.unfolded = true;
      const here = view.state.selection.main.head;
      const next = list.find((each) => each.from > here) ?? list[0];
      this.goToFinding(list.indexOf(next));
    },
    goToFinding(id) {
      const at = list[id]?.from;
      if (at === undefined) return;
      reveal(view, at);
      view.dispatch({ selection: { anchor: at }, scrollIntoView: true });
      view.focus();
    },
    // The first mend of the finding at the caret, or of the first one on its line.
    mendHere() {
      const { doc, selection } = view.state;
      const here = selection.main.head;
      const line = doc.lineAt(here);
      const able = list.filter((each) => mendsOf(each).length && each.from <= line.to && each.to >= line.from);
      const at = able.filter((each) => each.from <= here && here <= each.to);
      // The innermost one, where a word stands in a sentence that is too long.
      at.sort((one, other) => one.to - one.from - (other.to - other.from));
      const found = at[0] ?? able[0];
      if (found) this.mend({ finding: list.indexOf(found), n: 0 });
    },
    mend({ finding, n }) {
      const each = list[finding];
      const mend = each && mendsOf(each)[n];
      if (!mend) return;
      if (mend.learn) this.learn(mend.learn);
      else if (mend.title) this.retitle(mend.title);
      else if (stillThere(each)) {
        reveal(view, each.from);
        const changes = mend.edits.map(([from, to, insert]) => ({ from, to, insert }));
        view.dispatch({ changes, scrollIntoView: true, userEvent: "input.mend" });
      }
      view.focus();
    },
    async learn([sort, word]) {
      const answer = await post(form.dataset.learn, { sort, word }, form).catch(() => null);
      if (answer?.ok) this.lookOver();
      else this.hint = answer?.said.message ?? "The server does not answer, so the word was not taken up.";
    },
    retitle(title) {
      const field = form.querySelector('input[name="title"]:not([type="hidden"])');
      if (field) {
        field.value = title;
        this.lookOver();
        return;
      }
      this.keepDraft();
      location.assign(`${form.dataset.rename}?${new URLSearchParams({ title })}`);
    },
  };

  return {
    parts,
    extension: marks,
    on(editor, desk) {
      view = editor;
      form = desk;
    },
    moved(changes) {
      for (const each of list) {
        each.from = changes.mapPos(each.from, 1);
        each.to = Math.max(each.from, changes.mapPos(each.to, -1));
        for (const mend of each.mends) {
          mend.edits = mend.edits.map(([from, to, words]) => [changes.mapPos(from, 1), changes.mapPos(to, -1), words]);
        }
      }
    },
    /** `found` belongs to `text`, which the editor holds. */
    found(desk, text, found) {
      const place = placer(text);
      list = found.map((each) => ({
        ...each,
        from: place(each.at),
        to: place(each.end),
        typed: text.slice(place(each.at), place(each.end)),
        mends: each.mends.map((mend) => ({
          ...mend,
          edits: mend.edits.map(([from, to, words]) => [place(from), place(to), words]),
        })),
      }));
      const number = (kind) => list.filter((each) => each.kind === kind).length;
      const said = [];
      if (number("unwritten")) said.push(`${number("unwritten")} unwritten`);
      if (number("problem")) said.push(counted(number("problem"), "problem", "problems"));
      if (number("advice")) said.push(`${number("advice")} to look at`);
      if (number("style")) said.push(`${number("style")} of house style`);
      desk.findingsWords = said.join(", ");
      desk.findings = shown();
      const ranges = list.filter((each) => each.kind !== "unwritten" && each.to > each.from).map(underline);
      view.dispatch({ effects: setMarks.of(Decoration.set(ranges, true)) });
      ask(desk);
    },
  };
}
