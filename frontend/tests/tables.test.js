import assert from "node:assert/strict";
import { test } from "node:test";
import { asTable } from "../src/desk/paste.js";
import * as tables from "../src/desk/tables.js";
import { after, desk, text } from "./desk.js";

const words = (line) => tables.cellsOf(line).map((cell) => cell.words);

test("cells are what stands between bars, but not inside of code, references and escapes", () => {
  assert.deepEqual(words("| a | b |"), ["a", "b"]);
  assert.deepEqual(words("a | b"), ["a", "b"]);
  assert.deepEqual(words("| [[Pump|the pump]] | `a|b` | x \\| y |"), ["[[Pump|the pump]]", "`a|b`", "x \\| y"]);
  assert.deepEqual(words("| a | |"), ["a", ""]);
});

test("columns are brought into line, numbers and alignments as they are", () => {
  assert.equal(
    text(tables.alignTable, "| What | V |\n|---|--:|\n| Voltage¦ | 24.0 |"),
    "| What    |    V |\n| ------- | ---: |\n| Voltage | 24.0 |",
  );
});

test("rows and columns come and go around the caret", () => {
  const table = "| a   | b   |\n| --- | --- |\n| c¦   | d   |";
  assert.equal(text(tables.rowBelow, table).split("\n").length, 4);
  assert.equal(text(tables.rowAway, table).split("\n").length, 2);
  assert.deepEqual(words(text(tables.columnRight, table).split("\n")[0]), ["a", "", "b"]);
  assert.deepEqual(words(text(tables.columnAway, table).split("\n")[0]), ["b"]);
});

test("a cell is left for the next, and the last one for a new row", () => {
  const table = "| a   | b   |\n| --- | --- |\n| c   | d   |";
  assert.match(after(tables.nextCell, table.replace("| c ", "| ¦c ")), /⟨d⟩/);
  assert.match(after(tables.previousCell, table.replace("| c ", "| ¦c ")), /⟨b⟩/);
  assert.equal(text(tables.nextCell, table.replace("| d ", "| ¦d ")).split("\n").length, 4);
});

test("outside of tables and in code nothing is taken for one", () => {
  assert.equal(tables.tableAt(desk("a | b¦").state), null);
  assert.equal(tables.tableAt(desk("```\n| a |\n|---|\n| b¦ |\n```").state), null);
});

test("tab-separated rows become a table, columns of numbers at the right", () => {
  const made = asTable("What\tV\nVoltage\t24.0\nCharge\t27.6\n");
  assert.deepEqual(made.split("\n").map(words)[0], ["What", "V"]);
  assert.match(made.split("\n")[1], /-+:\s*\|$/);
  assert.equal(asTable("only words"), null);
});

test("short rows and cells of several lines are of the table; code moved in by tabs is none", () => {
  const made = asTable('Part\tNote\tV\n"Gel cell"\t"two\nlines"\t12\nRing\n');
  assert.deepEqual(made.split("\n").map(words), [
    ["Part", "Note", "V"],
    ["--------", "---------", "--:"],
    ["Gel cell", "two lines", "12"],
    ["Ring", "", ""],
  ]);
  assert.equal(asTable("if x:\n\treturn\n\telse\n"), null);
  assert.equal(asTable("\ta\tb\n\tc\td\n"), null);
});

test("Enter goes to the row below, makes a new last one, and leaves a table by an empty one", () => {
  const table = "| a   | b   |\n| --- | --- |\n| c   | d   |";
  assert.match(after(tables.enterRow, table.replace("| b ", "| b¦ ")), /⟨d⟩/);
  const more = after(tables.enterRow, table.replace("| d ", "| d¦ "));
  assert.deepEqual(more.split("\n").slice(2).map((line) => words(line.replace("¦", ""))), [["c", "d"], ["", ""]]);
  assert.equal(after(tables.enterRow, `${table}\n|     | ¦    |`), `${table}\n\n¦`);
});
