// What is pasted becomes markup: cells of a spreadsheet a table, formatted text Markdown. Paste without formatting
// (Ctrl Shift V) and paste into code stay as they are.
import { syntaxTree } from "@codemirror/language";
import { EditorView } from "@codemirror/view";
import { fromDom } from "hast-util-from-dom";
import { toMdast } from "hast-util-to-mdast";
import { gfmToMarkdown } from "mdast-util-gfm";
import { toMarkdown } from "mdast-util-to-markdown";
import { LITERAL, inFront } from "./completion.js";
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

/** Elements as Markdown. Pictures are left out: a page holds files of its own. */
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

/** A page from the clipboard as Markdown; null if it is no more than plain text. */
export function asMarkdown(page) {
  const body = page.body;
  // Some programs put everything into a bold element that is not bold.
  for (const element of body.querySelectorAll("b, strong")) {
    if (/font-weight:\s*(?:normal|400)/.test(element.dataset.style ?? "")) element.replaceWith(...element.childNodes);
  }
  if (!body.querySelector(FORMATTED)) return null;
  const pieces = [];
  const tables = [...body.querySelectorAll("table")];
  for (const [n, table] of tables.entries()) {
    const rows = [...table.rows].map((row) =>
      [...row.cells].flatMap((cell) => {
        const inside = document.createElement("div");
        inside.append(...cell.cloneNode(true).childNodes);
        return [markdownOf(inside), ...Array(Math.max(0, cell.colSpan - 1)).fill("")];
      }),
    );
    pieces.push(tableOf(rows));
    const stand = document.createElement("p");
    stand.textContent = `qtableq${n}q`;
    table.replaceWith(stand);
  }
  return markdownOf(body).replace(/qtableq(\d+)q/g, (_, n) => pieces[n]);
}

/** Lines of tabs as a table; null if they are none. A cell in quotes may hold quotes, doubled. */
export function asTable(words) {
  const lines = words.replace(/\r\n?/g, "\n").replace(/\n$/, "").split("\n");
  const width = lines[0].split("\t").length;
  if (width < 2 || lines.length < 2 || lines.some((line) => line.split("\t").length !== width)) return null;
  const bare = (cell) => (/^".*"$/s.test(cell) ? cell.slice(1, -1).replaceAll('""', '"') : cell);
  return tableOf(lines.map((line) => line.split("\t").map(bare)));
}

/** HTML without what styles it: none of that is kept, and the page's own policy lets none in. */
function unstyled(text) {
  return text
    .replace(/<style\b[\s\S]*?<\/style\s*>/gi, "")
    .replace(/<[^<>]+>/g, (tag) => tag.replace(/\sstyle\s*=/gi, " data-style="));
}

/** Pasting; `html` makes trusted HTML of what the clipboard holds. */
export function pasting(html) {
  return EditorView.domEventHandlers({
    paste(event, view) {
      const data = event.clipboardData;
      const { from, to } = view.state.selection.main;
      const line = view.state.doc.lineAt(from);
      const node = syntaxTree(view.state).resolveInner(from, -1).name;
      if (!data || LITERAL.test(node) || inFront(view.state.doc, line.number)) return false;
      const formatted = data.getData("text/html");
      const page = formatted ? new DOMParser().parseFromString(html(unstyled(formatted)), "text/html") : null;
      const plain = data.getData("text/plain");
      const made = (page && asMarkdown(page)) || asTable(plain);
      if (!made || made === plain) return false;
      event.preventDefault();
      const block = made.includes("\n");
      const before = block && line.text.slice(0, from - line.from).trim() ? "\n\n" : "";
      const behind = block && to < line.to ? "\n\n" : "";
      const insert = `${before}${made}${behind}`;
      view.dispatch({
        changes: { from, to, insert },
        selection: { anchor: from + insert.length - behind.length },
        scrollIntoView: true,
        userEvent: "input.paste",
      });
      return true;
    },
  });
}
