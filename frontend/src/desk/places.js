// Places in a text: the server counts code points, the browser counts in UTF-16.

const WIDE = /[\ud800-\udbff]/;

/** How many code points stand before an index into UTF-16. */
export function points(text, at) {
  let count = 0;
  for (let n = 0; n < at; n++) if ((text.charCodeAt(n) & 0xfc00) !== 0xdc00) count++;
  return count;
}

/** The index into UTF-16 of the place that so many code points stand before. */
export function units(text, count) {
  let at = 0;
  for (let left = count; left > 0 && at < text.length; left--) at += text.codePointAt(at) > 0xffff ? 2 : 1;
  return at;
}

/** As `units`, for many places of one text. */
export function placer(text) {
  if (!WIDE.test(text)) return (count) => Math.min(count, text.length);
  const starts = [];
  for (let at = 0; at < text.length; at += text.codePointAt(at) > 0xffff ? 2 : 1) starts.push(at);
  return (count) => starts[count] ?? text.length;
}
