// The card of a reference: first lines of the page, or who else refers to an unwritten name.
const WAIT = 350;

export function card() {
  let timer = 0;
  let asked = null;
  return {
    shown: false,
    title: "",
    place: "",
    words: "",
    init() {
      for (const [event, method] of [
        ["mouseover", this.over],
        ["focusin", this.over],
        ["mouseout", this.out],
        ["focusout", this.out],
      ]) {
        document.addEventListener(event, method.bind(this));
      }
      document.addEventListener("keydown", (event) => {
        if (event.key === "Escape") this.shown = false;
      });
    },
    over(event) {
      const link = event.target.closest?.("[data-card]");
      if (!link || link === asked) return;
      clearTimeout(timer);
      asked = link;
      timer = setTimeout(() => this.fetch(link), WAIT);
    },
    out(event) {
      if (asked?.contains(event.relatedTarget)) return;
      clearTimeout(timer);
      asked = null;
      this.shown = false;
    },
    async fetch(link) {
      const answer = await fetch(link.dataset.card).catch(() => null);
      if (!answer?.ok || asked !== link) return;
      const found = await answer.json();
      this.title = found.title;
      this.place = found.written ? found.volume : `${found.volume} · not written yet`;
      this.words = found.written ? found.words : this.referring(found.from);
      this.shown = true;
      this.$nextTick(() => this.put(link));
    },
    referring(titles) {
      return titles.length ? `Referred to on: ${titles.join(", ")}` : "";
    },
    put(link) {
      const at = link.getClientRects()[0] ?? link.getBoundingClientRect();
      const box = this.$refs.card;
      const below = at.bottom + 8 + box.offsetHeight < innerHeight - 34;
      const top = below ? at.bottom + 8 : at.top - 8 - box.offsetHeight;
      box.style.left = `${Math.max(8, Math.min(at.left, innerWidth - box.offsetWidth - 16)) + scrollX}px`;
      box.style.top = `${top + scrollY}px`;
    },
  };
}
