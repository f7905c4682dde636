// While reading: the list of headings says where the reader is, and code can be copied.

const BELOW = 120; // a heading counts as reached a little before it is at the top

function follow() {
  const entries = [...document.querySelectorAll("[data-heading]")];
  const headings = entries.map((entry) => document.getElementById(entry.dataset.heading));
  const main = document.querySelector("main");
  if (!entries.length || !main) return;
  let asked = false;
  const mark = () => {
    asked = false;
    let at = -1;
    headings.forEach((heading, n) => {
      if (heading && heading.getBoundingClientRect().top <= BELOW) at = n;
    });
    entries.forEach((entry, n) => {
      if (n === at) entry.setAttribute("aria-current", "location");
      else entry.removeAttribute("aria-current");
    });
  };
  const ask = () => {
    if (!asked) requestAnimationFrame(mark);
    asked = true;
  };
  for (const each of [main, window]) each.addEventListener("scroll", ask, { passive: true });
  mark();
}

export function copyable(root) {
  if (!navigator.clipboard) return;
  for (const code of root.querySelectorAll("pre > code")) {
    if (code.parentElement.parentElement.classList.contains("copied-from")) continue;
    const box = document.createElement("div");
    box.className = "copied-from";
    const button = document.createElement("button");
    button.type = "button";
    button.className = "copy";
    button.textContent = "Copy";
    button.addEventListener("click", async () => {
      await navigator.clipboard.writeText(code.textContent);
      button.textContent = "Copied";
      setTimeout(() => (button.textContent = "Copy"), 1500);
    });
    code.parentElement.replaceWith(box);
    box.append(code.parentElement, button);
  }
}

/** Boxes of the page's own tasks can be ticked; each is written into the text as a revision. */
function tickable(text) {
  const { tick, token } = text.dataset;
  if (!tick) return;
  for (const box of text.querySelectorAll("[data-task]")) {
    const item = (box.closest("li") ?? box.parentElement).textContent.trim().replace(/\s+/g, " ");
    box.setAttribute("aria-label", item.slice(0, 160) || "Task");
    box.disabled = false;
    box.addEventListener("change", async () => {
      const done = box.checked;
      box.disabled = true;
      const fields = { token, number: box.dataset.task, revision: text.dataset.revision, done: done ? "1" : "" };
      const answer = await fetch(tick, { method: "POST", body: new URLSearchParams(fields) }).catch(() => null);
      box.disabled = false;
      if (answer?.ok) return;
      box.checked = !done;
      const told = await answer?.json().catch(() => null);
      say(box, told?.message ?? "The wiki does not answer, so nothing was ticked. Try again in a while.");
    });
  }
}

function say(box, words) {
  const item = box.closest("li") ?? box.parentElement;
  item.querySelector(":scope > .problem")?.remove();
  const line = document.createElement("p");
  line.className = "problem";
  line.setAttribute("role", "alert");
  line.textContent = words;
  item.append(line);
}

export function reading() {
  follow();
  for (const text of document.querySelectorAll("[data-text]")) {
    copyable(text);
    tickable(text);
  }
}
