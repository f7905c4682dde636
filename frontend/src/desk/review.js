// A look at the change before it is saved, in the place of the preview: references first, then what readers will see.
import { post } from "./post.js";

/** Parts of the desk; `html` makes trusted HTML of what came from the server. */
export function reviewParts(html) {
  // The note that was proposed last: one that the writer typed is never replaced.
  let proposed = "";
  return {
    reviewing: false,
    reviewSaid: "",
    async review() {
      this.endPeek();
      if (this.mode === "text") this.show(innerWidth < 900 ? "seen" : "beside");
      this.reviewing = true;
      this.reviewSaid = "";
      this.$refs.review.replaceChildren();
      await this.lookAgain();
      if (!this.reviewing) return;
      this.$refs.note.focus();
      this.$refs.note.select();
    },
    async lookAgain() {
      const form = this.$refs.note.form;
      this.sync();
      const fields = { text: this.$refs.text.value, title: form.elements.title.value, part: "1" };
      const answer = await post(form.dataset.review, fields, form).catch(() => null);
      if (!answer?.ok) {
        this.reviewSaid = answer?.said.message ?? "The server does not answer. Your text is still here.";
        return;
      }
      const made = document.createElement("template");
      made.innerHTML = html(answer.said.html);
      const top = this.$refs.review.scrollTop;
      this.$refs.review.replaceChildren(made.content);
      this.$refs.review.scrollTop = top;
      const note = this.$refs.note;
      if (!note.value || note.value === proposed) note.value = proposed = answer.said.note;
    },
    endReview() {
      if (!this.reviewing) return;
      this.reviewing = false;
      if (this.$refs.note.value === proposed) this.$refs.note.value = "";
      this.writeOn();
    },
  };
}
