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
  const { token } = await fetch("/-/token").then((answer) => answer.json());
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
  const done = await send(`/-/undo-now/${change}`, {});
  if (done?.change) shownAgain(key, null);
  else location.assign(`/-/changes/${change}/undo`);
}
const parentOf = (number) => number.split(".").slice(0, -1).join(".");

/** Rows are links with `data-number` and `data-key`; `plan(key)` gives the address of the plan, `now(key)` the one that
 * does it. */
export function placing(rows, plan, now) {
  const at = (number) => rows.find((row) => row.dataset.number === number);
  const keyOf = (number) => (number ? at(number).dataset.key : "");
  const siblings = (number) => rows.filter((row) => parentOf(row.dataset.number) === parentOf(number));

  let atOnce = false;

  async function go(row, under, after) {
    const query = new URLSearchParams({ under, after });
    if (atOnce) {
      const done = await send(now(row.dataset.key), { under, after });
      if (done?.change) {
        shownAgain(row.dataset.key, done.change);
        return;
      }
    }
    location.assign(`${plan(row.dataset.key)}?${query}`);
  }

  function before(row, other) {
    const beside = siblings(other.dataset.number).filter((each) => each !== row);
    const index = beside.indexOf(other);
    go(row, keyOf(parentOf(other.dataset.number)), index ? beside[index - 1].dataset.key : "first");
  }

  function behind(row, other) {
    go(row, keyOf(parentOf(other.dataset.number)), other.dataset.key);
  }

  const within = (row, other) => `${other.dataset.number}.`.startsWith(`${row.dataset.number}.`);

  const KEYS = {
    ArrowUp(row) {
      const beside = siblings(row.dataset.number);
      const index = beside.indexOf(row);
      if (index > 0) before(row, beside[index - 1]);
    },
    ArrowDown(row) {
      const beside = siblings(row.dataset.number);
      const next = beside[beside.indexOf(row) + 1];
      if (next) behind(row, next);
    },
    ArrowLeft(row) {
      const parent = at(parentOf(row.dataset.number));
      if (parent) behind(row, parent);
    },
    ArrowRight(row) {
      const beside = siblings(row.dataset.number);
      const index = beside.indexOf(row);
      if (index > 0) go(row, beside[index - 1].dataset.key, "last");
    },
  };

  /** Which part of a row the pointer is on: its upper or lower edge, or the middle. */
  function part(event, row) {
    const box = row.getBoundingClientRect();
    const share = (event.clientY - box.top) / box.height;
    return share < 0.28 ? "before" : share > 0.72 ? "behind" : "below";
  }

  return (tree) => {
    let held = null;
    const clear = () => {
      for (const row of rows) delete row.dataset.drop;
    };
    for (const row of rows) row.draggable = true;
    tree.addEventListener("dragstart", (event) => {
      held = event.target.closest?.("[data-number]");
    });
    tree.addEventListener("dragover", (event) => {
      const row = event.target.closest?.("[data-number]");
      clear();
      if (!held || !row || within(held, row)) return;
      event.preventDefault();
      row.dataset.drop = part(event, row);
    });
    tree.addEventListener("dragend", () => {
      clear();
      held = null;
    });
    tree.addEventListener("drop", (event) => {
      const row = event.target.closest?.("[data-number]");
      if (!held || !row || within(held, row)) return;
      event.preventDefault();
      const where = part(event, row);
      if (where === "below") go(held, row.dataset.key, "last");
      else if (where === "before") before(held, row);
      else behind(held, row);
    });
    tree.addEventListener("keydown", (event) => {
      const row = event.target.closest?.("[data-number]");
      if (!row || !(event.ctrlKey || event.metaKey) || !event.shiftKey || !KEYS[event.key]) return;
      event.preventDefault();
      atOnce = true;
      KEYS[event.key](row);
      atOnce = false;
    });
  };
}
