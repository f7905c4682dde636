import { at, within } from "../address.js";

// A look at a page beside the text, without leaving it: what a reference leads to, as its readers see it.

/** Parts of the desk; `html` makes trusted HTML of what came from the server. */
export function peekParts(html) {
  return {
    peeking: false,
    peekTitle: "",
    peekHref: "",
    peekSaid: "",
    get peekEdit() {
      return at(within(this.peekHref).replace(/^\//, "/-/edit/").replace(/#.*$/, ""));
    },
    get peekWritten() {
      return !within(this.peekHref).startsWith("/-/");
    },
    async peek(href, title) {
      this.peeking = true;
      this.peekTitle = title;
      this.peekHref = href;
      this.peekSaid = "";
      this.$refs.peek.replaceChildren();
      if (!this.peekWritten) {
        this.peekSaid = "This page is not written yet.";
        return;
      }
      const answer = await fetch(href.replace(/#.*$/, "")).catch(() => null);
      const page = answer?.ok && new DOMParser().parseFromString(html(await answer.text()), "text/html");
      // The answer of an earlier look says nothing of this one.
      if (this.peekHref !== href) return;
      const article = page && page.querySelector("article");
      if (!article) {
        this.peekSaid = "This page cannot be shown here.";
        return;
      }
      this.peekTitle = article.querySelector("h1")?.textContent ?? title;
      const text = document.importNode(article.querySelector("[data-text]"), true);
      this.$refs.peek.replaceChildren(text);
      const anchor = decodeURIComponent(href.split("#")[1] ?? "");
      const section = anchor && text.querySelector(`[id="${CSS.escape(anchor)}"]`);
      if (section) section.scrollIntoView({ block: "start" });
      else this.$refs.peek.scrollTop = 0;
    },
    // A reference in the preview, or in the page that is looked at: it is looked at too.
    peekFrom(event) {
      const link = event.target.closest("a[href]");
      if (!link || event.ctrlKey || event.metaKey || event.shiftKey || event.button) return;
      const href = link.getAttribute("href");
      if (!href.startsWith("/")) return;
      event.preventDefault();
      this.peek(href, link.textContent);
    },
  };
}
