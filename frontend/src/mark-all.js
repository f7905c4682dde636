// One box that marks all boxes of a name: `<input type="checkbox" data-mark-all="rows">`.
export function markAll() {
  document.addEventListener("change", (event) => {
    const name = event.target.dataset?.markAll;
    if (!name) return;
    for (const box of document.getElementsByName(name)) if (box.type === "checkbox") box.checked = event.target.checked;
  });
}
