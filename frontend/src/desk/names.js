// Which names in the editor are pages: asked of the server in bunches, remembered while the desk is open.
const WAIT = 180;
const MOST = 300;

/** `state(typed)`: true, false, or undefined while not known. `told` is called when more is known. */
export function known(address, under, told) {
  const found = new Map();
  const waiting = new Set();
  let timer = 0;

  async function ask(typed) {
    const query = new URLSearchParams({ names: typed.join("\n"), under });
    const answer = await fetch(`${address}?${query}`).catch(() => null);
    if (!answer?.ok) return;
    for (const [each, target] of Object.entries(await answer.json())) found.set(each, target);
  }

  async function flush() {
    const typed = [...waiting].slice(0, MOST);
    for (const each of typed) waiting.delete(each);
    for (let at = 0; at < typed.length; at += 50) await ask(typed.slice(at, at + 50));
    for (const each of typed) if (!found.has(each)) found.set(each, null);
    told();
    if (waiting.size) timer = setTimeout(flush, WAIT);
  }

  return {
    state(typed) {
      if (found.has(typed)) return found.get(typed)?.written;
      if (!waiting.has(typed)) {
        waiting.add(typed);
        clearTimeout(timer);
        timer = setTimeout(flush, WAIT);
      }
      return undefined;
    },
    async find(typed) {
      if (!found.get(typed)) await ask([typed]);
      return found.get(typed) ?? null;
    },
  };
}
