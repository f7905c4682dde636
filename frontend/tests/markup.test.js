import assert from "node:assert/strict";
import { test } from "node:test";
import { around, bullets, heading, leaveList, numbers, quote, tasks, tick } from "../src/desk/markup.js";
import { after, text } from "./desk.js";

test("a mark goes around the selection, or the word at the caret, and away again", () => {
  const bold = around("**");
  assert.equal(after(bold, "a ⟨b c⟩ d"), "a **⟨b c⟩** d");
  assert.equal(after(bold, "a **⟨b c⟩** d"), "a ⟨b c⟩ d");
  assert.equal(after(bold, "one w¦ord"), "one **⟨word⟩**");
  assert.equal(after(around("`"), "one ¦"), "one `¦`");
});

test("all selected lines get a mark, or lose it if all have it", () => {
  assert.equal(text(bullets, "⟨a\nb\n\nc⟩"), "- a\n- b\n\n- c");
  assert.equal(text(bullets, "⟨- a\n- b⟩"), "a\nb");
  assert.equal(text(bullets, "⟨- a\nb⟩"), "- a\n- b");
  assert.equal(text(numbers, "⟨a\nb⟩"), "1. a\n2. b");
  assert.equal(text(quote, "⟨> a\n> b⟩"), "a\nb");
  assert.equal(text(tasks, "⟨- a\n  - b⟩"), "- [ ] a\n  - [ ] b");
  assert.equal(text(bullets, "⟨1. a\n2. b⟩"), "- a\n- b");
});

test("a heading goes from none over the second to the fourth level and back", () => {
  let line = "¦Limits";
  const seen = [];
  for (let n = 0; n < 4; n++) {
    line = after(heading, line);
    seen.push(line.replace("¦", ""));
  }
  assert.deepEqual(seen, ["## Limits", "### Limits", "#### Limits", "Limits"]);
});

test("tasks are ticked, or unticked if all are", () => {
  assert.equal(text(tick, "⟨- [ ] a\n- [x] b⟩"), "- [x] a\n- [x] b");
  assert.equal(text(tick, "⟨- [x] a\n- [X] b⟩"), "- [ ] a\n- [ ] b");
  assert.equal(text(tick, "¦no task"), "no task");
});

test("Enter in an empty item leaves the list behind a blank line, also after one item", () => {
  assert.equal(after(leaveList, "- a\n- ¦"), "- a\n\n¦");
  assert.equal(after(leaveList, "1. a\n2. ¦"), "1. a\n\n¦");
  assert.equal(after(leaveList, "- [ ] a\n- [ ] ¦"), "- [ ] a\n\n¦");
  assert.equal(after(leaveList, "- a\n- ¦\n- b"), "- a\n\n¦\n\n- b");
  assert.equal(after(leaveList, "- a\n\n- ¦"), "- a\n\n¦");
  assert.equal(after(leaveList, "1. a\n   - b\n   - ¦"), "1. a\n   - b\n2. ¦");
  assert.equal(after(leaveList, "- a¦"), "- a¦");
});
