import { toReleaseComparison } from "../../results/history.ts";
import { compareReleases } from "../../workflows/releases.ts";
import type { Place } from "../../workflows/run.ts";
import { isSet, type Arguments } from "../frame/command.ts";
import { printResult } from "../frame/output.ts";
import type { Terminal } from "../frame/terminal.ts";
import { showReleaseComparison } from "./show.ts";

/** What changed from one release to another. @returns whether they differ */
export async function printComparison(
  args: Arguments,
  terminal: Terminal,
  place: Place,
  names: readonly [string, string],
): Promise<boolean> {
  const result = toReleaseComparison(place.destination, await compareReleases(place, names));
  printResult(args, terminal, { comparison: result }, () =>
    showReleaseComparison(result, terminal, { all: isSet(args, "all") }),
  );
  return result.changes.length + result.edgeRules.length > 0;
}
