// The rule of revisions: two handles on it, dragged or moved by keys, and what differs between them beside it.
import { parts } from "./parts.js";

const WAIT = 120; // a handle that is on its way asks for nothing

export function revisions() {
  let root = null;
  let timer = 0;
  let asked = 0;
  let last = 0; // the tick that was chosen last: Space on another one marks the other end
  const ticks = () => [...root.querySelectorAll("[data-number]")];
  const number = (tick) => Number(tick.dataset.number);
  const handle = (end) => root.querySelector(`[data-end="${end}"]`);
  const ends = () => [Number(root.dataset.one), Number(root.dataset.other)];

  function draw(one, other) {
    for (const tick of ticks()) {
      tick.classList.toggle("within", one <= number(tick) && number(tick) <= other);
      for (const [end, at] of [["to", other], ["from", one]]) {
        if (number(tick) === at) tick.querySelector(".handles").append(handle(end));
      }
      const [from, to] = tick.querySelectorAll(".ends a");
      from.href = address(number(tick), other);
      to.href = address(one, number(tick));
    }
    for (const [end, at] of [["to", other], ["from", one]]) {
      const tick = root.querySelector(`[data-number="${at}"]`);
      handle(end).setAttribute("aria-valuenow", at);
      handle(end).setAttribute("aria-valuetext", `revision ${at}, ${tick?.querySelector("time")?.textContent ?? ""}`);
    }
  }

  function address(one, other) {
    const url = new URL(root.dataset.at, location.href);
    url.searchParams.set("from", Math.min(one, other));
    url.searchParams.set("to", Math.max(one, other));
    return url.pathname + url.search;
  }

  function set(one, other) {
    [one, other] = [Math.min(one, other), Math.max(one, other)];
    if (one === ends()[0] && other === ends()[1]) return;
    [root.dataset.one, root.dataset.other] = [one, other];
    draw(one, other);
    const at = address(one, other);
    history.replaceState(history.state, "", at);
    clearTimeout(timer);
    timer = setTimeout(async () => {
      const mine = ++asked;
      const found = await parts(`${at}&part=1`);
      if (mine === asked) root.querySelector(".differences").replaceChildren(...found);
    }, WAIT);
  }

  /** Puts one handle on a tick while the other stays; says which of the two it is now. */
  function move(end, to) {
    const stays = ends()[end === "from" ? 1 : 0];
    set(stays, to);
    last = to;
    if (to === stays) return end;
    return to < stays ? "from" : "to";
  }

  function key(event) {
    const end = event.target.dataset.end;
    if (end) {
      const all = ticks().map(number);
      const at = all.indexOf(ends()[end === "from" ? 0 : 1]);
      const by = { ArrowUp: -1, ArrowRight: -1, ArrowDown: 1, ArrowLeft: 1, PageUp: -10, PageDown: 10 }[event.key];
      const wanted = { Home: all.length - 1, End: 0 }[event.key] ?? (by === undefined ? undefined : at + by);
      if (wanted === undefined) return;
      event.preventDefault();
      const moved = handle(move(end, all[Math.max(0, Math.min(all.length - 1, wanted))]));
      moved.focus();
      moved.closest(".tick").scrollIntoView({ block: "nearest" });
      return;
    }
    const tick = event.target.closest("[data-number]");
    if (event.key === " " && tick) {
      event.preventDefault();
      set(last, number(tick));
      last = number(tick);
    }
  }

  function drag(event) {
    let end = event.target.dataset.end;
    if (!end || event.button !== 0) return;
    event.preventDefault();
    event.target.focus();
    const rows = ticks();
    // On the window, since the handle itself goes from tick to tick.
    const over = (moved) => {
      const row = rows.find((tick) => moved.clientY < tick.getBoundingClientRect().bottom) ?? rows.at(-1);
      end = move(end, number(row));
      row.scrollIntoView({ block: "nearest" });
    };
    const stop = () => {
      removeEventListener("pointermove", over);
      removeEventListener("pointerup", stop);
      removeEventListener("pointercancel", stop);
      handle(end).focus();
    };
    addEventListener("pointermove", over);
    addEventListener("pointerup", stop);
    addEventListener("pointercancel", stop);
  }

  return {
    init() {
      root = this.$el;
      last = ends()[1];
      const all = ticks().map(number);
      for (const end of ["from", "to"]) {
        const each = handle(end);
        if (!each) return;
        each.tabIndex = 0;
        for (const [name, value] of [
          ["role", "slider"],
          ["aria-orientation", "vertical"],
          ["aria-label", end === "from" ? "From revision" : "To revision"],
          ["aria-valuemin", all.at(-1)],
          ["aria-valuemax", all[0]],
        ])
          each.setAttribute(name, value);
      }
      root.classList.add("ready");
      draw(...ends());
      root.addEventListener("keydown", key);
      root.addEventListener("pointerdown", drag);
      root.querySelector('[data-end="to"]').closest(".tick").scrollIntoView({ block: "nearest" });
    },
  };
}
