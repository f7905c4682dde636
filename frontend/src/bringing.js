// A folder or a zip that is dropped or chosen is brought to its volume, with how far it is; the plan follows.
const SENT_AS_FOLDER = 20000;

export function bringing() {
  return {
    said: "",
    sending: false,
    percent: 0,
    files: [],
    over() {
      this.$root.classList.add("dragged-over");
    },
    away() {
      this.$root.classList.remove("dragged-over");
    },
    chosen(event) {
      this.files = [...event.target.files].map((file) => ({ path: file.webkitRelativePath || file.name, file }));
      for (const other of this.$root.querySelectorAll("input[type=file]")) if (other !== event.target) other.value = "";
      this.told();
    },
    async dropped(event) {
      this.away();
      // Entries are only to be had before anything is waited for.
      const entries = [...event.dataTransfer.items].map((item) => item.webkitGetAsEntry?.()).filter(Boolean);
      this.files = (await Promise.all(entries.map(walked))).flat();
      this.told();
      if (this.files.length) this.send();
    },
    told() {
      const number = this.files.length;
      this.said = number === 1 ? this.files[0].path : number ? `${number} files` : "";
    },
    send() {
      if (this.sending) return;
      if (!this.files.length) {
        this.said = "Choose a zip or a folder first.";
        return;
      }
      if (this.files.length > SENT_AS_FOLDER) {
        this.said = `These are more than ${SENT_AS_FOLDER} files. Pack the folder as a zip, and bring that.`;
        return;
      }
      const form = new FormData();
      form.append("token", this.$root.elements.token.value);
      form.append("script", "1");
      if (this.files.length > 1 || !this.files[0].path.toLowerCase().endsWith(".zip"))
        form.append("paths", JSON.stringify(this.files.map((each) => each.path)));
      for (const { file } of this.files) form.append("file", file, file.name || "file");
      this.sending = true;
      this.said = "Sending …";
      // fetch tells nothing of how far a request has come.
      const request = new XMLHttpRequest();
      request.upload.addEventListener("progress", (event) => {
        this.percent = event.lengthComputable ? Math.round((100 * event.loaded) / event.total) : 0;
        if (event.loaded === event.total) this.said = "Looking at it …";
      });
      request.addEventListener("load", () => this.answered(request));
      request.addEventListener("error", () => this.failed("The server cannot be reached. Nothing was brought; try again."));
      request.open("POST", this.$root.action);
      request.send(form);
    },
    answered(request) {
      let answer = null;
      try {
        answer = JSON.parse(request.responseText);
      } catch {
        // What is no answer for scripts is said below.
      }
      if (request.status < 300 && answer?.address) window.location.assign(answer.address);
      else this.failed(answer?.message ?? answer?.detail ?? "It was not taken. It may be too large: bring it in parts.");
    },
    failed(said) {
      this.sending = false;
      this.said = said;
    },
  };
}

// All files below what was dropped, with their paths in it.
async function walked(entry) {
  if (entry.isFile) {
    const file = await new Promise((found, failed) => entry.file(found, failed));
    return [{ path: entry.fullPath.replace(/^\//, ""), file }];
  }
  const reader = entry.createReader();
  const found = [];
  for (;;) {
    // A reader gives some at a time, and none at its end.
    const some = await new Promise((read, failed) => reader.readEntries(read, failed));
    if (!some.length) break;
    found.push(...some);
  }
  return (await Promise.all(found.map(walked))).flat();
}
