// What is to mend on a page, fetched when the page is there: to look for it takes longer than to show the page.
import { parts } from "./parts.js";

export function mending() {
  return {
    async init() {
      const found = await parts(this.$root.dataset.toMend);
      // What the page knew of itself stays if nothing better comes.
      if (found.every((part) => part instanceof Node)) this.$root.replaceChildren(...found);
      this.$root.hidden = !this.$root.textContent.trim();
    },
  };
}
