import type { ExitCode } from "../../words/exits.ts";
import { OperatorError } from "../../core/model/failure.ts";
import { toOperatorError } from "../../library/errors.ts";
import { toPrinted } from "../../results/kinds.ts";
import { wordsOfFailure } from "../../words/failures.ts";
import { isSet, text, type Arguments } from "./command.ts";
import { appendSummary } from "./output.ts";
import { toFailureSummary } from "./summary.ts";
import { clean, cleanLines, type Terminal } from "./terminal.ts";

/** Says what went wrong, in the form that was asked for. @returns the exit code */
export function showFailure(thrown: unknown, args: Arguments, terminal: Terminal): ExitCode {
  const error = toOperatorError(thrown);
  const { message, hint, exit, data } = wordsOfFailure(error);
  const { ci } = terminal;
  const format = text(args, "format");
  // What guards have found the progress has shown beside the run, each at its place; where there is one.
  const isShown = error.code === "refused" && !isSet(args, "quiet") && format !== "ndjson";
  if (ci && !isShown) terminal.command(ci.annotate("error", cleanLines(`${message}\n${hint}`)));
  appendSummary(args, terminal, () => toFailureSummary({ message, hint }));
  if (format === "json" || format === "ndjson") {
    const { code, details } = error;
    terminal.print(
      `${JSON.stringify(toPrinted("error", { error: { code, message, hint, details: { ...data, ...details } } }))}\n`,
    );
    return exit;
  }
  const { styleSaid: style } = terminal;
  terminal.say(`${style("bad", "failed:")} ${cleanLines(message)}\n`);
  if (hint !== "") terminal.say(`  ${style("faint", clean(hint))}\n`);
  const details = Object.entries(error.details).map(([name, value]) => `${name} ${String(value)}`);
  if (isSet(args, "verbose") && details.length > 0) terminal.say(`  ${clean(details.join(", "))}\n`);
  // A stack reaches a user only where the fault is ours.
  if (error.code === "bug" && thrown instanceof Error) terminal.say(`${thrown.stack ?? ""}\n`);
  return exit;
}

/** Says what could not be written of a run that went well. @returns the exit code */
export async function showLost(terminal: Terminal): Promise<ExitCode> {
  // A pipe tells a little later.
  await new Promise((done) => setImmediate(done));
  const lost = terminal.lost();
  if (!lost) return 0;
  // Past the form of the result: whatever of that could be written must stay whole.
  return showFailure(new OperatorError("output-lost", { ...lost }), {}, terminal);
}
