// The keys that work outside of fields, and the list of all keys.
import { inList } from "./lists.js";
import { wayBack } from "./way.js";

const isMac = /Mac|iP(hone|ad)/.test(navigator.platform);

export function keys() {
  return {
    init() {
      document.addEventListener("mokuji:keys", () => {
        if (!this.$el.open) this.$el.showModal();
      });
    },
  };
}

/** Whether the event comes from where text is typed. */
function inField(event) {
  return Boolean(event.target.closest?.("input, textarea, select, [contenteditable], .cm-editor"));
}

const go = (name) => () => {
  const href = document.body.dataset[name];
  if (href) location.assign(href);
  return Boolean(href);
};
const first = (...selectors) => selectors.map((selector) => document.querySelector(selector)).find(Boolean);
const focus = (...selectors) => () => {
  const found = first(...selectors);
  found?.focus();
  return Boolean(found);
};
const send = (name) => () => document.dispatchEvent(new CustomEvent(name));

const PLAIN = {
  e: go("edit"),
  r: go("rename"),
  v: go("revisions"),
  c: focus(".tree [aria-current]", ".tree a"),
  m: focus("#margin"),
  i: () => {
    document.body.classList.toggle("show-sources");
    return true;
  },
  "/": send("mokuji:go"),
  "?": send("mokuji:keys"),
};
const REGIONS = [[".spine a"], [".tree [aria-current]", ".tree a"], ["#main"], ["#margin"]];

function nextRegion(back) {
  const regions = REGIONS.map((selectors) => first(...selectors)).filter(Boolean);
  const parents = regions.map((found) => found.closest("nav, main, aside, footer"));
  const at = parents.findIndex((parent) => parent?.contains(document.activeElement));
  const next = at < 0 ? (back ? -1 : 0) : at + (back ? -1 : 1);
  regions[(next + regions.length) % regions.length].focus();
}

export function listenForKeys() {
  document.addEventListener("keydown", (event) => {
    const command = isMac ? event.metaKey : event.ctrlKey;
    let done = inList(event);
    if (done) {
      event.preventDefault();
      return;
    }
    if (command && !event.altKey && !event.shiftKey && event.key.toLowerCase() === "k") {
      send("mokuji:go")();
      done = true;
    } else if (event.key === "F1" && !event.shiftKey) {
      send("mokuji:keys")();
      done = true;
    } else if (command && event.key === "." && !document.getElementById("desk")) {
      // The desk has this key itself.
      const back = wayBack();
      if (back) location.assign(back.href);
      done = Boolean(back);
    } else if (event.key === "F6" && !command) {
      nextRegion(event.shiftKey);
      done = true;
    } else if (!command && !event.metaKey && !event.ctrlKey && !event.altKey && !inField(event) && PLAIN[event.key]) {
      if (document.querySelector("dialog[open]")) return;
      done = PLAIN[event.key]() !== false;
    }
    if (done) event.preventDefault();
  });
}
