#!/usr/bin/env node
declare const __VERSION__: string;

// The only place that sets the exit code. Asking for the version must cost next to nothing, so it loads nothing.
const args = process.argv.slice(2);
if ((args[0] === "--version" || args[0] === "-V") && args.length === 1) {
  try {
    process.stdout.write(`${__VERSION__}\n`);
  } catch {
    process.exitCode = 74;
  }
} else {
  const { runKept } = await import("./kept-code.ts");
  const { findCacheFolder } = await import("./system/cache-folder.ts");
  // What a command compiles is kept under its name, so that none pays for the others.
  const name = /^[a-z]+$/.exec(args[0] ?? "help")?.[0] ?? "other";
  const folder = findCacheFolder(process.env);
  const program = runKept<typeof import("./program.ts")>(
    new URL("./program.cjs", import.meta.url),
    folder === undefined ? undefined : `${folder}/compiled`,
    [name, "other"],
  );
  process.exitCode = await program.exports.run(args, __VERSION__);
  // Who has stopped a run does not wait for an edge's answer or a pause between two tries.
  if (process.exitCode > 128) process.exit();
  program.keep(program.exports.COMMANDS.some((command) => command.name === name) ? name : "other");
}
