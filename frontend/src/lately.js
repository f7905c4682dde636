// The pages visited last, newest first, kept in the browser and for one person only.
const KEPT = "mokuji lately";
const MOST = 12;

function kept() {
  const actor = document.body.dataset.actor ?? "";
  try {
    const found = JSON.parse(localStorage.getItem(KEPT));
    // What one person read is nothing to the next who uses this browser.
    if (found?.actor === actor && Array.isArray(found.pages)) return found.pages;
  } catch {
    // Storage can be switched off or hold something else: then nothing was visited.
  }
  return [];
}

/** Puts the page in hand first. `data` is the body's dataset; without `page` it is no page. */
export function visit(data) {
  const pages = kept().filter((page) => page.href !== data.page);
  if (data.page) {
    const { page: href, title, number, volume, volumeTitle } = data;
    pages.unshift({ href, title, number, volume, volumeTitle });
  }
  try {
    localStorage.setItem(KEPT, JSON.stringify({ actor: data.actor ?? "", pages: pages.slice(0, MOST) }));
  } catch {
    // As above.
  }
}

/** The pages visited last: `{href, title, number, volume, volumeTitle}`. */
export const visited = kept;
