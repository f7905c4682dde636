// Builds the front end into src/mokuji/web/static. With --check, builds elsewhere and compares.
import { execFileSync } from "node:child_process";
import { cpSync, mkdirSync, mkdtempSync, readFileSync, readdirSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { build } from "esbuild";

const STATIC = "../src/mokuji/web/static";
const FONTS = "node_modules/@fontsource-variable/atkinson-hyperlegible";
const COPIED = {
  [`${FONTS}-next/files/atkinson-hyperlegible-next-latin-wght-normal.woff2`]: "next.woff2",
  [`${FONTS}-next/files/atkinson-hyperlegible-next-latin-wght-italic.woff2`]: "next-italic.woff2",
  [`${FONTS}-mono/files/atkinson-hyperlegible-mono-latin-wght-normal.woff2`]: "mono.woff2",
  [`${FONTS}-next/LICENSE`]: "fonts-licence.txt",
  "node_modules/@fontsource/noto-sans-math/files/noto-sans-math-latin-400-normal.woff2": "math.woff2",
  "node_modules/@fontsource/noto-sans-math/LICENSE": "math-licence.txt",
  "src/mark.svg": "mark.svg",
};

async function make(folder) {
  mkdirSync(folder, { recursive: true });
  await build({
    entryPoints: { mokuji: "src/mokuji.js", desk: "src/desk.js" },
    outdir: folder,
    bundle: true,
    minify: true,
    format: "esm",
    target: "es2022",
    legalComments: "eof",
    alias: { "@codemirror/lang-html": "./src/desk/no-html.js" },
    logLevel: "warning",
  });
  // Its warnings about what is newer than itself (::highlight) help nobody; its faults are thrown.
  execFileSync("node_modules/.bin/tailwindcss", ["-i", "styles.css", "-o", join(folder, "mokuji.css"), "--minify"], {
    stdio: "pipe",
  });
  for (const [from, to] of Object.entries(COPIED)) cpSync(from, join(folder, to));
}

if (process.argv.includes("--check")) {
  const fresh = mkdtempSync(join(tmpdir(), "mokuji-front-"));
  await make(fresh);
  const names = [...new Set([...readdirSync(fresh), ...readdirSync(STATIC)])];
  const read = (folder, name) => {
    try {
      return readFileSync(join(folder, name));
    } catch {
      return Buffer.alloc(0);
    }
  };
  const other = names.filter((name) => !read(fresh, name).equals(read(STATIC, name)));
  rmSync(fresh, { recursive: true });
  if (other.length) {
    console.error(`The built front end is not that of its sources: ${other.join(", ")}. Run bin/build-frontend and commit.`);
    process.exit(1);
  }
} else {
  rmSync(STATIC, { recursive: true, force: true });
  await make(STATIC);
}
