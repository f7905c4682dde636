// What is pasted becomes markup: cells of a spreadsheet a table, formatted text Markdown. Paste without formatting
// (Ctrl Shift V) and paste into code stay as they are.
import { syntaxTree } from "@codemirror/language";
import { EditorView } from "@codemirror/view";
import { fromDom } from "hast-util-from-dom";
import { toMdast } from "hast-util-to-mdast";
import { gfmToMarkdown } from "mdast-util-gfm";
import { toMarkdown } from "mdast-util-to-markdown";
import { LITERAL, inFront } from "./completion.js";
import { bracketed, referred } from "./references.js";
import { squared, written } from "./tables.js";

const FORMATTED = "table, ul, ol, h1, h2, h3, h4, h5, h6, strong, b, em, i, code, pre, blockquote, a[href]";
const NUMBER = /^[-+]?[\d.,\s%]+$/;
const OPTIONS = {
  bullet: "-",
  emphasis: "*",
  fences: true,
  listItemIndent: "one",
  rule: "-",
  extensions: [gfmToMarkdown()],
};

/** Rows of words as a table; columns of numbers stand at the right. */
function tableOf(rows) {
  const cells = squared(rows.filter((row) => row.some((words) => words.trim())));
  const number = (c) => cells.length > 1 && cells.slice(1).every((row) => !row[c] || NUMBER.test(row[c]));
  const some = (c) => cells.slice(1).some((row) => row[c]);
  return written({ rows: cells, aligns: cells[0].map((_, c) => (number(c) && some(c) ? "right" : "")) }).text;
}

/** Elements as Markdown. Pictures from elsewhere are left out: a page holds files of its own. */
function markdownOf(element) {
  const tree = toMdast(fromDom(element));
  tidy(tree);
  return toMarkdown(tree, OPTIONS).trim();
}

function tidy(node) {
  // The title of a page is not in its text: headings begin at the second level.
  if (node.type === "heading") node.depth = Math.max(2, node.depth);
  if (node.type === "list") node.spread = false;
  if (node.type === "listItem") node.spread = false;
  if (!node.children) return;
  node.children = node.children.filter((child) => !["image", "html"].includes(child.type));
  for (const child of node.children) tidy(child);
}

/** What stands for something while the rest becomes Markdown: no letter of it is markup. */
const STAND = /qstandq(\d+)q/g;

/** The addresses that a page from the clipboard leads to or shows. */
export const addressesOf = (page) =>
  [...page.body.querySelectorAll("a[href], img[src]")].map((each) => each.getAttribute("href") ?? each.getAttribute("src"));

/** Links and pictures of this wiki in a page, as `known` says what they are, give way to stands; what they stand for. */
function withReferences(body, known) {
  const stands = [];
  const of = (address) => (URL.canParse(address, location.href) ? known.get(new URL(address, location.href).href) : null);
  const replace = (element, words) => {
    element.replaceWith(body.ownerDocument.createTextNode(`qstandq${stands.length}q`));
    stands.push(words);
  };
  // Marks, people and what says where a text is from are words that make themselves.
  for (const each of body.querySelectorAll(".insert > .source")) each.remove();
  for (const each of body.querySelectorAll("a.mark, a.person")) each.replaceWith(...each.childNodes);
  for (const each of body.querySelectorAll("img[src]")) {
    const found = of(each.getAttribute("src"));
    if (found?.file) replace(each, `![${(each.getAttribute("alt") ?? "").replace(/[[\]\n]/g, " ")}](${found.insert})`);
  }
  for (const each of body.querySelectorAll("a[href]")) {
    const found = of(each.getAttribute("href"));
    // A picture is no label: what leads somewhere by it stays as the picture.
    if (found && /qstandq\d+q/.test(each.textContent)) each.replaceWith(...each.childNodes);
    else if (found?.file) replace(each, `[${each.textContent.replace(/[[\]\n]/g, " ")}](${found.insert})`);
    else if (found) replace(each, bracketed(found, each.textContent));
  }
  return stands;
}

/** The cells of a table as rows of words, each of its own: those that one cell covers hold ditto marks, as its text
 * would. A head cannot reach into the rows below it. */
function gridOf(table, words) {
  const grid = [];
  for (const [r, row] of [...table.rows].entries()) {
    grid[r] ??= [];
    let c = 0;
    for (const cell of row.cells) {
      while (grid[r][c] !== undefined) c++;
      const rows = Math.min(cell.rowSpan || table.rows.length, table.rows.length - r);
      const below = r ? '"' : "";
      for (let down = 0; down < rows; down++) {
        grid[r + down] ??= [];
        for (let along = 0; along < cell.colSpan; along++) grid[r + down][c + along] = down ? below : along ? '""' : words(cell);
      }
      c += cell.colSpan;
    }
  }
  return grid.map((row) => Array.from(row, (cell) => cell ?? ""));
}

