// Pictures and files that are pasted, dropped or chosen: kept by the server, and the text that shows them put in.
import { EditorView } from "@codemirror/view";
import { post } from "./post.js";

const UNNAMED = /^(?:image|clipboard|unnamed|untitled)\.\w+$/i;

/** `parts` go into the desk, `extension` into the editor; `on` binds both, `moved` tells what became of the text. */
export function bringing() {
  let view = null;
  let form = null;
  let desk = null;
  // Where files will be shown that are still on their way.
  const places = [];

  const put = (place, { name, destination, picture }) => {
    const at = Math.min(place.at, view.state.doc.length);
    const line = view.state.doc.lineAt(at);
    const shows = picture ? `![](${destination})` : `[${name}](${destination})`;
    // At the edge of a line with words a picture has a paragraph of its own; within them it stands there.
    const words = picture && line.text.trim();
    const before = words && at === line.to ? "\n\n" : "";
    const behind = words && at === line.from ? "\n\n" : "";
    const insert = `${before}${shows}${behind}`;
    // A picture wants a description: the caret is where it is typed.
    const anchor = at + before.length + (picture ? 2 : shows.length);
    view.dispatch({ changes: { from: at, insert }, selection: { anchor }, scrollIntoView: true, userEvent: "input.paste" });
    view.focus();
  };

  const bring = async (files, at) => {
    for (const file of files) {
      const place = { at };
      places.push(place);
      desk.hint = `Bringing “${file.name || "the picture"}” …`;
      const title = form.elements.title.value;
      const fields = { file, name: UNNAMED.test(file.name) ? title : file.name };
      const answer = await post(form.dataset.file, fields, form).catch(() => null);
      places.splice(places.indexOf(place), 1);
      desk.hint = "";
      if (!answer?.ok) {
        desk.hintAt = view.state.selection.main.head;
        desk.hint = answer?.said.message ?? "The server does not answer, so the file was not brought.";
        return;
      }
      put(place, answer.said);
      desk.broughtName = answer.said.name;
      desk.broughtDestination = answer.said.destination;
      desk.broughtWanted = answer.said.name.replace(/\.\w+$/, "");
      desk.broughtKnown = answer.said.known;
      desk.brought = true;
      at = view.state.selection.main.head;
    }
  };

  const parts = {
    brought: false,
    broughtName: "",
    broughtWanted: "",
    broughtDestination: "",
    broughtKnown: false,
    chooseFile() {
      this.$refs.file.click();
    },
    fileChosen(event) {
      const { files } = event.currentTarget;
      bring([...files], view.state.selection.main.to);
      event.currentTarget.value = "";
    },
    endBrought() {
      this.brought = false;
      view.focus();
    },
    // Another name while nobody else has named it; the text of now follows.
    async callFile() {
      const fields = { name: this.broughtName, new: this.broughtWanted };
      const answer = await post(form.dataset.fileName, fields, form).catch(() => null);
      if (!answer?.ok) {
        this.hint = answer?.said.message ?? "The server does not answer, so the name stays.";
        return;
      }
      const text = view.state.doc.toString();
      const old = `](${this.broughtDestination})`;
      const changes = [];
      for (let at = text.indexOf(old); at >= 0; at = text.indexOf(old, at + 1)) {
        changes.push({ from: at + 2, to: at + old.length - 1, insert: answer.said.destination });
      }
      view.dispatch({ changes });
      this.hint = "";
      this.endBrought();
    },
  };

  const extension = EditorView.domEventHandlers({
    paste(event) {
      const data = event.clipboardData;
      // Cells and words are copied with a picture of them, which nobody means.
      if (!data?.files.length || data.getData("text/plain")) return false;
      event.preventDefault();
      bring([...data.files], view.state.selection.main.to);
      return true;
    },
    drop(event) {
      const files = event.dataTransfer?.files;
      if (!files?.length) return false;
      event.preventDefault();
      bring([...files], view.posAtCoords({ x: event.clientX, y: event.clientY }) ?? view.state.selection.main.head);
      return true;
    },
  });

  return {
    parts,
    extension,
    on(editor, element, parts_) {
      view = editor;
      form = element;
      desk = parts_;
    },
    moved(changes) {
      for (const place of places) place.at = changes.mapPos(place.at, 1);
    },
  };
}
