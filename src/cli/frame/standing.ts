import type { DeliveryResult } from "../../results/delivery.ts";
import { clean, type Mark } from "./terminal.ts";

/** How a destination stands after a run, or would: the second line of what is printed. */
export interface Standing {
  readonly words: string;
  readonly mark?: Mark;
}

/** What is not as it should be, and changes. */
export const changesOf = ({ changes }: Pick<DeliveryResult, "changes">): DeliveryResult["changes"] =>
  changes.filter(({ change }) => change !== "unchanged");

/** Whether a run has, or had, nothing at all to do. */
export const isIdle = (result: DeliveryResult): boolean =>
  result.release === result.previous &&
  changesOf(result).length === 0 &&
  result.pruned.length === 0 &&
  result.heldBack.length === 0 &&
  !result.edgeRules &&
  result.invalidation.edges.length === 0;

/** @returns how a delivery, or a redelivery, has ended */
export function standingOf(result: DeliveryResult): Standing {
  const { release, previous, dryRun, redelivers, takenFrom } = result;
  const isRelease = redelivers !== undefined || takenFrom !== undefined;
  if (isIdle(result))
    return {
      words: isRelease
        ? `nothing was written: release ${release} is live, and is the same already.`
        : `nothing was written: this build is already delivered, as release ${release}.`,
    };
  if (dryRun) return { words: `${plannedOf(result)}. Nothing was written.` };
  const [edges, mark] = edgesOf(result);
  if (release === previous) return { words: `release ${release} stays; ${doneAt(result)}.${edges}`, ...mark };
  const from = takenFrom === undefined ? "" : `, from ${clean(takenFrom)}`;
  const back = redelivers === undefined ? "" : ` and puts release ${redelivers} back`;
  const before = previous > 0 ? `; it replaces release ${previous}${back}` : ", the first one here";
  return { words: `release ${release} is delivered${from}${before}.${edges}`, ...mark };
}

/** @returns how a destination stands against a build */
export function comparedOf(result: DeliveryResult): Standing {
  if (isIdle(result))
    return { words: `nothing to do: this build is delivered, as release ${result.release}.` };
  return { words: `${plannedOf(result)}. Nothing was written.` };
}

function plannedOf({ release, previous, redelivers, takenFrom, ...result }: DeliveryResult): string {
  if (release === previous) return `release ${release} stays; ${leftAt(result)}`;
  const what =
    redelivers === undefined
      ? takenFrom === undefined
        ? "this build"
        : clean(takenFrom)
      : `release ${redelivers}`;
  return `${what} would become release ${release}${previous > 0 ? ` and replace release ${previous}` : ", the first one here"}`;
}

function leftAt(result: Work): string {
  if (isMended(result)) return "what was changed or removed outside this tool would be put back";
  return isOnlyRemoved(result)
    ? "files that no release needs any more would be removed"
    : "an earlier run left work that the next delivery finishes";
}

function doneAt(result: Work): string {
  if (isMended(result)) return "what was changed or removed outside this tool is put back";
  return isOnlyRemoved(result)
    ? "files that no release needs any more were removed"
    : "this run went on with what an earlier one had left";
}

type Work = Pick<DeliveryResult, "changes" | "heldBack" | "edgeRules" | "invalidation">;

const isOnlyRemoved = (result: Work): boolean =>
  changesOf(result).length + result.heldBack.length + result.invalidation.edges.length === 0 &&
  !result.edgeRules;

const isMended = ({ changes }: Pick<DeliveryResult, "changes">): boolean =>
  changes.some(({ change }) => change === "drifted" || change === "missing");

/** What edges have done, where any was asked. */
function edgesOf({
  invalidation: { edges, owed, confirmed },
}: DeliveryResult): readonly [words: string, mark?: { readonly mark: Mark }] {
  if (owed.length > 0)
    return [" The edge has NOT confirmed yet: visitors may get old copies.", { mark: "warn" }];
  if (edges.length === 0) return [""];
  if (!confirmed) return [" The edge was asked to forget the old copies; its word was not checked."];
  return [edges.length > 1 ? " Every edge has confirmed." : " The edge has confirmed."];
}
