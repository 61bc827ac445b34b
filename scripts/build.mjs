// Bundles the tool into dist/: one small entry, and chunks that are loaded when a command needs them. The storage SDK is
// in such a chunk, so that looking at help or settings never pays for it.
import { rmSync, chmodSync, readFileSync } from "node:fs";
import { build } from "esbuild";

const { version } = JSON.parse(readFileSync(new URL("../package.json", import.meta.url), "utf8"));

rmSync("dist", { recursive: true, force: true });
await build({
  entryPoints: { main: "src/main.ts" },
  outdir: "dist",
  bundle: true,
  splitting: true,
  format: "esm",
  platform: "node",
  target: "node20",
  minify: true,
  mainFields: ["module", "main"],
  define: { __VERSION__: JSON.stringify(version) },
  banner: {
    js: "import{createRequire as rcRequire}from'node:module';const require=rcRequire(import.meta.url);",
  },
  logLevel: "warning",
});
chmodSync("dist/main.js", 0o755);
