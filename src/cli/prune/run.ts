import type { ExitCode } from "../../words/exits.ts";
import type { PruneDecision } from "../../core/history/prune.ts";
import { toPruneResult, type PruneResult } from "../../results/history.ts";
import { listOver } from "../../workflows/previews.ts";
import { prune } from "../../workflows/prune.ts";
import { confirm } from "../frame/ask.ts";
import { isSet, list, type Arguments } from "../frame/command.ts";
import { readQueue } from "../frame/options.ts";
import { printResult } from "../frame/output.ts";
import type { Terminal } from "../frame/terminal.ts";
import { withDestination } from "../wiring/session.ts";
import { removePreviews, withPreviewList } from "../wiring/previews.ts";
import { readTarget } from "../wiring/wiring.ts";
import { showPrune } from "./show.ts";

/** `prune`. @returns the exit code: 5 while an edge owes a confirmation */
export async function pruneDestination(args: Arguments, terminal: Terminal): Promise<ExitCode> {
  const dryRun = isSet(args, "dry-run");
  const forget = list(args, "forget");
  const previews = readTarget(args, terminal).previews && (await pruneOver(args, terminal, dryRun));
  return withDestination(args, terminal, async (stay, { destination, safety }) => {
    const show = (result: PruneResult): string => showPrune(result, terminal, { all: isSet(args, "all") });
    const outcome = await prune(stay, {
      ...{ dryRun, forget },
      foreign: isSet(args, "foreign"),
      queueSeconds: readQueue(args),
      confirm: async (decision: PruneDecision) => {
        const planned = toPruneResult(destination, true, { decision, owed: [], versions: 0 });
        const asked = planned.removed.filter(({ why }) => why === "foreign" || why === "forgotten");
        if (planned.removed.length === 0 || (asked.length === 0 && !safety.ask)) return;
        if (!isSet(args, "yes")) terminal.say(show(planned));
        await confirm(args, terminal, `${destination} asks before anything is removed`, "Remove these?");
        if (forget.length > 0)
          await confirm(
            args,
            terminal,
            "nothing brings them back",
            "Nothing can bring them back. Remove them for good?",
          );
      },
    });
    const result = { ...toPruneResult(destination, dryRun, outcome), ...(previews && { previews }) };
    stay.run.report({ event: "done", result });
    printResult(args, terminal, result, () => show(result));
    return result.owed.length > 0 && !dryRun ? 5 : 0;
  });
}

/** Removes the previews whose time is over. @returns their labels */
async function pruneOver(args: Arguments, terminal: Terminal, dryRun: boolean): Promise<string[]> {
  const over = await withPreviewList(args, terminal, listOver);
  const labels = over.map(({ label }) => label);
  if (!dryRun) await removePreviews(labels, args, terminal);
  return labels;
}
