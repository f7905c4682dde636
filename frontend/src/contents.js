// The contents of a volume: a filter that keeps the ancestors of what it finds, folding of branches, steps by key.
import { Branches } from "./branches.js";
import { movedJustNow, placing, takeBack } from "./placing.js";
import { WholeContents } from "./whole-contents.js";

/** Which branches a person folded, or opened, in this window; by volume. */
function remembering(what, volume) {
  const name = `mokuji ${what} ${volume}`;
  return {
    keys() {
      try {
        return JSON.parse(sessionStorage.getItem(name)) ?? [];
      } catch {
        return [];
      }
    },
    keep(keys) {
      try {
        sessionStorage.setItem(name, JSON.stringify(keys));
      } catch {
        // Without storage branches are as they were at the next page.
      }
    },
  };
}

export function contents() {
  let rows = null;
  return {
    wanted: "",
    opened: false,
    moved: null,
    init() {
      const { levels, place } = this.$el.dataset;
      const { volume } = document.body.dataset;
      const list = this.$el.querySelector(".tree");
      rows = levels ? new Branches(list, levels, remembering("opened", volume)) : new WholeContents(list, remembering("folded", volume));
      const address = (lead) => (key) => lead + encodeURIComponent(key.replaceAll(" ", "-"));
      if (place) {
        rows.movable = true;
        placing(rows, address(place), address(place.replace("/-/plan/place/", "/-/place-now/")))(list);
      }
      list.addEventListener("keydown", (event) => this.step(event));
      rows.start();
      if (place) this.tellMoved();
    },
    // Who moved a row by key goes on with it.
    async tellMoved() {
      const moved = movedJustNow();
      if (!moved) return;
      this.moved = moved.change ? moved : null;
      const row = await rows.find(moved.key);
      setTimeout(() => row?.focus());
    },
    get wasMoved() {
      return Boolean(this.moved);
    },
    undoMove() {
      takeBack(this.moved);
    },
    fold(event) {
      const button = event.target.closest("[data-fold]");
      if (!button) return;
      event.preventDefault();
      rows.fold(button.dataset.fold);
    },
    // Arrows go from row to row, unfold and fold, as is usual in a tree.
    async step(event) {
      const key = event.target.closest?.("[data-key]")?.dataset.key;
      if (!key || event.ctrlKey || event.metaKey || event.altKey || event.shiftKey) return;
      const folded = rows.folded(key);
      let done = true;
      if (event.key === "ArrowDown") rows.step(key, 1)?.focus();
      else if (event.key === "ArrowUp") rows.step(key, -1)?.focus();
      else if (event.key === "ArrowRight" && folded) rows.fold(key);
      else if (event.key === "ArrowRight" && folded === false) rows.step(key, 1)?.focus();
      else if (event.key === "ArrowLeft" && folded === false) rows.fold(key);
      else if (event.key === "ArrowLeft") rows.above(key)?.focus();
      else done = false;
      if (done) event.preventDefault();
    },
    // On a phone the contents are folded away until they are asked for.
    unfold() {
      this.opened = !this.opened;
      this.$root.classList.toggle("open", this.opened);
      rows.shown();
    },
    async filter() {
      const found = await rows.filter(this.wanted.trim());
      if (!found) return;
      this.$refs.none.hidden = found.some && !found.more;
      this.$refs.none.textContent = found.more
        ? "More than a hundred are called so: type more of the name."
        : "Nothing in the contents is called so.";
    },
  };
}
