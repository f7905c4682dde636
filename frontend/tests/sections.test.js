import assert from "node:assert/strict";
import { test } from "node:test";
import { placer, points, units } from "../src/desk/places.js";
import { headings, isAlone, oneSection, reveal, sectionAt, standAlone } from "../src/desk/sections.js";
import { desk } from "./desk.js";

const TEXT = "Intro\n\n## One [[Pump|the pump]] {#x}\n\na\n\n### Deeper\n\nb\n\nTwo\n---\n\n```\n## none\n```\n";

test("headings are those of the text, with their words as readers see them", () => {
  const found = headings(desk(TEXT).state).map((each) => [each.level, each.words, each.line]);
  assert.deepEqual(found, [
    [2, "One the pump", 3],
    [3, "Deeper", 7],
    [2, "Two", 11],
  ]);
});

test("a section reaches to the next heading that is no lower", () => {
  const { state } = desk(TEXT);
  const section = (at) => {
    const found = sectionAt(state, TEXT.indexOf(at));
    return found && state.sliceDoc(found.from, found.to);
  };
  assert.equal(section("a\n"), TEXT.slice(TEXT.indexOf("## One"), TEXT.indexOf("Two")));
  assert.equal(section("b\n"), "### Deeper\n\nb\n\n");
  assert.equal(section("## none"), TEXT.slice(TEXT.indexOf("Two")));
  assert.equal(section("Intro"), null);
});

test("what is out of sight is neither typed into nor deleted, but follows what acts do", () => {
  const view = desk("## A\n\na\n\n## B\n\nb\n", [oneSection]);
  const doc = () => view.state.doc.toString();
  const type = (from, to, insert) => view.dispatch({ changes: { from, to, insert }, userEvent: "input.type" });
  standAlone(view, sectionAt(view.state, 0));
  assert.equal(isAlone(view.state), true);
  type(6, 7, "new");
  assert.equal(doc(), "## A\n\nnew\n\n## B\n\nb\n");
  const before = doc();
  type(doc().indexOf("b"), doc().indexOf("b") + 1, "x");
  view.dispatch({ changes: { from: doc().indexOf("\n## B"), to: doc().length }, userEvent: "delete.forward" });
  assert.equal(doc(), before);
  view.dispatch({ selection: { anchor: doc().length }, userEvent: "select" });
  assert.ok(view.state.selection.main.head < doc().indexOf("## B"));
  view.dispatch({ changes: { from: doc().length, insert: "y" } });
  assert.equal(doc(), `${before}y`);
  reveal(view, doc().length);
  assert.equal(isAlone(view.state), false);
});

test("places are the same counted in code points and in UTF-16", () => {
  const text = "a😀bé𝛂c";
  for (let at = 0; at <= [...text].length; at++) {
    const unit = [...text].slice(0, at).join("").length;
    assert.equal(units(text, at), unit);
    assert.equal(points(text, unit), at);
    assert.equal(placer(text)(at), unit);
  }
  assert.equal(placer("plain")(3), 3);
});
