// The headings of the text and the contents of the volume, in the place of the preview: to go to, to drag from.
import { headings, isAlone, reveal, sectionAt, standAlone } from "./sections.js";

/** `parts` go into the desk; `on` binds it to the editor. */
export function outlinePanel() {
  let view = null;
  const parts = {
    outlining: false,
    isAlone: false,
    headings: [],
    outline() {
      this.outlining = !this.outlining;
      if (this.outlining && this.mode === "text") this.show(innerWidth < 900 ? "seen" : "beside");
      this.listHeadings();
      view.focus();
    },
    endOutline() {
      this.outlining = false;
      view.focus();
    },
    listHeadings() {
      this.isAlone = isAlone(view.state);
      if (!this.outlining) return;
      this.headings = headings(view.state).map((each, id) => ({
        id,
        words: each.words || "(no words yet)",
        css: `h${each.level}`,
        from: each.from,
      }));
    },
    goToHeading({ from }) {
      if (this.mode === "seen") this.show("text");
      reveal(view, from);
      this.isAlone = isAlone(view.state);
      view.dispatch({ selection: { anchor: view.state.doc.lineAt(from).to }, scrollIntoView: true });
      view.focus();
    },
    writeAlone({ from }) {
      if (this.mode === "seen") this.show("text");
      standAlone(view, sectionAt(view.state, from));
      this.isAlone = true;
      view.focus();
    },
    // The section that the caret is in, or the whole text again.
    turnAlone() {
      if (isAlone(view.state)) this.writeWhole();
      else {
        const section = sectionAt(view.state, view.state.selection.main.head);
        if (section) this.writeAlone(section);
        else this.hint = "There is no heading above the caret: put it into the section that is to stand alone.";
      }
    },
    writeWhole() {
      standAlone(view, null);
      this.isAlone = false;
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
