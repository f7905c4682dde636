// A tree of which a part is known is one list of lines, whatever is open.
import assert from "node:assert/strict";
import { test } from "node:test";
import { Tree } from "../src/tree.js";

const rows = (lead, from, to) =>
  Array.from({ length: to - from + 1 }, (_, n) => ({ nth: from + n, key: `${lead}${from + n}`, title: `${lead}${from + n}`, branch: false }));

/** What a plain walk of the whole tree gives: the keys line by line, undefined where a row is not known. */
function walked(tree, under = "") {
  const level = tree.levels.get(under);
  const found = [];
  for (let index = 0; index < level.total; index++) {
    const row = level.rows.get(index);
    found.push(row?.key);
    if (row && tree.open.has(row.key) && tree.levels.has(row.key)) found.push(...walked(tree, row.key));
  }
  return found;
}

/** A small generator with a seed, so that what fails fails again. */
function chance(seed) {
  let state = seed;
  return (below) => {
    state = (state * 1103515245 + 12345) % 2147483648;
    return Math.floor((state / 2147483648) * below);
  };
}

test("every line of the list is where a plain walk of the tree has it, and every known row finds its line", () => {
  for (let seed = 1; seed <= 200; seed++) {
    const any = chance(seed);
    const tree = new Tree();
    const keys = [""];
    for (let level = 0; level < 6; level++) {
      const under = keys[any(keys.length)];
      if (tree.levels.has(under)) continue;
      const total = any(12);
      const first = 1 + any(total || 1);
      const known = total ? rows(`${level}-`, first, first + any(total - first + 1)) : [];
      tree.add({ under, total, rows: known });
      keys.push(...known.map((row) => row.key));
      if (any(3)) tree.open.add(under);
    }
    if (!tree.levels.has("")) continue;
    const expected = walked(tree);
    assert.equal(tree.size(), expected.length);
    expected.forEach((key, position) => {
      assert.equal(tree.at(position).row?.key, key, `seed ${seed}, line ${position}`);
      if (key) assert.equal(tree.position(key), position, `seed ${seed}, ${key}`);
    });
  }
});

test("numbers are those of the whole contents, also of rows found by a part of their name", () => {
  const tree = new Tree();
  tree.add({ under: "", total: 1, rows: [{ nth: 17, key: "pumps", branch: true }] }, true);
  tree.add({ under: "pumps", total: 2, rows: [{ nth: 300, key: "bilge pump" }, { nth: 19000, key: "fire pump" }] }, true);
  tree.open.add("pumps");
  assert.deepEqual([0, 1, 2].map((position) => tree.number(tree.at(position).row.key)), ["17", "17.300", "17.19000"]);
  assert.equal(tree.size(), 3);
});

test("a row in a folded branch has no line, and opening what is above it gives it one", () => {
  const tree = new Tree();
  tree.add({ under: "", total: 3, rows: rows("a", 1, 3) });
  tree.add({ under: "a2", total: 2, rows: rows("b", 1, 2) });
  assert.equal(tree.position("b2"), -1);
  tree.reveal("b2");
  assert.equal(tree.position("b2"), 3);
  assert.equal(tree.position("a3"), 4);
  assert.ok(tree.within("a2", "b1") && !tree.within("a1", "b1"));
});

test("when a level has grown, what was known of it is asked for again", () => {
  const tree = new Tree();
  tree.add({ under: "", total: 300, rows: rows("a", 1, 200) });
  tree.add({ under: "", total: 301, rows: rows("a", 201, 301) });
  assert.equal(tree.at(0).row, undefined);
  assert.equal(tree.at(300).row.key, "a301");
});
