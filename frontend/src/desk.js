// The writing desk: the editor in place of the plain text field, preview, findings, drafts, saving.
import { at } from "./address.js";
import { snippet } from "@codemirror/autocomplete";
import { laidIn } from "./desk/completion.js";
import { bringing } from "./desk/bring.js";
import { drafts, fitsLeaving } from "./desk/drafts.js";
import { editor, inSight, load, referenceAt } from "./desk/editor.js";
import { findingList } from "./desk/findings.js";
import { insertForm } from "./desk/insert-form.js";
import { known } from "./desk/names.js";
import { around, bullets, heading, numbers, quote, tasks, tick } from "./desk/markup.js";
import { helpPanel } from "./desk/help.js";
import { outlinePanel } from "./desk/outline.js";
import { isOn as wordsAreOn, turn as turnWords } from "./desk/words.js";
import { peekParts } from "./desk/peek.js";
import { points } from "./desk/places.js";
import { post } from "./desk/post.js";
import { exchange, inStep } from "./desk/preview.js";
import { reviewParts } from "./desk/review.js";
import { insertReference } from "./desk/references.js";
import * as tables from "./desk/tables.js";
import { arrive, depart, wayBack } from "./way.js";

const policy = window.trustedTypes?.createPolicy("mokuji", { createHTML: (html) => html }) ?? {
  createHTML: (html) => html,
};
// The character itself is drawn first, since keys go before timers. What is typed while a preview is under way waits
// for it, so nobody asks for two.
const PREVIEW_WAIT = 0;
const FINDINGS_WAIT = 250;
// A pause, and the longest that somebody who makes none goes without.
const DRAFT_WAIT = [300, 1000];
const DRAFT_THERE_WAIT = [2000, 6000];
const CARET_WAIT = 150;
const ESCAPES = 700;

const TOOLS = {
  bold: around("**"),
  italic: around("*"),
  code: around("`"),
  heading,
  bullets,
  numbers,
  tasks,
  tick,
  quote,
  table: tables.newTable,
  rowBelow: tables.rowBelow,
  rowAway: tables.rowAway,
  columnRight: tables.columnRight,
  columnAway: tables.columnAway,
  turnAlign: tables.turnAlign,
  alignTable: tables.alignTable,
};
const TOOLS_KEPT = "mokuji tools";

// Storage can be switched off: then nothing is remembered.
function remembered(name) {
  try {
    return localStorage.getItem(name);
  } catch {
    return null;
  }
}

function remember(name, value) {
  try {
    localStorage.setItem(name, value);
  } catch {
    // As above.
  }
}

// Both passages, one after the other, each with a line end of its own.
const both = ({ mine, theirs }) => (mine.endsWith("\n") || !theirs ? mine : `${mine}\n`) + theirs;

function later(wait, act) {
  let timer = 0;
  return () => {
    clearTimeout(timer);
    timer = setTimeout(act, wait);
  };
}

/** As `later`, but no longer than `most` after the first call that was put off. */
function atLast([wait, most], act) {
  let timer = 0;
  let since = 0;
  return () => {
    const now = Date.now();
    if (!since) since = now;
    clearTimeout(timer);
    const run = () => {
      since = 0;
      act();
    };
    timer = setTimeout(run, Math.max(0, Math.min(wait, since + most - now)));
  };
}

const clock = (at) => new Date(at).toLocaleString([], { day: "numeric", month: "short", hour: "2-digit", minute: "2-digit" });

