// The insert under the caret as a form beside the text: a field for each slot, which changes the value where it is
// typed. Also the list to choose from for those who would rather not type an insert.
import { toChoose } from "./completion.js";
import { points, units } from "./places.js";
import { post } from "./post.js";

const LOOK_WAIT = 120;

/** Whether the caret may stand in an insert: brackets are open before it and closed behind. */
function mayHold(text, at) {
  const open = text.lastIndexOf("[[=", at - 1);
  return open >= 0 && open < at && text.indexOf("]]", Math.max(at - 1, open)) >= 0 && at - open < 20000;
}

/** Words as they are typed for a value: what would end it, or begin another one, is escaped. */
export function asValue(words) {
  const open = [];
  const lone = [];
  for (const { 0: bracket, index } of words.matchAll(/\\.|\[\[|\]\]/gs)) {
    if (bracket === "[[") open.push(index);
    else if (bracket === "]]" && open.pop() === undefined) lone.push(index);
  }
  let typed = words;
  for (const at of [...open, ...lone].sort((a, b) => b - a)) {
    typed = `${typed.slice(0, at)}\\${typed[at]}\\${typed[at + 1]}${typed.slice(at + 2)}`;
  }
  return typed.replace(/(`[^`]*`)|(?<!\\)\|(?=\s*[\w-]+:(?:\s|$))/g, (found, code) => code ?? "\\|");
}

/** `parts` go into the desk; `on` binds it to an editor, `moved` tells it what became of the text. */
export function insertForm() {
  let view = null;
  let form = null;
  let asked = 0;
  let lookTimer = 0;
  let places = [];
  let end = 0;
  let lines = false;

  const map = (changes) => {
    for (const each of places) {
      // What is typed at the edges of a value belongs to it.
      if (each.span) each.span = [changes.mapPos(each.span[0], -1), changes.mapPos(each.span[1], 1)];
      if (each.whole) each.whole = [changes.mapPos(each.whole[0], 1), changes.mapPos(each.whole[1], 1)];
    }
    end = changes.mapPos(end, 1);
  };

  const parts = {
    choosing: false,
    choices: [],
    nothingFound: false,
    hasInsert: false,
    insertTitle: "",
    insertHref: "",
    insertIndex: 0,
    insertFaults: [],
    insertSlots: [],
    get insertUnwritten() {
      return !this.insertHref;
    },
    get canInline() {
      return Boolean(this.insertHref && form?.dataset.inline);
    },
    get hasSlots() {
      return this.insertSlots.length > 0;
    },
    async lookAtCaret() {
      const mine = ++asked;
      // While a value is typed in the form, its places are kept in step here.
      if (document.activeElement?.closest(".insert-form")) return;
      const text = view.state.doc.toString();
      const at = view.state.selection.main.head;
      if (!mayHold(text, at)) {
        this.hasInsert = false;
        return;
      }
      const answer = await post(form.dataset.insertAt, { text, at: points(text, at) }, form).catch(() => null);
      if (mine !== asked || !answer?.ok || view.state.doc.toString() !== text) return;
      this.showInsert(answer.said.insert, text);
    },
    showInsert(found, text) {
      this.hasInsert = Boolean(found);
      if (!found) return;
      const both = (span) => span && span.map((each) => units(text, each));
      end = units(text, found.end);
      lines = found.lines;
      places = found.fields.map((each) => ({ name: each.name, span: both(each.span), whole: both(each.whole) }));
      this.insertTitle = found.title;
      this.insertHref = found.href ?? "";
      this.insertIndex = found.index;
      this.insertFaults = found.faults;
      this.insertSlots = found.fields.map((each, nth) => ({
        nth,
        id: `slot-${nth}`,
        name: each.name,
        help: each.help,
        hint: each.hint ? (each.has_default ? each.hint : `such as ${each.hint}`) : "",
        wanting: each.required && !each.has_default && !each.value,
        words: each.value ?? "",
        rows: Math.min(6, (each.value ?? "").split("\n").length),
      }));
    },
    // The words of a field where the text has them; without words the value goes, so that the default counts.
    give(slot) {
      const place = places[slot.nth];
      const words = asValue(slot.words);
      let change;
      // Behind the name of a slot that has no value yet there may be no space, and one is needed.
      const bare = place.span && place.span[0] === place.span[1] && view.state.doc.sliceString(place.span[0] - 1, place.span[0]) === ":";
      if (bare && words) {
        const next = view.state.doc.sliceString(place.span[0], place.span[0] + 1);
        place.span = place.span.map((each) => each + (next === " " ? 1 : 0));
        change = { from: place.span[0], insert: next === " " ? words : ` ${words}` };
        if (next !== " ") place.span = place.span.map((each) => each + 1);
      } else if (place.span && words) change = { from: place.span[0], to: place.span[1], insert: words };
      else if (place.span) change = taken(view.state.doc, place.whole);
      else if (words) change = added(view.state.doc, place.name, words);
      else return;
      const before = change.from;
      view.dispatch({ changes: change });
      if (!words) {
        place.span = place.whole = null;
      } else if (place.span) {
        const start = before + change.insert.length - words.length;
        place.span = [start, start + words.length];
      } else {
        const start = before + change.insert.indexOf(words, change.insert.indexOf(":"));
        place.span = [start, start + words.length];
        place.whole = [before + change.insert.indexOf("|"), end];
      }
      slot.rows = Math.min(6, words.split("\n").length);
      slot.wanting = slot.wanting && !words;
    },
    leftForm() {
      setTimeout(() => this.lookAtCaret(), 30);
    },
    async choose() {
      this.choosing = !this.choosing;
      if (!this.choosing) return;
      this.hasInsert = false;
      this.$refs.wanted.value = "";
      setTimeout(() => this.$refs.wanted.focus(), 30);
      await this.find("");
    },
    lookUp() {
      clearTimeout(lookTimer);
      lookTimer = setTimeout(() => this.find(this.$refs.wanted.value), LOOK_WAIT);
    },
    async find(typed) {
      const found = await toChoose(typed, form.dataset.volume);
      const slots = (each) => each.slots.map((slot) => slot.name).join(", ");
      this.choices = found.map((each) => ({ ...each, said: [each.place, slots(each)].filter(Boolean).join(" · ") }));
      this.nothingFound = found.length === 0;
    },
    dismiss() {
      this.choosing = false;
      view.focus();
    },
  };

  function taken(doc, [from, to]) {
    const last = doc.sliceString(to, to + 2) === "]]" && doc.sliceString(from - 1, from) === " ";
    return { from: last ? from - 1 : from, to, insert: "" };
  }

  function added(doc, name, words) {
    const before = doc.sliceString(Math.max(0, end - 1), end);
    if (lines) return { from: end, insert: `${before === "\n" ? "" : "\n"}| ${name}: ${words}\n` };
    return { from: end, insert: ` | ${name}: ${words}` };
  }

  return {
    parts,
    on(editor, element) {
      view = editor;
      form = element;
    },
    moved(changes) {
      map(changes);
    },
  };
}