/** A page from the clipboard as Markdown, its links as references where `known` says so; null if it is no more than
 * plain text. */
export function asMarkdown(page, known = new Map()) {
  const body = page.body;
  // Some programs put everything into a bold element that is not bold.
  for (const element of body.querySelectorAll("b, strong")) {
    if (/font-weight:\s*(?:normal|400)/.test(element.dataset.style ?? "")) element.replaceWith(...element.childNodes);
  }
  if (!body.querySelector(FORMATTED) && !(known.size && body.querySelector("img"))) return null;
  const stands = withReferences(body, known);
  const filled = (words) => words.replace(STAND, (_, n) => stands[n]);
  const pieces = [];
  for (const [n, table] of [...body.querySelectorAll("table")].entries()) {
    const rows = gridOf(table, (cell) => {
      const inside = document.createElement("div");
      inside.append(...cell.cloneNode(true).childNodes);
      return filled(markdownOf(inside));
    });
    pieces.push(tableOf(rows));
    const stand = document.createElement("p");
    stand.textContent = `qtableq${n}q`;
    table.replaceWith(stand);
  }
  return filled(markdownOf(body)).replace(/qtableq(\d+)q/g, (_, n) => pieces[n]);
}

/** Cells of lines of tabs; a cell in quotes may hold quotes, doubled, tabs and line ends. */
export function cellsOfTabs(words) {
  const rows = [[]];
  const CELL = /(?:"((?:[^"]|"")*)"(?=\t|\n|$)|([^\t\n]*))(\t|\n|$)/gy;
  const text = words.replace(/\r\n?/g, "\n").replace(/\n$/, "");
  for (let found = CELL.exec(text); found; found = CELL.exec(text)) {
    rows.at(-1).push((found[1]?.replaceAll('""', '"') ?? found[2]).trim().replace(/\s*\n\s*/g, " "));
    if (found[3] === "\n") rows.push([]);
    if (!found[3]) break;
  }
  return rows;
}

/** Lines of tabs as a table; null if they are none. Rows may be short, the first one is not. */
export function asTable(words) {
  if (!words.includes("\t")) return null;
  const rows = cellsOfTabs(words);
  const width = rows[0].length;
  const short = rows.filter((row) => row.length < 2).length;
  if (width < 2 || rows.length < 2 || rows.some((row) => row.length > width) || short * 2 > rows.length) return null;
  // Code is moved in by tabs: then most lines begin with one.
  if (rows.filter((row) => !row[0]).length * 2 > rows.length) return null;
  return tableOf(rows);
}

/** HTML without what styles it: none of that is kept, and the page's own policy lets none in. */
function unstyled(text) {
  return text
    .replace(/<style\b[\s\S]*?<\/style\s*>/gi, "")
    .replace(/<[^<>]+>/g, (tag) => tag.replace(/\sstyle\s*=/gi, " data-style="));
}

/** Puts Markdown in the place of a range; blocks stand apart from the words beside them. */
function put(view, made, from, to) {
  const line = view.state.doc.lineAt(from);
  const block = made.includes("\n");
  const before = block && line.text.slice(0, from - line.from).trim() ? "\n\n" : "";
  const behind = block && to < view.state.doc.lineAt(to).to ? "\n\n" : "";
  const insert = `${before}${made}${behind}`;
  view.dispatch({
    changes: { from, to, insert },
    selection: { anchor: from + insert.length - behind.length },
    scrollIntoView: true,
    userEvent: "input.paste",
  });
}

/** Pasting; `html` makes trusted HTML of what the clipboard holds. What is of this wiki is asked of the server first. */
export function pasting(html, volume) {
  return EditorView.domEventHandlers({
    paste(event, view) {
      const data = event.clipboardData;
      const { from, to } = view.state.selection.main;
      const node = syntaxTree(view.state).resolveInner(from, -1).name;
      if (!data || LITERAL.test(node) || inFront(view.state.doc, view.state.doc.lineAt(from).number)) return false;
      const formatted = data.getData("text/html");
      const page = formatted ? new DOMParser().parseFromString(html(unstyled(formatted)), "text/html") : null;
      const plain = data.getData("text/plain");
      const whole = () => new DOMParser().parseFromString(html(unstyled(formatted)), "text/html");
      const addresses = page ? addressesOf(page) : [];
      if (page?.body.querySelector(FORMATTED + ", img") && addresses.length) {
        event.preventDefault();
        const typed = view.state.doc;
        referred(volume, addresses).then((known) => {
          const made = asMarkdown(whole(), known) || asTable(plain) || plain;
          // Whoever went on typing meanwhile has it where the caret is.
          const range = view.state.doc.eq(typed) ? { from, to } : view.state.selection.main;
          if (made) put(view, made, range.from, range.to);
        });
        return true;
      }
      const made = (page && asMarkdown(page)) || asTable(plain);
      if (!made || made === plain) return false;
      event.preventDefault();
      put(view, made, from, to);
      return true;
    },
  });
}
