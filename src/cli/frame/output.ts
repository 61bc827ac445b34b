import {
  accessSync,
  appendFileSync,
  constants,
  existsSync,
  mkdirSync,
  statSync,
  writeFileSync,
} from "node:fs";
import { dirname, resolve } from "node:path";
import { OperatorError } from "../../core/model/failure.ts";
import { text, type Arguments } from "./command.ts";
import { clean, type Terminal } from "./terminal.ts";

/** The result goes to standard output, or to the file that was named. */
export function printOutput(args: Arguments, terminal: Terminal, toText: () => string): void {
  const file = text(args, "output");
  if (file === undefined) {
    terminal.print(toText());
    return;
  }
  const result = terminal.redact(toText());
  try {
    writeFileSync(resolve(terminal.folder, file), result);
  } catch (error) {
    throw new OperatorError("output-failed", { file, cause: causeOf(error) }, {}, error);
  }
}

const causeOf = (error: unknown): string => (error as NodeJS.ErrnoException).code ?? String(error);

/**
 * Makes the folders of the files that a result and a summary go to, and sees that they can be written, before anything else
 * is done: after a delivery it would be too late to say so. Throws `output-failed`.
 */
export function prepareOutput(args: Arguments, { folder }: Terminal): void {
  for (const file of [text(args, "output"), text(args, "summary")]) {
    if (file === undefined || file === "") continue;
    const path = resolve(folder, file);
    try {
      mkdirSync(dirname(path), { recursive: true });
      if (statSync(path, { throwIfNoEntry: false })?.isDirectory() === true)
        throw Object.assign(new Error(), { code: "EISDIR" });
      accessSync(existsSync(path) ? path : dirname(path), constants.W_OK);
    } catch (error) {
      throw new OperatorError("output-failed", { file, cause: causeOf(error) }, {}, error);
    }
  }
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
