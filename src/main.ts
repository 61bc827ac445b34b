#!/usr/bin/env node
declare const __VERSION__: string;

// The only place that sets the exit code. Asking for the version must cost next to nothing, so it loads nothing.
const [only, ...others] = process.argv.slice(2);
if ((only === "--version" || only === "-V") && others.length === 0) {
  process.stdout.write(`${__VERSION__}\n`);
} else {
  const { run } = await import("./cli/run.ts");
  process.exitCode = await run(process.argv.slice(2), __VERSION__);
  // Who has stopped a run does not wait for an edge's answer or a pause between two tries.
  if (process.exitCode === 130 || process.exitCode === 143) process.exit();
}

export {};
