import {
  accessSync,
  appendFileSync,
  closeSync,
  constants,
  mkdirSync,
  openSync,
  rmSync,
  statSync,
  writeFileSync,
} from "node:fs";
import { dirname, resolve } from "node:path";
import { OperatorError } from "../../core/model/failure.ts";
import { toPrinted, type ResultKind } from "../../results/kinds.ts";
import { text, type Arguments } from "./command.ts";
import { clean, type Terminal } from "./terminal.ts";

/** The result goes to standard output, or to the file that was named; what can't be written is told at the end of the run. */
export function printOutput(args: Arguments, terminal: Terminal, toText: () => string): void {
  const file = text(args, "output");
  if (file === undefined) terminal.print(toText());
  else writeOutput(file, terminal, toText());
}

/** Text to a file; what can't be written is told at the end of the run. */
export function writeOutput(file: string, terminal: Terminal, result: string): void {
  try {
    writeFileSync(resolve(terminal.folder, file), terminal.redact(result));
  } catch (error) {
    terminal.noteLost({ what: file, cause: causeOf(error) });
  }
}

const causeOf = (error: unknown): string => (error as NodeJS.ErrnoException).code ?? String(error);

/**
 * Makes the folders of the files that a result and a summary go to, and sees that they can be written, before anything else
 * is done: after a delivery it would be too late to say so. Throws `output-failed`.
 */
export function prepareOutput(args: Arguments, { folder }: Terminal): void {
  for (const file of [text(args, "output"), text(args, "report"), text(args, "summary")]) {
    if (file === undefined || file === "") continue;
    const path = resolve(folder, file);
    try {
      mkdirSync(dirname(path), { recursive: true });
      tryToWrite(path);
    } catch (error) {
      throw new OperatorError("output-failed", { file, cause: causeOf(error) }, {}, error);
    }
  }
}

/** Throws what the system says where a file can't be written. What stands there is not changed. */
function tryToWrite(path: string): void {
  const stats = statSync(path, { throwIfNoEntry: false });
  if (stats?.isDirectory() === true) throw Object.assign(new Error(), { code: "EISDIR" });
  // Opening a pipe would wait for its other end.
  if (stats) accessSync(path, constants.W_OK);
  else {
    closeSync(openSync(path, "wx"));
    rmSync(path);
  }
}

/** A result and what it is. */
type Result = { readonly [Kind in ResultKind]?: object };

/** The same for a result that has a machine-readable form: `--format json`. @param named one result by its kind */
export function printResult(args: Arguments, terminal: Terminal, named: Result, toText: () => string): void {
  printOutput(args, terminal, () => (text(args, "format") === "json" ? toJson(named) : toText()));
}

/** A result as one line of JSON. @param named one result by its kind */
export function toJson(named: Result): string {
  const [kind, result] = Object.entries(named)[0] as [ResultKind, object];
  return `${JSON.stringify(toPrinted(kind, result))}\n`;
}

/** A summary in Markdown goes to the end of the file that was named, or of the one that the CI service names. */
export function appendSummary(args: Arguments, terminal: Terminal, toMarkdown: () => string): void {
  const file = text(args, "summary") ?? terminal.ci?.summaryFile;
  if (file === undefined || file === "") return;
  try {
    appendFileSync(resolve(terminal.folder, file), terminal.redact(toMarkdown()));
  } catch (error) {
    terminal.say(`warning: no summary could be written: ${clean((error as Error).message)}\n`);
    // Nobody has asked for the one of a CI service.
    if (text(args, "summary") !== undefined) terminal.noteLost({ what: file, cause: causeOf(error) });
  }
}
