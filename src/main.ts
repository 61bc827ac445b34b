#!/usr/bin/env node
import * as nodeModule from "node:module";

declare const __VERSION__: string;

// The only place that sets the exit code. Asking for the version must cost next to nothing, so it loads nothing.
const [only, ...others] = process.argv.slice(2);
if ((only === "--version" || only === "-V") && others.length === 0) {
  process.stdout.write(`${__VERSION__}\n`);
} else {
  keepCompiled(process.env);
  const { run } = await import("./cli/run.ts");
  process.exitCode = await run(process.argv.slice(2), __VERSION__);
  // Who has stopped a run does not wait for an edge's answer or a pause between two tries.
  if (process.exitCode === 130 || process.exitCode === 143) process.exit();
}

/** From version 22 on Node.js can keep what it has compiled (a fifth to a third of a start), in the user's cache folder. */
function keepCompiled({ XDG_CACHE_HOME: caches, HOME: home }: NodeJS.ProcessEnv): void {
  const { enableCompileCache } = nodeModule as { enableCompileCache?: (folder: string) => unknown };
  const base = caches !== undefined && caches !== "" ? caches : home && `${home}/.cache`;
  if (base) enableCompileCache?.(`${base}/restless-courier/compiled`);
}
