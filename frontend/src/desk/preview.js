// The preview beside the text: what did not change stands still, and both keep their place together.

/** Shows HTML in an element, exchanging only the blocks that differ. `parse` makes a fragment of it. */
export function exchange(element, fragment) {
  const now = [...element.childNodes];
  const wanted = [...fragment.childNodes];
  let start = 0;
  while (start < now.length && start < wanted.length && now[start].isEqualNode(wanted[start])) start++;
  let end = 0;
  const rest = Math.min(now.length, wanted.length) - start;
  while (end < rest && now[now.length - 1 - end].isEqualNode(wanted[wanted.length - 1 - end])) end++;
  for (const node of now.slice(start, now.length - end)) node.remove();
  const before = now[now.length - end] ?? null;
  for (const node of wanted.slice(start, wanted.length - end)) element.insertBefore(node, end ? before : null);
}

/** Keeps an editor and what is seen of it at one place. `marks` are pairs of an element's id and its line. */
export function inStep(view, scroller) {
  let marks = [];
  let driver = "text";
  let ours = 0;
  const text = view.scrollDOM;

  // Pairs of a height in the text and one in the preview, both from the top of what scrolls, rising in both.
  function pairs() {
    const seenTop = scroller.getBoundingClientRect().top - scroller.scrollTop;
    const found = [[0, 0]];
    for (const [id, line] of marks) {
      const element = scroller.querySelector(`[id="${CSS.escape(id)}"]`);
      if (!element || line > view.state.doc.lines) continue;
      const at = view.lineBlockAt(view.state.doc.line(line).from).top;
      const seen = element.getBoundingClientRect().top - seenTop;
      const [lastAt, lastSeen] = found[found.length - 1];
      if (at > lastAt && seen > lastSeen) found.push([at, seen]);
    }
    const [lastAt, lastSeen] = found[found.length - 1];
    found.push([Math.max(view.contentHeight, lastAt + 1), Math.max(scroller.scrollHeight, lastSeen + 1)]);
    return found;
  }

  function between(all, from, to, value) {
    let n = 1;
    while (n < all.length - 1 && all[n][from] < value) n++;
    const [low, high] = [all[n - 1], all[n]];
    const part = (value - low[from]) / (high[from] - low[from] || 1);
    return low[to] + Math.min(1, Math.max(0, part)) * (high[to] - low[to]);
  }

  function set(element, top) {
    const wanted = Math.round(Math.max(0, Math.min(top, element.scrollHeight - element.clientHeight)));
    if (Math.abs(element.scrollTop - wanted) < 2) return;
    ours = performance.now();
    element.scrollTop = wanted;
  }

  // The same place at the same height: a third down the view, where eyes are.
  const third = (element) => element.clientHeight / 3;

  function follow() {
    const [lead, other, from, to] = driver === "text" ? [text, scroller, 0, 1] : [scroller, text, 1, 0];
    // Both reach their ends together, whatever stands there in one of them only.
    if (lead.scrollTop <= 1) set(other, 0);
    else if (lead.scrollTop >= lead.scrollHeight - lead.clientHeight - 1) set(other, other.scrollHeight);
    else set(other, between(pairs(), from, to, lead.scrollTop + third(lead)) - third(other));
  }

  /** The place of the caret comes into sight in the preview. */
  function toCaret() {
    const at = view.lineBlockAt(view.state.selection.main.head).top;
    const seen = between(pairs(), 0, 1, at);
    if (seen < scroller.scrollTop + 20 || seen > scroller.scrollTop + scroller.clientHeight - 60) {
      set(scroller, seen - third(scroller));
    }
  }

  for (const [name, element] of [
    ["text", text],
    ["seen", scroller],
  ]) {
    for (const event of ["pointerenter", "pointerdown", "wheel", "focusin", "keydown"]) {
      element.addEventListener(event, () => (driver = name), { passive: true });
    }
    element.addEventListener(
      "scroll",
      () => {
        // What we moved ourselves moves nothing back.
        if (driver === name && performance.now() - ours > 60) requestAnimationFrame(follow);
      },
      { passive: true },
    );
  }

  return {
    marked(found) {
      marks = found;
      if (driver === "text" && view.hasFocus) toCaret();
    },
  };
}
