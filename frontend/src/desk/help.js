// The markup at hand: each line says what it makes, and a click types it where the caret is.
import { snippet } from "@codemirror/autocomplete";

const LINES = [
  ["To other pages", [
    ["[[Title]]", "a page by its name", "[[${Title}]]"],
    ["[[Title|words]]", "… in other words", "[[${Title}|${words}]]"],
    ["[[Title#Section]]", "a section of it", "[[${Title}#${Section}]]"],
    ["[[#Section]]", "a section of this page", "[[#${Section}]]"],
    ["[[Volume/Title]]", "a page of another volume", "[[${Volume}/${Title}]]"],
    ["[[=Title]]", "the text of a page, put in here", "[[=${Title}]]"],
    ["[[=Template | slot: value]]", "a template with its values", "[[=${Template} | ${slot}: ${value}]]"],
    ["[[=* | category: Name]]", "a list of pages", "[[=* | category: ${Name}]]"],
  ]],
  ["In a line", [
    ["**bold**", "strong", "**${bold}**"],
    ["*italic*", "emphasis", "*${italic}*"],
    ["`code`", "commands, names of files", "`${code}`"],
    ["[words](https://…)", "a page of another site", "[${words}](https://${})"],
    ["[^1]", "a footnote, told below as [^1]: …", "[^${1}]"],
    ["[^key, p. 5]", "a source, and the place in it", "[^${key}, p. ${5}]"],
    ["#mark", "files the passage under a category", "#${mark}"],
    ["@handle", "names somebody", "@${handle}"],
    ["$E = mc^2$", "a formula; $$…$$ stands by itself", "$${E = mc^2}$"],
  ]],
  ["Blocks", [
    ["## Heading", "### and #### stand below it", "## ${Heading}"],
    ["- item", "a list; Tab moves an item in", "- ${item}"],
    ["1. step", "steps; within them a. and i.", "1. ${step}"],
    ["- [ ] task due:2027-03-01 @who", "a task", "- [ ] ${task} due:${2027-03-01} @${who}"],
    ["> words", "a quotation", "> ${words}"],
    ["**Warning** words", "a notice: danger, warning, caution, notice, note, tip", "**${Warning}** ${words}"],
    ["| a | b |", "a table; “ for the cell above, “” for the one to the left", "| ${a} | ${b} |\n| --- | --- |\n| ${c} | ${d} |"],
    ["![words](file.png){width=60%}", "a picture, and how wide", "![${words}](${file.png}){width=${60}%}"],
    ["```", "code; its language behind the marks", "```${}\n${code}\n```"],
    ["```dot", "a diagram", "```dot ${caption} | ${what is to be seen}\ndigraph { ${a -> b} }\n```"],
    ["term, : meaning", "a definition", "${term}\n: ${meaning}"],
    ["<!-- part: name -->", "a part that can be put in by itself", "<!-- part: ${name} -->\n${text}\n<!-- /part -->"],
  ]],
];

/** `parts` go into the desk; `on` binds it to the editor. */
export function helpPanel() {
  let view = null;
  const groups = LINES.map(([name, lines]) => ({ name, lines: lines.map(([typed, says, insert]) => ({ typed, says, insert })) }));
  const parts = {
    helping: false,
    helpGroups: groups,
    help() {
      this.helping = !this.helping;
      if (this.helping && this.mode === "text") this.show(innerWidth < 900 ? "seen" : "beside");
      view.focus();
    },
    endHelp() {
      this.helping = false;
      view.focus();
    },
    typeLine({ insert }) {
      if (this.mode === "seen") this.show("text");
      const { from, to } = view.state.selection.main;
      const line = view.state.doc.lineAt(from);
      // A block begins a line of its own.
      const block = /^(?:#|- |1\. |> |\*\*\$\{W|\||!\[|```|\$\{term|<!--)/.test(insert);
      const lead = block && line.text.slice(0, from - line.from).trim() ? "\n\n" : "";
      if (lead) view.dispatch({ changes: { from, to, insert: lead }, selection: { anchor: from + lead.length } });
      const at = view.state.selection.main;
      snippet(insert)(view, null, at.from, at.to);
      view.focus();
    },
  };
  return {
    parts,
    on(editor) {
      view = editor;
    },
  };
}
