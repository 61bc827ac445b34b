import type { ExitCode } from "../../words/exits.ts";
import { OperatorError } from "../../core/model/failure.ts";
import type { Explanation } from "../../results/explanation.ts";
import { explain, explainBuild } from "../../workflows/explain.ts";
import { isSet, list, type Arguments } from "../frame/command.ts";
import { printResult } from "../frame/output.ts";
import type { Terminal } from "../frame/terminal.ts";
import { toCall, withDelivery } from "../frame/session.ts";
import { openBuildOf, readGeneral } from "../../wiring/wiring.ts";
import { showExplanation } from "./show.ts";

/** `explain`. @returns the exit code */
export async function explainFiles(args: Arguments, terminal: Terminal): Promise<ExitCode> {
  const names = list(args, "PATH");
  if (names.length === 0)
    throw new OperatorError("usage", {
      reason: "name at least one file or address, such as index.html or /news/",
      command: "explain",
    });
  const found = await explainNames(names, args, terminal);
  printResult(args, terminal, { explanation: { files: found } }, () =>
    found.map((file) => showExplanation(file, terminal, { all: isSet(args, "all") })).join("\n"),
  );
  return 0;
}

/** What a delivery would do is known where one destination is meant; else only what the build says. */
async function explainNames(
  names: readonly string[],
  args: Arguments,
  terminal: Terminal,
): Promise<Explanation[]> {
  const target = readGeneral(toCall(args, terminal));
  if (target.destination !== undefined)
    return withDelivery({ ...args, quiet: true }, terminal, (delivery) => explain(delivery, names));
  const { source } = await openBuildOf(target, toCall(args, terminal));
  try {
    return await explainBuild(source, target.siteRules, names);
  } finally {
    source.close();
  }
}
