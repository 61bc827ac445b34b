import type { ExitCode } from "../../words/exits.ts";
import { OperatorError } from "../../core/model/failure.ts";
import { explain } from "../../workflows/explain.ts";
import { list, text, type Arguments } from "../frame/command.ts";
import { printOutput } from "../frame/output.ts";
import type { Terminal } from "../frame/terminal.ts";
import { withDelivery } from "../wiring/session.ts";
import { showExplanation } from "./show.ts";

/** `explain`. @returns the exit code */
export async function explainFiles(args: Arguments, terminal: Terminal): Promise<ExitCode> {
  const names = list(args, "PATH");
  if (names.length === 0)
    throw new OperatorError("usage", {
      reason: "which file? Name one or more paths of the build",
      command: "explain",
    });
  await withDelivery({ ...args, quiet: true }, terminal, async (delivery) => {
    const found = await explain(delivery, names);
    printOutput(args, terminal, () =>
      text(args, "format") === "json"
        ? `${JSON.stringify({ files: found })}\n`
        : found.map((file) => showExplanation(file, terminal)).join("\n"),
    );
  });
  return 0;
}
