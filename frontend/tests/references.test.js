import assert from "node:assert/strict";
import test from "node:test";
import { enclosing } from "../src/desk/references.js";
import { desk } from "./desk.js";

const name = (marked) => {
  const { state } = desk(marked);
  const { from, to } = state.selection.main;
  const found = enclosing(state, from, to);
  return found && state.sliceDoc(found.from, found.to);
};

test("a caret or selection in a reference finds its name", () => {
  assert.equal(name("see [[Pu¦mp]] now"), "Pump");
  assert.equal(name("see [¦[Pump]] now"), "Pump");
  assert.equal(name("see [[Pump]¦] now"), "Pump");
  assert.equal(name("see [[Pump|lab¦el]] now"), "Pump");
  assert.equal(name("see [[Pump#Se¦at]]"), "Pump");
  assert.equal(name("[[=Card | a: [[We¦ll]] ]]"), "Well");
  assert.equal(name("[[=Card | a: ¦[[Well]] ]]"), "Card");
  assert.equal(name("⟨see [[Pump]] now⟩"), "Pump");
});

test("a caret beside a reference finds none", () => {
  for (const marked of ["see ¦[[Pump]]", "[[Pump]]¦ now", "[[open ¦", "[one¦](b)", "⟨words⟩"]) assert.equal(name(marked), null);
});
