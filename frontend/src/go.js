// The go box: type a part of a name, go there, or write the page that is not there. While it is empty it holds the pages
// visited lately, the one before this first.
import { at } from "./address.js";
import { visited } from "./lately.js";

export function go() {
  const here = document.body.dataset.volume ?? "";
  let asked = 0;
  let answered = null;
  return {
    typed: "",
    rows: [],
    chosen: 0,
    wide: !here,
    scope: "",
    get scopeWords() {
      if (this.wide) return "Searches all volumes";
      return this.scope ? `Searches “${this.scope}”` : "Searches this volume";
    },
    get otherScope() {
      if (!here) return "";
      return this.wide ? "this volume only" : "all volumes";
    },
    get canWiden() {
      return Boolean(here);
    },
    init() {
      document.addEventListener("mokuji:go", () => this.open());
      document.addEventListener("click", (event) => {
        const plain = !event.ctrlKey && !event.metaKey && !event.shiftKey && event.button === 0;
        if (plain && event.target.closest("[data-go]")) {
          event.preventDefault();
          this.open();
        }
      });
    },
    open() {
      if (this.$el.open) return;
      this.$el.showModal();
      this.$el.querySelector("input").select();
      this.look();
    },
    get empty() {
      return !this.typed.trim();
    },
    get showsLately() {
      return this.empty && this.rows[0]?.kind === "page";
    },
    /** Names as typed, then acts, then what only looks alike or has it in its text; what writes a page stands last, but
     * first if nothing is called so: Enter is not to lead unasked to what is called otherwise. */
    put(rows) {
      this.rows = rows.map((row, id) => ({ ...row, id, css: row.kind, chosen: false }));
      const sure = rows.some((row) => row.kind === "act" || (row.kind === "page" && !row.near));
      const rank = (row) => ({ act: 1, write: sure ? 3 : 0, text: 2 })[row.kind] ?? (row.near ? 2 : 0);
      this.rows.sort((a, b) => rank(a) - rank(b));
      this.choose(0);
    },
    async look() {
      const mine = ++asked;
      if (this.empty) {
        answered = null;
        this.put([...this.lately(), ...this.acts()]);
        return;
      }
      const query = new URLSearchParams({ typed: this.typed, volume: this.wide ? "" : here });
      const answer = await fetch(at(`/-/go?${query}`)).catch(() => null);
      if (!answer?.ok || mine !== asked) return;
      const found = await answer.json();
      answered = query.toString();
      this.scope = found.scope;
      this.put([...found.rows, ...this.acts()]);
    },
    lately() {
      const pages = visited().filter((page) => page.href !== document.body.dataset.page);
      return pages.map(({ href, title, number, volumeTitle }) => {
        return { href, title: number ? `${number} ${title}` : title, place: volumeTitle, hint: "", kind: "page" };
      });
    },
    /** A row that is dragged goes into the text: the box must not lie over it. */
    carry() {
      setTimeout(() => this.$el.close());
    },
    acts() {
      const { edit, revisions, title } = document.body.dataset;
      const menus = [...document.querySelectorAll("[data-act]")].map((link) => {
        return [link.href, link.dataset.act, link.closest("[data-of]")?.dataset.of ?? title];
      });
      const acts = [[edit, "Edit this page", title], ...menus, [revisions, "Revisions of this page", title]];
      const wanted = this.typed.trim().toLowerCase();
      return acts
        .filter(([href, words]) => href && (!wanted || (wanted.length > 1 && words.toLowerCase().includes(wanted))))
        .map(([href, words, of]) => ({ href, title: words, place: of, hint: "", kind: "act" }));
    },
    choose(at) {
      this.chosen = this.rows.length ? (at + this.rows.length) % this.rows.length : 0;
      this.rows.forEach((row, n) => {
        row.chosen = n === this.chosen;
      });
      this.$nextTick(() => this.$el.querySelector('[aria-selected="true"]')?.scrollIntoView({ block: "nearest" }));
    },
    key(event) {
      if (event.key === "ArrowDown") this.choose(this.chosen + 1);
      else if (event.key === "ArrowUp") this.choose(this.chosen - 1);
      else if (event.key === "Tab" && here && !event.shiftKey) {
        this.wide = !this.wide;
        this.look();
      } else if (event.key === "Enter") this.go(event);
      else return;
      event.preventDefault();
    },
    async go(event) {
      // Fast fingers press Enter before the last answer is here: then only what says what was typed is meant.
      const query = new URLSearchParams({ typed: this.typed, volume: this.wide ? "" : here });
      const late = !this.empty && answered !== query.toString();
      if (late) await this.look();
      const row = this.rows[this.chosen];
      if (!row || (late && !this.says(row))) return;
      if (event.ctrlKey || event.metaKey) window.open(row.href, "_blank");
      else location.assign(row.href);
    },
    /** Whether a row says what is typed: in its name, or in the other name by which it was found. */
    says(row) {
      const typed = this.typed.trim().toLowerCase();
      const called = row.hint?.startsWith("also “") ? `${row.title} ${row.hint}` : row.title;
      return row.kind !== "text" && !row.near && called.toLowerCase().includes(typed);
    },
    outside(event) {
      if (event.target === this.$el) this.$el.close();
    },
  };
}
