// Bundles the tool into dist/: one small entry, and chunks that are loaded when a command needs them. The storage SDK is
// in such a chunk, so that looking at help or settings never pays for it. Everything is in the bundle: a package that is
// installed needs no other.
import { chmodSync, existsSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { build } from "esbuild";

const readJson = (file) => JSON.parse(readFileSync(file, "utf8"));
const { version } = readJson(new URL("../package.json", import.meta.url));

rmSync("dist", { recursive: true, force: true });
const { metafile } = await build({
  entryPoints: { main: "src/main.ts", "reading-thread": "src/gather/reading-thread.ts" },
  outdir: "dist",
  bundle: true,
  splitting: true,
  format: "esm",
  platform: "node",
  target: "node20",
  minify: true,
  metafile: true,
  mainFields: ["module", "main"],
  define: { __VERSION__: JSON.stringify(version) },
  banner: {
    js: "import{createRequire as rcRequire}from'node:module';const require=rcRequire(import.meta.url);",
  },
  logLevel: "warning",
});
chmodSync("dist/main.js", 0o755);

/** The folders of the packages that the bundle holds something of. */
const packages = new Set(
  Object.keys(metafile.inputs).flatMap(
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
