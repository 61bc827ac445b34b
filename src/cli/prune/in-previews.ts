import type { PruneDecision } from "../../core/history/prune.ts";
import { isOver, type FoundPreview } from "../../core/history/previews.ts";
import { OperatorError } from "../../core/model/failure.ts";
import type { Sha256 } from "../../core/model/names.ts";
import { listPreviews } from "../../workflows/previews.ts";
import { lookUpContents, prune, type NamedContents, type PruneOptions } from "../../workflows/prune.ts";
import type { ForgottenInPreview } from "../../results/history.ts";
import type { Arguments } from "../frame/command.ts";
import type { Terminal } from "../frame/terminal.ts";
import { withPreview, withPreviewList } from "../frame/previews.ts";
import { withDestination } from "../frame/session.ts";

/** Contents that are to go for good, and the previews that have them too. */
export interface Forgetting {
  readonly named: NamedContents;
  /** What would go from each preview that has one of them. */
  readonly inPreviews: readonly ForgottenInPreview[];
}

/** Looks at a destination and at all its previews for what these paths name; writes nothing. Throws `preview-unknown`. */
export async function lookEverywhere(
  args: Arguments,
  terminal: Terminal,
  forget: readonly string[],
): Promise<Forgetting> {
  const labels = (await withPreviewList(args, terminal, listPreviews)).filter(isToForget).map(labelOf);
  const found = [await withDestination(args, terminal, (stay) => lookUpContents(stay, forget))];
  for (const preview of labels)
    found.push(await withPreview(preview, args, terminal, (stay) => lookUpContents(stay, forget)));
  const named = new Map(
    forget.map((path) => [path, new Set<Sha256>(found.flatMap((names) => [...(names.get(path) ?? [])]))]),
  );
  const inPreviews: ForgottenInPreview[] = [];
  // What nothing names is said by the prune of the destination itself.
  if ([...named.values()].every(({ size }) => size > 0))
    for (const preview of labels) {
      const planned = await forgetIn(preview, { args, terminal }, { forget, named, dryRun: true });
      if (planned.removed.some(({ why }) => why === "forgotten")) inPreviews.push(planned);
    }
  return { named, inPreviews };
}

/** A preview without a record may hold anything, and one that is no preview is none of ours. */
function isToForget(preview: FoundPreview): boolean {
  const { label, pointer } = preview;
  if (isOver(preview)) return false;
  if (pointer === undefined || pointer === "unreadable")
    throw new OperatorError("preview-unknown", { name: label });
  return pointer.preview !== undefined;
}

const labelOf = ({ label }: FoundPreview): string => label;

/** Removes these contents from one preview for good. */
export async function forgetIn(
  preview: string,
  { args, terminal }: { readonly args: Arguments; readonly terminal: Terminal },
  options: Pick<PruneOptions, "forget" | "named" | "dryRun"> & { readonly queueSeconds?: number },
): Promise<ForgottenInPreview> {
  const whole = { foreign: false, queueSeconds: 0, ...options };
  const { decision, versions } = await withPreview(preview, args, terminal, (stay) => prune(stay, whole));
  return { preview, removed: toRemoved(decision), versions };
}

const toRemoved = ({ removals }: PruneDecision): ForgottenInPreview["removed"] =>
  removals.map(({ key, why, size }) => ({ key, why, size }));
