// Moving a row of the contents by dragging it, or with Ctrl+Shift and an arrow: leads to the plan of another place.
const parentOf = (number) => number.split(".").slice(0, -1).join(".");

/** Rows are links with `data-number` and `data-key`; `plan(key)` gives the address of the plan. */
export function placing(rows, plan) {
  const at = (number) => rows.find((row) => row.dataset.number === number);
  const keyOf = (number) => (number ? at(number).dataset.key : "");
  const siblings = (number) => rows.filter((row) => parentOf(row.dataset.number) === parentOf(number));

  function go(row, under, after) {
    const query = new URLSearchParams({ under, after });
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
      KEYS[event.key](row);
    });
  };
}
