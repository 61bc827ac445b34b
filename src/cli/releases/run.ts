import {
  toHoldResult,
  toOneRelease,
  toPruneResult,
  toReleaseComparison,
  toReleaseList,
  type PruneResult,
} from "../../results/history.ts";
import { OperatorError } from "../../core/model/failure.ts";
import type { PruneDecision } from "../../core/history/prune.ts";
import type { Delivery } from "../../workflows/delivery.ts";
import { prune } from "../../workflows/prune.ts";
import {
  compareReleases,
  listReleases,
  readRelease,
  repairReleases,
  showHold,
  takeAwayHold,
} from "../../workflows/releases.ts";
import { askYes } from "../frame/ask.ts";
import { isSet, list, type Arguments } from "../frame/command.ts";
import { readQueue } from "../frame/options.ts";
import { printResult } from "../frame/output.ts";
import { withDestination } from "../deliver/run.ts";
import { showHoldResult, showOneRelease, showPrune, showReleaseComparison, showReleaseList } from "./show.ts";
import type { Terminal } from "../frame/terminal.ts";

/** `releases`: the list, one in full, what changed between two, the hold, the repair of a lost pointer. */
export async function lookAtReleases(args: Arguments, terminal: Terminal): Promise<number> {
  const names = list(args, "RELEASE");
  if (isSet(args, "repair")) return repair(args, terminal);
  if (names[0] === "hold") return lookAtHoldOf(args, terminal);
  if (isSet(args, "take-hold")) throw usage("--take-hold goes with: rcourier releases hold");
  if (names.length > 2) throw usage("one release, or two to compare");
  await withDestination(args, terminal, { written: 0 }, async (delivery) => {
    const { destination } = delivery.target;
    const [first, second] = names;
    if (first === undefined) {
      const { pointer, waybills } = await listReleases(delivery);
      const result = toReleaseList(destination, pointer, waybills);
      printResult(args, terminal, result, () => showReleaseList(result, terminal, delivery.clock.now()));
    } else if (second === undefined) {
      const { pointer } = await listReleases(delivery);
      const result = toOneRelease(destination, await readRelease(delivery, first), pointer.release);
      const options = { all: isSet(args, "all"), now: delivery.clock.now() };
      printResult(args, terminal, result, () => showOneRelease(result, terminal, options));
    } else await printComparison(args, terminal, delivery, [first, second]);
  });
  return 0;
}

/** `compare RELEASE RELEASE`. @returns whether they differ */
export function compareTwo(
  args: Arguments,
  terminal: Terminal,
  names: readonly [string, string],
): Promise<boolean> {
  return withDestination(args, terminal, { written: 0 }, (delivery) =>
    printComparison(args, terminal, delivery, names),
  );
}

async function printComparison(
  args: Arguments,
  terminal: Terminal,
  delivery: Delivery,
  names: readonly [string, string],
): Promise<boolean> {
  const result = toReleaseComparison(delivery.target.destination, await compareReleases(delivery, names));
  printResult(args, terminal, result, () =>
    showReleaseComparison(result, terminal, { all: isSet(args, "all") }),
  );
  return result.changes.length > 0;
}

async function lookAtHoldOf(args: Arguments, terminal: Terminal): Promise<number> {
  await withDestination(args, terminal, { written: 0 }, async (delivery) => {
    const { destination } = delivery.target;
    const seen = await showHold(delivery);
    const result = toHoldResult(destination, seen);
    const asText = (): string => showHoldResult(result, terminal, delivery.clock.now());
    if (!isSet(args, "take-hold") || !result.isHeld) {
      printResult(args, terminal, result, asText);
      return;
    }
    terminal.say(asText());
    await confirm(args, terminal, `the hold of ${destination} would be taken away`, "Take it away?");
    await takeAwayHold(delivery);
    printResult(args, terminal, { ...result, isHeld: false }, () => `the hold of ${destination} is free\n`);
  });
  return 0;
}

async function repair(args: Arguments, terminal: Terminal): Promise<number> {
  await withDestination(args, terminal, { written: 0 }, async (delivery) => {
    const { destination } = delivery.target;
    await confirm(args, terminal, `the pointer of ${destination} would be written anew`, "Write it anew?");
    await repairReleases(delivery);
    const { pointer, waybills } = await listReleases(delivery);
    const result = toReleaseList(destination, pointer, waybills);
    printResult(args, terminal, result, () => showReleaseList(result, terminal, delivery.clock.now()));
  });
  return 0;
}

/** `prune`. @returns the exit code: 5 while an edge owes a confirmation */
export async function pruneDestination(args: Arguments, terminal: Terminal): Promise<number> {
  const progress = { written: 0 };
  const dryRun = isSet(args, "dry-run");
  const forget = list(args, "forget");
  return withDestination(args, terminal, progress, async (delivery) => {
    const { destination } = delivery.target;
    const show = (result: PruneResult): string => showPrune(result, terminal, { all: isSet(args, "all") });
    const outcome = await prune(delivery, {
      ...{ dryRun, forget, progress },
      foreign: isSet(args, "foreign"),
      queueSeconds: readQueue(args),
      confirm: async (decision: PruneDecision) => {
        const planned = toPruneResult(destination, true, { decision, owed: [], versions: 0 });
        const asked = planned.removed.filter(({ why }) => why === "foreign" || why === "forgotten");
        if (planned.removed.length === 0 || (asked.length === 0 && !delivery.target.ask)) return;
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
    const result = toPruneResult(destination, dryRun, outcome);
    delivery.report({ event: "done", result });
    printResult(args, terminal, result, () => show(result));
    return result.owed.length > 0 && !dryRun ? 5 : 0;
  });
}

async function confirm(args: Arguments, terminal: Terminal, reason: string, question: string): Promise<void> {
  if (isSet(args, "yes")) return;
  if (!terminal.canAsk) throw new OperatorError("answer-needed", { reason });
  await askYes(question);
}

const usage = (reason: string): OperatorError => new OperatorError("usage", { reason, command: "releases" });
