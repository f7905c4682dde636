import assert from "node:assert/strict";
import test from "node:test";
import { asValue } from "../src/desk/insert-form.js";

test("what would end a value or begin another one is escaped, and nothing else", () => {
  assert.equal(asValue("12 V | a"), "12 V | a");
  assert.equal(asValue("x | b: y"), "x \\| b: y");
  assert.equal(asValue("x \\| b: y"), "x \\| b: y");
  assert.equal(asValue("see [[Well|it]]"), "see [[Well|it]]");
  assert.equal(asValue("an ]] end"), "an \\]\\] end");
  assert.equal(asValue("an [[ open"), "an \\[\\[ open");
  assert.equal(asValue("`x | b: y`"), "`x | b: y`");
});
