// The contents of a volume: a filter that keeps the ancestors of what it finds, and folding of branches.
import { movedJustNow, placing, takeBack } from "./placing.js";

const FOLDED = "mokuji folded";

function load(volume) {
  try {
    return new Set(JSON.parse(sessionStorage.getItem(`${FOLDED} ${volume}`)) ?? []);
  } catch {
    return new Set();
  }
}

export function contents() {
  const volume = document.body.dataset.volume;
  return {
    wanted: "",
    opened: false,
    folded: load(volume),
    rows: [],
    moved: null,
    init() {
      this.rows = [...this.$el.querySelectorAll("[data-number]")];
      const current = this.rows.find((row) => row.ariaCurrent);
      if (current) {
        // The page in hand is always in view.
        for (const number of this.folded) {
          if (current.dataset.number.startsWith(`${number}.`)) this.folded.delete(number);
        }
      }
      const plan = this.$el.dataset.place;
      const address = (lead) => (key) => lead + encodeURIComponent(key.replaceAll(" ", "-"));
      if (plan) {
        const now = plan.replace("/-/plan/place/", "/-/place-now/");
        placing(this.rows, address(plan), address(now))(this.$el.querySelector(".tree"));
        this.tellMoved();
      }
      this.draw();
      current?.scrollIntoView({ block: "nearest" });
    },
    // Who moved a row by key goes on with it.
    tellMoved() {
      const moved = movedJustNow();
      const row = moved && this.rows.find((each) => each.dataset.key === moved.key);
      if (!row) return;
      this.moved = moved.change ? moved : null;
      for (let number = row.dataset.number; number; number = number.split(".").slice(0, -1).join(".")) this.folded.delete(number);
      setTimeout(() => row.focus());
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
      const number = button.dataset.fold;
      if (!this.folded.delete(number)) this.folded.add(number);
      try {
        sessionStorage.setItem(`${FOLDED} ${volume}`, JSON.stringify([...this.folded]));
      } catch {
        // Without storage branches unfold at the next page.
      }
      this.draw();
    },
    // On a phone the contents are folded away until they are asked for.
    unfold() {
      this.opened = !this.opened;
      this.$root.classList.toggle("open", this.opened);
      this.$root.querySelector("[aria-current]")?.scrollIntoView({ block: "nearest" });
    },
    filter() {
      this.draw();
    },
    draw() {
      const wanted = this.wanted.trim().toLowerCase();
      const shown = new Set();
      for (const row of this.rows) {
        if (!wanted || !row.dataset.name.toLowerCase().includes(wanted)) continue;
        const parts = row.dataset.number.split(".");
        while (parts.length) {
          shown.add(parts.join("."));
          parts.pop();
        }
      }
      for (const row of this.rows) {
        const number = row.dataset.number;
        const away = [...this.folded].some((folded) => number.startsWith(`${folded}.`));
        row.parentElement.hidden = wanted ? !shown.has(number) : away;
        row.parentElement.querySelector("[data-fold]")?.setAttribute("aria-expanded", String(!this.folded.has(number)));
      }
      this.$refs.none.hidden = !wanted || shown.size > 0;
    },
  };
}
