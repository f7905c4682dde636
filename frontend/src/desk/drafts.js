// Drafts. The browser keeps what is typed until the server has said that it keeps it: a closed tab, a lost line or an
// ended login loses no text.
const actor = () => document.body.dataset.actor ?? "";
const SENT = "mokuji sent";

/** A page is read: the form that was sent last has arrived. */
export function arrived() {
  try {
    const key = sessionStorage.getItem(SENT);
    if (key) localStorage.removeItem(key);
    sessionStorage.removeItem(SENT);
  } catch {
    // As above.
  }
}
const KEEPALIVE = 60_000; // bytes that a browser still sends for a page that is gone (fetch standard: 64 KiB in all)

/** The browser's own copy of the draft of one page of one person: `{text, title, revision, at}`. */
export function drafts(page, aside = "") {
  const key = `mokuji draft${aside} ${actor()} ${page}`;
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
    keep(draft) {
      try {
        localStorage.setItem(key, JSON.stringify({ ...draft, at: draft.at ?? new Date().toISOString() }));
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
    /** It is on its way as a form; a page that is read next says that it arrived. True. */
    sent() {
      try {
        sessionStorage.setItem(SENT, key);
      } catch {
        // Then the copy stays, and the desk finds that it says what the page says.
      }
      return true;
    },
  };
}

/** Whether a text is small enough to be sent while its page goes. */
export const fitsLeaving = (text) => new Blob([encodeURIComponent(text)]).size < KEEPALIVE;
