import { appendFileSync, writeFileSync } from "node:fs";
import { resolve } from "node:path";
import { text, type Arguments } from "./command.ts";
import { clean, type Terminal } from "./terminal.ts";

/** The result goes to standard output, or to the file that was named. */
export function printOutput(args: Arguments, terminal: Terminal, toText: () => string): void {
  const file = text(args, "output");
  if (file === undefined) terminal.print(toText());
  else writeFileSync(resolve(terminal.folder, file), terminal.redact(toText()));
}

/** The same for a result that has a machine-readable form: `--format json`. */
export function printResult(args: Arguments, terminal: Terminal, result: object, toText: () => string): void {
  printOutput(args, terminal, () =>
    text(args, "format") === "json" ? `${JSON.stringify(result)}\n` : toText(),
  );
}

/** A summary in Markdown goes to the end of the file that was named, or of the one that the CI service names. */
export function appendSummary(args: Arguments, terminal: Terminal, toMarkdown: () => string): void {
  const file = text(args, "summary") ?? terminal.ci?.summaryFile;
  if (file === undefined || file === "") return;
  try {
    appendFileSync(resolve(terminal.folder, file), terminal.redact(toMarkdown()));
  } catch (error) {
    // The run itself went as it went.
    terminal.say(`warning: no summary could be written: ${clean((error as Error).message)}\n`);
  }
}
