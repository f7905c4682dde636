// Lists that are gone through by key: J and K to the next and the one before, Space marks, F8 the next one,
// Alt+Enter its first mend. A report shows the chosen one in its place beside the list.
import { parts } from "./parts.js";

const rows = (list) => [...list.querySelectorAll("[data-row]")];
const typing = (event) => Boolean(event.target.closest?.("input:not([type=checkbox]), textarea, select, .cm-editor"));
const theList = () => document.querySelector("[data-list]");
const chosen = (list) => document.activeElement.closest?.("[data-row]") ?? list.querySelector("[data-row][aria-current]");

function step(list, by) {
  const all = rows(list);
  const at = all.indexOf(chosen(list));
  const next = all[at < 0 ? (by > 0 ? 0 : all.length - 1) : at + by];
  next?.focus();
  next?.scrollIntoView({ block: "nearest" });
  return Boolean(next);
}

function mark(list) {
  const box = chosen(list)?.querySelector("input[type=checkbox]");
  if (!box) return false;
  box.checked = !box.checked;
  box.dispatchEvent(new Event("change", { bubbles: true }));
  return true;
}

function mend(list) {
  const found = document.querySelector("[data-beside] .mends a, [data-beside] .mends button");
  (found ?? chosen(list)?.querySelector(".mends a, .mends button"))?.click();
  return true;
}

/** What a key does in a list; true if it did something. */
export function inList(event) {
  const list = theList();
  if (!list || document.querySelector("dialog[open]") || event.ctrlKey || event.metaKey) return false;
  if (event.key === "F8") return step(list, event.shiftKey ? -1 : 1);
  if (event.altKey) return event.key === "Enter" && mend(list);
  if (typing(event)) return false;
  if (event.key === "j") return step(list, 1);
  if (event.key === "k") return step(list, -1);
  const onRow = event.target.matches?.("[data-row]");
  if (event.key === " " && onRow) return mark(list);
  if (event.key === "Enter" && onRow) {
    event.target.querySelector("a")?.click();
    return true;
  }
  return false;
}

/** A list whose rows have `data-passage`: what that address gives is shown beside it, with the mends of the row. */
export function report() {
  let current = null;
  let asked = 0;
  return {
    init() {
      const first = rows(this.$el)[Number(location.hash.slice(2)) - 1] ?? rows(this.$el)[0];
      this.$el.classList.add("ready");
      if (first) this.show(first);
      // In a narrow window there is no pane, and each row has its mends below it.
      matchMedia("(max-width: 760px)").addEventListener("change", () => {
        const row = current ?? first;
        this.release();
        if (row) this.show(row);
      });
    },
    release() {
      if (!current) return;
      current.removeAttribute("aria-current");
      current.append(...this.$refs.mends.children);
      current = null;
    },
    choose(event) {
      const row = event.target.closest("[data-row]");
      if (!row || row === current) return;
      // Coming back finds this row. Not while the page loads: it would be scrolled to.
      if (row.id) history.replaceState(history.state, "", `#${row.id}`);
      this.show(row);
    },
    async show(row) {
      const beside = this.$refs.beside;
      if (getComputedStyle(beside).display === "none") return;
      this.release();
      current = row;
      row.setAttribute("aria-current", "true");
      this.$refs.mends.append(...row.querySelectorAll(":scope > .mends"));
      const number = ++asked;
      const found = row.dataset.passage ? await parts(row.dataset.passage) : [];
      if (number !== asked) return;
      this.$refs.passage.replaceChildren(...found);
      const here = this.$refs.passage.querySelector("mark");
      // Only the pane is scrolled, never the page.
      beside.scrollTop = here ? Math.max(0, here.offsetTop - beside.clientHeight / 2) : 0;
    },
  };
}
