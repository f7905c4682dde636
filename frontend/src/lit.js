// Lights up the sentence around the reference that the address points at (#ref-3).
const BLOCKS = "p, li, td, th, dt, dd, h2, h3, h4, h5, h6, blockquote, summary, caption";

export function lightUp() {
  if (!("highlights" in CSS)) return;
  CSS.highlights.delete("lit");
  const target = /^#ref-\d+$/.test(location.hash) && document.getElementById(location.hash.slice(1));
  const block = target && target.closest(BLOCKS);
  if (block) CSS.highlights.set("lit", new Highlight(sentenceAround(target, block)));
}

function sentenceAround(target, block) {
  const before = document.createRange();
  before.setStart(block, 0);
  before.setEndBefore(target);
  const at = before.toString().length;
  const whole = document.createRange();
  whole.selectNodeContents(block);
  const sentences = new Intl.Segmenter(document.documentElement.lang, { granularity: "sentence" });
  const { index, segment } = sentences.segment(whole.toString()).containing(at) ?? { index: 0, segment: "" };
  const range = document.createRange();
  range.setStart(...place(block, index));
  range.setEnd(...place(block, index + segment.trimEnd().length));
  return range;
}

/** The text node and offset at which the text of `block` has come to `offset` characters. */
function place(block, offset) {
  const walker = document.createTreeWalker(block, NodeFilter.SHOW_TEXT);
  let last = null;
  while (walker.nextNode()) {
    last = walker.currentNode;
    if (offset <= last.length) return [last, offset];
    offset -= last.length;
  }
  return last ? [last, last.length] : [block, 0];
}
