import { OperatorError } from "../../core/model/failure.ts";
import { selectOthers, type FoundPreview } from "../../core/history/previews.ts";
import { toPreviewsResult, type PreviewsResult } from "../../results/previews.ts";
import { toLabel } from "../../settings/preview.ts";
import type { PreviewRules, Target } from "../../settings/target.ts";
import { listPreviews } from "../../workflows/previews.ts";
import type { ExitCode } from "../../words/exits.ts";
import { counted, listed } from "../../words/text.ts";
import { confirm } from "../frame/ask.ts";
import { isSet, list, type Arguments } from "../frame/command.ts";
import { printResult } from "../frame/output.ts";
import type { Terminal } from "../frame/terminal.ts";
import { removePreviews, withPreviewList } from "../frame/previews.ts";
import { wiredClock } from "../../wiring/wiring.ts";
import { showPreviews } from "./show.ts";

/** `previews`: the list, and what is removed of it. */
export async function lookAtPreviews(args: Arguments, terminal: Terminal): Promise<ExitCode> {
  const dryRun = isSet(args, "dry-run");
  const wish = { remove: list(args, "remove"), keep: list(args, "keep") };
  if (wish.remove.length > 0 && wish.keep.length > 0)
    throw new OperatorError("usage", {
      reason: "use either --remove or --keep, not both",
      command: "previews",
    });
  // A variable of CI that is not set must not mean that nothing is to be kept.
  if ([...wish.remove, ...wish.keep].some((name) => name.trim() === ""))
    throw new OperatorError("usage", { reason: "--remove and --keep need a name", command: "previews" });
  const { found, target, rules } = await withPreviewList(args, terminal, async (store, target, rules) => ({
    ...{ found: await listPreviews(store), target, rules },
  }));
  const going = selectGoing(found, wish, target, rules);
  if (going.length > 0 && !dryRun) {
    const shown = listed(going, 10);
    await confirm(
      args,
      terminal,
      `${counted(going.length, "preview")} would be removed: ${shown}`,
      `Remove ${shown}?`,
    );
    await removePreviews(going, args, terminal);
  }
  const result = toPreviewsResult(target.destination, found, {
    address: rules.address,
    removed: going,
    dryRun,
  });
  const show = (of: PreviewsResult): string => showPreviews(of, terminal, wiredClock.now());
  printResult(args, terminal, { previews: result }, () => show(result));
  return 0;
}

/** The labels of what is to be removed. Throws `no-such-preview`. */
function selectGoing(
  found: readonly FoundPreview[],
  { remove, keep }: { readonly remove: readonly string[]; readonly keep: readonly string[] },
  { destination }: Target,
  rules: PreviewRules,
): string[] {
  // One that was made when addresses left more room has another label than its name comes to now.
  const labelOf = (name: string): string =>
    found.find(({ pointer }) => typeof pointer === "object" && pointer.preview?.name === name)?.label ??
    toLabel(name, rules);
  if (keep.length > 0) {
    const kept = new Set(keep.map(labelOf));
    return selectOthers(found, kept).map(({ label }) => label);
  }
  const labels = found.map(({ label }) => label);
  return remove.map((name) => {
    const label = labelOf(name);
    if (labels.includes(label)) return label;
    throw new OperatorError("no-such-preview", { destination, name, names: listed(labels, 20) || "none" });
  });
}