function desk() {
  // The editor lives outside of what Alpine watches: proxies would break it.
  let view = null;
  let step = null;
  let form = null;
  let draft = null;
  let aside = null; // a second draft of the same page, from when the server was away
  let names = null;
  let savedText = "";
  let thereText = null; // what the server keeps as draft; null for nothing
  let heldHere = true; // whether the browser keeps what the server does not
  let dropped = null;
  let sending = null;
  let submitted = false;
  let clashParts = [];
  let clashRevision = 0;
  let previewing = false;
  let previewAgain = false;
  let lookedOver = () => {};
  let escaped = 0;
  let asksToStay = true;
  const inserts = insertForm();
  const list = findingList();
  const panel = outlinePanel();
  const markup = helpPanel();
  const bring = bringing();
  const parts = {
    mode: innerWidth < 900 ? "text" : "beside",
    fault: "",
    hint: "",
    hintAt: -1,
    // The buttons above the text, for those who want them.
    tools: remembered(TOOLS_KEPT) === "shown",
    inTable: false,
    wordsOn: wordsAreOn(),
    turnWords() {
      this.wordsOn = turnWords();
      view.focus();
    },
    signedOut: false,
    draftOpen: false,
    draftSaid: "",
    draftDropped: false,
    draftAside: false,
    asideSaid: "",
    draftWords: "",
    savedWords: "",
    isEmpty: false,
    get stateWords() {
      return this.draftWords || this.savedWords;
    },
    clashing: false,
    clashes: [],
    // What a save would take from references elsewhere, when the server asks first.
    asking: false,
    movesWords: "",
    movesPages: [],
    movesLost: [],
    movesMore: "",
    movesFollow: false,
    others: [],
    get othersWords() {
      if (!this.others.length) return "";
      return ` · ${this.others.join(" and ")} ${this.others.length === 1 ? "is" : "are"} writing on this page, too`;
    },
    get textOnly() {
      return this.mode === "text";
    },
    get seenOnly() {
      return this.mode === "seen";
    },
    get beside() {
      return this.mode === "beside";
    },
    get signInHref() {
      return at(`/-/sign-in?${new URLSearchParams({ back: location.pathname })}`);
    },
    init() {
      form = this.$el;
      const field = this.$refs.text;
      const data = form.dataset;
      savedText = this.$refs.saved ? this.$refs.saved.content.textContent.replace(/\r\n?/g, "\n") : field.defaultValue;
      names = known(data.written, data.key, () => view.dispatch({}));
      draft = drafts(`${data.volume}/${data.key}`);
      aside = drafts(`${data.volume}/${data.key}`, " aside");
      const drafted = atLast(DRAFT_WAIT, () => this.keepDraft());
      const draftedThere = atLast(DRAFT_THERE_WAIT, () => this.keepThere());
      const previewed = later(PREVIEW_WAIT, () => this.preview());
      lookedOver = later(FINDINGS_WAIT, () => this.lookOver());
      view = editor({
        text: field.value,
        parent: field.parentElement,
        nonce: document.querySelector('meta[name="style-nonce"]').content,
        volume: data.volume,
        names,
        findings: list.extension,
        bringing: bring.extension,
        spelling: data.spelling,
        language: data.language,
        changed: (changes) => {
          this.savedWords = "";
          this.draftDropped = false;
          this.isEmpty = !view.state.doc.length;
          inserts.moved(changes);
          list.moved(changes);
          bring.moved(changes);
          drafted();
          draftedThere();
          previewed();
        },
        caretMoved: later(CARET_WAIT, () => {
          if (this.hintAt !== view.state.selection.main.head) this.hint = "";
          this.inTable = Boolean(tables.tableAt(view.state));
          this.lookAtCaret();
        }),
        html: (words) => policy.createHTML(words),
        keys: this.keys(),
      });
      inserts.on(view, form);
      list.on(view, form);
      panel.on(view);
      markup.on(view);
      bring.on(view, form, this);
      step = inStep(view, this.$refs.seen.parentElement);
      field.hidden = true;
      this.isEmpty = !view.state.doc.length;
      form.addEventListener("submit", () => {
        this.sync();
        // The browser's copy is dropped by the page that says that it was saved.
        this.keepDraft();
        submitted = draft.sent();
      });
      form.addEventListener("formdata", (event) => event.formData.set("text", view.state.doc.toString()));
      document.addEventListener("keydown", (event) => this.escape(event));
      this.show(this.mode);
      this.openDraft();
      this.comeBack();
      this.preview();
      // Leaving, whatever way, sends what is there first.
      addEventListener("pagehide", () => this.keepLeaving());
      document.addEventListener("visibilitychange", () => document.visibilityState === "hidden" && this.keepLeaving());
      addEventListener("beforeunload", (event) => {
        if (view.state.doc.toString() === savedText || this.keepLeaving()) return;
        event.preventDefault();
      });
      // The browser's own way back can bring this page as it was left.
      addEventListener("pageshow", (event) => {
        submitted = false;
        if (event.persisted) arrive();
      });
    },
    // Who followed a reference from here finds everything as it was left, without being asked.
    comeBack() {
      const left = arrive();
      if (!left) {
        this.goToStart();
        return;
      }
      const anchor = Math.min(left.at, view.state.doc.length);
      view.dispatch({ selection: { anchor }, effects: inSight(anchor) });
      view.focus();
      if (left.top !== undefined) requestAnimationFrame(() => (view.scrollDOM.scrollTop = left.top));
    },
    goToStart() {
      const found = /^#(line|section)-(\d+)$/.exec(location.hash);
      const doc = view.state.doc;
      const line = found ? doc.line(Math.min(Number(found[2]), doc.lines)) : null;
      if (line && found[1] === "section") this.writeAlone(line);
      else if (line) view.dispatch({ selection: { anchor: line.from }, scrollIntoView: true });
      if (!line && this.draftOpen) this.goToDraft();
      const title = form.querySelector('input[name="title"]:not([type="hidden"])');
      if (title && !title.value) title.focus();
      else view.focus();
    },
    // A draft is opened where it says something else than the page last.
    goToDraft() {
      const text = view.state.doc.toString();
      let behind = 0;
      while (behind < Math.min(text.length, savedText.length) && text.at(-1 - behind) === savedText.at(-1 - behind)) behind++;
      const anchor = text.length - behind;
      view.dispatch({ selection: { anchor }, effects: inSight(anchor) });
    },
    keys() {
      const run = (act) => () => {
        act();
        return true;
      };
      return [
        { key: "Mod-s", run: run(() => this.save(true)) },
        { key: "Mod-Shift-s", run: run(() => this.save(false)) },
        { key: "Mod-Enter", run: run(() => this.follow()) },
        { key: "Mod-Shift-Enter", run: run(() => this.peekAtCaret()) },
        { key: "Mod-.", run: run(() => this.leave()) },
        { key: "Mod-Shift-l", run: run(() => insertReference(view, names, form.dataset.volume)) },
        { key: "F9", run: run(() => this.choose()) },
        { key: "Shift-F9", run: run(() => this.extract()) },
        { key: "Shift-F1", run: run(() => this.help()) },
        { key: "F2", run: run(() => this.outline()) },
        { key: "Shift-F2", run: run(() => this.turnAlone()) },
        { key: "F4", run: run(() => this.review()) },
        { key: "F8", run: run(() => this.nextFinding()) },
        { key: "Alt-Enter", run: run(() => this.mendHere()) },
      ];
    },
    escape(event) {
      const command = event.ctrlKey || event.metaKey;
      if (command && event.key.toLowerCase() === "s" && !event.defaultPrevented) {
        event.preventDefault();
        this.save(!event.shiftKey);
      }
      if (event.key === "F4" && !event.defaultPrevented) {
        event.preventDefault();
        this.review();
      }
      if (event.key === "Escape" && (this.peeking || this.reviewing || this.outlining || this.helping) && !event.defaultPrevented) {
        if (this.peeking) this.endPeek();
        else if (this.reviewing) this.endReview();
        else if (this.helping) this.endHelp();
        else this.endOutline();
        return;
      }
      if (event.key !== "Escape" || event.defaultPrevented || document.querySelector("dialog[open]")) return;
      if (event.timeStamp - escaped < ESCAPES) this.leave();
      escaped = event.timeStamp;
    },
    sync() {
      this.$refs.text.value = view.state.doc.toString();
    },
    show(mode) {
      this.mode = mode;
      form.classList.toggle("text-only", mode === "text");
      form.classList.toggle("seen-only", mode === "seen");
      if (mode !== "text") this.preview();
    },

    // ---- drafts ------------------------------------------------------------
    // The draft is what is opened: the server gave it, or the browser has one that the server never got.
    openDraft() {
      const { draftAt } = form.dataset;
      if (draftAt) {
        thereText = view.state.doc.toString();
        this.draftOpen = true;
        this.draftSaid = form.querySelector('[x-text="draftSaid"]').textContent;
        if ("draftClash" in form.dataset) this.askTogether();
      }
      const here = draft.load();
      if (here && here.text === view.state.doc.toString()) draft.drop();
      else if (here && here.text === savedText && !draftAt) draft.drop();
      else if (here) this.openHere(here, draftAt);
      this.offerAside();
    },
    async openHere(here, draftAt) {
      // The other one is not lost by what is typed into this one.
      if (draftAt) aside.keep({ text: view.state.doc.toString(), title: form.elements.title.value, revision: this.$refs.revision.value, at: draftAt });
      const begun = String(here.revision ?? this.$refs.revision.value);
      load(view, here.text);
      if (here.title && form.dataset.revision === "0") form.elements.title.value = here.title;
      this.$refs.revision.value = begun;
      this.draftOpen = true;
      this.draftSaid = `This is your draft of ${clock(here.at)}, which only this browser had.`;
      await this.keepThere();
      if (begun !== form.dataset.newest) this.askTogether();
    },
    // The page was saved since the draft was begun: the server brings both together, or says where it cannot.
    async askTogether() {
      const typed = view.state.doc.toString();
      const answer = await fetch(form.dataset.draft).catch(() => null);
      const there = answer?.ok ? await answer.json() : { text: null };
      if (there.text === null || view.state.doc.toString() !== typed) return;
      if (there.clash) {
        this.showClash(there.clash);
        return;
      }
      if (there.together) this.draftSaid += " The page was saved by somebody since: both are brought together here.";
      load(view, there.text.replace(/\r\n?/g, "\n"));
      this.$refs.revision.value = there.revision;
    },
    offerAside() {
      const other = aside.load();
      this.draftAside = Boolean(other) && other.text !== view.state.doc.toString();
      if (this.draftAside) this.asideSaid = `Another draft of yours is kept in this browser, of ${clock(other.at)}.`;
      else aside.drop();
    },
    openAside() {
      const other = aside.load();
      if (!other) return;
      aside.keep({ text: view.state.doc.toString(), title: form.elements.title.value, revision: this.$refs.revision.value });
      load(view, other.text);
      this.$refs.revision.value = other.revision;
      this.offerAside();
      view.focus();
    },
    dropAside() {
      aside.drop();
      this.draftAside = false;
      view.focus();
    },
    keepDraft() {
      const text = view.state.doc.toString();
      if (text === savedText || text === thereText) {
        draft.drop();
        heldHere = true;
        this.draftWords = text === savedText ? "" : " · draft kept";
        return;
      }
      heldHere = draft.keep({ text, title: form.elements.title.value, revision: this.$refs.revision.value });
      this.draftWords = heldHere ? " · draft kept" : " · this browser keeps no drafts";
    },
    // The server keeps the draft, too: it is there in another browser, and after a lost one.
    async keepThere(options = {}) {
      const text = view.state.doc.toString();
      if (text === thereText || (text === savedText && thereText === null)) return;
      sending?.abort();
      sending = new AbortController();
      const fields = { text, title: form.elements.title.value, revision: this.$refs.revision.value };
      const answer = await post(form.dataset.draft, fields, form, { signal: sending.signal, ...options }).catch(() => null);
      if (!answer?.ok) return;
      this.others = answer.said.others;
      thereText = text === savedText ? null : text;
      // From now on the server has it; what was typed meanwhile is still the browser's to keep.
      if (view.state.doc.toString() === text) this.keepDraft();
    },
    /** Whether what is typed is kept somewhere, or on its way. */
    keepLeaving() {
      if (submitted) return true;
      this.keepDraft();
      const text = view.state.doc.toString();
      if (text === savedText && thereText === null) return true;
      if (text === thereText) return true;
      const fits = fitsLeaving(text);
      this.keepThere(fits ? { keepalive: true, signal: null } : {});
      return heldHere || fits;
    },
    dropDraft() {
      dropped = { text: view.state.doc.toString(), revision: this.$refs.revision.value };
      sending?.abort();
      draft.drop();
      thereText = null;
      post(form.dataset.draft, { drop: "1" }, form).catch(() => null);
      load(view, savedText);
      this.$refs.revision.value = form.dataset.newest;
      this.draftOpen = false;
      this.clashing = false;
      this.draftWords = "";
      this.draftDropped = true;
      view.focus();
    },
    bringDraftBack() {
      load(view, dropped.text);
      this.$refs.revision.value = dropped.revision;
      this.draftDropped = false;
      this.draftOpen = true;
      this.keepDraft();
      this.keepThere();
      view.focus();
    },
    leave() {
      this.keepLeaving();
      location.assign(wayBack()?.href ?? this.$refs.close.href);
    },

    // ---- preview and findings -------------------------------------------------
    // One question at a time: what was typed meanwhile is asked for as soon as the answer is here.
    async preview() {
      lookedOver();
      if (previewing) {
        previewAgain = true;
        return;
      }
      previewing = true;
      try {
        await this.lookUpPreview();
      } finally {
        previewing = false;
      }
      if (!previewAgain) return;
      previewAgain = false;
      this.preview();
    },
    async lookUpPreview() {
      const text = view.state.doc.toString();
      const seen = await post(form.dataset.preview, { text, title: form.elements.title.value }, form).catch(() => null);
      if (!seen) return;
      if (!seen.ok) {
        // What a text cannot hold is said at once; anything else is for the next save to say.
        if (["bad_text", "text_large"].includes(seen.said.code)) this.fault = seen.said.message;
        return;
      }
      const { html, marks, references, words } = seen.said;
      if (this.mode !== "text") {
        const empty = '<p class="text-slate">Nothing to see yet.</p>';
        const made = document.createElement("template");
        made.innerHTML = policy.createHTML(html.trim() ? html : empty);
        exchange(this.$refs.seen, made.content);
        step.marked(marks);
      }
      const counted = (number, one) => `${number} ${number === 1 ? one : `${one}s`}`;
      const foot = `${counted(references, "reference")} · ${counted(words, "word")}`;
      document.getElementById("desk-foot").textContent = foot;
    },
    // What is to be found in the text, once its writer pauses.
    async lookOver() {
      const text = view.state.doc.toString();
      const fields = { text, title: form.elements.title.value };
      const seen = await post(form.dataset.findings, fields, form).catch(() => null);
      // A text that was changed since is looked at again in a moment.
      if (seen?.ok && text === view.state.doc.toString()) list.found(this, text, seen.said.findings);
      if (this.reviewing) this.lookAgain();
      this.listHeadings();
    },
    // ---- following and saving ---------------------------------------------------
    follow() {
      const typed = referenceAt(view);
      if (typed === null) return;
      names.find(typed).then((found) => {
        if (found?.href) this.goAway(found.href);
      });
    },
    // To another page, and back to this word by Ctrl . or the link in the bar.
    goAway(href) {
      this.keepLeaving();
      const title = form.elements.title.value || "what you were writing";
      depart({ href: location.pathname + location.search, title, at: view.state.selection.main.head });
      location.assign(href);
    },
    writePeeked() {
      this.goAway(this.peekWritten ? this.peekEdit : this.peekHref);
    },
    // A new page begins with a pattern: Tab goes through what is to be filled in.
    async begin(event) {
      const name = event.currentTarget.dataset.pattern;
      const answer = await fetch(`${form.dataset.pattern}?${new URLSearchParams({ name })}`).catch(() => null);
      const said = answer?.ok ? await answer.json() : null;
      if (!said || view.state.doc.length) return;
      // Slots are no places of a snippet.
      snippet(said.text.replaceAll("${", "$\\{"))(view, null, 0, 0);
      view.focus();
    },
    toggleTools() {
      this.tools = !this.tools;
      remember(TOOLS_KEPT, this.tools ? "shown" : "");
      view.focus();
    },
    tool(event) {
      const name = event.currentTarget.dataset.tool;
      if (name === "reference") insertReference(view, names, form.dataset.volume);
      else TOOLS[name](view);
      view.focus();
    },
    /** Says something that stays until the caret is somewhere else. */
    say(words) {
      this.hint = words;
      this.hintAt = view.state.selection.main.head;
    },
    isSaved() {
      if (view.state.doc.toString() === savedText && form.dataset.revision !== "0") return true;
      this.say("Save first: this works on the page as it is stored.");
      return false;
    },
    // Makes a template or page of the selection, on a plan of its own.
    extract() {
      const { from, to } = view.state.selection.main;
      if (!form.dataset.extract || !this.isSaved()) return;
      const text = view.state.doc.toString();
      const query = { start: points(text, from), end: points(text, to), revision: this.$refs.revision.value };
      if (from === to) this.say("Select the text first that is to become a template or page.");
      else location.assign(`${form.dataset.extract}?${new URLSearchParams(query)}`);
    },
    inline() {
      if (!this.isSaved()) return;
      const query = { insert: this.insertIndex, revision: this.$refs.revision.value };
      location.assign(`${form.dataset.inline}?${new URLSearchParams(query)}`);
    },
    take(each) {
      this.choosing = false;
      laidIn(view, each);
    },
    takeFirst() {
      if (this.choices.length) this.take(this.choices[0]);
    },
    // What the reference under the caret leads to, beside the text.
    peekAtCaret() {
      const typed = referenceAt(view);
      if (typed === null) return;
      names.find(typed).then((found) => {
        if (!found?.href) return;
        if (this.mode === "text") this.show(innerWidth < 900 ? "seen" : "beside");
        this.peek(found.href, typed);
      });
    },
    endPeek() {
      this.peeking = false;
      view.focus();
    },
    writeOn() {
      view.focus();
    },
    adopt(event) {
      this.$refs.revision.value = event.currentTarget.dataset.newest;
      event.currentTarget.closest(".notice").remove();
      view.focus();
    },
    async save(stay, follow = "") {
      this.fault = "";
      this.signedOut = false;
      this.asking = false;
      this.sync();
      const text = view.state.doc.toString();
      const fields = { ...Object.fromEntries(new FormData(form)), follow };
      const answer = await post(form.dataset.save, fields, form).catch(() => null);
      if (!answer) {
        this.keepDraft();
        this.fault = "The server does not answer. Your text is kept here as a draft; try again in a moment.";
        return;
      }
      if (answer.ok) {
        this.saved(answer.said, text, stay);
        return;
      }
      this.keepDraft();
      if (answer.said.code === "moves") {
        this.ask(answer.said, stay);
        return;
      }
      if (answer.said.code === "clash") {
        this.showClash(answer.said);
        return;
      }
      if (answer.said.code === "edited_meanwhile") {
        // The page that comes back shows what the other saved, and keeps all that was typed.
        submitted = true;
        form.submit();
        return;
      }
      this.signedOut = answer.said.code === "sign_in" || answer.said.code === "form_token";
      this.fault = this.signedOut
        ? "You are signed out. Sign in again in another tab, then save once more; your text stays here."
        : (answer.said.message ?? "Something went wrong. Your text is still here; try again.");
    },
    // ---- others saved the same passages meanwhile ------------------------------------
    showClash(said) {
      clashParts = said.parts;
      clashRevision = said.revision;
      const clashing = said.parts.filter((part) => part.words === undefined);
      this.clashes = clashing.map((part, id) => ({ id, name: `clash-${id}`, mine: part.mine, theirs: part.theirs, pick: "mine" }));
      this.clashing = true;
      document.getElementById("desk").querySelector(".source").scrollIntoView?.({ block: "nearest" });
    },
    // What was chosen of each passage, with all that did not clash; it is saved only when the writer says so.
    takeChosen() {
      let nth = 0;
      const text = clashParts
        .map((part) => {
          if (part.words !== undefined) return part.words;
          const { pick } = this.clashes[nth++];
          return pick === "both" ? both(part) : part[pick];
        })
        .join("")
        .replace(/\r\n?/g, "\n");
      // Undoing would take away what others saved, under their revision.
      load(view, text);
      this.$refs.revision.value = clashRevision;
      this.draftOpen = false;
      this.clashing = false;
      this.savedWords = " · brought together, not saved yet";
      view.focus();
    },
    ask(said, stay) {
      asksToStay = stay;
      this.movesWords = said.message;
      this.movesPages = said.pages;
      this.movesMore = said.more ? `and ${said.more} more pages` : "";
      this.movesLost = said.lost;
      this.movesFollow = said.can_follow;
      this.asking = true;
      // Once it is shown: what is hidden takes no focus.
      setTimeout(() => (said.can_follow ? this.$refs.follow : this.$refs.alone).focus(), 30);
    },
    saveFollowing() {
      this.save(asksToStay, "yes");
      view.focus();
    },
    saveAlone() {
      this.save(asksToStay, "no");
      view.focus();
    },
    keepWriting() {
      this.asking = false;
      view.focus();
    },
    saved(said, text, stay) {
      const unsaved = view.state.doc.toString() !== text;
      sending?.abort();
      savedText = text;
      thereText = null;
      this.draftOpen = false;
      form.dataset.newest = said.revision;
      if (!unsaved) draft.drop();
      if (!stay) {
        location.assign(wayBack()?.href ?? said.read);
        return;
      }
      this.$refs.revision.value = said.revision;
      if (form.dataset.revision === "0") {
        // From now on it is a page like any other, with an address and buttons of its own.
        const { head } = view.state.selection.main;
        depart({ href: said.edit, title: form.elements.title.value, at: head, top: view.scrollDOM.scrollTop });
        location.replace(said.edit);
        return;
      }
      const now = new Date().toLocaleTimeString([], { hour: "2-digit", minute: "2-digit" });
      this.draftWords = "";
      this.savedWords = said.unchanged ? " · nothing to save" : ` · saved as revision ${said.revision}, ${now}`;
      if (said.merged !== null && !unsaved) {
        const insert = said.merged.replace(/\r\n?/g, "\n");
        load(view, insert);
        savedText = insert;
        draft.drop();
        this.savedWords = ` · saved as revision ${said.revision}, together with what others saved meanwhile`;
      }
      this.endReview();
      form.querySelector("#note").value = "";
      this.preview();
    },
  };
  // With its getters, which a spread would call.
  const trusted = (html) => policy.createHTML(html);
  for (const more of [inserts.parts, list.parts, panel.parts, markup.parts, bring.parts, peekParts(trusted), reviewParts(trusted)]) Object.defineProperties(parts, Object.getOwnPropertyDescriptors(more));
  return parts;
}

window.Alpine.data("desk", desk);
