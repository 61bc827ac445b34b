// @ts-check
// Bundles with esbuild, then delivers what came of it. Any other bundler that can be called from a script will do.
//
//   node after-build.mjs [DESTINATION]
import { build } from "esbuild";
import { CourierError, deliver } from "restless-courier";

// Ctrl-C stops a delivery well: what is being written ends, and nothing new begins.
const stop = new AbortController();
process.once("SIGINT", () => stop.abort());

/** @param {import("restless-courier").CourierEvent} event */
function show(event) {
  switch (event.event) {
    case "gathered":
      console.log(`${event.files} files, ${event.bytes} bytes`);
      break;
    case "phase":
      if (event.state === "started") console.log(`${event.phase}: ${event.steps} steps`);
      break;
    case "retry":
      console.error(`could not ${event.action} (${event.why}), again in ${event.waitMs} ms`);
      break;
    case "warning":
      console.error(`warning: ${event.message}`);
  }
}

await build({
  entryPoints: ["src/app.js"],
  entryNames: "[name]-[hash]",
  outdir: "dist/assets",
  bundle: true,
  minify: true,
});

try {
  const { release, previous, url, invalidation } = await deliver({
    to: process.argv[2],
    signal: stop.signal,
    onEvent: show,
  });
  if (release === previous) console.log(`nothing to do after release ${release}`);
  else console.log(`release ${release}${url === undefined ? "" : ` at ${url}`}`);
  if (invalidation.owed.length > 0)
    console.error(`not confirmed yet, the next run asks again: ${invalidation.owed.join(" ")}`);
} catch (error) {
  if (!(error instanceof CourierError)) throw error;
  console.error(`${error.code}: ${error.message}\n${error.hint}`);
  process.exitCode = error.code === "interrupted" ? 130 : 1;
}
