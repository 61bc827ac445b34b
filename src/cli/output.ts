import { writeFileSync } from "node:fs";
import { resolve } from "node:path";
import { text, type Arguments } from "./command.ts";
import type { Terminal } from "./terminal.ts";

/** The result goes to standard output, or to the file that was named. */
export function printOutput(args: Arguments, terminal: Terminal, toText: () => string): void {
  const file = text(args, "output");
  if (file === undefined) terminal.print(toText());
  else writeFileSync(resolve(terminal.folder, file), toText());
}
