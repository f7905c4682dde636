// Drafts in the browser: a closed tab, a lost line or an ended login loses no text.
const actor = () => document.body.dataset.actor ?? "";

/** The draft of one page of one person. */
export function drafts(page) {
  const key = `mokuji draft ${actor()} ${page}`;
  return {
    load() {
      try {
        const found = JSON.parse(localStorage.getItem(key));
        return typeof found?.text === "string" ? found : null;
      } catch {
        return null;
      }
    },
    /** Whether it could be kept. */
    keep(text) {
      try {
        localStorage.setItem(key, JSON.stringify({ text, at: new Date().toISOString() }));
        return true;
      } catch {
        return false;
      }
    },
    drop() {
      try {
        localStorage.removeItem(key);
      } catch {
        // Nothing was kept, then.
      }
    },
  };
}
