// Bundles the tool into dist/: a small entry, the program, and the thread that helps to read. The program is one function of
// CommonJS, so that V8 can keep what it compiled of it (src/kept-code.ts). Its modules are set up when a command first needs
// them: looking at help or settings never pays for the storage SDK. Everything is in the bundle: a package that is installed
// needs no other.
import { hash } from "node:crypto";
import { chmodSync, existsSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { build } from "esbuild";

const readJson = (file) => JSON.parse(readFileSync(file, "utf8"));
const { version } = readJson(new URL("../package.json", import.meta.url));

const common = {
  bundle: true,
  platform: "node",
  target: "node20",
  minify: true,
  metafile: true,
  mainFields: ["module", "main"],
  logLevel: "warning",
};
// The parser of arguments lays out a help of its own before each command. Ours is another one, and what it measures text
// with takes 15 ms to load.
const alias = { cliui: "./scripts/no-layout.mjs", "string-width": "./scripts/no-layout.mjs" };

rmSync("dist", { recursive: true, force: true });
const program = await build({
  ...common,
  alias,
  entryPoints: ["src/program.ts"],
  outfile: "dist/program.cjs",
  format: "cjs",
  define: { "import.meta.url": "here", __VERSION__: JSON.stringify(version) },
  supported: { "dynamic-import": false },
  legalComments: "none",
  banner: { js: "(function (module, require, here) {" },
  footer: { js: "})" },
});
const text = readFileSync("dist/program.cjs");
const far = text.findIndex((byte) => byte > 127);
// Text of one byte a letter is read and kept at half the cost.
if (far >= 0)
  throw new Error(`the program must be ASCII: ${text.subarray(far - 60, far + 20).toString("utf8")}`);
const { metafile: rest } = await build({
  ...common,
  entryPoints: {
    main: "src/main.ts",
    library: "src/package-entry.ts",
    "reading-thread": "src/gather/reading-thread.ts",
  },
  outdir: "dist",
  splitting: true,
  format: "esm",
  define: {
    __VERSION__: JSON.stringify(version),
    __PROGRAM__: JSON.stringify(hash("sha256", text).slice(0, 16)),
  },
  banner: {
    js: "import{createRequire as rcRequire}from'node:module';const require=rcRequire(import.meta.url);",
  },
});
chmodSync("dist/main.js", 0o755);
// What reports carry within them.
const { metafile: page } = await build({
  ...common,
  platform: "browser",
  target: "es2022",
  mainFields: ["module", "main"],
  entryPoints: { page: "src/report/client/main.ts", "page-style": "src/report/page.css" },
  outdir: "dist",
  format: "iife",
});

/** The folders of the packages that the bundle holds something of. */
const packages = new Set(
  Object.keys({ ...program.metafile.inputs, ...rest.inputs, ...page.inputs }).flatMap(
    (file) => /^(?:.*\/)?node_modules\/(?:@[^/]+\/)?[^/]+/.exec(file)?.[0] ?? [],
  ),
);
const toNotice = (folder) => {
  const { name, version: own, license = "" } = readJson(`${folder}/package.json`);
  const file = readdirSync(folder).find((entry) => /^licen[cs]e(\.|$)/i.test(entry));
  const text = file === undefined ? "" : `\n\n${readFileSync(`${folder}/${file}`, "utf8").trim()}`;
  return `${name} ${own} (${license})${text}\n`;
};
const notices = [...packages].filter((folder) => existsSync(`${folder}/package.json`)).sort();
writeFileSync("dist/LICENSES.txt", notices.map(toNotice).join(`\n${"-".repeat(72)}\n\n`));
