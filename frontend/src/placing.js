import { at } from "./address.js";

// Moving a row of the contents by dragging it leads to the plan of another place. By Ctrl+Shift and an arrow it is done
// at once if nothing but the contents changes, with Undo in sight; if more does, the plan comes first here too.
const MOVED = "mokuji moved";

/** What was moved just before this page was shown: `{key, change}`; it is told once. */
export function movedJustNow() {
  try {
    const found = JSON.parse(sessionStorage.getItem(MOVED));
    sessionStorage.removeItem(MOVED);
    return found;
  } catch {
    return null;
  }
}

async function send(address, fields) {
  const { token } = await fetch(at("/-/token")).then((answer) => answer.json());
  const body = new URLSearchParams({ ...fields, token });
  const answer = await fetch(address, { method: "POST", body }).catch(() => null);
  return answer?.ok ? answer.json() : null;
}

function shownAgain(key, change) {
  try {
    sessionStorage.setItem(MOVED, JSON.stringify({ key, change }));
  } catch {
    // Without storage the row is where it was moved to, without Undo beside it.
  }
  location.reload();
}

/** Takes a move back at once. */
export async function takeBack({ key, change }) {
  const done = await send(at(`/-/undo-now/${change}`), {});
  if (done?.change) shownAgain(key, null);
  else location.assign(at(`/-/changes/${change}/undo`));
}

/** `rows` tells how they stand (see `Branches`); `plan(key)` gives the address of the plan, `now(key)` the one that does
 * it. */
export function placing(rows, plan, now) {
  async function go(key, under, after, atOnce) {
    const query = new URLSearchParams({ under, after });
    if (atOnce) {
      const done = await send(now(key), { under, after });
      if (done?.change) {
        shownAgain(key, done.change);
        return;
      }
    }
    location.assign(`${plan(key)}?${query}`);
  }

  async function before(key, other, atOnce) {
    await rows.know(other);
    let ahead = await rows.beside(other, -1);
    if (ahead === key) ahead = await rows.beside(other, -2);
    await go(key, rows.parent(other), ahead ?? "first", atOnce);
  }

  async function behind(key, other, atOnce) {
    await rows.know(other);
    await go(key, rows.parent(other), other, atOnce);
  }

  const KEYS = {
    async ArrowUp(key) {
      const ahead = await rows.beside(key, -1);
      if (ahead) await before(key, ahead, true);
    },
    async ArrowDown(key) {
      const next = await rows.beside(key, 1);
      if (next) await behind(key, next, true);
    },
    async ArrowLeft(key) {
      const parent = rows.parent(key);
      if (parent) await behind(key, parent, true);
    },
    async ArrowRight(key) {
      const ahead = await rows.beside(key, -1);
      if (ahead) await go(key, ahead, "last", true);
    },
  };

  /** Which part of a row the pointer is on: its upper or lower edge, or the middle. */
  function part(event, row) {
    const box = row.getBoundingClientRect();
    const share = (event.clientY - box.top) / box.height;
    return share < 0.28 ? "before" : share > 0.72 ? "behind" : "below";
  }

  return (tree) => {
    let held = "";
    let marked = null;
    const clear = () => {
      if (marked) delete marked.dataset.drop;
      marked = null;
    };
    const over = (event) => {
      const row = event.target.closest?.("[data-key]");
      return row && held && !rows.within(held, row.dataset.key) ? row : null;
    };
    tree.addEventListener("dragstart", (event) => {
      held = event.target.closest?.("[data-key]")?.dataset.key ?? "";
      // A row that is being dragged stays, wherever the list is scrolled to.
      rows.held = held;
    });
    tree.addEventListener("dragover", (event) => {
      const row = over(event);
      clear();
      if (!row) return;
      event.preventDefault();
      row.dataset.drop = part(event, row);
      marked = row;
    });
    tree.addEventListener("dragend", () => {
      clear();
      held = "";
      rows.held = "";
    });
    tree.addEventListener("drop", (event) => {
      const row = over(event);
      if (!row) return;
      event.preventDefault();
      const where = part(event, row);
      if (where === "below") go(held, row.dataset.key, "last", false);
      else if (where === "before") before(held, row.dataset.key, false);
      else behind(held, row.dataset.key, false);
    });
    tree.addEventListener("keydown", async (event) => {
      const row = event.target.closest?.("[data-key]");
      if (!row || !(event.ctrlKey || event.metaKey) || !event.shiftKey || !KEYS[event.key]) return;
      event.preventDefault();
      await rows.know(row.dataset.key);
      await KEYS[event.key](row.dataset.key);
    });
  };
}
