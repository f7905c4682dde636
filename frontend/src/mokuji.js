// What every page has: go box, way back to the desk, cards of references, contents, keys.
// Reading and a plain save work without any of it.
import Alpine from "@alpinejs/csp";
import { bringing } from "./bringing.js";
import { card } from "./card.js";
import { arrived } from "./desk/drafts.js";
import { contents } from "./contents.js";
import { filing } from "./filing.js";
import { go } from "./go.js";
import { keys, listenForKeys } from "./keys.js";
import { visit } from "./lately.js";
import { lightUp } from "./lit.js";
import { markAll } from "./mark-all.js";
import { report } from "./lists.js";
import { mending } from "./mending.js";
import { menu } from "./menu.js";
import { planned } from "./planned.js";
import { reading } from "./reading.js";
import { revisions } from "./revisions.js";
import { way } from "./way.js";

visit(document.body.dataset);
if (document.body.dataset.page) arrived();
Alpine.data("go", go);
Alpine.data("bringing", bringing);
Alpine.data("card", card);
Alpine.data("contents", contents);
Alpine.data("keys", keys);
Alpine.data("menu", menu);
Alpine.data("mending", mending);
Alpine.data("way", way);
Alpine.data("revisions", revisions);
Alpine.data("report", report);
Alpine.data("filing", filing);
listenForKeys();
markAll();

// The desk's own script registers its part of the page before this.
window.Alpine = Alpine;
document.addEventListener("DOMContentLoaded", () => {
  Alpine.start();
  lightUp();
  reading();
  planned();
});
window.addEventListener("hashchange", lightUp);
