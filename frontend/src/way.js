// The way back: desks that were left for another page, so that a writer comes back to the word that was in hand.
const KEPT = "mokuji way";
const MOST = 12;

function kept() {
  try {
    const found = JSON.parse(sessionStorage.getItem(KEPT));
    if (found?.actor === (document.body.dataset.actor ?? "") && Array.isArray(found.steps)) return found.steps;
  } catch {
    // Storage can be switched off or hold something else: then there is no way back but the browser's.
  }
  return [];
}

function keep(steps) {
  try {
    sessionStorage.setItem(KEPT, JSON.stringify({ actor: document.body.dataset.actor ?? "", steps: steps.slice(-MOST) }));
  } catch {
    // As above.
  }
}

const path = (href) => href.replace(/[?#].*$/, "");

/** Remembers a desk that is left: `{href, title, at}`, the caret in UTF-16; with `top` how far it was scrolled. */
export function depart(step) {
  keep([...kept().filter((each) => path(each.href) !== path(step.href)), step]);
}

/** The desk that was left last, if it is not this page. */
export function wayBack() {
  return kept().findLast((each) => path(each.href) !== location.pathname) ?? null;
}

/** The link back, on every screen. */
export function way() {
  const back = wayBack();
  return { href: back?.href ?? null, words: back ? `← ${back.title}` : "" };
}

/** What was remembered of this page, which one has come back to: it and all that was left after it is forgotten. */
export function arrive() {
  const steps = kept();
  const found = steps.findIndex((each) => path(each.href) === location.pathname);
  if (found < 0) return null;
  keep(steps.slice(0, found));
  return steps[found];
}
